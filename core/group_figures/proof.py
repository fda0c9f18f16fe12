"""The proof of a translation reserve: what it stood at, what net assets, results and the rest brought."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from core.consolidation.position import Consolidation
from core.consolidation.translate import Translated
from core.group.rates import NotReady
from core.group.translation_rules import CLOSING
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


def _proof(group: Consolidation, one: Translated, base: int | None, p: int) -> ReserveProof:
    begins = group.periods.end_of_year_before(p)
    if base is not None and base > begins:
        begins = base
    currency, rates = one.books.currency, group.rates
    books = one.books.books_to[:, begins] if len(one.books.own) else np.zeros(0, dtype=np.int64)
    others = ~one.at_closing
    now = rates.minor(CLOSING, currency, p)
    in_books = int(books[others].sum())
    opening = one.reserve(begins)
    net_assets = round_half_up(in_books * (now - rates.minor(CLOSING, currency, begins))) if in_books else 0
    result = other = round_half_up(now * 0)
    by_result, by_other = now * 0, now * 0
    for i in range(begins + 1, p + 1):
        moved = one.books.moved[:, i]
        for kind in ("average", "historical"):
            cells = others & (
                np.array([one.accounts.rate[t] == kind for t in one.target.tolist()], dtype=bool)
            )
            for mask, is_result in ((cells & one.result, True), (cells & ~one.result, False)):
                total = int(moved[mask].sum()) if mask.any() else 0
                if not np.any(moved[mask] != 0):
                    continue
                part = total * (now - rates.minor(kind, currency, i))
                by_result, by_other = (
                    (by_result + part, by_other) if is_result else (by_result, by_other + part)
                )
    result, other = round_half_up(by_result), round_half_up(by_other)
    closing = one.reserve(p)
    rest = closing - opening - net_assets - result - other
    return ReserveProof(one.books.name, currency, opening, net_assets, result, other, rest, closing)
