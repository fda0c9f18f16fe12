"""What a figure of a company is made of: its own accounts in its own currency, with the rate used, period by
period."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from core.consolidation.position import Consolidation
from core.consolidation.translate import Translated
from core.group.rates import NotReady
from core.group.translation_rules import AVERAGE, CLOSING
from core.group_cash_flow.flows import Flows


class OwnAmount(NamedTuple):
    """An own account's part of a group account: `amount` raw in the books' currency, `translated` in the
    group's, before any share. `kind` is the kind of rate (empty where there is none), `rate` the one rate
    that the two are apart by; None where each period has its own."""

    own: str
    target: int
    kind: str
    rate: Fraction | None
    amount: int
    translated: int


class PeriodAmount(NamedTuple):
    """What one period brought to an own account, without closing journals or (`closing`) by them. Where the
    whole is translated at one closing rate a period has no rate of its own."""

    period: int
    closing: bool
    rate: Fraction | None
    amount: int
    translated: int | None


class Span(NamedTuple):
    """Periods from `start` to `end` without closing journals; start None: everything to the end."""

    start: int | None
    end: int


def set_of_books(group: Consolidation, name: str, p: int) -> Translated | None:
    """One set of books translated to the end of p; None where it isn't there or waits."""
    company = next((one.company for one in group.books.sets if one.name == name), None)
    if company is None or company not in group.standings:
        return None
    try:
        sets = group.translated(company, p)
    except NotReady:
        return None
    return next(one for one in sets if one.books.name == name)


def own_amounts(group: Consolidation, name: str, span: Span, targets: Collection[int]) -> list[OwnAmount]:
    """The own accounts of one set of books behind group accounts, in code order; nil left out."""
    one = set_of_books(group, name, span.end)
    if one is None:
        return []
    sums: dict[tuple[str, int], tuple[int, int]] = {}
    for c, target in enumerate(one.target.tolist()):
        if target in targets:
            amount, translated = _amounts(one, c, span)
            was = sums.get((one.own[c], target), (0, 0))
            sums[one.own[c], target] = (was[0] + amount, was[1] + translated)
    return [
        OwnAmount(own, target, *_rate(group, one, target, span), amount, translated)
        for (own, target), (amount, translated) in sorted(sums.items())
        if amount or translated
    ]


def flow_amounts(flows: Flows, name: str, targets: Collection[int]) -> list[OwnAmount]:
    """The same of a cash flow: what own accounts moved, and what flowed of it; each period at its average
    rate."""
    sums: dict[tuple[str, int], list[int]] = {}
    for (of, _), cells in flows.cells.items():
        for c, target in enumerate(cells.target.tolist()) if of == name else ():
            if target in targets:
                own = sums.setdefault((cells.own[c], target), [0, 0])
                own[0] += int(cells.moved[c].sum())
                own[1] += int(cells.amount[c].sum())
    return [
        OwnAmount(own, target, AVERAGE, None, amount, flowed)
        for (own, target), (amount, flowed) in sorted(sums.items())
        if amount or flowed
    ]


def flow_periods(
    group: Consolidation, flows: Flows, name: str, own: str, target: int
) -> Iterator[PeriodAmount]:
    """Period by period what moved an own account's part of a group account, and flowed of it."""
    currency = next(one.currency for one in group.books.sets if one.name == name)
    by_period: dict[int, list[int]] = {}
    for (of, _), cells in flows.cells.items():
        for c, at in enumerate(cells.target.tolist()) if of == name else ():
            if at == target and cells.own[c] == own:
                for n in np.flatnonzero(cells.moved[c]).tolist():
                    known = by_period.setdefault(flows.first + n, [0, 0])
                    known[0] += int(cells.moved[c, n])
                    known[1] += int(cells.amount[c, n])
    for i, (amount, flowed) in sorted(by_period.items()):
        rate = None if currency == group.group.currency else group.rates.of(AVERAGE, currency, i)
        yield PeriodAmount(i, False, rate, amount, flowed)


def _amounts(one: Translated, c: int, span: Span) -> tuple[int, int]:
    """Of one cell: in the books, translated."""
    if span.start is None:
        return int(one.books.books_to[c, span.end]), int(one.standing(span.end)[c])
    if one.result[c]:
        inside = [i for i in one.periods if span.start <= i <= span.end]
        return (
            sum(int(one.books.moved[c, i]) for i in inside),
            sum(int(one.periods[i].movement[c]) for i in inside),
        )
    before = span.start - 1
    books = one.books.books_to[c]
    stood = int(one.standing(before)[c]) if before >= one.first - 1 else 0
    return int(books[span.end]) - int(books[before]), int(one.standing(span.end)[c]) - stood


def _rate(group: Consolidation, one: Translated, target: int, span: Span) -> tuple[str, Fraction | None]:
    if one.books.currency == group.group.currency:
        return "", None
    kind = group.books.accounts.rate[target]
    if kind == CLOSING:
        whole = span.start is None
        return kind, group.rates.of(kind, one.books.currency, span.end) if whole else None
    return kind, group.rates.of(kind, one.books.currency, span.end) if span.start == span.end else None


def period_amounts(
    group: Consolidation, name: str, span: Span, own: str, target: int
) -> Iterator[PeriodAmount]:
    """Period by period what moved an own account's part of a group account."""
    one = set_of_books(group, name, span.end)
    if one is None:
        return
    cells = [c for c, code in enumerate(one.own) if code == own and int(one.target[c]) == target]
    for i in range(span.start or 0, span.end + 1):
        moved = sum(int(one.books.moved[c, i]) for c in cells)
        closed = sum(int(one.books.closed[c, i]) for c in cells)
        if moved:
            yield PeriodAmount(i, False, *_of_period(group, one, cells, i, moved, closing=False))
        if closed and (span.start is None or not one.result[cells[0]]):
            yield PeriodAmount(i, True, *_of_period(group, one, cells, i, closed, closing=True))


def _of_period(
    group: Consolidation, one: Translated, cells: list[int], i: int, amount: int, *, closing: bool
) -> tuple[Fraction | None, int, int | None]:
    """(rate, amount, translated) of what moved in a period, or of what closed in it."""
    currency, known = one.books.currency, one.periods.get(i)
    if currency == group.group.currency:
        return None, amount, amount
    if one.at_closing[cells[0]] or known is None:
        return None, amount, None
    if closing:
        return None, amount, sum(int(known.closing[c]) for c in cells)
    kind = group.books.accounts.rate[int(one.target[cells[0]])]
    return group.rates.of(kind, currency, i), amount, sum(int(known.movement[c]) for c in cells)
