"""Selectors as text: parts with their places, before any code is looked up."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import NamedTuple

TOKEN = re.compile(r"\s*(?:(,)|([0-9A-Za-z_-]+)(\*?)|(\S))")
WORDS = frozenset({"all", "to", "in", "under", "except"})


class SelectorItem(NamedTuple):
    """One part between commas. `kind` is code, range, prefix, under or all; `at` its place in the text from
    1."""

    kind: str
    first: str
    second: str
    at: int


@dataclass(frozen=True, slots=True)
class Parsed:
    """The parts of a selector: what it picks, what it takes away again, and what could not be read."""

    items: tuple[SelectorItem, ...]
    taken_away: tuple[SelectorItem, ...]
    faults: tuple[str, ...]


class _Reader:
    """Reads tokens with their places; words are known by being one of WORDS in any case."""

    def __init__(self, text: str) -> None:
        self.tokens: list[tuple[str, bool, int]] = []
        self.bad = ""
        at = 0
        text = text.rstrip()
        while at < len(text):
            match = TOKEN.match(text, at)
            if match is None:
                break
            comma, word, star, odd = match.groups()
            start = match.end() - len(match.group().lstrip()) + 1
            if odd:
                self.bad = self.bad or f"'{odd}' at character {start} is not understood."
                break
            self.tokens.append((comma or word, bool(star), start))
            at = match.end()
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


def _item(reader: _Reader) -> SelectorItem:
    word = reader.peek()
    if not word or word in (",", "to", "in", "except"):
        where = f"at character {reader.tokens[reader.next][2]}" if word else "at the end"
        raise ValueError(f"A code, a range, 'under' or 'all' is missing {where}.")
    text, star, at = reader.take()
    if star:
        return SelectorItem("prefix", text, "", at)
    if word == "all":
        return SelectorItem("all", "", "", at)
    if word == "under":
        code = reader.take_code("under")
        if reader.peek() == "in":
            reader.take()
            return SelectorItem("under", code, reader.take_code("in"), at)
        return SelectorItem("under", code, "", at)
    if reader.peek() == "to":
        reader.take()
        return SelectorItem("range", text, reader.take_code("to"), at)
    return SelectorItem("code", text, "", at)


def parse(text: str) -> Parsed:
    """The parts of a selector. Faults are sentences with the place in the text."""
    reader = _Reader(text)
    lists: tuple[list[SelectorItem], list[SelectorItem]] = ([], [])
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
                raise ValueError(
                    f"A comma is missing before '{word}' at character {reader.tokens[reader.next][2]}."
                )
    except ValueError as fault:
        return Parsed((), (), (str(fault),))
    return Parsed(tuple(lists[0]), tuple(lists[1]), ())


def describe(item: SelectorItem) -> str:
    if item.kind == "under":
        return f"under {item.first}" + (f" in {item.second}" if item.second else "")
    return {"all": "all", "code": item.first, "prefix": f"{item.first}*"}.get(
        item.kind, f"{item.first} to {item.second}"
    )


def mentions(text: str, code: str) -> bool:
    """Whether a selector names exactly this code (as a single code or below `under`)."""
    parsed = parse(text)
    return any(
        item.first == code and item.kind in ("code", "under") for item in (*parsed.items, *parsed.taken_away)
    )
