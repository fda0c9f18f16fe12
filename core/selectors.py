"""Selectors pick posting codes of a list: text → parts → names checked → a set of codes. Kept as written."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from core.codes import list_index
from core.hierarchies import main_hierarchies, tree
from core.state import State, derived
from core.tables import Code, Hierarchy, HierarchyNode

TOKEN = re.compile(r"\s*(?:(,)|([0-9A-Za-z_-]+)(\*?)|(\S))")
WORDS = frozenset({"all", "to", "in", "under", "except"})


class Item(NamedTuple):
    """One part between commas. `kind` is code, range, prefix, under or all; `at` its place in the text from 1."""

    kind: str
    first: str
    second: str
    at: int


@dataclass(frozen=True, slots=True)
class Parsed:
    items: tuple[Item, ...]
    taken_away: tuple[Item, ...]
    faults: tuple[str, ...]


class _Reader:
    """Reads tokens with their places; words are known by being one of WORDS in any case."""

    def __init__(self, text: str):
        self.tokens: list[tuple[str, bool, int]] = []
        self.bad = ""
        at = 0
        text = text.rstrip()
        while at < len(text):
            found = TOKEN.match(text, at)
            if found is None:
                break
            comma, word, star, odd = found.groups()
            start = found.end() - len(found.group().lstrip()) + 1
            if odd:
                self.bad = self.bad or f"'{odd}' at character {start} is not understood."
                break
            self.tokens.append((comma or word, bool(star), start))
            at = found.end()
        self.next = 0

    def peek(self) -> str:
        if self.next >= len(self.tokens):
            return ""
        text, star, _ = self.tokens[self.next]
        return text.lower() if text.lower() in WORDS and not star else text

    def take(self) -> tuple[str, bool, int]:
        self.next += 1
        return self.tokens[self.next - 1]

    def take_code(self, after: str) -> str:
        word = self.peek()
        if not word or word == "," or word in WORDS or self.tokens[self.next][1]:
            raise ValueError(f"After '{after}' a code is missing.")
        return self.take()[0]


def _item(reader: _Reader) -> Item:
    word = reader.peek()
    if not word or word in (",", "to", "in", "except"):
        where = f"at character {reader.tokens[reader.next][2]}" if word else "at the end"
        raise ValueError(f"A code, a range, 'under' or 'all' is missing {where}.")
    text, star, at = reader.take()
    if star:
        return Item("prefix", text, "", at)
    if word == "all":
        return Item("all", "", "", at)
    if word == "under":
        code = reader.take_code("under")
        if reader.peek() == "in":
            reader.take()
            return Item("under", code, reader.take_code("in"), at)
        return Item("under", code, "", at)
    if reader.peek() == "to":
        reader.take()
        return Item("range", text, reader.take_code("to"), at)
    return Item("code", text, "", at)


def parse(text: str) -> Parsed:
    """The parts of a selector. Faults are sentences with the place in the text."""
    reader = _Reader(text)
    lists: tuple[list[Item], list[Item]] = ([], [])
    taking_away = 0
    try:
        if reader.bad:
            raise ValueError(reader.bad)
        while True:
            lists[taking_away].append(_item(reader))
            word = reader.peek()
            if not word:
                break
            if word == "except" and not taking_away:
                reader.take()
                taking_away = 1
            elif word == ",":
                reader.take()
            else:
                raise ValueError(f"A comma is missing before '{word}' at character {reader.tokens[reader.next][2]}.")
    except ValueError as fault:
        return Parsed((), (), (str(fault),))
    return Parsed(tuple(lists[0]), tuple(lists[1]), ())


class Picked(NamedTuple):
    """What a selector picks: posting codes; sentences that are faults; sentences worth a look."""

    codes: frozenset[str]
    faults: tuple[str, ...]
    looks: tuple[str, ...]


NOTHING = Picked(frozenset(), (), ())


def _pick(state: State, code_list: str, item: Item, faults: list[str], looks: list[str]) -> Iterator[str]:
    index = list_index(state, code_list)
    posting = index.posting
    found: list[str] = []
    if item.kind == "all":
        found = posting
    elif item.kind == "code":
        code = index.codes.get(item.first)
        if code is None:
            faults.append(f"There is no code {item.first} in {code_list}.")
            return
        if code.rollup:
            looks.append(f"{item.first} is a rollup code and picks nothing; 'under {item.first}' picks what is below it.")
        found = [] if code.rollup else [item.first]
        yield from found
        return
    elif item.kind == "range":
        found = posting[bisect_left(posting, item.first) : bisect_right(posting, item.second)]
    elif item.kind == "prefix":
        found = posting[bisect_left(posting, item.first) : bisect_left(posting, item.first + "\x7f")]
    else:
        name = item.second or main_hierarchies(state).get(code_list, "")
        head = state.get(Hierarchy, name) if name else None
        if head is None or head.code_list != code_list:
            faults.append(
                f"There is no hierarchy {item.second} of {code_list}."
                if item.second
                else f"{code_list} has no main hierarchy, so 'under {item.first}' picks nothing."
            )
            return
        code = index.codes.get(item.first)
        grown = tree(state, name)
        if code is None or item.first not in grown.place:
            faults.append(f"There is no rollup code {item.first} in hierarchy {name}.")
            return
        if not code.rollup:
            faults.append(f"{item.first} is a posting code; only a rollup code has codes under it.")
            return
        found = [c for c in grown.below(item.first) if c in index.codes and not index.codes[c].rollup]
    if not found:
        looks.append(f"'{describe(item)}' picks no code yet.")
    yield from found


def describe(item: Item) -> str:
    if item.kind == "under":
        return f"under {item.first}" + (f" in {item.second}" if item.second else "")
    return {"all": "all", "code": item.first, "prefix": f"{item.first}*"}.get(item.kind, f"{item.first} to {item.second}")


@derived(Code, Hierarchy, HierarchyNode)
def pick(state: State, code_list: str, text: str) -> Picked:
    """Works a selector out over the posting codes of a list."""
    parsed = parse(text)
    if parsed.faults:
        return Picked(frozenset(), parsed.faults, ())
    faults: list[str] = []
    looks: list[str] = []
    codes = {code for item in parsed.items for code in _pick(state, code_list, item, faults, looks)}
    for item in parsed.taken_away:
        codes.difference_update(_pick(state, code_list, item, faults, looks))
    return Picked(frozenset(codes), tuple(faults), tuple(looks))


def mentions(text: str, code: str) -> bool:
    """Whether a selector names exactly this code (as a single code or below `under`)."""
    parsed = parse(text)
    return any(item.first == code and item.kind in ("code", "under") for item in (*parsed.items, *parsed.taken_away))


def without(state: State, code_list: str, text: str, code: str) -> str:
    """The selector with one code no longer picked: the single code removed, or taken away at the end."""
    if code not in pick(state, code_list, text).codes:
        return text
    parsed = parse(text)
    kept = [describe(item) for item in parsed.items if not (item.kind == "code" and item.first == code)]
    away = [describe(item) for item in parsed.taken_away]
    base = ", ".join(kept)
    if not base:
        return ""
    made = base + (f" except {', '.join(away)}" if away else "")
    return made if code not in pick(state, code_list, made).codes else f"{base} except {', '.join([*away, code])}"


def with_code(state: State, code_list: str, text: str, code: str) -> str:
    """The selector with one code more; a code taken away before comes back in."""
    parsed = parse(text)
    kept = [describe(item) for item in parsed.items]
    away = [describe(item) for item in parsed.taken_away if not (item.kind == "code" and item.first == code)]
    tail = f" except {', '.join(away)}" if away else ""
    made = ", ".join(kept) + tail
    if code in pick(state, code_list, made).codes:
        return made
    added = ", ".join([*kept, code]) + tail
    # What takes the code away by a range or a rollup would win; then the rest is named around it.
    return (
        added if code in pick(state, code_list, added).codes else ", ".join([*sorted(pick(state, code_list, text).codes), code])
    )
