"""Figures of one large company by codes, filters and stretches, in arrays: what is measured is the work of
core/analysis."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa

from core.analysis.amount_rows import AmountRows
from core.analysis.axes import account_axis, crossed, field_axis, rows_of_line
from core.analysis.column_sums import by_codes, by_periods, one_column
from core.analysis.filters import parse_filter
from core.analysis.period_columns import period_columns
from core.analysis.stretches import of_periods
from core.books.periods import calendar_index, closing_ordinals, ordinal
from core.definitions.state import State
from core.definitions.tables import Code, Statement, StatementLine
from core.statements.figures import compute
from core.statements.plans import plan
from core.structures.charts import chart_index
from core.tests.builders import definitions

ROWS, ACCOUNTS, CODES, STRINGS = 500_000, 3_000, 200, 6_000
"""Balances of the company, its accounts, codes of the dimension, account strings in use."""
CLASSES = ("asset", "liability", "equity", "revenue", "expense")


def _state() -> State:
    rows: list[Any] = [*definitions()]
    rows += [
        Code("acc", f"{6000 + i}", f"Account {i}", account_class=CLASSES[i % 5]) for i in range(ACCOUNTS)
    ]
    rows += [Code("season", f"S{i:03d}", f"Season {i}") for i in range(CODES)]
    rows.append(Statement("big", "Big", "c", "income_statement"))
    rows.append(StatementLine("big", "all", "", 0, "All", "heading"))
    for line in range(60):
        first = 6000 + line * ACCOUNTS // 60
        wanted = [f"{first + i}" for i in range(ACCOUNTS // 60) if (first - 6000 + i) % 5 > 2]
        text = ", ".join(wanted)
        rows.append(
            StatementLine("big", f"l{line}", "all", line, f"Line {line}", "accounts", text, sign="debit")
        )
    return State.of(rows)


class LargeCompany:
    """Random balances over two years' periods, of which the second's are asked for, with strings and
    dimensions as the database interns them."""

    def __init__(self, size: int = ROWS) -> None:
        random = np.random.default_rng(7)
        self.state = _state()
        found, planned = chart_index(self.state, "c"), plan(self.state, "big")
        assert found is not None and planned is not None
        self.chart, self.plan = found, planned
        self.calendar = calendar_index(self.state, "m")
        self.stretch = of_periods(self.calendar, 2026, 4)
        names = tuple(f"{6000 + i}" for i in range(ACCOUNTS))
        strings = {i: f"10-{6000 + i % ACCOUNTS}-{'' if i % 3 else '001'}" for i in range(STRINGS)}
        combinations = {0: "", **{i + 1: f"season=S{i:03d}" for i in range(CODES)}}
        string = np.sort(random.integers(0, STRINGS, size))
        amount = random.integers(1, 10**9, size)
        before, now = random.integers(1, 13, size), random.integers(1, 5, size)
        earlier = random.random(size) < 0.5
        self.rows = AmountRows(
            names,
            string % ACCOUNTS,
            string,
            random.integers(0, CODES + 1, size),
            np.where(earlier, ordinal(2025, 0) + before, ordinal(2026, 0) + now),
            np.zeros(size, dtype=bool),
            amount,
            random.permutation(amount),
            strings,
            combinations,
        )

    def column_engine(self) -> Any:
        """The same rows in an in-memory column engine, each with its code."""
        rows = self.rows
        return pa.table(
            {"account": rows.natural, "code": rows.combination, "amount": rows.debit - rows.credit}
        )

    def pass_over(self) -> Any:
        """What no sum of these balances can be cheaper than: each added up once, by account."""
        net = self.rows.debit - self.rows.credit
        return np.bincount(self.rows.natural, weights=net, minlength=ACCOUNTS)


BARE, BY_ENGINE = "one numpy pass over the balances", "GROUP BY in a column engine"


class Asked:
    """What a person asks of the balances, each as a page works it out."""

    def __init__(self, large: LargeCompany) -> None:
        self.large, self.rows = large, large.rows

    def across(self) -> None:
        large = self.large
        columns = by_codes(self.rows, large.plan, large.stretch, "movement", large.chart, ("season",))
        compute(large.plan, columns.amounts, 2)

    def filtered(self, first: int) -> None:
        large = self.large
        text = f"season=S{first:03d} to S{first + 20:03d}, none; site=none"
        fitting = self.rows.fitting(large.chart, parse_filter(large.state, large.chart, text))
        compute(large.plan, one_column(fitting, large.plan, large.stretch, "movement").amounts, 2)

    def by_month(self) -> None:
        large = self.large
        months = period_columns(large.calendar, "months", 2026, 4, {2026})
        closing = closing_ordinals(large.calendar)
        columns = by_periods(self.rows, large.plan, large.stretch, "movement", months, closing)
        compute(large.plan, columns.amounts, 2)

    def crossing(self) -> None:
        large = self.large
        whole = rows_of_line(self.rows, large.plan, "all", large.stretch, by_periods=False, stands=False)
        crossed(account_axis(whole), field_axis(whole, large.chart, "season"), whole.net)

    def filter_changed(self, times: int) -> float:
        """The 95th percentile of filters one after another."""
        seconds = []
        for i in range(times):
            started = time.perf_counter()
            self.filtered(i)
            seconds.append(time.perf_counter() - started)
        return statistics.quantiles(seconds, n=20)[-1]


def bench_figures(
    add: Callable[..., None], best: Callable[..., float], *, small: bool = False, only_codes: bool = False
) -> None:
    """Adds the rows of a large company to a report, and of a hundred of them together."""
    if only_codes:
        asked = Asked(LargeCompany())
        base, taken = best(asked.large.pass_over), best(asked.across, 3)
        add("company: statement by 200 codes across", ROWS, taken, BARE, base, 5)
        return
    _of("company", ROWS, add, best, filters=40, months=8, changes=12)
    if not small:
        _of("100 companies together", 10 * ROWS, add, best, filters=10, months=6, changes=1.8)


def _of(
    whose: str,
    size: int,
    add: Callable[..., None],
    best: Callable[..., float],
    *,
    filters: int,
    months: float,
    changes: float,
) -> None:
    """`filters` are changed one after another; `months` and `changes` are aims."""
    large = LargeCompany(size)
    asked, base, engine = Asked(large), best(large.pass_over), large.column_engine()
    grouped = best(lambda: engine.group_by(["account", "code"]).aggregate([("amount", "sum")]), 3)
    taken, crossing = best(asked.across, 3), best(asked.crossing, 3)
    add(f"{whose}: statement by 200 codes across", size, taken, BARE, base, 5)
    add("the same", size, taken, BY_ENGINE, grouped)
    matrix = f"{whose}: a matrix of 3,000 accounts by 200 codes"
    add(matrix, size, crossing, BY_ENGINE, grouped, 1)
    add(f"{whose}: statement by months", size, best(asked.by_month, 3), BARE, base, months)
    changed = asked.filter_changed(filters)
    add(f"{whose}: a filter changed, p95", size, changed, BARE, base, changes)
