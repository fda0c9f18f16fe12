"""Where a new code lands: below which rollup code, and by that on which lines of statements."""

from __future__ import annotations

from typing import NamedTuple

from core.codes.hierarchies import main_tree
from core.codes.lists import list_index
from core.definitions.state import State
from core.definitions.tables import Arrangement, Code, Statement, StatementLine
from core.statements.plans import line_title, natural_list, plan

MOST_NAMED = 4


class Landing(NamedTuple):
    """`under` is None for a code below none; `lines` by statement; `missed` are statements that it belongs on
    and stands on no line of."""

    under: Code | None
    lines: tuple[tuple[Statement, StatementLine], ...]
    missed: tuple[Statement, ...]

    @property
    def sentence(self) -> str:
        """One or two sentences about `it`."""
        where = (
            f"It stands under {self.under.code} {self.under.name}" if self.under else "It stands under none"
        )
        named = [f"{line_title(line)} of {statement.name}" for statement, line in self.lines]
        onto = f", and on {_joined(named)}." if named else "."
        no_line = _joined([statement.name for statement in self.missed])
        return f"{where}{onto}" + (f" It is on no line of {no_line}." if no_line else "")


def _joined(names: list[str]) -> str:
    more = len(names) - MOST_NAMED
    shown = [*names[:MOST_NAMED], f"{more} more"] if more > 0 else names
    return " and ".join(filter(None, (", ".join(shown[:-1]), *shown[-1:])))


def landing(after: State, code_list: str, code: str) -> Landing:
    """Of a code that a state has. Statements that companies and groups arrange by themselves follow the one
    they arrange, and are not named."""
    shape, index = main_tree(after, code_list), list_index(after, code_list)
    under = index.codes.get(shape.parent.get(code, "")) if shape else None
    place = index.position.get(code)
    lines: list[tuple[Statement, StatementLine]] = []
    missed: list[Statement] = []
    arranged = {row.statement for row in after.rows(Arrangement)}
    for statement in sorted(after.rows(Statement), key=lambda row: row.statement):
        if statement.statement in arranged or natural_list(after, statement.chart) != code_list:
            continue
        planned = plan(after, statement.statement)
        if planned is None or place is None or not planned.lines:
            continue
        if (at := int(planned.line_of[place])) >= 0:
            lines.append((statement, planned.lines[at].row))
        elif place in planned.missed():
            missed.append(statement)
    return Landing(under, tuple(lines), tuple(missed))
