"""A structure with its segments, lists and codes, and a chart on it, from what a person describes."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Container, Iterator, Sequence
from typing import NamedTuple

from core.changes.kinds import Add, Change, ChangeSequence, Put
from core.definitions.kinds import CLASSES, SEPARATORS
from core.definitions.nouns import free_id
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    ChartSegment,
    Code,
    CodeList,
    Hierarchy,
    Structure,
    StructureSegment,
)
from core.faults import Fault, Location, Refused


class SegmentWanted(NamedTuple):
    """A segment as a person describes it. `code_list` names one that is there; empty makes one from `length`
    and `codes`,
    lines of a code, a name and, in the natural account's list, a class at the end."""

    name: str
    role: str = ""
    code_list: str = ""
    length: str = ""
    codes: str = ""
    required: bool = True
    default_code: str = ""


EMPTY = (SegmentWanted(""), SegmentWanted("", required=False))


def _fault(row: int, column: str, what: str, way_out: str, value: str = "") -> Fault:
    return Fault("segment", what, Location("structure_segments", (), column, value, row), way_out)


CODE_LINE = re.compile(r"(\S+)\s+(.*\S)")
LENGTH = re.compile(r"([0-9]{1,2})(?:\s*(?:-|–|to)\s*([0-9]{1,2}))?", re.ASCII)


def codes_of(text: str, natural: bool) -> tuple[list[Code], list[str]]:
    """Codes written a line each, of a list yet to be named; and the lines that can't be read."""
    codes, unread = [], []
    for line in text.splitlines():
        if not line.strip():
            continue
        read = CODE_LINE.fullmatch(line.strip())
        if read is None:
            unread.append(line.strip())
            continue
        code, name = read[1], re.sub(r"\s+", " ", read[2])
        words, account_class = name.split(" "), ""
        if natural:
            account_class = words[-1].lower() if words[-1].lower() in CLASSES else ""
            if not account_class or len(words) < 2:
                unread.append(line.strip())
                continue
            name = " ".join(words[:-1])
        codes.append(Code("", code, name, account_class=account_class))
    return codes, unread


def _characters(codes: Sequence[Code]) -> str:
    if all(row.code.isdigit() for row in codes):
        return "digits"
    return "letters" if all(row.code.isalpha() for row in codes) else "alphanumeric"


def _code_faults(number: int, codes: list[Code], unread: list[str], natural: bool) -> Iterator[Fault]:
    """Lines that are no code, and codes given twice; at most twenty of each."""
    for line in unread[:20]:
        what = f"'{line}' is not written as a code, a name{' and a class' if natural else ''}."
        way_out = f"As in: {'1000 Cash at bank asset' if natural else '10 Head office'}."
        yield _fault(number, "codes", what, way_out, line)
    counts = Counter(row.code for row in codes)
    for code in sorted(code for code, count in counts.items() if count > 1)[:20]:
        yield _fault(number, "codes", f"The code {code} stands twice.", "Give each code once.", code)


def _length_faults(
    number: int, wanted: SegmentWanted, length: re.Match[str] | None, has_codes: bool
) -> Iterator[Fault]:
    """A length that can't be read; none, where no code says how long they are."""
    text = wanted.length.strip()
    if text and length is None:
        yield _fault(number, "length", f"'{text}' is no length.", "Write 4, or 4 to 6.", wanted.length)
    if not text and not has_codes:
        what = f"How long the codes of {wanted.name} are is not said."
        yield _fault(number, "length", what, "Give the length, or the codes.")


def _new_list(
    state: State, number: int, wanted: SegmentWanted, taken: Container[str]
) -> tuple[str, list[Change], list[Fault]]:
    """The list of a segment made on the spot, with its codes and, for natural accounts, a main hierarchy."""
    natural = wanted.role == "natural_account"
    codes, unread = codes_of(wanted.codes, natural)
    length = LENGTH.fullmatch(wanted.length.strip())
    faults = [
        *_code_faults(number, codes, unread, natural),
        *_length_faults(number, wanted, length, bool(codes or unread)),
    ]
    if faults:
        return "", [], faults
    lengths = [len(row.code) for row in codes]
    least, most = (int(length[1]), int(length[2] or length[1])) if length else (min(lengths), max(lengths))
    name = free_id(wanted.name, taken, "list")
    changes: list[Change] = [
        Add(CodeList(name, wanted.name, least, most, _characters(codes) if codes else "digits"))
    ]
    if natural:
        heads = {row.hierarchy for row in state.rows(Hierarchy)}
        changes.append(
            Add(Hierarchy(free_id(f"{name}-tree", heads), name, f"{wanted.name}, main hierarchy", True))
        )
    return name, [*changes, *(Add(row._replace(code_list=name)) for row in codes)], []


def _structure_faults(name: str, separator: str, wanted: Sequence[SegmentWanted]) -> Iterator[Fault]:
    if not name:
        yield Fault(
            "name", "The structure has no name.", Location("structures", (), "structure"), "Give one."
        )
    if separator not in SEPARATORS:
        yield Fault(
            "choice",
            f"'{separator}' is no separator.",
            Location("structures", (), "separator"),
            f"Choose one of {' '.join(SEPARATORS)}.",
        )
    naturals = sum(row.role == "natural_account" for row in wanted)
    if naturals != 1:
        yield Fault(
            "natural",
            f"{'No segment is' if not naturals else f'{naturals} segments are'} the natural account.",
            Location("structure_segments", (), "role"),
            "Exactly one is: it says what was bought, owed or earned.",
        )


def new_structure(state: State, name: str, separator: str, wanted: Sequence[SegmentWanted]) -> ChangeSequence:
    """A structure, its segments with the lists they need, and a chart that puts it to use. Raises Refused
    with its faults."""
    faults = list(_structure_faults(name, separator, wanted))
    structure = free_id(name, {row.structure for row in state.rows(Structure)}, "structure")
    chart = free_id(name, {row.chart for row in state.rows(Chart)}, "chart")
    lists = {row.code_list for row in state.rows(CodeList)}
    segments: set[str] = set()
    before: list[Change] = []
    rows: list[Change] = [Add(Structure(structure, name, separator)), Add(Chart(chart, name, structure))]
    position = 0
    for number, row in enumerate(wanted, 1):
        if row in EMPTY:
            continue
        position += 1
        if not row.name:
            faults.append(
                _fault(number, "name", f"Segment {number} has no name.", "Give one, or empty the row.")
            )
            continue
        code_list, parts, segment_faults = (
            (row.code_list, [], []) if row.code_list else _new_list(state, number, row, lists)
        )
        faults += segment_faults
        before += parts
        lists.add(code_list)
        segment = free_id(row.name, segments, "segment")
        segments.add(segment)
        rows.append(
            Add(StructureSegment(structure, position, segment, row.name, code_list, row.role or "other"))
        )
        own = ChartSegment(chart, segment, row.required, row.default_code)
        rows += [Put(own)] if own != ChartSegment(chart, segment) else []
    if faults:
        raise Refused(faults)
    return ChangeSequence(
        (*before, *rows), f"Made structure {name} of {position} segments and chart {name} on it"
    )


def chart_made(change: ChangeSequence) -> str:
    """The chart that `new_structure` adds."""
    return next(
        str(part.row.chart)
        for part in change.changes
        if isinstance(part, Add) and isinstance(part.row, Chart)
    )
