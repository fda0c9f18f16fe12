"""Amounts of a company as columns for core/analysis: from its packed balances, its lines by day, its
budgets."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any

import numpy as np
from django.db import connection
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows, dated, rows_of_books, together
from core.analysis.stretches import Stretch, check_whole_periods, cut_periods
from core.books.balances import Books
from core.books.periods import BROUGHT_FORWARD, CalendarIndex, company_calendar, ordinal
from core.definitions.state import State
from core.definitions.tables import Budget, Company
from core.faults import WrongCall
from core.structures.charts import ChartIndex
from web.journals.books import books_for
from web.journals.non_cash import JournalBetween, Sides, journals_between
from web.journals.reading import accounts_of_lines

LINES = """
    SELECT a."natural", a.id, coalesce(l.dimensions_id, 0), j.date, l.closing, k.period_kind,
           {way}, sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM journals_book b
    JOIN unnest(%(years)s::int[], %(periods)s::int[], %(kinds)s::text[]) AS k(year, period, period_kind)
      ON k.year = b.fiscal_year
    JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year AND l.period = k.period
    JOIN journals_journal j ON j.id = l.journal_id
    {accounts}{through}
    WHERE b.company = %(company)s{named} GROUP BY 1, 2, 3, 4, 5, 6, 7
"""
BY_PERIOD = """
    SELECT a."natural", a.id, coalesce(l.dimensions_id, 0), b.fiscal_year, l.period, l.closing,
           {way}, sum(greatest(l.amount, 0))::bigint, sum(greatest(-l.amount, 0))::bigint
    FROM journals_book b JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    {accounts}{through}
    WHERE b.company = %(company)s{named} GROUP BY 1, 2, 3, 4, 5, 6, 7
"""
THROUGH = """ JOIN (
    SELECT t.journal_id, CASE WHEN sum(t.amount) < 0 THEN -1 ELSE 1 END AS way
    FROM journals_journalline t JOIN journals_book k ON k.id = t.book_id
    {accounts} WHERE k.company = %(company)s AND s."natural" = ANY(%(through)s)
    GROUP BY t.journal_id) w ON w.journal_id = l.journal_id
"""
"""Only lines of journals that touch some natural accounts of the company, and whether those were paid from
(-1) or into: worked out once, and not a line at a time."""
NAMED = " AND l.journal_id = ANY(%(journals)s)"
KEPT_AS_BALANCES = "SELECT DISTINCT fiscal_year FROM journals_balance WHERE company = %s"
BUDGET = """
    SELECT fiscal_year, period, account, dimensions, amount FROM journals_budgetline
    WHERE budget = ANY(%s) AND company = %s ORDER BY id
"""


Through = frozenset[str] | tuple[int, ...] | None
"""Natural accounts of which a journal must touch one for its amounts to count, or the numbers of the journals
that do; None: all amounts, whatever moved them."""


class ReadAtOnce:
    """The books of several companies, and the texts of all that they name, each read in one go when first
    asked for."""

    def __init__(self, state: State, companies: Iterable[str]) -> None:
        self._state, self._companies = state, sorted(set(companies))
        self._between: dict[tuple[str, Sides], list[tuple[JournalBetween, ...]]] = {}

    @cached_property
    def books(self) -> Mapping[str, Sequence[Books]]:
        return books_for(self._state, self._companies)

    def journals_between(self, company: Company, sides: Sides) -> list[tuple[JournalBetween, ...]]:
        """Of one of the companies; asked for all on its chart, which most likely have the same pairs."""
        if (company.company, sides) not in self._between:
            posted = {natural for books in self.books.values() for book in books for natural in book.naturals}
            own = tuple((one & posted, other & posted) for one, other in sides)
            rows = (self._state.get(Company, name) for name in self._companies)
            alike = {company.company, *(row.company for row in rows if row and row.chart == company.chart)}
            found = journals_between(self._state, dict.fromkeys(alike, own))
            self._between |= {(name, sides): journals for name, journals in found.items()}
        return self._between[company.company, sides]

    @cached_property
    def texts(self) -> tuple[dict[int, str], dict[int, str]]:
        """Account strings and dimension combinations by number."""
        rows = [book.rows for books in self.books.values() for book in books]
        if not rows:
            return {}, {0: ""}
        return _texts(*(np.concatenate([one[name] for one in rows]) for name in ("account", "dimensions")))


def company_rows(
    state: State, company: str, texts: bool, through: Through = None, at_once: ReadAtOnce | None = None
) -> AmountRows:
    """All amounts of a company by period; with `texts` their account strings and dimensions too. `at_once`:
    where it is read with others."""
    rows = _rows_by_period(state, company, through, at_once)
    return with_texts(rows, at_once) if texts else rows


def _rows_by_period(
    state: State, company: str, through: Through, at_once: ReadAtOnce | None = None
) -> AmountRows:
    if through is None:
        books = (at_once.books if at_once else books_for(state, [company]))[company]
        return rows_of_books(books, company_calendar(state, company))
    with connection.cursor() as cursor:
        cursor.execute(*_lines_asked(BY_PERIOD, state, company, through))
        lines = cursor.fetchall()
    return _of_lines([(*line[:3], ordinal(line[3], line[4]), *line[5:]) for line in lines])


def company_rows_by_day(
    state: State, company: str, stretch: Stretch, has_start: bool, texts: bool, through: Through = None
) -> AmountRows:
    """The same by day: whole periods from balances, those that the stretch cuts from their lines. Raises
    WrongCall where it cuts books that are kept as balances."""
    calendar = company_calendar(state, company)
    with connection.cursor() as cursor:
        cursor.execute(KEPT_AS_BALANCES, [company])
        elsewhere = frozenset(year for (year,) in cursor.fetchall())
    check_whole_periods(calendar, stretch, elsewhere, has_start)
    cut = [period for period in cut_periods(calendar, stretch) if period.fiscal_year not in elsewhere]
    rows = _rows_by_period(state, company, through)
    rows = rows.where(~np.isin(rows.time, [ordinal(p.fiscal_year, p.period) for p in cut]))
    parts = [dated(rows, calendar)]
    if cut:
        with connection.cursor() as cursor:
            columns = {
                "years": [p.fiscal_year for p in cut],
                "periods": [p.period for p in cut],
                "kinds": [p.kind for p in cut],
            }
            cursor.execute(*_lines_asked(LINES, state, company, through, columns))
            lines = cursor.fetchall()
        parts.append(
            _of_lines(
                [
                    (*line[:3], line[3].toordinal(), line[4] or line[5] == "closing", *line[6:])
                    for line in lines
                ]
            )
        )
    all_rows = together(parts)
    return with_texts(all_rows) if texts else all_rows


def _lines_asked(
    query: str, state: State, company: str, through: Through, columns: Mapping[str, Any] | None = None
) -> tuple[str, dict[str, Any]]:
    """A query of a company's lines with its values."""
    accounts = accounts_of_lines(state, [company])
    values: dict[str, Any] = {
        **(columns or {}),
        "company": company,
        "chart": state.require(Company, company).chart,
    }
    parts = {"accounts": accounts, "through": "", "named": "", "way": "0"}
    if isinstance(through, tuple):
        parts["named"], values["journals"] = NAMED, list(through)
    elif through is not None:
        touched = accounts_of_lines(state, [company], "t", "k", "s")
        parts |= {"through": THROUGH.format(accounts=touched), "way": "w.way"}
        values["through"] = sorted(through)
    return query.format(**parts), values


