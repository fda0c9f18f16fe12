"""Figures of one large company by codes, filters and stretches, in arrays: what is measured is the work of
core/analysis."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa

from core.analysis.amount_rows import AmountRows, closing_ordinals
from core.analysis.axes import account_axis, crossed, field_axis, rows_of_line
from core.analysis.column_sums import by_codes, by_periods, one_column
from core.analysis.filters import parse_filter
from core.analysis.period_columns import period_columns
from core.analysis.stretches import of_periods
from core.books.periods import calendar_index, ordinal
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
    """Random balances over a year's periods, with strings and dimensions as the database interns them."""

    def __init__(self) -> None:
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
        string = np.sort(random.integers(0, STRINGS, ROWS))
        amount = random.integers(1, 10**9, ROWS)
        self.rows = AmountRows(
            names,
            string % ACCOUNTS,
            string,
            random.integers(0, CODES + 1, ROWS),
            ordinal(2026, 0) + random.integers(1, 5, ROWS),
            np.zeros(ROWS, dtype=bool),
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


def bench_figures(add: Callable[..., None], best: Callable[..., float]) -> None:
    """Adds the rows of the large company to a report."""
    large = LargeCompany()
    rows, of = large.rows, (large.plan, large.stretch, "movement")
    base, bare = best(large.pass_over), "one numpy pass over the balances"

    def across() -> None:
        columns = by_codes(rows, large.plan, large.stretch, "movement", large.chart, ("season",))
        compute(large.plan, columns.amounts, 2)

    def filtered(text: str) -> None:
        fitting = rows.fitting(large.chart, parse_filter(large.state, large.chart, text))
        compute(large.plan, one_column(fitting, *of).amounts, 2)  # type: ignore[arg-type]

    def by_month() -> None:
        months = period_columns(large.calendar, "months", 2026, 4, {2026})
        closing = closing_ordinals(large.calendar)
        columns = by_periods(rows, large.plan, large.stretch, "movement", months, closing)
        compute(large.plan, columns.amounts, 2)

    def crossing() -> None:
        whole = rows_of_line(rows, large.plan, "all", large.stretch, by_periods=False, stands=False)
        crossed(account_axis(whole), field_axis(whole, large.chart, "season"), whole.net)

    engine = large.column_engine()
    grouped = best(lambda: engine.group_by(["account", "code"]).aggregate([("amount", "sum")]), 3)
    by_engine, taken = "GROUP BY in a column engine", best(across, 3)
    add("company: statement by 200 codes across", ROWS, taken, bare, base, "≤ 5")
    add("the same", ROWS, taken, by_engine, grouped, "—")
    add(
        "company: a matrix of 3,000 accounts by 200 codes",
        ROWS,
        best(crossing, 3),
        by_engine,
        grouped,
        "< 0.300 s",
    )
    add("company: statement by months", ROWS, best(by_month, 3), bare, base, "—")
    times = []
    for i in range(40):
        started = time.perf_counter()
        filtered(f"season=S{i:03d} to S{i + 20:03d}, none; site=none")
        times.append(time.perf_counter() - started)
    changed = statistics.quantiles(times, n=20)[-1]
    add("company: a filter changed, p95", ROWS, changed, bare, base, "< 0.100 s")
