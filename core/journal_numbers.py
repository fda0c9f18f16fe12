"""Numbers of journals that come from elsewhere: kept where they go on with the company's own series, else
given anew, each with what it was called there."""

from __future__ import annotations

import re
from collections.abc import Sequence

from core.definitions.tables import Journal, JournalLine

SERIES = re.compile(r"(.*?)([0-9]+)", re.DOTALL)
ELSEWHERE = "journal elsewhere"
"""The kind of source document that an own number of a file becomes."""


def go_on(names: Sequence[str], next_number: str) -> bool:
    """Whether numbers are of the series that `next_number` is the next of, each from there on and none
    twice."""
    own = SERIES.fullmatch(next_number)
    if own is None or len(set(names)) != len(names):
        return False
    for name in names:
        one = SERIES.fullmatch(name)
        if one is None or one[1] != own[1] or len(one[2]) < len(own[2]) or int(one[2]) < int(own[2]):
            return False
    return True


def numbered_anew(
    journals: Sequence[tuple[Journal, Sequence[JournalLine]]], next_number: str
) -> list[tuple[Journal, list[JournalLine]]]:
    """The journals under the next numbers of the series, in their order; lines without a source document of
    their own name the number that the journal had."""
    own = SERIES.fullmatch(next_number)
    assert own is not None  # a series ends in digits
    first, width = int(own[2]), len(own[2])
    renumbered = []
    for at, (journal, lines) in enumerate(journals):
        number = f"{own[1]}{first + at:0{width}d}"
        renumbered.append(
            (journal._replace(journal=number), [_of(line, journal.journal, number) for line in lines])
        )
    return renumbered


def _of(line: JournalLine, was: str, number: str) -> JournalLine:
    line = line._replace(journal=number)
    has_source = line.source_number or line.source_type or line.source_party or line.source_item
    return line if has_source else line._replace(source_type=ELSEWHERE, source_number=was)
