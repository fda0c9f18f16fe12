"""Accounts of a cash flow whose own activity is another than that of the accounts they stand among: what is
left behind when an account's activity is changed later."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from core.cash_flow.activities import RESULT, section_of
from core.codes.doubts import ACTIVITY_ELSEWHERE, Doubt
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode, SetAside, Statement, StatementLine
from core.statements.plans import PLAN_READS, Plan, line_title, natural_list, plan

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


@derived((StatementLine, 0), *PLAN_READS, Hierarchy, HierarchyNode, SetAside)
def misplaced(state: State, statement: str) -> tuple[MisplacedAccount, ...]:
    """By line and code. What an account stands among is told by its line, or where it is alone there by the
    lines beside it; of one that is all alone nothing is told."""
    planned = plan(state, statement)
    if planned is None or planned.statement.kind not in CASH_FLOWS:
        return ()
    return tuple(_misplaced(state, planned))


def _misplaced(state: State, planned: Plan) -> Iterator[MisplacedAccount]:
    code_list = planned.accounts.code_list
    activity = {code: _activity(state, code_list, code) for line in planned.lines for code in line.picks}
    of_line = [Counter(activity[code] for code in line.picks) for line in planned.lines]
    beside: dict[int, Counter[str]] = {}
    for line, counted in zip(planned.lines, of_line, strict=True):
        beside.setdefault(line.parent, Counter()).update(counted)
    for line, counted in zip(planned.lines, of_line, strict=True):
        among = counted if counted.total() > 1 else beside[line.parent]
        for code in (planned.accounts.codes[name] for name in line.picks):
            others = among - Counter([activity[code.code]])
            if code.cash_flow == "none" or not others:
                continue
            most = max(others.values())
            if others[code.cash_flow] < most:
                usual = min(one for one, count in others.items() if count == most)
                yield MisplacedAccount(code, line.row, usual, _is_set_aside(state, code))


def _is_set_aside(state: State, code: Code) -> bool:
    return any(
        state.get(SetAside, code.code_list, name, ACTIVITY_ELSEWHERE) is not None for name in (code.code, "")
    )


def _activity(state: State, code_list: str, code: str) -> str:
    """The result is of operations, as long as nobody says otherwise of one of its accounts."""
    section = section_of(state, code_list, code)
    return "operating" if section == RESULT else section


def doubts_of_activity(state: State, code_list: str) -> Iterator[Doubt]:
    """The same as doubts of a list of natural accounts."""
    for statement in sorted(state.rows(Statement), key=lambda row: row.statement):
        if statement.kind in CASH_FLOWS and natural_list(state, statement.chart) == code_list:
            for one in misplaced(state, statement.statement):
                way_out = "Put it on a line of its activity, or give it that of the line."
                what = f"In {statement.name} it {one.stands}"
                yield Doubt(ACTIVITY_ELSEWHERE, one.code.code, what, way_out)
