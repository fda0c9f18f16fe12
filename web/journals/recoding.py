"""Codes spelled anew together with the account strings that were posted: definitions, books and what is being
keyed at once.

Lines stay as they were posted: they name their account string by number, and only the text behind the number
changes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction

from core import checks
from core.changes.recoding import (
    Recode,
    RecodedCell,
    changed_cells,
    dimensions_speller,
    edits_of,
    faults,
    spelling,
    string_speller,
)
from core.codes.lists import list_index
from core.definitions.nouns import named
from core.definitions.state import State
from core.definitions.tables import ChartMove, Company, Dimension
from core.faults import Fault, Refused, blocking
from core.references.cells import charts_of_list
from core.structures.charts import chart_index
from core.structures.second_charts import moves_of
from web.definitions import actions, drafting, snapshot
from web.definitions.deciding import decided, keep_others_out, pass_turnstile
from web.definitions.models import Draft
from web.definitions.posted import AskedOfBooks
from web.journals.books import forget_packs, replace_naturals
from web.journals.rewriting import rewrite, rewrite_strings, rewrite_unfinished

MOST_SHOWN = 200


@dataclass(frozen=True)
class Preview:
    """What a recoding does: codes, cells that name them, and posted account strings, before and after (a
    part of each)."""

    codes: list[tuple[str, str, str]]
    cells: list[RecodedCell]
    strings: list[tuple[str, str, str]]
    counts: tuple[int, int, int]
    faults: list[Fault]

    @property
    def named(self) -> list[tuple[RecodedCell, str]]:
        return [(cell, named(cell.named.row)) for cell in self.cells]


def preview(state: State, change: Recode) -> Preview:
    against = faults(state, change) or open_drafts(state, change)
    if against:
        return Preview([], [], [], (0, 0, 0), against)
    cells = [cell for cell in changed_cells(state, change) if not cell.named.own]
    strings = list(_strings(state, change))
    index = list_index(state, change.code_list).codes
    codes = [(old, new, index[old].name) for old, new in spelling(state, change).items()]
    return Preview(
        codes[:MOST_SHOWN],
        cells[:MOST_SHOWN],
        strings[:MOST_SHOWN],
        (len(codes), len(cells), len(strings)),
        [],
    )


def everything(state: State, change: Recode) -> Iterator[tuple[str, str, str]]:
    """Every code, cell and posted account string: (what it is, before, after). Nothing where it can't be
    done."""
    if faults(state, change):
        return
    for old, new in spelling(state, change).items():
        yield f"code of {change.code_list}", old, new
    yield from ((named(cell.named.row), cell.was, cell.now) for cell in changed_cells(state, change))
    yield from (
        (f"posted account string of {chart}", old, new) for chart, old, new in _strings(state, change)
    )


def open_drafts(state: State, change: Recode) -> list[Fault]:
    """Drafts that are being worked on name codes as they are spelled now, so they must be settled first."""
    touched = {(edit.table, edit.key) for edit in edits_of(state, change)}
    rows = []
    for draft in Draft.objects.filter(status__in=drafting.OPEN_ENDED).order_by("pk"):
        if touched.intersection(drafting.working(draft).edits):
            what = f"The draft {draft.name} changes codes of this list, or what names them."
            rows.append(Fault("draft-open", what, way_out="Publish or drop it first."))
    return rows


@decided(keep_others_out)
def recode(change: Recode, by: Any, seen: int | None = None) -> snapshot.Snapshot:
    """Makes it, in one transaction. Raises Refused with all faults."""
    before = snapshot.current()
    asked = AskedOfBooks(before.state)
    asked.rewrites()
    edits = edits_of(before.state, change)
    if not edits:
        return before
    against = faults(before.state, change) or open_drafts(before.state, change)
    against += [] if seen is None else actions.changed_since(edits, seen)
    against = against or blocking(checks.of_change(before.state, before.state.edited(edits), edits))
    if against:
        raise Refused(against)
    more: dict[str, Any] = {
        "recodes": {
            "code_list": change.code_list,
            "spelling": {new: old for old, new in spelling(before.state, change).items()},
        }
    }
    with transaction.atomic():
        pass_turnstile()
        _books(before.state, change)
        sentence = change.sentence(before.state)
        after = actions.write_version(before, edits, sentence, by, asked, **more)
        if against := open_drafts(before.state, change):
            raise Refused(against)  # begun meanwhile
    return after


def _spellers(state: State, change: Recode) -> Iterator[tuple[str, bool, Callable[[str], str]]]:
    """Each chart that uses the list, whether it is its natural account, and what spells its strings anew."""
    spelt = spelling(state, change)
    for chart in sorted(charts_of_list(state, change.code_list)):
        index = chart_index(state, chart)
        if index is not None:
            yield (
                chart,
                index.natural_list == change.code_list,
                string_speller(index, change.code_list, spelt),
            )


def _strings(state: State, change: Recode) -> Iterator[tuple[str, str, str]]:
    """(chart, posted account string, as it will be) of those that change."""
    for chart, _, string in _spellers(state, change):
        with connection.cursor() as cursor:
            cursor.execute("SELECT account FROM journals_account WHERE chart = %s ORDER BY account", [chart])
            yield from ((chart, text, string(text)) for (text,) in cursor.fetchall() if string(text) != text)


def _books(state: State, change: Recode) -> None:
    """Interned account strings and dimension combinations, packs, budgets and journals being keyed."""
    spelt = spelling(state, change)
    lists = {row.dimension: row.code_list for row in state.rows(Dimension)}
    tagging = dimensions_speller(lists, change.code_list, spelt)
    rewrite("journals_dimensionset", "codes", "", tagging)
    for chart, is_natural, string in _spellers(state, change):
        companies = [row.company for row in state.rows(Company) if row.chart == chart]
        if is_natural:
            rewrite("journals_account", "natural", chart, lambda code: spelt.get(code, code))
        rewrite_strings(chart, string, tagging)
        rewrite_unfinished(companies, string)
        with_lines = {*companies, *_left(state, chart)}
        moved = {name for name in with_lines if moves_of(state, name)}
        replace_naturals(with_lines - moved, spelt if is_natural else {})
        forget_packs(moved)


def _left(state: State, chart: str) -> set[str]:
    """Companies with lines in a chart from before they moved to another one."""
    return {row.company for row in state.rows(ChartMove) if row.chart_before == chart}