def _of_lines(lines: Sequence[tuple[Any, ...]]) -> AmountRows:
    """`lines`: natural, account string, dimensions, time, closing, which way cash moved, debits, credits."""
    names = sorted({line[0] for line in lines})
    place = {name: i for i, name in enumerate(names)}
    columns = list(zip(*lines, strict=True)) or [()] * 8

    def numbers(values: Any) -> Any:
        return np.array(values, dtype=np.int64)

    return AmountRows(
        tuple(names),
        numbers([place[name] for name in columns[0]]),
        numbers(columns[1]),
        numbers(columns[2]),
        numbers(columns[3]),
        np.array(columns[4], dtype=bool),
        numbers(columns[6]),
        numbers(columns[7]),
        {},
        {},
        way=numbers(columns[5]),
    )


def with_texts(rows: AmountRows, at_once: ReadAtOnce | None = None) -> AmountRows:
    """With the account strings and dimension combinations that its numbers stand for."""
    return rows.with_texts(*(at_once.texts if at_once else _texts(rows.string, rows.combination)))


def _texts(strings: NDArray[Any], combinations: NDArray[Any]) -> tuple[dict[int, str], dict[int, str]]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, account FROM journals_account WHERE id = ANY(%s)", [_numbers(strings)])
        by_number = dict(cursor.fetchall())
        cursor.execute(
            "SELECT id, codes FROM journals_dimensionset WHERE id = ANY(%s)", [_numbers(combinations)]
        )
        return by_number, {0: "", **dict(cursor.fetchall())}


def _numbers(ids: Any) -> list[int]:
    return [int(number) for number in np.unique(ids)]


def known_budget(state: State, budget: str, chart: str) -> Budget:
    row = state.get(Budget, budget)
    if row is None:
        raise WrongCall(f"There is no budget {budget}.")
    if row.chart != chart:
        raise WrongCall(f"Budget {budget} belongs to chart {row.chart}, not to {chart}.")
    if row.kind == "statistics":
        raise WrongCall(f"{row.name} holds statistics, which stand among the figures: it is no budget.")
    return row


def budget_rows(
    state: State, budget: str, company: Company, chart: ChartIndex, calendar: CalendarIndex
) -> AmountRows:
    """A budget's lines of a company by period, each with its own account string and dimensions."""
    known_budget(state, budget, company.chart)
    return _planned_rows([budget], company, chart, calendar)


def statistic_rows(state: State, company: Company, chart: ChartIndex, calendar: CalendarIndex) -> AmountRows:
    """Quantities of the company that its chart's statistics keep, by period; of several all count."""
    books = sorted(
        row.budget for row in state.rows(Budget) if row.kind == "statistics" and row.chart == company.chart
    )
    return _planned_rows(books, company, chart, calendar)


def _planned_rows(
    budgets: list[str], company: Company, chart: ChartIndex, calendar: CalendarIndex
) -> AmountRows:
    with connection.cursor() as cursor:
        if budgets:
            cursor.execute(BUDGET, [budgets, company.company])
        lines = cursor.fetchall() if budgets else []
    naturals = sorted({chart.natural_of(line[2]) for line in lines})
    place = {name: i for i, name in enumerate(naturals)}
    amount = np.array([line[4] for line in lines], dtype=np.int64)
    periods = [ordinal(year, BROUGHT_FORWARD if period == 0 else period) for year, period, *_ in lines]
    numbers = np.arange(len(lines), dtype=np.int64)
    kinds = [calendar.periods.get((line[0], line[1])) for line in lines]
    return AmountRows(
        tuple(naturals),
        np.array([place[chart.natural_of(line[2])] for line in lines], dtype=np.int64),
        numbers,
        numbers,
        np.array(periods, dtype=np.int64),
        np.array([bool(row and row.kind == "closing") for row in kinds], dtype=bool),
        np.maximum(amount, 0),
        np.maximum(-amount, 0),
        {i: line[2] for i, line in enumerate(lines)},
        {i: line[3] for i, line in enumerate(lines)},
    )
