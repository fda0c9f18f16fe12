"""What a keyed amount, a percentage or another year's figures make of a budget's cells.

An amount keyed for several cells at once (a line, a heading, a year) is spread over them: in proportion to
what stands there; where nothing stands, to the figures of the year before; where there are none either,
evenly over the periods of a single account. Shares add up to the amount to the last minor unit.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from fractions import Fraction
from typing import Literal

from core.budgets.cells import BudgetCell, BudgetYear, CellEdit, Cells
from core.budgets.sharing import shared_out
from core.faults import Fault, Location, Refused
from core.money import LIMIT, round_half_up

By = Literal["evenly", "season"]
NewString = Callable[[str], tuple[str, str]]
"""The account string and dimensions of a natural account that has no cells yet. Raises Refused where more
must be known."""
WAY_OUT = "Key the accounts below it, or copy the figures of a year first."


def refused_spread(what: str, way_out: str) -> Refused:
    """Nothing says how to spread, and what would."""
    return Refused([Fault("not-spread", what, Location("budget_lines", (), "amount"), way_out)])


def keyed(
    year: BudgetYear,
    before: Cells,
    naturals: Collection[str],
    periods: Sequence[int],
    amount: int | None,
    new_string: NewString,
) -> list[CellEdit]:
    """Edits that make the cells of some accounts and periods come to an amount; None empties them.

    `before` are the cells of the year before. Raises Refused where nothing says how to spread.
    """
    if len(periods) > 1 and year.standing.issuperset(naturals):
        return _each(year, before, naturals, periods, amount, new_string)
    there = year.of(naturals, periods)
    if amount is None:
        return year.edits(dict.fromkeys(there))
    if abs(amount) >= LIMIT:
        raise refused_spread("The amount is out of range.", "Key a smaller one.")
    if sum(there.values()) == amount and there:
        return []
    if amount == 0 and there:
        return year.edits(dict.fromkeys(there, 0))
    places = _places(year, before, naturals, periods, there, new_string)
    one = year.whole if year.standing.issuperset(naturals) and not amount % year.whole else 1
    shares = [share * one for share in shared_out(amount // one, list(places.values()))]
    emptied = {cell: 0 for cell in there if cell not in places}
    return within_range(year.edits({**emptied, **dict(zip(places, shares, strict=True))}))


def _each(
    year: BudgetYear,
    before: Cells,
    naturals: Collection[str],
    periods: Sequence[int],
    amount: int | None,
    new_string: NewString,
) -> list[CellEdit]:
    """Of quantities that stand: the same at the end of each period."""
    after = year
    for period in periods:
        after = after.with_edits(keyed(after, before, naturals, [period], amount, new_string))
    return year.edits({cell: after.cells.get(cell) for cell in {*year.cells, *after.cells}})


def _places(
    year: BudgetYear,
    before: Cells,
    naturals: Collection[str],
    periods: Sequence[int],
    there: Cells,
    new_string: NewString,
) -> dict[BudgetCell, int]:
    """Cells with the weights by which an amount is spread over them."""
    if len(there) == 1 and len(periods) == 1:
        return dict.fromkeys(there, 1)
    if any(there.values()):
        if not sum(there.values()):
            what = "What stands there adds up to nothing, so an amount can't be spread in proportion."
            raise refused_spread(what, "Key its accounts or periods one by one.")
        return dict(there)
    if there and len(naturals) == 1:
        return dict.fromkeys(there, 1)
    earlier = {
        cell: amount
        for cell, amount in before.items()
        if cell.period in periods and year.natural_of(cell.account) in naturals and amount
    }
    if sum(earlier.values()):
        return earlier
    if len(naturals) != 1:
        what = "Nothing stands below it, and nothing was posted in the year before, to spread an amount by."
        raise refused_spread(what, WAY_OUT)
    return _evenly(year, next(iter(naturals)), periods, new_string)


def _evenly(
    year: BudgetYear, natural: str, periods: Sequence[int], new_string: NewString
) -> dict[BudgetCell, int]:
    """A cell each period: of the strings that the account has in other periods, by their size, or of a new
    one."""
    weights: dict[tuple[str, str], int] = {}
    there = year.of([natural], year.periods)
    ends = year.last_periods(there)
    for cell, amount in there.items():
        if year.counts(cell, ends):
            weights[cell[1:]] = weights.get(cell[1:], 0) + amount
    if not sum(weights.values()):
        weights = dict.fromkeys(weights, 1) or {new_string(natural): 1}
    return {BudgetCell(period, *key): weight for period in periods for key, weight in weights.items()}


def spread(year: BudgetYear, before: Cells, naturals: Iterable[str], by: By) -> list[CellEdit]:
    """Edits that keep what each string comes to over the year's regular periods and spread it anew: evenly,
    or as the year before went by account. An account without figures in the year before stays, and so does
    what stands at a period's end."""
    seasons = _seasons(year, before)
    evenly = [1] * len(year.periods)
    return over_periods(
        year, naturals, lambda natural: evenly if by == "evenly" else seasons.get(natural, [])
    )


