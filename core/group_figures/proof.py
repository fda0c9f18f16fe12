"""The proof of a translation reserve: what it stood at, what net assets, results and the rest brought."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from core.consolidation.position import Consolidation
from core.consolidation.translate import Translated
from core.group.rates import NotReady
from core.group.translation_rules import AVERAGE, CLOSING, HISTORICAL
from core.money import round_half_up


@dataclass(frozen=True, slots=True)
class ReserveProof:
    """Raw minor units of the group's currency: a gain of the reserve is a credit."""

    company: str
    currency: str
    opening: int
    net_assets: int
    result: int
    other: int
    rounding: int
    closing: int


def proofs(group: Consolidation, p: int) -> tuple[list[ReserveProof], dict[str, str]]:
    """Of each set of books in another currency of a company that is in; of which none can be given, why."""
    rows, without = [], {}
    for company, standing in group.standings.items():
        if not standing.is_in[p]:
            continue
        try:
            group.need_accounts(company)
            sets = group.translated(company, p)
        except NotReady as missing:
            without[company] = str(missing)
            continue
        for one in sets:
            if one.books.currency == group.group.currency:
                continue
            try:
                rows.append(_proof(group, one, standing.base, p))
            except NotReady as missing:
                without[one.books.name] = str(missing)
    return sorted(rows, key=lambda row: row.company), without


class ReservePart(NamedTuple):
    """What one amount of a set of books brings to its reserve: raw in minor units of its own currency, moved
    in period `number` (of `net_assets`: what stood at its end); between whole units the rate that it came in
    by and that of now; what it brings, exact and raw in minor units of the group's."""

    cause: str
    number: int
    kind: str
    amount: int
    then: Fraction
    now: Fraction
    brings: Fraction


def reserve_parts(group: Consolidation, one: Translated, base: int | None, p: int) -> list[ReservePart]:
    """What `net_assets`, `result` and `other` of the proof are made of, before each is rounded. Raises
    NotReady where a rate is missing."""
    currency, rates = one.books.currency, group.rates
    begins, others = _begins(group, base, p), ~one.at_closing
    books = one.books.books_to[:, begins] if len(one.books.own) else np.zeros(0, dtype=np.int64)

    def part(cause: str, i: int, kind: str, amount: int) -> ReservePart:
        then, now = rates.of(kind, currency, i), rates.of(CLOSING, currency, p)
        brings = amount * (rates.minor(CLOSING, currency, p) - rates.minor(kind, currency, i))
        return ReservePart(cause, i, kind, amount, then, now, brings)

    parts = []
    if in_books := int(books[others].sum()):
        parts.append(part("net_assets", begins, CLOSING, in_books))
    for i in range(begins + 1, p + 1):
        moved = one.books.moved[:, i]
        for kind in (AVERAGE, HISTORICAL):
            by_kind = [one.accounts.rate[target] == kind for target in one.target.tolist()]
            cells = others & np.array(by_kind, dtype=bool)
            for mask, cause in ((cells & one.result, "result"), (cells & ~one.result, "other")):
                if np.any(moved[mask] != 0):
                    parts.append(part(cause, i, kind, int(moved[mask].sum())))
    return parts


def _begins(group: Consolidation, base: int | None, p: int) -> int:
    begins = group.periods.end_of_year_before(p)
    return base if base is not None and base > begins else begins


def _proof(group: Consolidation, one: Translated, base: int | None, p: int) -> ReserveProof:
    parts = reserve_parts(group, one, base, p)
    net_assets, result, other = (
        round_half_up(sum((part.brings for part in parts if part.cause == cause), Fraction(0)))
        for cause in ("net_assets", "result", "other")
    )
    opening, closing = one.reserve(_begins(group, base, p)), one.reserve(p)
    rest = closing - opening - net_assets - result - other
    return ReserveProof(one.books.name, one.books.currency, opening, net_assets, result, other, rest, closing)
