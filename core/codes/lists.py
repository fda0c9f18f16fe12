"""Code lists and codes: what may stand in a list, what is free, what a new code most likely is."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from itertools import chain
from typing import NamedTuple

from core.definitions.kinds import CLASSES
from core.definitions.state import State, derived
from core.definitions.tables import Code, CodeList, Dimension, StructureSegment

CHARACTERS = {
    "digits": re.compile(r"[0-9]+"),
    "letters": re.compile(r"[A-Za-z]+"),
    "alphanumeric": re.compile(r"[0-9A-Za-z]+"),
}
AFTER_ALL = "\x7f"
"""Sorts behind every character that a code may have."""
SELECTOR_WORDS = frozenset({"all", "to", "in", "under", "except"})
COLUMN_WORDS = frozenset({"none", "total", "line", "label", "depth", "account", "name"})
"""What columns by codes stand beside, or are called where there is no code."""


@dataclass(frozen=True, slots=True)
class ListIndex:
    """A code list sorted for use. `posting` are the codes that are not rollup codes, in code order."""

    code_list: str
    codes: dict[str, Code]
    ordered: list[str]
    posting: list[str]
    position: dict[str, int]


def same_but_for_names(one: ListIndex, other: ListIndex) -> bool:
    """Whether two lists differ only in what codes are called and what is noted of them, which no figure hangs
    on."""
    if one is other:
        return True
    return one.codes.keys() == other.codes.keys() and all(
        code is (there := other.codes[name])
        or code._replace(name="", notes="") == there._replace(name="", notes="")
        for name, code in one.codes.items()
    )


@derived((Code, 0))
def list_index(state: State, code_list: str) -> ListIndex:
    codes = {code.code: code for code in state.part(Code, code_list).values()}
    ordered = sorted(codes)
    posting = [code for code in ordered if not codes[code].rollup]
    return ListIndex(code_list, codes, ordered, posting, {code: i for i, code in enumerate(posting)})


class DaysInUse(NamedTuple):
    """From when and until when a code is in use; None: without a bound."""

    start: date | None
    until: date | None


ALWAYS = DaysInUse(None, None)


@derived((Code, 0))
def ready_codes(state: State, code_list: str) -> dict[str, DaysInUse]:
    """The codes of a list that take amounts of money, dates aside."""
    return {
        code.code: DaysInUse(*days) if any(days := (code.in_use_from, code.in_use_until)) else ALWAYS
        for code in state.part(Code, code_list).values()
        if code.takes_amounts and code.enabled and not code.is_statistic
    }


@derived(StructureSegment)
def natural_lists(state: State) -> frozenset[str]:
    """Lists that serve as natural account in some structure; their posting codes need a class."""
    return frozenset(row.code_list for row in state.rows(StructureSegment) if row.role == "natural_account")


@derived(StructureSegment, Dimension)
def serving_lists(state: State) -> frozenset[str]:
    """Lists that serve as a segment of some structure or as a dimension."""
    segments = {row.code_list for row in state.rows(StructureSegment)}
    return frozenset(segments | {row.code_list for row in state.rows(Dimension)})


def text_fault(code_list: CodeList, code: str, rollup: bool) -> str:
    """Why this text cannot be a code of the list, or an empty string."""
    if not CHARACTERS[code_list.characters].fullmatch(code):
        return f"Codes of {code_list.name} are made of {code_list.characters}."
    if len(code) > code_list.max_length:
        return (
            f"Codes of {code_list.name} have at most {code_list.max_length} characters, this one {len(code)}."
        )
    if not rollup and len(code) < code_list.min_length:
        return (
            f"Codes of {code_list.name} have at least {code_list.min_length} characters, this one"
            f" {len(code)}."
        )
    if code.lower() in SELECTOR_WORDS:
        return f"'{code}' is a word of the selectors, so no code may be called that."
    if code.lower() in COLUMN_WORDS:
        return f"'{code}' heads a column of figures taken out, so no code may be called that."
    return ""


def pad(code_list: CodeList, code: str) -> str:
    """A short code of a zero-padding list filled up with leading zeros."""
    return code.zfill(code_list.max_length) if code_list.zero_pad and code else code


def in_use(code: Code, on: date) -> bool:
    return (code.in_use_from is None or code.in_use_from <= on) and (
        code.in_use_until is None or on <= code.in_use_until
    )


def out_of_use(code: Code, on: date) -> bool:
    """Switched off, or its last day of use is over: nothing is posted to it on the day or after."""
    return not code.enabled or (code.in_use_until is not None and code.in_use_until < on)


def _following(index: ListIndex, code: str) -> str:
    """The next posting code of digits and of the same length; all nines where there is none."""
    later = index.posting[bisect_left(index.posting, code) :]
    return next((c for c in later if c > code and len(c) == len(code) and c.isdigit()), "9" * len(code))


def next_free(state: State, code_list: str, after: str) -> str:
    """The next free code after one that stands there: half-way up to its successor in round steps, never past
    it."""
    rule = state.get(CodeList, code_list)
    index = list_index(state, code_list)
    if rule is None:
        return ""
    if not after.isdigit() or len(after) < rule.min_length:
        after = next((code for code in index.posting if code > after), "0" * rule.min_length)
        if after.isdigit() and after not in index.codes:
            return after
    if not after.isdigit():
        return ""
    width, start = len(after), int(after)
    following = _following(index, after)
    rounded = (
        candidate
        for step in (10, 5, 1)
        for candidate in range(start - start % step + step, int(following), step)
    )
    free = (str(number).zfill(width) for number in chain(rounded, range(start + 1, 10**width)))
    return next((code for code in free if code not in index.codes), "")


def shared_start(one: str, other: str) -> int:
    """How many leading characters two codes share."""
    pairs = enumerate(zip(one, other, strict=False))
    return next((i for i, (a, b) in pairs if a != b), min(len(one), len(other)))


def as_most_alike(index: ListIndex, code: Code, near: int, answer: Callable[[str], str]) -> str:
    """What `answer` says of the neighbour of the same class whose code is most alike, the nearest first;
    empty where it says nothing of any. At most `near` codes on either side are asked."""
    best: tuple[int, int, str] = (0, 0, "")
    at = index.position.get(code.code, 0)
    for i in range(max(0, at - near), min(len(index.posting), at + near + 1)):
        other = index.codes[index.posting[i]]
        shared = shared_start(code.code, other.code)
        alike = shared and other.account_class == code.account_class and other.code != code.code
        if alike and (said := answer(other.code)):
            best = max(best, (shared, -abs(i - at), said))
    return best[2]


def in_range(posting: list[str], first: str, last: str) -> list[str]:
    """Posting codes from one text to another, both with it."""
    return posting[bisect_left(posting, first) : bisect_right(posting, last)]


def beginning_with(posting: list[str], text: str) -> list[str]:
    """Posting codes that begin with a text."""
    return posting[bisect_left(posting, text) : bisect_left(posting, text + AFTER_ALL)]


def likely_class(state: State, code_list: str, code: str) -> str:
    """The class most of its nearest neighbours have, those that share most leading characters first."""
    index = list_index(state, code_list)
    place = bisect_left(index.posting, code)
    near = index.posting[max(0, place - 3) : place + 3]
    if not near:
        return ""
    votes: Counter[str] = Counter()
    for other in near:
        if account_class := index.codes[other].account_class:
            votes[account_class] += 10 ** shared_start(code, other)
    return max(CLASSES, key=lambda c: votes[c]) if votes else ""


@dataclass(frozen=True, slots=True)
class Fullness:
    """How full a list is: posting codes used, of how many possible."""

    used: int
    possible: int


def fullness(state: State, code_list: str) -> Fullness:
    rule = state.get(CodeList, code_list)
    if rule is None:
        return Fullness(0, 0)
    letters = {"digits": 10, "letters": 52, "alphanumeric": 62}[rule.characters]
    possible = sum(letters**n for n in range(rule.min_length, min(rule.max_length, 20) + 1))
    return Fullness(len(list_index(state, code_list).posting), possible)


def fullness_by_beginning(state: State, code_list: str) -> list[tuple[str, Fullness]]:
    """How full a list is under each leading character that codes begin with."""
    rule = state.get(CodeList, code_list)
    if rule is None:
        return []
    letters = {"digits": 10, "letters": 52, "alphanumeric": 62}[rule.characters]
    possible = sum(letters ** (n - 1) for n in range(rule.min_length, min(rule.max_length, 20) + 1))
    used = Counter(code[0] for code in list_index(state, code_list).posting)
    return [(first, Fullness(count, possible)) for first, count in sorted(used.items())]


@derived((Code, 0))
def lowered(state: State, code_list: str) -> list[tuple[str, str]]:
    """Each code with its name in small letters, in code order."""
    index = list_index(state, code_list)
    return [(code, index.codes[code].name.lower()) for code in index.ordered]
