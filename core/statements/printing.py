"""The order in which lines are printed: a heading with its total above what it totals, or its total below;
lines with their accounts under them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal, NamedTuple

import numpy as np

from core.definitions.statement_rows import WITH_AMOUNT
from core.statements.figures import Figure
from core.statements.plans import Plan, PlanLine, line_title

Part = Literal["whole", "head", "total"]


class PrintedLine(NamedTuple):
    """A figure as it is printed: whole, or a heading's words alone, or its total alone."""

    figure: Figure
    part: Part

    @property
    def label(self) -> str:
        return (
            f"Total {line_title(self.figure.line.row)}"
            if self.part == "total"
            else self.figure.line.row.label
        )

    @property
    def has_figures(self) -> bool:
        return self.part != "head" and self.figure.line.row.kind not in ("text", "gap")


ACCOUNT_MARK = ":"
"""Between a line and one of its accounts in the name of the account's own line; no id has it."""


def with_accounts(planned: Plan) -> Plan:
    """The plan with each account as a line of its own, under the line that it stands on: what was a line of
    accounts is the heading of them. `[sales: 4010, 4020]` becomes `[sales, sales:4010, sales:4020]`, the
    accounts shown only with an amount and in the direction of their line."""
    lines: list[PlanLine] = []
    moved: list[int] = []
    place_of: dict[tuple[int, str], int] = {}
    for at, line in enumerate(planned.lines):
        moved.append(len(lines))
        parent = moved[line.parent] if line.parent >= 0 else -1
        has_accounts = line.row.kind == "accounts" and bool(line.picks)
        row = line.row._replace(kind="heading", accounts="") if has_accounts else line.row
        lines.append(line._replace(row=row, parent=parent, picks=() if has_accounts else line.picks))
        for code in line.picks if has_accounts else ():
            place_of[at, code] = len(lines)
            lines.append(_account_line(planned, line, code, moved[at]))
    line_of = [
        place_of.get((at, code), moved[at]) if (at := int(planned.line_of[place])) >= 0 else -1
        for place, code in enumerate(planned.accounts.posting)
    ]
    parts = [
        part._replace(line=place_of[part.line, planned.accounts.posting[at]], accounts=np.array([at]))
        for part in planned.parts
        for at in part.accounts.tolist()
    ]
    return replace(
        planned,
        lines=tuple(lines),
        index={line.row.line: i for i, line in enumerate(lines)},
        line_of=np.array(line_of, dtype=np.int64),
        formulas=tuple(moved[at] for at in planned.formulas),
        parts=tuple(parts),
    )


def _account_line(planned: Plan, line: PlanLine, code: str, parent: int) -> PlanLine:
    row = line.row._replace(
        line=f"{line.row.line}{ACCOUNT_MARK}{code}",
        parent=line.row.line,
        label=f"{code} {planned.accounts.codes[code].name}",
        accounts=code,
        shown_when=WITH_AMOUNT,
    )
    return line._replace(row=row, depth=line.depth + 1, parent=parent, picks=(code,))


def left_out(lines: Sequence[Figure]) -> frozenset[str]:
    """Lines that are shown only with an amount and have none in any column, nor anything in sight below
    them. What is left out comes to nothing, so nobody's sum misses it."""
    gone: set[str] = set()
    shown_at: list[int] = []
    for figure in reversed(lines):
        depth = figure.line.depth
        holds = bool(shown_at) and shown_at[-1] > depth
        while shown_at and shown_at[-1] > depth:
            shown_at.pop()
        if figure.line.row.shown_when == WITH_AMOUNT and not holds and not any(figure.shown):
            gone.add(figure.line.row.line)
        else:
            shown_at.append(depth)
    return frozenset(gone)


def printed(lines: Sequence[Figure], totals: str, *, every: bool = False) -> list[PrintedLine]:
    """Lines in the order of their tree, some of them perhaps left out. With `totals` `below` a heading that
    has lines below it comes twice: its words first, its total after the last of them. Lines shown only with
    an amount come where they have one, or all of them where `every` is asked for."""
    if gone := frozenset() if every else left_out(lines):
        lines = [figure for figure in lines if figure.line.row.line not in gone]
    if totals != "below":
        return [PrintedLine(figure, "whole") for figure in lines]
    order: list[PrintedLine] = []
    open_headings: list[Figure] = []
    for i, figure in enumerate(lines):
        while open_headings and open_headings[-1].line.depth >= figure.line.depth:
            order.append(PrintedLine(open_headings.pop(), "total"))
        holds = i + 1 < len(lines) and lines[i + 1].line.depth > figure.line.depth
        if figure.line.row.kind == "heading" and holds:
            order.append(PrintedLine(figure, "head"))
            open_headings.append(figure)
        else:
            order.append(PrintedLine(figure, "whole"))
    return [*order, *(PrintedLine(figure, "total") for figure in reversed(open_headings))]
