"""Amounts of one company as equal-length columns, each with its time, its account string and its dimensions.

The time of a row is an ordinal (core/books/periods.py) where whole periods are asked for, and a day where
days are. A row of balances has its period's last day, what was brought forward the day before the year's
first.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.analysis.filters import Filter, chart_field, code_in_combination, code_in_string
from core.books.balances import Books, exact, in_floats
from core.books.periods import YEAR, CalendarIndex, closing_ordinals, ordinal
from core.statements.amounts import WHOLE, StrayAccount
from core.statements.line_parts import LinePart
from core.statements.plans import Plan
from core.structures.charts import ChartIndex


@dataclass(frozen=True)
class AmountRows:
    """Debits and credits in minor units. `natural` counts in `naturals`; `string` and `combination` are keys
    of `strings` and `combinations` (0: no dimensions), which may be empty where no field is asked for."""

    naturals: tuple[str, ...]
    natural: NDArray[Any]
    string: NDArray[Any]
    combination: NDArray[Any]
    time: NDArray[Any]
    closing: NDArray[np.bool_]
    debit: NDArray[Any]
    credit: NDArray[Any]
    strings: Mapping[int, str]
    combinations: Mapping[int, str]
    part: NDArray[np.int64] | None = None
    """of a statement's lines that take a part of their accounts the one that each goes to, or WHOLE"""
    way: NDArray[np.int64] | None = None
    """of rows that were read for a direct cash flow the direction of the journals that moved them"""
    above: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    """by field with a level (`site:1`) what each code stands for there"""
    has_statistics: bool = False
    """whether quantities of statistics are among them, as far as they are kept"""
    unmapped: Mapping[str, StrayAccount] = field(default_factory=dict)
    """of `naturals` seen in another chart those that stand for an own account that the mapping sends
    nowhere"""

    def __len__(self) -> int:
        return len(self.natural)

    @cached_property
    def net(self) -> NDArray[Any]:
        """Debit plus, of a width in which every sum of them is exact."""
        net: NDArray[Any] = exact(self.debit) - exact(self.credit)
        return net

    @cached_property
    def net_in_floats(self) -> NDArray[np.float64] | None:
        """The same as binary floats, where every sum of them is exact."""
        return in_floats(self.net)

    def where(self, kept: NDArray[np.bool_]) -> AmountRows:
        columns = ("natural", "string", "combination", "time", "closing", "debit", "credit")
        # Few of many are taken by their places: truth values cost each array a pass over all of them.
        few = 2 * np.count_nonzero(kept) < len(kept)
        chosen: NDArray[Any] = np.flatnonzero(kept) if few else kept
        part = None if self.part is None else self.part[chosen]
        way = None if self.way is None else self.way[chosen]
        return replace(self, part=part, way=way, **{name: getattr(self, name)[chosen] for name in columns})

    def taken_off(self) -> AmountRows:
        """The same amounts on their other side."""
        return replace(self, debit=self.credit, credit=self.debit)

    def of_year(self, year: int) -> Iterator[tuple[int, int, int, int]]:
        """(period, string, combination, debit plus) of the rows of a fiscal year, closing journals left out;
        rows timed by ordinals."""
        rows = self.where((self.time // YEAR == year) & ~self.closing)
        columns = (rows.time % YEAR - 1, rows.string, rows.combination, rows.net)
        yield from zip(*(column.tolist() for column in columns), strict=True)

    def with_texts(self, strings: Mapping[int, str], combinations: Mapping[int, str]) -> AmountRows:
        return replace(self, strings=strings, combinations=combinations)

    def renumbered(self, string: int, combination: int) -> AmountRows:
        """The same rows with the numbers of strings and combinations counted on from others."""
        return replace(
            self,
            string=self.string + string,
            combination=self.combination + combination,
            strings={number + string: text for number, text in self.strings.items()},
            combinations={number + combination: text for number, text in self.combinations.items()},
        )

    def codes_in(self, chart: ChartIndex, field: str) -> tuple[list[str], NDArray[np.int64]]:
        """The codes of a field by row: the different ones, and for each row its place among them."""
        ids, inverse = numbered(self._column(chart, field))
        by_id = self._codes_of(chart, field, ids.tolist())
        codes = sorted(set(by_id))
        place = {code: i for i, code in enumerate(codes)}
        return codes, np.array([place[code] for code in by_id], dtype=np.int64)[inverse]

    def _column(self, chart: ChartIndex, field: str) -> NDArray[Any]:
        """The numbers of the texts that hold a field's codes, by row."""
        return self.string if _is_segment(chart, field) else self.combination

    def _codes_of(self, chart: ChartIndex, field: str, numbers: Iterable[int]) -> list[str]:
        """The code of a field in each of some texts, by its level where the field has one."""
        name = field.partition(":")[0]
        if _is_segment(chart, field):
            codes = [code_in_string(chart, name, self.strings[number]) for number in numbers]
        else:
            codes = [code_in_combination(name, self.combinations[number]) for number in numbers]
        if name != field:
            above = self.above[field]
            codes = [above.get(code, code) for code in codes]
        return codes

    def numbers_fitting(self, chart: ChartIndex, conditions: Filter) -> tuple[list[int], list[int]]:
        """Numbers of the account strings and of the dimension combinations that fit every condition on
        them."""
        strings, combinations = dict(self.strings), dict(self.combinations)
        for condition in conditions:
            name = condition.field
            if chart.index[name] < len(chart.segments):
                strings = {i: s for i, s in strings.items() if condition.fits(code_in_string(chart, name, s))}
            else:
                combinations = {
                    i: d for i, d in combinations.items() if condition.fits(code_in_combination(name, d))
                }
        return sorted(strings), sorted(combinations)

    def divided(self, chart: ChartIndex, plan: Plan) -> AmountRows:
        """The same rows, each with the line part that its codes, and which way its journals moved cash, put
        it to: the first that fits."""
        if not (plan.has_conditions or plan.has_ways):
            return self
        part = np.full(len(self), WHOLE, dtype=np.int64)
        names = {name: i for i, name in enumerate(self.naturals)}
        for number, one in enumerate(plan.parts):
            if not (one.field or one.way):
                continue
            fits = self._fitting_part(chart, one)
            picked = np.zeros(len(self.naturals) or 1, dtype=bool)
            own = (names.get(plan.accounts.posting[at]) for at in one.accounts.tolist())
            picked[[i for i in own if i is not None]] = True
            part[fits & picked[self.natural] & (part == WHOLE)] = number
        return replace(self, part=part)

    def _fitting_part(self, chart: ChartIndex, part: LinePart) -> NDArray[np.bool_]:
        """Which rows have the codes, and were moved the way, that a line part asks for."""
        fits = np.ones(len(self), dtype=bool)
        if part.field:
            chart_field(chart, part.field)
            codes, place = self.codes_in(chart, part.field)
            fits = np.array([part.fits(code) for code in codes] or [False], dtype=bool)[place]
        if part.way:
            assert self.way is not None, "rows of a direct cash flow say which way cash moved"
            fits &= self.way == part.way
        return fits

    def standing_on(self, plan: Plan, start: int, end: int) -> NDArray[np.bool_]:
        """Of rows that were divided those that stand on some of the lines by their account and codes, on
        whichever side the balance is."""
        whole = (plan.line_of >= start) & (plan.line_of < end)
        inside = [i for i, part in enumerate(plan.parts) if start <= part.line < end]
        for i in inside:
            if not (plan.parts[i].field or plan.parts[i].way):
                whole[plan.parts[i].accounts] = True
        position = plan.accounts.position
        at_home = [name in position and bool(whole[position[name]]) for name in self.naturals]
        on_whole: NDArray[np.bool_] = np.array(at_home or [False])[self.natural]
        if self.part is None:
            return on_whole
        there: NDArray[np.bool_] = np.where(self.part == WHOLE, on_whole, np.isin(self.part, inside))
        return there

    def fitting(self, chart: ChartIndex, conditions: Filter) -> AmountRows:
        """Those whose account string and dimensions fit every condition."""
        fits = np.ones(len(self), dtype=bool)
        for condition in conditions:
            texts = self.strings if _is_segment(chart, condition.field) else self.combinations
            if max(texts, default=0) > MOST_SPARSE + 8 * len(self):
                codes, place = self.codes_in(chart, condition.field)
                fits &= np.array([condition.fits(code) for code in codes], dtype=bool)[place]
                continue
            by_number = np.zeros(max(texts, default=0) + 1, dtype=bool)
            codes = self._codes_of(chart, condition.field, texts)
            by_number[list(texts)] = [condition.fits(code) for code in codes]
            fits &= by_number[self._column(chart, condition.field)]
        return self.where(fits)


def _is_segment(chart: ChartIndex, field: str) -> bool:
    return chart.index[field.partition(":")[0]] < len(chart.segments)


def numbered(numbers: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The different numbers in order, and for each row its place among them: without sorting where none is
    far
    larger than there are rows."""
    most = int(numbers.max()) if len(numbers) else 0
    if most > MOST_SPARSE + 8 * len(numbers):
        ids, inverse = np.unique(numbers, return_inverse=True)
        return ids, inverse
    there = np.zeros(most + 1, dtype=bool)
    there[numbers] = True
    place = np.cumsum(there) - 1
    return np.flatnonzero(there)[: len(numbers)], place[numbers]


MOST_SPARSE = 1_000_000


def rows_of_books(books: Sequence[Books], calendar: CalendarIndex) -> AmountRows:
    """All fiscal years of a company, timed by ordinals."""
    names = sorted({name for book in books for name in book.naturals})
    place = {name: i for i, name in enumerate(names)}
    parts = [book for book in books if len(book.rows)]

    def column(name: str) -> NDArray[Any]:
        return np.concatenate([book.rows[name] for book in parts]) if parts else np.zeros(0, dtype=np.int64)

    natural = [np.array([place[name] for name in book.naturals])[book.rows["natural"]] for book in parts]
    time = column("ordinal").astype(np.int64)
    return AmountRows(
        tuple(names),
        np.concatenate(natural) if parts else np.zeros(0, dtype=np.int64),
        column("account").astype(np.int64),
        column("dimensions").astype(np.int64),
        time,
        (column("closing") != 0) | np.isin(time, list(closing_ordinals(calendar))),
        column("debit"),
        column("credit"),
        {},
        {},
    )


def last_days(calendar: CalendarIndex) -> dict[int, int]:
    """By ordinal the last day of the period, as a day number; of what was brought forward the day before."""
    days = {ordinal(*key): period.ends_on.toordinal() for key, period in calendar.periods.items()}
    for year in calendar.years():
        first = min(period.starts_on for period in calendar.of_year(year))
        days[year * YEAR] = (first - timedelta(days=1)).toordinal()
    return days


def dated(rows: AmountRows, calendar: CalendarIndex) -> AmountRows:
    """The same rows timed by the last day of their period instead of its ordinal."""
    days = last_days(calendar)
    periods, inverse = np.unique(rows.time, return_inverse=True)
    return replace(rows, time=np.array([days[at] for at in periods.tolist()], dtype=np.int64)[inverse])


def together(parts: Iterable[AmountRows]) -> AmountRows:
    """Rows of several sources as one, their natural accounts numbered anew."""
    several = list(parts)
    names = sorted({name for rows in several for name in rows.naturals})
    place = {name: i for i, name in enumerate(names)}
    renumbered = [
        replace(rows, natural=np.array([place[n] for n in rows.naturals] or [0])[rows.natural])
        for rows in several
    ]
    columns = ("natural", "string", "combination", "time", "closing", "debit", "credit")
    joined: dict[str, Any] = {
        name: np.concatenate([getattr(rows, name) for rows in renumbered]) for name in columns
    }
    ways = [rows.way for rows in renumbered if rows.way is not None]
    if ways and len(ways) == len(renumbered):
        joined["way"] = np.concatenate(ways)
    return replace(
        several[0],
        naturals=tuple(names),
        **joined,
    )
