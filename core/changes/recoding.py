"""All posting codes of a list longer or shorter by zeros: the codes, all that names them, and account
strings, in one change.

Nothing may be lost and nothing may come to mean something else: every selector must pick the same codes as
before.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, NamedTuple

from core.changes.kinds import change, joined
from core.codes.lists import list_index
from core.codes.selector_text import SelectorItem, describe, parse
from core.codes.selectors import pick
from core.definitions.state import Edit, State
from core.definitions.tables import BY_ROW, Code, CodeList
from core.faults import Fault, Location
from core.references.cells import ACCOUNT, CODE, SELECTOR, CodeReference, cells
from core.structures.accounts import parse_dimensions
from core.structures.charts import ChartIndex, chart_index

FRONT, BEHIND = "front", "behind"
HIGHEST = {"digits": "9", "letters": "z", "alphanumeric": "z"}
MOST_TOLD = 20


@change
class Recode:
    """Gives every posting code of a list `length` characters, by zeros put on or taken off in front or
    behind."""

    code_list: str
    length: int
    side: str

    def edits(self, state: State) -> list[Edit]:
        return edits_of(state, self)

    def sentence(self, state: State) -> str:
        code_list_row = state.get(CodeList, self.code_list)
        name, was = (code_list_row.name, code_list_row.max_length) if code_list_row else (self.code_list, 0)
        what = "Lengthened" if self.length > was else "Shortened"
        where = "in front" if self.side == FRONT else "behind"
        return (
            f"{what} {name} from {was} to {self.length} characters, zeros {where}:"
            f" {len(spelling(state, self)):,} codes"
        )


def spelling(state: State, change: Recode) -> dict[str, str]:
    """Old text of each posting code → new text; a code that would lose more than zeros keeps its text (see
    `faults`)."""
    return {code: recoded(code, change) for code in list_index(state, change.code_list).posting}


def recoded(code: str, change: Recode) -> str:
    """One code, or one end of a range, with zeros put on or taken off."""
    more = change.length - len(code)
    if more >= 0:
        return "0" * more + code if change.side == FRONT else code + "0" * more
    remaining, lost = (code[-more:], code[:-more]) if change.side == FRONT else (code[:more], code[more:])
    return code if lost.strip("0") else remaining


def selector_recoded(text: str, was: int, change: Recode, highest: str) -> str:
    """A selector over codes that had `was` characters and will have another number."""
    more = change.length - was

    def end(text: str, filler: str) -> str:
        if change.side == FRONT:  # in front, whatever its length, an end of a range moves as the codes do
            return "0" * more + text if more > 0 else text.removeprefix("0" * -more)
        if len(text) < was:
            return text
        return (
            text + filler * more if more > 0 else text[:more] if not text[more:].strip("0" + filler) else text
        )

    def item(found: SelectorItem) -> SelectorItem:
        if found.kind == "code":
            return found._replace(
                first=recoded(found.first, change) if len(found.first) == was else found.first
            )
        if found.kind == "range":
            return found._replace(first=end(found.first, "0"), second=end(found.second, highest))
        if found.kind == "prefix" and (change.side == FRONT or len(found.first) >= was):
            return found._replace(first=end(found.first, "0"))
        return found

    parsed = parse(text)
    away = ", ".join(describe(item(found)) for found in parsed.taken_away)
    return ", ".join(describe(item(found)) for found in parsed.items) + (f" except {away}" if away else "")


def string_speller(index: ChartIndex, code_list: str, spelt: dict[str, str]) -> Callable[[str], str]:
    """Spells account strings of a chart anew."""
    places = [i for i, segment in enumerate(index.segments) if segment.code_list == code_list]

    def string(text: str) -> str:
        parts = text.split(index.separator)
        for place in places:
            if place < len(parts):
                parts[place] = spelt.get(parts[place], parts[place])
        return index.separator.join(parts)

    return string


def dimensions_speller(
    state_lists: dict[str, str], code_list: str, spelt: dict[str, str]
) -> Callable[[str], str]:
    """Spells dimension combinations (`season=SP26; …`) anew; `state_lists` are dimensions' lists by name."""

    def tagging(text: str) -> str:
        given, bad = parse_dimensions(text)
        if bad:
            return text
        return "; ".join(
            f"{name}={spelt.get(code, code) if state_lists.get(name) == code_list else code}"
            for name, code in given.items()
        )

    return tagging


class RecodedCell(NamedTuple):
    """A cell that is written anew, before and after."""

    named: CodeReference
    was: str
    now: str


