"""Every check of every chart, statement and mapping, with the amounts that say how much it matters."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from core import checks
from core.codes.hierarchies import main_hierarchies, standing_under_none
from core.codes.lists import list_index
from core.definitions.row_faults import fault
from core.definitions.state import State
from core.definitions.tables import (
    Arrangement,
    ChartMove,
    CodeList,
    Company,
    Group,
    Hierarchy,
    SecondChart,
    Statement,
)
from core.faults import LOOK, Fault
from core.group.mapping import map_plan
from core.group.membership import membership
from core.group_figures.figure_checks import calendars_apart, figure_checks
from core.mapping.arrangements import arranged_statements, upstream
from core.mapping.second_charts import second_chart_plan
from core.money import digits_of, show_amount
from core.statements.plans import Plan, likely_line, plan
from core.structures.charts import chart_index, company_context
from web.definitions import snapshot
from web.exchange.balances_in import balances_spanning
from web.group import queries as group_queries
from web.group.kept import is_sealed
from web.group.models import KeptPeriod
from web.group.parts import known_group
from web.journals.books import books_for
from web.journals.moved_accounts import carried_apart


def totals(state: State, companies: list[str]) -> dict[str, dict[str, int]]:
    """Whether anything was ever booked: gross amounts by company and natural account, minor units."""
    by_name: dict[str, dict[str, int]] = {}
    for company, books in books_for(state, companies).items():
        sums: dict[str, int] = {}
        for book in books:
            gross = np.zeros(len(book.naturals), dtype=object)
            np.add.at(gross, book.rows["natural"], (book.rows["debit"] - book.rows["credit"]).astype(object))
            for name, amount in zip(book.naturals, gross.tolist(), strict=True):
                sums[name] = sums.get(name, 0) + amount
        by_name[company] = sums
    return by_name


def everything(state: State) -> Iterator[Fault]:
    yield from _beside_the_log(state)
    yield from dict.fromkeys(checks.of_everything(state))
    yield from _chart_moves(state)
    sums = totals(state, [row.company for row in state.rows(Company)])
    for code_list in state.rows(CodeList):
        for code in standing_under_none(state, code_list.code_list):
            main = state.get(Hierarchy, main_hierarchies(state)[code_list.code_list])
            row = list_index(state, code_list.code_list).codes[code]
            if main:
                what = f"{code} {row.name} stands under no rollup code of {main.name}."
                yield fault(row, "code", what, "Place it there.", "under-none", LOOK)
    for statement in state.rows(Statement):
        if planned := plan(state, statement.statement):
            yield from _coverage(state, planned, sums)
    yield from balances_spanning(state)
    yield from _second_charts(state, sums)
    yield from _arrangements(state)
    for group in state.rows(Group):
        yield from _mappings(state, group, sums)
        yield from calendars_apart(state, group)
        if known_group(state, group.group)[1].periods:
            yield from figure_checks(group_queries.consolidation_of(state, group.group))
    yield from _kept()


def _kept() -> Iterator[Fault]:
    """Kept periods that are not what was sealed."""
    for row in KeptPeriod.objects.order_by("group", "fiscal_year", "period", "number"):
        if not is_sealed(row):
            what = f"{row.name} of {row.group}, kept as no. {row.number}, is not what was sealed."
            yield Fault("kept-period", what, way_out="Restore a backup: somebody changed it beside Pine.")


def _chart_moves(state: State) -> Iterator[Fault]:
    """What moves to other charts carried over, against what was posted before them."""
    for move in sorted(state.rows(ChartMove)):
        digits = digits_of(state.require(Company, move.company).currency)
        for account, carried, stood in carried_apart(move):
            what = (
                f"{move.journal or 'No journal'} of {move.company} carried over"
                f" {show_amount(carried, digits)} on {account}, where {show_amount(stood, digits)} stood."
            )
            yield fault(move, "journal", what, "Restore a backup: somebody changed it.", "carried-over")


def _beside_the_log(state: State) -> Iterator[Fault]:
    known = snapshot.latest()
    if state.digest != known.digest:
        what = (
            f"The definitions in the database are not those that version {known.version} left: "
            "somebody changed rows beside the log."
        )
        yield Fault("digest", what, way_out="Restore a backup, or bring the rows back as the log has them.")


def _coverage(state: State, made: Plan, sums: dict[str, dict[str, int]]) -> Iterator[Fault]:
    """Posting accounts that belong on a statement and stand on no line: a must where they have amounts."""
    own = state.get(Arrangement, made.statement.statement)
    shown_by = None if own is None or own.member_kind == "group" else own.member
    on_chart = (row for row in state.rows(Company) if row.chart == made.statement.chart)
    companies = [row for row in on_chart if shown_by in (None, row.company)]
    for at in np.flatnonzero(made.line_of < 0).tolist():
        code = made.accounts.codes[made.accounts.posting[at]]
        if not made.belongs(code.account_class):
            continue
        amounts = [
            f"{row.company} {show_amount(sums[row.company][code.code], digits_of(row.currency))}"
            f" {row.currency}"
            for row in companies
            if sums.get(row.company, {}).get(code.code)
        ]
        what = f"{code.code} {code.name} stands on no line of {made.statement.name}"
        likely = likely_line(made, code.code)
        way_out = f"A likely line is {likely}." if likely else "Choose a line for it."
        what = f"{what}: {', '.join(amounts)}." if amounts else f"{what}."
        yield fault(made.statement, "statement", what, way_out, "unplaced", "must" if amounts else LOOK)


def _arrangements(state: State) -> Iterator[Fault]:
    """Lines that moved above arrangements and were neither taken nor settled."""
    for row, over in arranged_statements(state):
        for one in upstream(state, row):
            what = f"{one.title} of {over.name} is {one.movement} since {row.statement} was looked at."
            yield fault(row, "statement", what, "Take it, or leave it with a reason.", "mapping-unused", LOOK)


def _second_charts(state: State, sums: dict[str, dict[str, int]]) -> Iterator[Fault]:
    """Own accounts with amounts that have none in a second chart."""
    for row in sorted(state.rows(SecondChart)):
        company = state.get(Company, row.company)
        mapped = second_chart_plan(state, company.chart, row.chart) if company else None
        if company is None or mapped is None or mapped.shared:
            continue
        for code, own in sorted(mapped.own_codes.items()):
            if sums.get(row.company, {}).get(code) and mapped.plain(code) == "":
                what = f"{code} {own.name} of {company.name} has an amount, and no account in {row.chart}."
                yield fault(row, "chart", what, "Map it on the page of its second chart.", "unmapped", LOOK)


def _mappings(state: State, group: Group, sums: dict[str, dict[str, int]]) -> Iterator[Fault]:
    for reached in membership(state, group.group).companies:
        mapping_plan = map_plan(state, group.group, reached.company)
        seated = company_context(state, reached.company)
        if mapping_plan is None or mapping_plan.shared or seated is None:
            continue
        index = chart_index(state, seated.chart.chart)
        for code in list_index(state, index.natural_list if index else "").posting:
            if mapping_plan.plain(code) == "":
                amount = sums.get(reached.company, {}).get(code, 0)
                row = list_index(state, seated.chart.natural_list).codes[code]
                what = f"{code} {row.name} of {reached.company} is mapped to no account of {group.name}"
                what = f"{what}." if not amount else f"{what}, though it has an amount."
                way_out = "Map it on storey 6, Group."
                yield fault(group, "group", what, way_out, "unmapped", "must" if amount else LOOK)
