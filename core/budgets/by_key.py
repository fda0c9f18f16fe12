"""Budgets spread by a key: as other accounts, or statistics, went over the periods or stand by the codes of a
field. Nothing is lost: what is spread adds up to what it was, to the last minor unit."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from typing import NamedTuple

from core.budgets.cells import BudgetCell, BudgetYear, CellEdit, Cells
from core.budgets.keying import over_periods, refused_spread, within_range
from core.budgets.sharing import shared_out

String = tuple[str, str]
"""An account string and its dimensions."""


class SpreadKey(NamedTuple):
    """Accounts whose amounts say how to spread: their cells, and what people call them."""

    cells: Cells
    called: str

    def by_period(self, year: BudgetYear) -> list[int]:
        """What they come to in each regular period of the year. Raises Refused where that is nothing."""
        sums = dict.fromkeys(year.periods, 0)
        for cell, amount in self.cells.items():
            if cell.period in sums:
                sums[cell.period] += amount
        return self._something(list(sums.values()))

    def by_code(self, year: BudgetYear, code_of: Callable[[String], str]) -> dict[str, int]:
        """What they come to with each code of a field over the year; amounts without one say nothing. Raises
        Refused where that is nothing."""
        sums: dict[str, int] = {}
        for cell, amount in self.cells.items():
            if cell.period in year.periods and (code := code_of(cell[1:])):
                sums[code] = sums.get(code, 0) + amount
        weights = {code: amount for code, amount in sorted(sums.items()) if amount}
        self._something(list(weights.values()))
        return weights

    def _something(self, weights: list[int]) -> list[int]:
        if sum(weights):
            return weights
        what = f"{self.called} come to nothing there, so nothing says how to spread."
        raise refused_spread(what, "Choose other accounts, or another year or budget to take them from.")


def over_key_periods(year: BudgetYear, naturals: Iterable[str], key: SpreadKey) -> list[CellEdit]:
    """Edits that keep what each string comes to over the year's regular periods and spread it as the key
    went."""
    weights = key.by_period(year)
    return over_periods(year, naturals, lambda _: weights)


def over_key_codes(
    year: BudgetYear,
    naturals: Collection[str],
    weights: Mapping[str, int],
    with_code: Callable[[String, str], String],
) -> list[CellEdit]:
    """Edits that keep what each account comes to in each period, with all its other codes, and spread it over
    the codes of a field. `with_code` puts one in a string, an empty one takes it out; it raises Refused for a
    code that doesn't go with the account. What stands at a period's end stays."""
    wanted = frozenset(naturals) - year.standing
    bare: dict[String, String] = {}
    sums: dict[tuple[int, String], int] = {}
    after: dict[BudgetCell, int | None] = {}
    for cell, amount in year.of(wanted, year.periods).items():
        string = cell[1:]
        if string not in bare:
            bare[string] = with_code(string, "")
        place = (cell.period, bare[string])
        sums[place] = sums.get(place, 0) + amount
        after[cell] = None
    strings = {one: [with_code(one, code) for code in weights] for one in set(bare.values())}
    for (period, string), amount in sums.items():
        shares = shared_out(amount, list(weights.values()))
        for own, share in zip(strings[string], shares, strict=True):
            after[BudgetCell(period, *own)] = share
    return within_range(year.edits(after))
