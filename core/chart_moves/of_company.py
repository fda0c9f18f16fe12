"""The change of definitions by which a company moves to another chart, with all that names accounts of the
one before: its codes of the company segment, accounts it has open, its intercompany pairs and quick codes,
and its mapping into groups."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from datetime import date
from typing import Any

from core.books.periods import company_calendar
from core.changes.kinds import ChangeSequence, Drop, Put, change
from core.chart_moves.strings import StringReader, asks_for_dimensions, targets_of
from core.codes.lists import list_index
from core.definitions.state import Edit, State
from core.definitions.tables import (
    Chart,
    ChartMapping,
    ChartMove,
    Code,
    Company,
    CompanyAccount,
    CompanyCode,
    Group,
    IntercompanyPair,
    Mapping,
    QuickCode,
    SecondChart,
)
from core.faults import Fault, Location
from core.group.mapping import MapPlan, map_plan
from core.group.membership import membership
from core.mapping.second_charts import second_chart_plan
from core.structures.accounts import parse_dimensions
from core.structures.charts import chart_index
from core.structures.second_charts import moves_of

STEP = 10


@change
class MoveToChart:
    """From a day on a company posts in another chart; `own_codes` are its codes of the company segment there.
    What stands is carried over by `journal` (core/chart_moves/carrying.py)."""

    company: str
    chart: str
    on: date
    moved_at: str
    journal: str
    own_codes: tuple[str, ...] = ()

    def edits(self, state: State) -> list[Edit]:
        row = state.get(Company, self.company)
        plan = second_chart_plan(state, row.chart, self.chart) if row else None
        if row is None or plan is None or row.chart == self.chart:
            return []
        move = ChartMove(self.company, self.on, row.chart, self.chart, self.moved_at, self.journal)
        first: list[Any] = [Put(row._replace(chart=self.chart)), Put(move), *self._company_codes(state)]
        after = state.edited(ChangeSequence(tuple(first)).edits(state))
        second_chart = state.get(SecondChart, self.company, self.chart)
        rest: list[Any] = [
            *([Drop(second_chart)] if second_chart else []),
            *_accounts_open(state, self.company, plan),
            *_pairs(state, self.company, plan),
            *self._quick_codes(state, after, row.chart),
            *_group_mappings(state, after, self.company, plan),
        ]
        return ChangeSequence((*first, *rest)).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        row = state.get(Company, self.company)
        if row is None or state.get(Chart, self.chart) is None:
            missing = f"company {self.company}" if row is None else f"chart {self.chart}"
            yield self._fault("chart", f"There is no {missing}.", "Choose one that there is.")
            return
        before = {move.chart_before for move in moves_of(state, self.company)}
        if self.chart == row.chart or self.chart in before:
            what = f"{self.company} posts in {self.chart} already."
            if self.chart != row.chart:
                what = (
                    f"{self.company} posted in {self.chart} before, and its lines there keep their accounts."
                )
            yield self._fault("chart", what, "Choose another chart.")
            return
        yield from self._date_faults(state)
        yield from self._code_faults(state)
        plan = second_chart_plan(state, row.chart, self.chart)
        if plan and (rows := asks_for_dimensions(plan)):
            what = f"Rows {', '.join(map(str, rows))} of the mapping ask for a dimension."
            way_out = "Let them ask for a segment: account strings are read alike whatever hangs on a line."
            yield self._fault("chart", what, way_out)
        for pair in state.part(IntercompanyPair, self.company).values() if plan else ():
            for account in dict.fromkeys((pair.due_from, pair.due_to)):
                if plan and not plan.plain(account):
                    what = f"{account}, of the pair with {pair.partner}, has no one account in {self.chart}."
                    yield self._fault("chart", what, "Map the account as a whole.")

    def _fault(self, column: str, what: str, way_out: str) -> Fault:
        return Fault("chart-move", what, Location("chart_moves", (self.company, self.on), column), way_out)

    def _date_faults(self, state: State) -> Iterator[Fault]:
        regular = company_calendar(state, self.company).regular
        if not any(period.starts_on == self.on for period in regular):
            what = f"No period of {self.company} begins on {self.on}."
            yield self._fault("on", what, "Choose the first day of a period.")
        last = max((move.on for move in moves_of(state, self.company)), default=date.min)
        if self.on <= last:
            what = f"{self.company} moved on {last} before."
            yield self._fault("on", what, "Choose a later day.")

    def _code_faults(self, state: State) -> Iterator[Fault]:
        index = chart_index(state, self.chart)
        if index is not None and index.company >= 0 and not self.own_codes:
            what = f"{self.company} has no code of {index.segments[index.company].title} in {self.chart}."
            yield self._fault("own_codes", what, "Give the codes that are its own there.")

    def _company_codes(self, state: State) -> Iterator[Any]:
        """Its codes there, added to the list where they are missing, in place of those that it has."""
        index = chart_index(state, self.chart)
        segment = index.segments[index.company] if index and index.company >= 0 else None
        wanted = {
            CompanyCode(self.company, segment.name, segment.padded(code))
            for code in self.own_codes
            if segment is not None
        }
        name = state.require(Company, self.company).name
        for row in sorted(wanted):
            if segment is not None and row.code not in segment.codes:
                yield Put(Code(segment.code_list, row.code, name))
        there = set(state.part(CompanyCode, self.company).values())
        yield from (Drop(row) for row in sorted(there - wanted))
        yield from (Put(row) for row in sorted(wanted - there))

    def _quick_codes(self, before: State, after: State, chart_before: str) -> Iterator[Any]:
        """The company's own, where their word is free in the new chart and their account goes anywhere."""
        rows = [r for r in before.part(QuickCode, chart_before).values() if r.company == self.company]
        index = chart_index(after, self.chart)
        if not rows or index is None:
            return
        reader = StringReader(before, after, self.company, self.chart, self.on)
        names = {field.name for field in index.dimensions}
        for row in sorted(rows):
            read = reader.read(reader.own.normal(row.account))
            yield Drop(row)
            if read.target_natural and before.get(QuickCode, self.chart, row.quick_code) is None:
                given = parse_dimensions(row.dimensions)[0].items()
                tags = "; ".join(f"{name}={code}" for name, code in sorted(given) if name in names)
                yield Put(row._replace(chart=self.chart, account=read.target, dimensions=tags))

    def sentence(self, state: State) -> str:
        row = state.get(Company, self.company)
        return (
            f"Moved {self.company} from {row.chart if row else 'its chart'} to {self.chart} from {self.on} on"
        )


