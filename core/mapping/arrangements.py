"""Arrangements: a company or group shows a statement of its own in place of one that it inherits.

The own one is a statement like any other. Of each line that it inherits is kept what it was like above when
it was last looked at, so that what came, changed or went above since then can be told, and taken or settled.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from hashlib import sha256
from typing import Literal, NamedTuple

from core.codes.hierarchies import order_key, preorder
from core.codes.selectors import pick
from core.definitions.state import State, derived
from core.definitions.tables import ArrangedLine, Arrangement, Company, Statement, StatementLine
from core.statements.plans import line_title, natural_list

GONE = "gone"
"""What is kept as seen of a line that went above and stays here."""
Origin = Literal["inherited", "changed", "own"]
Movement = Literal["new", "changed", "gone"]


def fingerprint(row: StatementLine | None) -> str:
    """Of all that a line is, wherever it stands among its neighbours."""
    if row is None:
        return GONE
    return sha256(repr((*row[2:3], *row[4:])).encode()).hexdigest()[:12]


@derived(Arrangement)
def _by_member(state: State) -> dict[tuple[str, str, str], Arrangement]:
    rows = (row for row in state.rows(Arrangement) if row.in_use)
    return {(row.over, row.member, row.member_kind): row for row in rows}


def shown_statement(state: State, statement: str, member: str, kind: str = "company") -> str:
    """The statement that a company or group shows in place of one: its own arrangement, if it is in use."""
    row = _by_member(state).get((statement, member, kind))
    return row.statement if row else statement


def is_shown_by(state: State, statement: str, company: str) -> bool:
    """Whether a company may show a statement: any but the arrangements of others."""
    row = state.get(Arrangement, statement)
    return row is None or (row.member, row.member_kind) == (company, "company")


def of_member(state: State, statement: str, member: str, kind: str = "company") -> Arrangement | None:
    """An arrangement over a statement, whether it is in use or not."""
    rows = sorted(row for row in state.rows(Arrangement) if row.over == statement)
    return next((row for row in rows if (row.member, row.member_kind) == (member, kind)), None)


def member_name(state: State, row: Arrangement) -> str:
    company = state.get(Company, row.member) if row.member_kind == "company" else None
    return company.name if company else row.member


def own_lines(state: State, statement: str) -> dict[str, StatementLine]:
    """By id, each heading before what stands below it, neighbours in their order."""
    rows = {row.line: row for row in state.part(StatementLine, statement).values()}
    below: dict[str, list[str]] = {}
    for row in sorted(rows.values(), key=lambda row: order_key(row.position, row.line)):
        below.setdefault(row.parent, []).append(row.line)
    inside = {line: rows[line] for line, _ in preorder(below, below.get("", []))}
    return inside | rows  # what stands below nothing that is there comes last


def origins(state: State, arrangement: Arrangement) -> dict[str, Origin]:
    """By own line whether it is as above, changed, or of its own."""
    above = own_lines(state, arrangement.over)
    return {
        line: "own"
        if line not in above
        else "inherited"
        if fingerprint(row) == fingerprint(above[line])
        else "changed"
        for line, row in own_lines(state, arrangement.statement).items()
    }


def line_origins(state: State, statement: str) -> dict[str, Origin]:
    """The same of any statement: nothing of one that is no arrangement."""
    arrangement = state.get(Arrangement, statement)
    return origins(state, arrangement) if arrangement else {}


class UpstreamLine(NamedTuple):
    """A line that came, changed or went above since it was looked at: as it is there, and here. `section`:
    what people call the topmost heading that it stands under."""

    line: str
    movement: Movement
    above: StatementLine | None
    own: StatementLine | None
    section: str

    @property
    def title(self) -> str:
        row = self.above or self.own
        return line_title(row) if row else self.line


def upstream(state: State, arrangement: Arrangement) -> list[UpstreamLine]:
    """What is to be taken, settled or left out, in the order of the lines above, then those that went."""
    above, own = own_lines(state, arrangement.over), own_lines(state, arrangement.statement)
    seen = {row.line: row.seen for row in state.part(ArrangedLine, arrangement.statement).values()}
    moved: list[UpstreamLine] = []
    for line in [*above, *(line for line in seen if line not in above)]:
        now, mine = above.get(line), own.get(line)
        known, print_now = seen.get(line), fingerprint(now)
        if known == print_now or (now is None and mine is None):
            continue
        if now is not None and mine is not None and fingerprint(mine) == print_now:
            continue
        movement: Movement = "gone" if now is None else "changed" if known else "new"
        moved.append(UpstreamLine(line, movement, now, mine, _section(above if now else own, line)))
    return moved


def _section(rows: dict[str, StatementLine], line: str) -> str:
    """The topmost heading over a line, by what people call it; its own where it stands at the top."""
    passed: set[str] = set()
    at = rows.get(line)
    while at is not None and at.parent and at.line not in passed:
        passed.add(at.line)
        at = rows.get(at.parent)
    return line_title(at) if at else ""


def what_differs(one: StatementLine, other: StatementLine) -> list[tuple[str, str, str]]:
    """(column, here, there) of what two rows of a line say otherwise; where it stands left out."""
    columns = (
        "parent",
        "label",
        "kind",
        "accounts",
        "formula",
        "sign",
        "field",
        "codes",
        "side",
        "shown_when",
    )
    return [
        (column, str(getattr(one, column)), str(getattr(other, column)))
        for column in columns
        if getattr(one, column) != getattr(other, column)
    ]


def branch(rows: dict[str, StatementLine], line: str) -> list[str]:
    """A line with all below it; of an empty one all lines."""
    if not line:
        return list(rows)
    below: dict[str, list[str]] = {}
    for row in rows.values():
        below.setdefault(row.parent, []).append(row.line)
    inside, waiting = [], [line] if line in rows else []
    while waiting:
        at = waiting.pop()
        if at not in inside:
            inside.append(at)
            waiting += below.get(at, [])
    return inside


def accounts_moved(state: State, over: Statement, moved: UpstreamLine) -> tuple[list[str], list[str]]:
    """Of a line that changed above: the accounts that taking it brings here, and those that it takes off."""
    code_list = natural_list(state, over.chart)

    def picked(row: StatementLine | None) -> frozenset[str]:
        return pick(state, code_list, row.accounts).codes if row and row.accounts else frozenset()

    above, own = picked(moved.above), picked(moved.own)
    return sorted(above - own), sorted(own - above)


def stands_as_above(names: Sequence[str], above: Sequence[str], placing: Collection[str]) -> list[str]:
    """The order of neighbours in which some lines stand as they do above: each after the nearest one before
    it there that stands here too, else before the nearest one after it, else last. The others keep theirs."""
    ordered = [name for name in names if name not in placing]
    for name in (name for name in above if name in placing and name in names):
        at = above.index(name)
        before = next((other for other in reversed(above[:at]) if other in ordered), None)
        after = next((other for other in above[at + 1 :] if other in ordered), None)
        if before is not None:
            ordered.insert(ordered.index(before) + 1, name)
        elif after is not None:
            ordered.insert(ordered.index(after), name)
        else:
            ordered.append(name)
    return [*ordered, *(name for name in names if name not in ordered)]


def lost_by_setting_back(state: State, arrangement: Arrangement, line: str) -> tuple[list[str], list[str]]:
    """What a section loses that is set back to how it is above (an empty line: all of it): titles of own
    lines, and of those that were changed."""
    own = own_lines(state, arrangement.statement)
    kinds = origins(state, arrangement)
    inside = branch(own, line)
    titles = {
        kind: [line_title(own[one]) for one in inside if kinds[one] == kind] for kind in ("own", "changed")
    }
    return titles["own"], titles["changed"]


def arranged_statements(state: State) -> list[tuple[Arrangement, Statement]]:
    """All arrangements with the statement that they are over, by its name, then by whose they are."""
    rows = [(row, state.get(Statement, row.over)) for row in state.rows(Arrangement)]
    known = [(row, over) for row, over in rows if over is not None]
    return sorted(known, key=lambda pair: (pair[1].name, pair[0].member))


def arranged_otherwise(
    state: State, statement: str, companies: Iterable[Company]
) -> list[tuple[Company, list[str]]]:
    """Companies that show a statement of their own in place of one, with what they call the lines that hold
    other accounts there, or that there are only there."""
    above = own_lines(state, statement)
    companies_told = []
    for company in companies:
        own = shown_statement(state, statement, company.company)
        if own != statement:
            rows = own_lines(state, own).items()
            titles = [line_title(row) for line, row in rows if _holds_others(above.get(line), row)]
            companies_told.append((company, titles))
    return companies_told


def _holds_others(above: StatementLine | None, own: StatementLine) -> bool:
    if above is None:
        return own.kind in ("accounts", "formula")
    columns = ("accounts", "formula", "field", "codes", "side")
    return any(getattr(above, column) != getattr(own, column) for column in columns)
