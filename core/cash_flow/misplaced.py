"""Accounts of a cash flow whose own activity is another than that of the accounts they stand among: what is
left behind when an account's activity is changed later."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from core.cash_flow.activities import RESULT, said_by_names, sections_of
from core.codes.doubts import ACTIVITY_ELSEWHERE, Doubt
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode, SetAside, Statement, StatementLine
from core.statements.plans import PLAN_READS, Plan, PlanLine, line_title, natural_list, plan

CASH_FLOWS = ("cash_flow", "direct_cash_flow")


class MisplacedAccount(NamedTuple):
    """An account, the line it stands on, and the activity of most accounts beside it there."""

    code: Code
    line: StatementLine
    among: str
    is_set_aside: bool
    """whether somebody said that it is in order"""

    @property
    def stands(self) -> str:
        """As the second half of a sentence about the account."""
        return (
            f"has the activity {self.code.cash_flow}, and stands on {line_title(self.line)} among accounts of"
            f" {self.among}."
        )

    @property
    def sentence(self) -> str:
        return f"{self.code.code} {self.code.name} {self.stands}"


@derived(
    *((StatementLine, 0), *PLAN_READS),
    made_of=lambda state, statement: (plan(state, statement),),
)
def _with_activity(state: State, statement: str) -> tuple[tuple[PlanLine, list[Code]], ...]:
    """The lines of a cash flow that hold accounts of an activity of their own, with these."""
    planned = plan(state, statement)
    if planned is None or planned.statement.kind not in CASH_FLOWS:
        return ()
    codes = planned.accounts.codes
    lines = ((line, [codes[c] for c in line.picks if codes[c].cash_flow != "none"]) for line in planned.lines)
    return tuple((line, own) for line, own in lines if own)


def _taken(state: State, statement: str) -> tuple[Any, ...]:
    planned, lines = plan(state, statement), _with_activity(state, statement)
    said = said_by_names(state, planned.accounts.code_list) if planned and lines else None
    return planned, lines, said, *state.seen((SetAside,))


@derived((StatementLine, 0), *PLAN_READS, Hierarchy, HierarchyNode, SetAside, made_of=_taken)
def misplaced(state: State, statement: str) -> tuple[MisplacedAccount, ...]:
    """By line and code. What an account stands among is told by its line, or where it is alone there by the
    lines beside it; of one that is all alone nothing is told."""
    planned, lines = plan(state, statement), _with_activity(state, statement)
    return tuple(_misplaced(state, planned, lines)) if planned else ()


def _misplaced(
    state: State, planned: Plan, with_activity: Iterable[tuple[PlanLine, list[Code]]]
) -> Iterator[MisplacedAccount]:
    for line, own in with_activity:
        lines = [line] if len(line.picks) > 1 else [one for one in planned.lines if one.parent == line.parent]
        among = _activities(state, planned, (name for one in lines for name in one.picks))
        usual = {activity: _usual(among, activity) for activity in {code.cash_flow for code in own}}
        for code in own:
            if most := usual[code.cash_flow]:
                yield MisplacedAccount(code, line.row, most, _is_set_aside(state, code))


def _activities(state: State, planned: Plan, accounts: Iterable[str]) -> Counter[str]:
    """How many accounts are of each. The result is of operations, as long as nobody says otherwise of one of
    its accounts."""
    counted = Counter(sections_of(state, planned.accounts.code_list, accounts).values())
    counted["operating"] += counted.pop(RESULT, 0)
    return +counted


def _usual(among: Counter[str], own: str) -> str:
    """The activity that more of the others have than one's own; empty where none."""
    others = {activity: count for activity, count in among.items() if activity != own}
    most = max(others.values(), default=0)
    return min(a for a, count in others.items() if count == most) if most > among[own] - 1 else ""


def _is_set_aside(state: State, code: Code) -> bool:
    return any(
        state.get(SetAside, code.code_list, name, ACTIVITY_ELSEWHERE) is not None for name in (code.code, "")
    )


def doubts_of_activity(state: State, code_list: str) -> Iterator[Doubt]:
    """The same as doubts of a list of natural accounts."""
    for statement in sorted(state.rows(Statement), key=lambda row: row.statement):
        if statement.kind in CASH_FLOWS and natural_list(state, statement.chart) == code_list:
            for one in misplaced(state, statement.statement):
                way_out = "Put it on a line of its activity, or give it that of the line."
                what = f"In {statement.name} it {one.stands}"
                yield Doubt(ACTIVITY_ELSEWHERE, one.code.code, what, way_out)