def over_periods(
    year: BudgetYear, naturals: Iterable[str], weights_of: Callable[[str], Sequence[int]]
) -> list[CellEdit]:
    """Edits that spread what each string comes to over the year's regular periods by the weights of its
    account; one without any stays."""
    after: dict[BudgetCell, int | None] = {}
    totals: dict[tuple[str, str], int] = {}
    for cell, amount in year.of(frozenset(naturals) - year.standing, year.periods).items():
        totals[cell[1:]] = totals.get(cell[1:], 0) + amount
    for (account, dimensions), total in totals.items():
        weights = weights_of(year.natural_of(account))
        if sum(weights):
            shares = shared_out(total, weights)
            places = (BudgetCell(period, account, dimensions) for period in year.periods)
            after |= dict(zip(places, shares, strict=True))
    return within_range(year.edits(after))


def _seasons(year: BudgetYear, before: Cells) -> dict[str, list[int]]:
    """By natural account the amounts of the year before in the year's regular periods."""
    place = {period: i for i, period in enumerate(year.periods)}
    seasons: dict[str, list[int]] = {}
    for cell, amount in before.items():
        if cell.period in place:
            season = seasons.setdefault(year.natural_of(cell.account), [0] * len(place))
            season[place[cell.period]] += amount
    return seasons


def grown(
    year: BudgetYear, naturals: Iterable[str], periods: Iterable[int], per_cent: Fraction
) -> list[CellEdit]:
    """Each cell more by a percentage, rounded by itself, halves away from zero."""
    factor = 1 + per_cent / 100
    cells = year.of(naturals, periods)
    return within_range(year.edits({cell: round_half_up(amount * factor) for cell, amount in cells.items()}))


def copied(
    year: BudgetYear, source: Cells, naturals: Collection[str], periods: Iterable[int], per_cent: Fraction
) -> list[CellEdit]:
    """The amounts of other cells (a year's figures, another budget) in place of what stands there, each more
    by a percentage."""
    factor, within = 1 + per_cent / 100, frozenset(periods)
    after: dict[BudgetCell, int | None] = dict.fromkeys(year.of(naturals, within))
    for cell, amount in source.items():
        if cell.period in within and year.natural_of(cell.account) in naturals:
            after[cell] = round_half_up(amount * factor)
    return within_range(year.edits(after))


def within_range(edits: list[CellEdit]) -> list[CellEdit]:
    """The same edits. Raises Refused where one is of an amount that can't be kept."""
    if any(abs(edit.now or 0) >= LIMIT for edit in edits):
        raise refused_spread(
            "An amount would be out of range.", "Choose a smaller one, or key its parts one by one."
        )
    return edits