def changed_cells(state: State, change: Recode) -> Iterator[RecodedCell]:
    code_list_row = state.get(CodeList, change.code_list)
    if code_list_row is None:
        return
    spelt = spelling(state, change)
    was = _length(spelt)
    highest = HIGHEST[code_list_row.characters]
    strings: dict[str, Callable[[str], str]] = {}
    in_sets: dict[str, Callable[[str], str]] = {}
    for named in cells(state, change.code_list):
        text = getattr(named.row, named.column)
        if named.kind == CODE:
            now = spelt.get(text, text)
        elif named.kind == SELECTOR:
            now = selector_recoded(text, was, change, highest) if was else text
        else:
            spellers = strings if named.kind == ACCOUNT else in_sets
            if named.chart not in spellers:
                index = chart_index(state, named.chart)
                assert index is not None  # the cell is one of this chart
                spellers[named.chart] = (
                    string_speller(index, change.code_list, spelt)
                    if named.kind == ACCOUNT
                    else dimensions_speller(
                        {field.name: field.code_list for field in index.dimensions}, change.code_list, spelt
                    )
                )
            now = spellers[named.chart](text)
        if now != text:
            yield RecodedCell(named, text, now)


def _length(spelt: dict[str, str]) -> int:
    """The one length that all posting codes have, or 0."""
    lengths = {len(code) for code in spelt}
    return lengths.pop() if len(lengths) == 1 else 0


def edits_of(state: State, change: Recode) -> list[Edit]:
    """The rows before and after. A row whose key is spelled anew is another row: deleted under the old key,
    added under the new."""
    code_list_row = state.get(CodeList, change.code_list)
    if code_list_row is None:
        return []
    spelt = spelling(state, change)
    rule = code_list_row._replace(min_length=change.length, max_length=change.length)
    by_key: dict[tuple[type[Any], Any], Any] = {(CodeList, code_list_row): rule}
    codes = list_index(state, change.code_list).codes
    by_key |= {(Code, codes[old]): codes[old]._replace(code=new) for old, new in spelt.items() if old != new}
    for cell in changed_cells(state, change):
        row = cell.named.row
        by_key[type(row), row] = by_key.get((type(row), row), row)._replace(**{cell.named.column: cell.now})
    edits: list[Edit] = []
    for (kind, old_row), new_row in by_key.items():
        table = BY_ROW[kind]
        key, other = table.key(old_row), table.key(new_row)
        if key == other:
            edits.append(Edit(table.name, key, old_row, new_row))
        else:
            edits += [Edit(table.name, key, old_row, None), Edit(table.name, other, None, new_row)]
    return joined(edits)


def faults(state: State, change: Recode) -> list[Fault]:
    """Why this can't be done: codes of several lengths, a code that would be lost, a text that is taken,
    another meaning."""
    code_list_row = state.get(CodeList, change.code_list)
    if code_list_row is None:
        return [Fault("reference", f"There is no code list {change.code_list}.")]
    place = Location("code_lists", (code_list_row.code_list,), "length", str(change.length))
    if not 1 <= change.length <= 40:
        return [Fault("length", "A code has 1 to 40 characters.", place, "Give another length.")]
    if change.side not in (FRONT, BEHIND) or (code_list_row.zero_pad and change.side == BEHIND):
        way = "The list fills with leading zeros." if code_list_row.zero_pad else ""
        return [Fault("side", "Zeros are put on or taken off in front.", replace(place, column="side"), way)]
    spelt = spelling(state, change)
    if spelt and not _length(spelt):
        what = (
            f"The posting codes of {code_list_row.name} have several lengths, so zeros can't be put on"
            " all alike."
        )
        way_out = "Raise the longest code instead; the codes that are there stay."
        return [Fault("lengths", what, place, way_out)]
    if code_list_row.characters == "letters":
        what = f"Codes of {code_list_row.name} are made of letters, so they can't be filled with zeros."
        return [Fault("letters", what, place)]
    of_codes = list(_of_codes(state, change, spelt))
    return of_codes[:MOST_TOLD] or _other_meanings(state, change, spelt)[:MOST_TOLD]


def _of_codes(state: State, change: Recode, spelt: dict[str, str]) -> Iterator[Fault]:
    """Codes that would lose more than zeros, or become one that is there."""
    codes = list_index(state, change.code_list).codes
    for old, new in spelt.items():
        place = Location("codes", (change.code_list, old))
        if len(new) != change.length:
            what = f"{old} {codes[old].name} would lose more than zeros."
            yield Fault("lost", what, place, "Shorten only where every code has zeros to lose.")
        elif new != old and new in codes:
            what = f"{old} would become {new}, and that is {codes[new].name}."
            yield Fault("taken", what, place, "Delete or rename that code first.")


def _other_meanings(state: State, change: Recode, spelt: dict[str, str]) -> list[Fault]:
    """Selectors that would pick other codes than before."""
    after = state.edited(edits_of(state, change))
    now = {(type(cell.named.row), cell.named): cell.now for cell in changed_cells(state, change)}
    rows = []
    for named in cells(state, change.code_list):
        if named.kind != SELECTOR:
            continue
        was = getattr(named.row, named.column)
        before = {spelt.get(code, code) for code in pick(state, change.code_list, was).codes}
        if pick(after, change.code_list, now.get((type(named.row), named), was)).codes != before:
            table = BY_ROW[type(named.row)]
            rows.append(
                Fault(
                    "meaning",
                    f"The selector '{was}' would pick other codes than before.",
                    Location(table.name, table.key(named.row), named.column),
                    "Write it with the codes themselves, then do this again.",
                )
            )
    return rows
