"""Cells of pairing rules, and of where accounts stand on statements."""

from __future__ import annotations

from collections.abc import Iterator

from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import PairingCondition, PairingRule, Statement
from core.faults import Fault
from core.rollouts.cells import ALIKE, Difference, Placing, RolloutCell, cannot, compared
from core.rollouts.fitting import RolloutSource, Target
from core.rollouts.of_codes import code_named
from core.rollouts.things import Thing
from core.statements.plans import Plan, line_title, plan


def rule_cell(state: State, source: RolloutSource, target: Target, thing: Thing) -> RolloutCell:
    """A rule with its conditions; its place among the rules there is its own affair."""
    if target.same_chart:
        return ALIKE
    row = state.require(PairingRule, source.chart.chart, thing.name)
    conditions = [own for own in state.part(PairingCondition, row.chart).values() if own.rule == row.rule]
    for name, codes in ((row.field, row.codes), *((own.field, own.codes) for own in conditions)):
        if fault := _selector_fault(state, target, name, codes):
            return cannot(fault)
    there = state.part(PairingRule, target.chart.chart).values()
    ours = row._replace(
        chart=target.chart.chart,
        field=_named(target, row.field),
        position=max((own.position for own in there), default=0) + 10,
    )
    others = [own._replace(chart=ours.chart, field=_named(target, own.field)) for own in sorted(conditions)]
    return compared(state, [ours, *others], "chart", ("position",))


def _named(target: Target, field: str) -> str:
    there = target.field(field)
    return there.name if there else field


def _selector_fault(state: State, target: Target, name: str, codes: str) -> Fault | None:
    field = target.field(name)
    if field is None:
        what = f"{target.chart.name} has no segment or dimension for {name}, of which the rule speaks."
        return Fault("segment", what, way_out="Leave the rule out there.")
    picked = pick(state, field.code_list, codes) if codes else None
    if picked and picked.faults:
        return Fault(
            "selector", picked.faults[0], way_out="Bring the codes too, or leave the rule out there."
        )
    return None


def place_cell(state: State, source: RolloutSource, target: Target, thing: Thing) -> RolloutCell:
    """The line of the target's statement on which an account stands in the source's: the same line, on a
    statement of its chart that is of the same kind."""
    natural = source.chart.segments[source.chart.natural].name
    code = code_named(source, natural, thing.name)
    line = _line_of(plan(state, thing.field), thing.name)
    if not line:
        what = f"{thing.name} stands on no line of {thing.field}."
        return cannot(Fault("not-a-line", what, way_out="Place it first."))
    goals = list(_goals(state, target, thing.field, line))
    if len(goals) != 1:
        said = "No statement" if not goals else "More than one statement"
        what = f"{said} of {target.chart.name} of this kind has a line {line} that picks accounts."
        return cannot(Fault("not-a-line", what, way_out="Place the account there by hand."))
    goal = goals[0]
    row = goal.accounts.codes.get(code)
    if row is None or row.rollup:
        what = f"{target.chart.name} has no account {code}."
        return cannot(Fault("code-unknown", what, way_out="Bring the account too."))
    there = _line_of(goal, code)
    if there == line:
        return ALIKE
    placing = Placing(goal.statement.statement, line, code)
    if not there:
        return RolloutCell("new", placing=placing)
    titles = {entry.row.line: line_title(entry.row) for entry in goal.lines}
    return RolloutCell(
        "differs", placing=placing, differences=(Difference("line", titles[there], titles[line]),)
    )


def _line_of(planned: Plan | None, code: str) -> str:
    at = planned.accounts.position.get(code) if planned else None
    if planned is None or at is None or planned.home_of(at) < 0:
        return ""
    line: str = planned.lines[planned.home_of(at)].row.line
    return line


def _goals(state: State, target: Target, statement: str, line: str) -> Iterator[Plan]:
    """Plans of statements of the target's chart that have the line."""
    own = state.require(Statement, statement)
    for row in sorted(state.rows(Statement)):
        same = row.statement == statement if target.same_chart else row.kind == own.kind
        planned = plan(state, row.statement) if same and row.chart == target.chart.chart else None
        if planned and line in planned.index and planned.lines[planned.index[line]].row.kind == "accounts":
            yield planned
