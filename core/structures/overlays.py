"""Overlays: a country's own numbers and names over the same accounts and other codes.

Definitions *seen as* an overlay are for reading only: each code with a local number is named by it, and
account strings are written with local numbers where that can be read back.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from core.codes.lists import list_index
from core.definitions.state import Edit, State, derived
from core.definitions.tables import (
    BY_ROW,
    Chart,
    Code,
    CodeName,
    Company,
    Overlay,
    OverlayCode,
    StructureSegment,
)


class SeenAs(NamedTuple):
    """What somebody sees codes as: an overlay, names in a language, both or neither."""

    overlay: str = ""
    language: str = ""


AS_KEPT = SeenAs()


@dataclass(frozen=True, slots=True)
class LocalCodes:
    """Of one list in one overlay. `spelled` and `read` hold only what can be told apart: a local number that
    stands once, and is no code of the list."""

    rows: Mapping[str, OverlayCode]
    spelled: Mapping[str, str]
    read: Mapping[str, str]

    def without(self, separator: str) -> LocalCodes:
        """Only those that an account string with this separator can hold."""
        spelled = {code: local for code, local in self.spelled.items() if separator not in local}
        return LocalCodes(self.rows, spelled, {local: code for code, local in spelled.items()})


@derived((OverlayCode, 0), (Code, 1))
def local_codes(state: State, overlay: str, code_list: str) -> LocalCodes:
    codes = list_index(state, code_list).codes
    rows = {
        row.code: row
        for row in state.part(OverlayCode, overlay).values()
        if row.code_list == code_list and row.code in codes
    }
    counts = Counter(row.local_code for row in rows.values())
    spelled = {
        code: row.local_code
        for code, row in rows.items()
        if counts[row.local_code] == 1 and (row.local_code not in codes or row.local_code == code)
    }
    return LocalCodes(rows, spelled, {local: code for code, local in spelled.items()})


def seen_as(state: State, seen: SeenAs) -> State:
    """The definitions with codes named as somebody sees them; never to be changed from, nor exported."""
    edits: list[Edit] = []
    names = {
        (word.code_list, word.code): word.name
        for word in (state.rows(CodeName) if seen.language else ())
        if word.language == seen.language
    }
    local = {
        (row.code_list, row.code): f"{row.local_code} {row.local_name}"
        for row in state.part(OverlayCode, seen.overlay).values()
    }
    for key, name in {**names, **local}.items():
        row = state.get(Code, *key)
        if row is not None and row.name != name:
            edits.append(Edit(BY_ROW[Code].name, key, row, row._replace(name=name)))
    localised = state.detached().edited(edits)
    localised.overlay = seen.overlay
    return localised


def languages(state: State) -> list[str]:
    """Languages in which any code has a name."""
    return sorted({word.language for word in state.rows(CodeName)})


class OverlayGaps(NamedTuple):
    """What an overlay lacks: codes without a local number; local numbers that stand more than once, each with
    its codes; local numbers that are codes of the list too, of another account."""

    without: tuple[Code, ...]
    doubles: tuple[tuple[str, tuple[str, ...]], ...]
    clashing: tuple[OverlayCode, ...]


def overlay_gaps(state: State, overlay: str, code_list: str, used: Iterable[str]) -> OverlayGaps:
    """`used`: the codes that must have one, those that somebody posts to."""
    codes, own = list_index(state, code_list).codes, local_codes(state, overlay, code_list)
    by_local: dict[str, list[str]] = {}
    for code, row in sorted(own.rows.items()):
        by_local.setdefault(row.local_code, []).append(code)
    return OverlayGaps(
        tuple(codes[code] for code in sorted(set(used)) if code in codes and code not in own.rows),
        tuple((local, tuple(theirs)) for local, theirs in sorted(by_local.items()) if len(theirs) > 1),
        tuple(
            row
            for code, row in sorted(own.rows.items())
            if row.local_code in codes and row.local_code != code
        ),
    )


def overlay_name(state: State, seen: SeenAs) -> str:
    """What somebody sees codes as, in words; empty where as they are kept."""
    overlay = state.get(Overlay, seen.overlay) if seen.overlay else None
    return ", ".join(part for part in (overlay.name if overlay else "", seen.language) if part)


def overlay_lists(state: State, overlay: str) -> list[str]:
    """Lists of natural accounts of companies seen as an overlay, then other lists that it numbers."""
    lists: dict[str, None] = {}
    for company in sorted(state.rows(Company)):
        chart = state.get(Chart, company.chart) if company.overlay == overlay else None
        for segment in state.part(StructureSegment, chart.structure).values() if chart else ():
            if segment.role == "natural_account":
                lists[segment.code_list] = None
    for row in state.part(OverlayCode, overlay).values():
        lists[row.code_list] = None
    return list(lists)


class ShownAccount(NamedTuple):
    """An account as somebody sees it: its number and its name."""

    number: str
    name: str


def shown_account(state: State, code_list: str, code: str, name: str) -> ShownAccount:
    """By its local number and name, where the definitions are seen as an overlay that has one."""
    row = local_codes(state, state.overlay, code_list).rows.get(code) if state.overlay else None
    return ShownAccount(row.local_code, row.local_name) if row else ShownAccount(code, name)
