"""What a move to another chart would do, as rows and sentences of its page."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from core.changes.kinds import edit_sentence
from core.chart_moves.agreeing import ClassAgreement, StatementAgreement
from core.codes.lists import list_index
from core.definitions.nouns import many
from core.definitions.state import Edit, State
from core.definitions.tables import TABLES, Code, Company, Group
from core.money import digits_of, show_amount
from core.statements.plans import natural_list
from web.chart_moves.groups import GroupAgreement
from web.chart_moves.moving import ChartMovePlan
from web.shell.table_rows import Cell, TableRow, indent

MOST_SHOWN = 400


def agreement_rows(
    classes: Sequence[ClassAgreement], statements: Sequence[StatementAgreement], digits: int
) -> Iterator[TableRow]:
    """Classes, then statements, each followed by its lines that differ."""
    for one in classes:
        moved = ", ".join(f"{own} becomes {there}" for own, there in one.moved)
        state = Cell(moved, "look") if moved else Cell("the same", "ok")
        yield _row(f"{one.account_class.capitalize()} accounts", one.was, one.now, state, digits)
    for statement in statements:
        yield _row(statement.name, None, None, _agrees(statement, digits), digits)
        for line in statement.differing:
            yield _row(line.label, line.was, line.now, Cell(), digits, depth=1)


def group_rows(groups: Iterable[GroupAgreement]) -> Iterator[TableRow]:
    """Consolidated statements, each followed by its lines that differ."""
    for group in groups:
        digits = digits_of(group.group.currency)
        name = f"{group.name}, {group.group.name}" if group.statement else group.name
        yield _row(name, None, None, _same_in_group(group), digits)
        for change in group.changes:
            label = f"{change.label}, {group.group.currency}"
            yield _row(label, change.was, change.now, Cell(), digits, depth=1)


def stopped_row(left: Sequence[Group]) -> TableRow:
    """What stands where somebody stopped before the last group was compared."""
    names = ", ".join(group.name for group in left)
    return TableRow("stopped", [Cell("Stopped"), Cell(), Cell(), Cell(f"not compared: {names}", "look")])


def _row(name: str, was: int | None, now: int | None, state: Cell, digits: int, depth: int = 0) -> TableRow:
    is_heading = was is None and now is None
    amounts = [Cell("" if is_heading else show_amount(amount, digits), "num") for amount in (was, now)]
    return TableRow(name, [Cell(name, indent(depth) if depth else ""), *amounts, state])


def _agrees(one: StatementAgreement, digits: int) -> Cell:
    unplaced = f", {show_amount(one.unplaced, digits)} unplaced" if one.unplaced else ""
    if one.differing:
        return Cell(f"{len(one.differing)} of {len(one.lines)} lines differ{unplaced}", "must")
    return Cell(f"all {len(one.lines)} lines agree{unplaced}", "ok")


def _same_in_group(one: GroupAgreement) -> Cell:
    if one.why or one.period is None:
        return Cell(one.why, "soft")
    if not one.changes:
        return Cell(f"the same for {one.period.name}", "ok")
    count = len(one.changes)
    lines = "1 line differs" if count == 1 else f"{count} lines differ"
    return Cell(f"{lines} for {one.period.name}", "look")


def sentences(plan: ChartMovePlan) -> list[str]:
    """What else changes with the move, beside the company's chart: rows of which the same becomes the same
    told together, and many that come or go by their number."""
    alike: dict[tuple[Any, ...], list[Edit]] = {}
    for edit in plan.examined.edits:
        if edit.table not in ("companies", "chart_moves"):
            alike.setdefault(_alike(edit), []).append(edit)
    return [_told(edits) for edits in alike.values()]


def _alike(edit: Edit) -> tuple[Any, ...]:
    if edit.old is None or edit.new is None:
        return edit.table, edit.new is None
    return edit.table, *((was, now) for was, now in zip(edit.old, edit.new, strict=True) if was != now)


def _told(edits: list[Edit]) -> str:
    if len(edits) == 1:
        return edit_sentence(edits[0])
    first, table = edits[0], TABLES[edits[0].table]
    rows = f"{len(edits)} {many(table.noun)}"
    if first.old is None or first.new is None:
        return f"{'Added' if first.old is None else 'Deleted'} {rows}"
    cells = zip(table.columns, first.old, first.new, strict=True)
    parts = [f"{c.name.replace('_', ' ')} {was} becomes {now}" for c, was, now in cells if was != now]
    return f"Changed {rows}: {', '.join(parts)}"


def account_rows(state: State, plan: ChartMovePlan, digits: int) -> Iterator[TableRow]:
    """Each account posted to with what stands on it and the one that it becomes; the largest first."""
    if plan.carried is None:
        return
    sums = {(one.natural, one.target_natural): 0 for one in plan.carried.strings.values()}
    for standing in plan.posted.standing:
        read = plan.carried.strings[standing.account]
        sums[read.natural, read.target_natural] += standing.amount
    company = plan.change.company
    own, there = (
        list_index(each, natural_list(each, each.require(Company, company).chart)).codes
        for each in (state, plan.after)
    )
    ordered = sorted(sums.items(), key=lambda item: (bool(item[0][1]), -abs(item[1]), item[0]))
    for (account, target), raw in ordered[:MOST_SHOWN]:
        was, now = own.get(account), there.get(target)
        yield TableRow(
            f"{account}:{target}",
            [
                Cell(account, "code"),
                Cell(was.name if was else ""),
                Cell(show_amount(raw, digits), "num"),
                Cell(target or "no account", "code" if target else "must"),
                Cell(now.name if now else ""),
                _other_class(was, now),
            ],
        )


def _other_class(was: Code | None, now: Code | None) -> Cell:
    if was is None or now is None or was.account_class == now.account_class:
        return Cell()
    return Cell(f"{was.account_class} becomes {now.account_class}", "look")