def _accounts_open(state: State, company: str, plan: MapPlan) -> Iterator[Any]:
    """What a company says of its accounts, said of those that they become; of several that become one it is
    open where one of them is, and in a currency where all are."""
    by_target: dict[str, list[CompanyAccount]] = {}
    for row in sorted(state.part(CompanyAccount, company).values()):
        for target in targets_of(plan, row.code):
            by_target.setdefault(target, []).append(row)
        yield Drop(row)
    for target, rows in sorted(by_target.items()):
        currencies = {row.currency for row in rows}
        yield Put(
            CompanyAccount(
                company,
                target,
                currencies.pop() if len(currencies) == 1 else "",
                any(row.revalue for row in rows),
                any(row.enabled for row in rows),
            )
        )


def _pairs(state: State, company: str, plan: MapPlan) -> Iterator[Any]:
    for pair in sorted(state.part(IntercompanyPair, company).values()):
        due_from, due_to = plan.plain(pair.due_from), plan.plain(pair.due_to)
        if due_from and due_to:  # else it is refused
            yield Put(pair._replace(due_from=due_from, due_to=due_to))


def _group_mappings(before: State, after: State, company: str, plan: MapPlan) -> Iterator[Any]:
    """Each account goes where those that become it went; nothing is needed where the new chart is the
    group's, or has a mapping of its own."""
    chart = after.require(Company, company).chart
    for group in sorted(before.rows(Group)):
        rows = sorted(_of_company(before, group.group, company))
        is_member = company in {one.company for one in membership(before, group.group).companies}
        if not is_member or (plan.shared and rows and group.chart != chart):
            continue  # the same accounts, so its rows say the same
        yield from (Drop(row) for row in rows)
        of_chart = any(row.chart == chart for row in after.part(ChartMapping, group.group).values())
        was = map_plan(before, group.group, company)
        if group.chart != chart and not of_chart and was is not None:
            for place, (target, codes) in enumerate(_by_group_account(before, was, plan), 1):
                yield Put(Mapping(group.group, company, place * STEP, ", ".join(codes), target=target))


def _of_company(state: State, group: str, company: str) -> list[Mapping]:
    return [row for row in state.part(Mapping, group).values() if row.company == company]


def _by_group_account(state: State, was: MapPlan, plan: MapPlan) -> list[tuple[str, list[str]]]:
    """By group account the accounts of the new chart that go there: of several that one is made of, where
    most of them went."""
    went: dict[str, Counter[str]] = {}
    index = list_index(state, plan.chart.natural_list)
    for code in index.posting:
        if index.codes[code].is_statistic:
            continue  # it takes no amounts
        for group_account in targets_of(was, code)[:1]:
            for target in targets_of(plan, code):
                went.setdefault(target, Counter())[group_account] += 1
    by_account: dict[str, list[str]] = {}
    for target, counts in sorted(went.items()):
        most = max(sorted(counts), key=lambda one: counts[one])
        by_account.setdefault(most, []).append(target)
    return sorted(by_account.items())
