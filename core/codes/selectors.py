"""Selectors pick posting codes of a list: text → parts → names checked → a set of codes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from core.codes.hierarchies import codes_below, main_hierarchies
from core.codes.lists import ListIndex, beginning_with, in_range, list_index
from core.codes.selector_text import SelectorItem, describe, parse
from core.definitions.state import State, derived
from core.definitions.tables import Code, Hierarchy, HierarchyNode
from core.faults import Fault, Refused


class Picked(NamedTuple):
    """What a selector picks: posting codes; sentences that are faults; sentences worth a look."""

    codes: frozenset[str]
    faults: tuple[str, ...]
    looks: tuple[str, ...]


NOTHING = Picked(frozenset(), (), ())


def _pick(
    state: State, code_list: str, item: SelectorItem, faults: list[str], looks: list[str]
) -> Iterator[str]:
    index = list_index(state, code_list)
    posting = index.posting
    if item.kind == "code":
        yield from _single(index, item.first, faults, looks)
        return
    if item.kind == "under":
        texts = _under_code(state, index, item, faults)
    elif item.kind == "range":
        texts = in_range(posting, item.first, item.second)
    elif item.kind == "prefix":
        texts = beginning_with(posting, item.first)
    else:
        texts = posting
    if texts is not None and not texts:
        looks.append(f"'{describe(item)}' picks no code yet.")
    yield from texts or ()


def _single(index: ListIndex, code: str, faults: list[str], looks: list[str]) -> Iterator[str]:
    row = index.codes.get(code)
    if row is None:
        faults.append(f"There is no code {code} in {index.code_list}.")
    elif row.rollup:
        looks.append(f"{code} is a rollup code and picks nothing; 'under {code}' picks what is below it.")
    else:
        yield code


def _under_code(state: State, index: ListIndex, item: SelectorItem, faults: list[str]) -> list[str] | None:
    """Posting codes below a rollup code, in the hierarchy named or the main one; None with a fault."""
    code_list = index.code_list
    name = item.second or main_hierarchies(state).get(code_list, "")
    hierarchy_row = state.get(Hierarchy, name) if name else None
    if hierarchy_row is None or hierarchy_row.code_list != code_list:
        faults.append(
            f"There is no hierarchy {item.second} of {code_list}."
            if item.second
            else f"{code_list} has no main hierarchy, so 'under {item.first}' picks nothing."
        )
        return None
    rollup, below = index.codes.get(item.first), codes_below(state, name, item.first)
    if rollup is None or below is None:
        faults.append(f"There is no rollup code {item.first} in hierarchy {name}.")
        return None
    if not rollup.rollup:
        faults.append(f"{item.first} is a posting code; only a rollup code has codes under it.")
        return None
    posting = index.position
    return [code for code in below if code in posting]


def pick(state: State, code_list: str, text: str) -> Picked:
    """Works a selector out over the posting codes of a list."""
    return _under(state, code_list, text) if "under" in text.lower() else _plain(state, code_list, text)


@derived((Code, 0))
def _plain(state: State, code_list: str, text: str) -> Picked:
    """A selector that looks at no tree: a code moved there leaves it as it is."""
    return _picked(state, code_list, text)


def _lists_and_below(state: State, code_list: str, text: str) -> tuple[Any, ...]:
    """All that a selector takes: the list, and of trees what stands below the codes it names."""
    parsed = parse(text)
    main = main_hierarchies(state).get(code_list, "")
    below = [
        (state.get(Hierarchy, item.second or main), codes_below(state, item.second or main, item.first))
        for item in (*parsed.items, *parsed.taken_away)
        if item.kind == "under"
    ]
    return list_index(state, code_list), main, *(part for pair in below for part in pair)


@derived(Code, Hierarchy, HierarchyNode, made_of=_lists_and_below, stays=True)
def _under(state: State, code_list: str, text: str) -> Picked:
    return _picked(state, code_list, text)


def _picked(state: State, code_list: str, text: str) -> Picked:
    parsed = parse(text)
    if parsed.faults:
        return Picked(frozenset(), parsed.faults, ())
    faults: list[str] = []
    looks: list[str] = []
    codes = {code for item in parsed.items for code in _pick(state, code_list, item, faults, looks)}
    for item in parsed.taken_away:
        codes.difference_update(_pick(state, code_list, item, faults, looks))
    return Picked(frozenset(codes), tuple(faults), tuple(looks))


def without(state: State, code_list: str, text: str, code: str) -> str:
    """The selector with one code no longer picked: the single code removed, or taken away at the end."""
    if code not in pick(state, code_list, text).codes:
        return text
    parsed = parse(text)
    rows = [describe(item) for item in parsed.items if not (item.kind == "code" and item.first == code)]
    away = [describe(item) for item in parsed.taken_away]
    base = ", ".join(rows)
    if not base:
        return ""
    selector = base + (f" except {', '.join(away)}" if away else "")
    return (
        selector
        if code not in pick(state, code_list, selector).codes
        else f"{base} except {', '.join([*away, code])}"
    )


def with_code(state: State, code_list: str, text: str, code: str) -> str:
    """The selector with one code more; a code taken away before comes back in."""
    parsed = parse(text)
    rows = [describe(item) for item in parsed.items]
    away = [describe(item) for item in parsed.taken_away if not (item.kind == "code" and item.first == code)]
    tail = f" except {', '.join(away)}" if away else ""
    selector = ", ".join(rows) + tail
    if code in pick(state, code_list, selector).codes:
        return selector
    added = ", ".join([*rows, code]) + tail
    # What takes the code away by a range or a rollup would win; then the rest is named around it.
    return (
        added
        if code in pick(state, code_list, added).codes
        else ", ".join([*sorted(pick(state, code_list, text).codes), code])
    )


def named_codes(state: State, code_list: str, text: str) -> tuple[str, ...]:
    """What somebody names for an act: single codes in their order, rollup codes among them; or whatever a
    selector picks. Raises Refused where it can't be read or picks nothing."""
    parsed = parse(text)
    single = all(item.kind == "code" for item in parsed.items) and not parsed.taken_away
    if single and not parsed.faults and parsed.items:
        return tuple(dict.fromkeys(item.first for item in parsed.items))
    picked = pick(state, code_list, text) if text.strip() else NOTHING
    if picked.faults:
        raise Refused(Fault("selector", what) for what in picked.faults)
    if not picked.codes:
        way_out = "Name codes, or say 11010 to 11099, 12*, under 113 except 11050."
        raise Refused([Fault("nothing-chosen", "No code is named, or none is there yet.", way_out=way_out)])
    return tuple(sorted(picked.codes))
