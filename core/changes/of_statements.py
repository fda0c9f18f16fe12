"""Changes of what stands on statements and in mappings: lines moved and deleted, accounts placed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from core.changes.kinds import ChangeSequence, ChangeSet, Drop, Put, change, renumbered
from core.codes import selectors
from core.codes.hierarchies import order_key
from core.definitions.nouns import named
from core.definitions.state import Edit, State
from core.definitions.tables import ChartMapping, Company, Mapping, SecondChartMapping, StatementLine
from core.faults import Fault, Location
from core.statements.line_parts import takes_part
from core.statements.plans import Plan, PlanLine, line_title, natural_list, plan


@change
class MoveLine:
    """Places a statement line below a heading (empty: at the top), before a neighbour or last; adds it if
    new."""

    row: StatementLine
    parent: str
    before: str = ""

    def edits(self, state: State) -> list[Edit]:
        part = state.part(StatementLine, self.row.statement).values()
        near = sorted(
            (n for n in part if n.parent == self.parent and n.line != self.row.line),
            key=lambda n: order_key(n.position, n.line),
        )
        moving = self.row._replace(parent=self.parent)
        return ChangeSequence(tuple(renumbered(near, moving, self.before, "line"))).edits(state)

    def sentence(self, state: State) -> str:
        known = state.get(StatementLine, self.row.statement, self.row.line)
        where = f"under {self.parent}" if self.parent else "at the top"
        return f"{'Moved' if known else 'Added'} {named(self.row)} {where}"


@change
class PutLine:
    """A line of accounts as it is given: added below a heading before a neighbour (or last), or changed where
    it stands. What other lines hold whole of its accounts goes from there to it."""

    row: StatementLine
    parent: str = ""
    before: str = ""

    def _put(self, state: State) -> Put | MoveLine:
        known = state.get(StatementLine, self.row.statement, self.row.line)
        return Put(self.row) if known else MoveLine(self.row, self.parent, self.before)

    def goes(self, state: State) -> list[tuple[str, StatementLine]]:
        """(account, the line that it goes from)."""
        after = state.edited(self._put(state).edits(state))
        planned = plan(after, self.row.statement)
        if planned is None or takes_part(self.row):
            return []
        return [
            (
                code,
                after.require(
                    StatementLine, self.row.statement, first if second == self.row.line else second
                ),
            )
            for code, first, second in planned.twice
            if self.row.line in (first, second)
        ][:MOST_TAKEN]

    def edits(self, state: State) -> list[Edit]:
        planned = plan(state, self.row.statement)
        code_list = planned.accounts.code_list if planned else ""
        rows: dict[str, StatementLine] = {}
        for code, line in self.goes(state):
            row = rows.get(line.line, line)
            rows[line.line] = row._replace(accounts=selectors.without(state, code_list, row.accounts, code))
        return ChangeSequence((self._put(state), *map(Put, rows.values()))).edits(state)

    def sentence(self, state: State) -> str:
        known = state.get(StatementLine, self.row.statement, self.row.line)
        goes = [f"{code} from {line_title(line)}" for code, line in self.goes(state)]
        took = (
            f", with {', '.join(goes[:8])}{f' and {len(goes) - 8} more' if len(goes) > 8 else ''}"
            if goes
            else ""
        )
        return f"{'Changed' if known else 'Added'} {named(self.row)}{took}"


MOST_TAKEN = 200
"""So many accounts go to a line together; more are told as faults."""


@change
class DeleteLine:
    """Deletes a line with all below it; their accounts become unplaced."""

    statement: str
    line: str

    def edits(self, state: State) -> list[Edit]:
        planned = plan(state, self.statement)
        if planned is None or self.line not in planned.index:
            return []
        start = planned.index[self.line]
        end = planned.end_of(start)
        return ChangeSet(tuple(Drop(line.row) for line in planned.lines[start:end]), "").edits(state)

    def goes(self, state: State) -> tuple[int, int]:
        """How many lines below go with it, and how many accounts stand on no line then."""
        planned = plan(state, self.statement)
        if planned is None or self.line not in planned.index:
            return 0, 0
        start = planned.index[self.line]
        end = planned.end_of(start)
        return end - start - 1, len(planned.accounts_between(start, end))

    def sentence(self, state: State) -> str:
        row = state.get(StatementLine, self.statement, self.line)
        return f"Deleted {named(row) if row else self.line}"


def topmost(planned: Plan, lines: Iterable[str]) -> list[str]:
    """Of lines those that stand below none of the others, in the order of the tree; unknown ones left out."""
    places = {planned.index[line] for line in lines if line in planned.index}

    def is_below(place: int) -> bool:
        above = planned.lines[place].parent
        while above >= 0 and above not in places:
            above = planned.lines[above].parent
        return above >= 0

    return [planned.lines[place].row.line for place in sorted(places) if not is_below(place)]


@change
class MoveLines:
    """Several lines with what is below them, in their order, last below a heading (empty: at the top)."""

    statement: str
    lines: tuple[str, ...]
    parent: str

    def edits(self, state: State) -> list[Edit]:
        planned = plan(state, self.statement)
        if planned is None:
            return []
        rows = (planned.lines[planned.index[line]].row for line in topmost(planned, self.lines))
        return ChangeSequence(tuple(MoveLine(row, self.parent) for row in rows)).edits(state)

    def sentence(self, state: State) -> str:
        where = f"under {self.parent}" if self.parent else "to the top"
        return f"Moved {len(self.lines)} lines of {self.statement} {where}"


@change
class DeleteLines:
    """Several lines with all below them; their accounts become unplaced."""

    statement: str
    lines: tuple[str, ...]

    def _each(self, state: State) -> list[DeleteLine]:
        planned = plan(state, self.statement)
        return [DeleteLine(self.statement, line) for line in topmost(planned, self.lines)] if planned else []

    def edits(self, state: State) -> list[Edit]:
        return ChangeSequence(tuple(self._each(state))).edits(state)

    def goes(self, state: State) -> tuple[int, int]:
        """How many lines go in all, and how many accounts stand on no line then."""
        parts = [one.goes(state) for one in self._each(state)]
        return sum(below + 1 for below, _ in parts), sum(loose for _, loose in parts)

    def sentence(self, state: State) -> str:
        return f"Deleted {self.goes(state)[0]} lines of {self.statement}"


@change
class PlaceAccounts:
    """Puts accounts on one line of a statement, taking them off any other line."""

    statement: str
    line: str
    codes: tuple[str, ...]

    def edits(self, state: State) -> list[Edit]:
        planned = plan(state, self.statement)
        target = state.get(StatementLine, self.statement, self.line)
        if planned is None or target is None:
            return []
        rows: dict[str, StatementLine] = {target.line: target}
        for code in self.codes:
            at = planned.accounts.position.get(code)
            on = (
                planned.lines[planned.line_of[at]].row
                if at is not None and planned.line_of[at] >= 0
                else None
            )
            if on is not None and on.line != target.line:
                row = rows.get(on.line, on)
                rows[on.line] = row._replace(
                    accounts=selectors.without(state, planned.accounts.code_list, row.accounts, code)
                )
            if on is None or on.line != target.line:
                goal = rows[target.line]
                text = (
                    selectors.with_code(state, planned.accounts.code_list, goal.accounts, code)
                    if goal.accounts
                    else code
                )
                rows[target.line] = goal._replace(accounts=text)
        return ChangeSequence(tuple(Put(row) for row in rows.values())).edits(state)

    def refusals(self, state: State) -> Iterator[Fault]:
        planned = plan(state, self.statement)
        where = Location("statement_lines", (self.statement, self.line), "accounts")
        target = state.get(StatementLine, self.statement, self.line)
        if planned is None or target is None or target.kind != "accounts":
            what = f"{self.line or 'Nothing'} is not a line that holds accounts."
            yield Fault("not-a-line", what, where, "Choose a line of kind accounts.")
            return
        for code in self.codes:
            row = planned.accounts.codes.get(code)
            if row is None or row.rollup:
                what = f"There is no code {code}" if row is None else f"{code} {row.name} is a rollup code"
                what = (
                    f"{what} in {planned.accounts.code_list}."
                    if row is None
                    else f"{what} and stands on no line."
                )
                yield Fault("code-unknown", (what), where, "Name posting codes, parted by commas.")

    def sentence(self, state: State) -> str:
        row = state.get(StatementLine, self.statement, self.line)
        return f"Placed {', '.join(self.codes)} on {named(row) if row else self.line}"


def _with_accounts(state: State, own: str, rows: list[Any], fresh: Any, codes: tuple[str, ...]) -> list[Edit]:
    """Accounts of a list in the mapping row that goes to a target already, else in a fresh one behind all
    rows."""
    rows = sorted(rows, key=lambda row: row.position)
    for row in rows:
        if row.target == fresh.target and not row.field:
            text = row.accounts
            for code in codes:
                text = selectors.with_code(state, own, text, code)
            return Put(row._replace(accounts=text)).edits(state)
    position = (rows[-1].position // 10 + 1) * 10 if rows else 10
    return Put(fresh._replace(position=position, accounts=", ".join(codes))).edits(state)


@change
class MapAccounts:
    """Maps a company's own accounts to a group account, by a row of its own or in the one that goes there
    already."""

    group: str
    company: str
    codes: tuple[str, ...]
    target: str

    def edits(self, state: State) -> list[Edit]:
        rows = [r for r in state.part(Mapping, self.group).values() if r.company == self.company]
        company = state.get(Company, self.company)
        own = natural_list(state, company.chart) if company else ""
        fresh = Mapping(self.group, self.company, 10, "", target=self.target)
        return _with_accounts(state, own, rows, fresh, self.codes)

    def sentence(self, state: State) -> str:
        return f"Mapped {', '.join(self.codes)} of {self.company} to {self.target} in {self.group}"


@change
class MapChart:
    """Maps accounts of a chart to a group account, for every company on it that has no row of its own for
    them."""

    group: str
    chart: str
    codes: tuple[str, ...]
    target: str

    def edits(self, state: State) -> list[Edit]:
        rows = [r for r in state.part(ChartMapping, self.group).values() if r.chart == self.chart]
        fresh = ChartMapping(self.group, self.chart, 10, "", target=self.target)
        return _with_accounts(state, natural_list(state, self.chart), rows, fresh, self.codes)

    def sentence(self, state: State) -> str:
        return f"Mapped {', '.join(self.codes)} of chart {self.chart} to {self.target} in {self.group}"


@change
class MapSecondChart:
    """Maps accounts of a chart to an account of a second one, in which books of the first are seen."""

    chart: str
    second_chart: str
    codes: tuple[str, ...]
    target: str

    def edits(self, state: State) -> list[Edit]:
        part = state.part(SecondChartMapping, self.chart).values()
        rows = [row for row in part if row.second_chart == self.second_chart]
        fresh = SecondChartMapping(self.chart, self.second_chart, 10, "", target=self.target)
        return _with_accounts(state, natural_list(state, self.chart), rows, fresh, self.codes)

    def sentence(self, state: State) -> str:
        return f"Mapped {', '.join(self.codes)} of chart {self.chart} to {self.target} of {self.second_chart}"


def shifted_line(planned: Plan, line: str, way: str) -> MoveLine | None:
    """A line among its neighbours (up, down) or between levels (deeper, higher); None where it can't go."""
    at = planned.lines[planned.index[line]]
    near = [entry.row for entry in planned.lines if entry.parent == at.parent]
    place = [row.line for row in near].index(line)
    before = near[place - 1] if place else None
    if way == "up" and before:
        return MoveLine(at.row, at.row.parent, before.line)
    if way == "down" and place + 1 < len(near):
        return MoveLine(at.row, at.row.parent, near[place + 2].line if place + 2 < len(near) else "")
    if way == "deeper" and before and before.kind == "heading":
        return MoveLine(at.row, before.line)
    return _higher(planned, at) if way == "higher" and at.row.parent else None


def _higher(planned: Plan, at: PlanLine) -> MoveLine:
    """Right behind the heading that it stands under."""
    parent = planned.lines[at.parent]
    level = [entry.row.line for entry in planned.lines if entry.parent == parent.parent]
    following = level.index(parent.row.line) + 1
    return MoveLine(at.row, parent.row.parent, level[following] if following < len(level) else "")
