"""What looks wrong in a code list: a standing list, each entry with its way out, each to be set aside with a
reason."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from core.codes.hierarchies import main_tree
from core.codes.lists import list_index, natural_lists
from core.definitions.state import State, derived
from core.definitions.tables import (
    Code,
    CodeName,
    Hierarchy,
    HierarchyNode,
    SetAside,
    StructureSegment,
)

ACTIVITY_ELSEWHERE = "activity-elsewhere"
KINDS = {
    "closed-balance": "Closed with a balance",
    "neighbours": "Class unlike its neighbours",
    "rollup-class": "Class unlike its rollup",
    ACTIVITY_ELSEWHERE: "Of another activity than its line",
    "names-alike": "Two names nearly the same",
    "thin-rollup": "Rollup with one code or none",
    "name-missing": "Name missing in a language",
    "never-used": "Never posted to",
}
"""What it is called, the worst first."""
MATTER = frozenset({"closed-balance", "neighbours", "rollup-class", ACTIVITY_ELSEWHERE, "names-alike"})
"""Kinds that can make a figure wrong, or a posting go astray; the others are a matter of order."""
WORD = re.compile(r"[^\W_]+")
NEAR = 3


class Doubt(NamedTuple):
    """`kind` is one of KINDS; `other` a second code it speaks of."""

    kind: str
    code: str
    sentence: str
    way_out: str
    other: str = ""


class CodeUsage(NamedTuple):
    """What only the books know: codes posted to, and closed codes with what still stands on them (words)."""

    posted: frozenset[str]
    standing: Mapping[str, str]


@derived((Code, 0), (CodeName, 0), Hierarchy, HierarchyNode, StructureSegment)
def _by_definitions(state: State, code_list: str) -> tuple[Doubt, ...]:
    natural = code_list in natural_lists(state)
    rows: list[Doubt] = []
    if natural:
        rows += _neighbours(state, code_list)
        rows += _rollup_classes(state, code_list)
    rows += _alike(state, code_list)
    rows += _thin(state, code_list)
    rows += _missing_names(state, code_list)
    return tuple(rows)


def doubts(
    state: State, code_list: str, known: CodeUsage, elsewhere: Iterable[Doubt] = ()
) -> tuple[list[Doubt], list[tuple[Doubt, str]]]:
    """Those that stand, and those set aside one by one with their reasons; the worst first, then in code
    order. `elsewhere`: what statements tell of the codes (core/cash_flow/misplaced.py).

    A kind that is set aside for the whole list is in neither.
    """
    items = [
        *_by_definitions(state, code_list),
        *elsewhere,
        *_by_books(state, code_list, known),
    ]
    order = list(KINDS)
    items.sort(key=lambda doubt: (order.index(doubt.kind), doubt.code))
    aside = {(row.code, row.doubt): row.reason for row in state.part(SetAside, code_list).values()}
    items = [doubt for doubt in items if ("", doubt.kind) not in aside]
    return (
        [doubt for doubt in items if (doubt.code, doubt.kind) not in aside],
        [(doubt, aside[(doubt.code, doubt.kind)]) for doubt in items if (doubt.code, doubt.kind) in aside],
    )


def _by_books(state: State, code_list: str, known: CodeUsage) -> Iterator[Doubt]:
    """Closed codes with something on them, and accounts that nothing was ever posted to."""
    index = list_index(state, code_list)
    for code, standing in known.standing.items():
        row = index.codes.get(code)
        if row is not None and row.in_use_until:
            what = f"It was in use until {row.in_use_until}, and {standing} stands on it."
            yield Doubt(
                "closed-balance", code, what, "Post the balance over to another account, or reopen it."
            )
    if code_list not in natural_lists(state) or not known.posted:
        return
    for code in index.posting:
        row = index.codes[code]
        is_money = row.takes_amounts and not row.is_statistic
        if code not in known.posted and is_money and not row.in_use_until:
            way_out = "Delete it, close it, or leave it for later."
            yield Doubt("never-used", code, "Nothing was ever posted to it.", way_out)


def _neighbours(state: State, code_list: str) -> Iterator[Doubt]:
    """A class that none of the nearest codes on either side has, where those agree."""
    index = list_index(state, code_list)
    posting = [code for code in index.posting if index.codes[code].account_class]
    for i, code in enumerate(posting):
        near = posting[max(0, i - NEAR) : i] + posting[i + 1 : i + 1 + NEAR]
        before, after = posting[max(0, i - NEAR) : i], posting[i + 1 : i + 1 + NEAR]
        classes = {index.codes[other].account_class for other in near}
        own = index.codes[code].account_class
        if len(before) == NEAR and len(after) == NEAR and len(classes) == 1 and own not in classes:
            other_class = classes.pop()
            yield Doubt(
                "neighbours",
                code,
                f"It is of class {own}; {', '.join(near)} are of class {other_class}.",
                "Correct the class while nothing is posted to it, or give it another code.",
            )


def _rollup_classes(state: State, code_list: str) -> Iterator[Doubt]:
    """A class that is alone among the posting codes right below the same rollup code."""
    shape, index = main_tree(state, code_list), list_index(state, code_list)
    if shape is None:
        return
    for parent, children in shape.children.items():
        votes = Counter(
            index.codes[c].account_class
            for c in children
            if c in index.codes and index.codes[c].account_class
        )
        if parent not in index.codes or len(votes) < 2:
            continue
        common, count = votes.most_common(1)[0]
        if count < sum(votes.values()) * 0.7:
            continue
        for code in children:
            row = index.codes.get(code)
            if row is not None and row.account_class not in ("", common):
                yield Doubt(
                    "rollup-class",
                    code,
                    f"It is of class {row.account_class} under {parent} {index.codes[parent].name}, "
                    f"where {count} of {sum(votes.values())} are of class {common}.",
                    "Move it below another rollup code.",
                    parent,
                )


def _key(name: str) -> str:
    """A name without case, marks, order and plural."""
    words = (word.rstrip("s") for word in WORD.findall(name.lower()))
    return " ".join(sorted(word for word in words if word not in ("and", "of", "the", "for", "to", "a")))


def _alike(state: State, code_list: str) -> Iterator[Doubt]:
    index = list_index(state, code_list)
    seen: dict[str, str] = {}
    for code in index.ordered:
        row = index.codes[code]
        if row.rollup or row.in_use_until:
            continue
        first = seen.setdefault(_key(row.name), code)
        if first != code:
            other = index.codes[first].name
            what = (
                f"{first} has the same name."
                if other == row.name
                else f"“{row.name}” and “{other}” ({first}) are nearly the same."
            )
            yield Doubt(
                "names-alike",
                code,
                what,
                "Name one of them so that they can be told apart, or close one.",
                first,
            )


def _thin(state: State, code_list: str) -> Iterator[Doubt]:
    shape, index = main_tree(state, code_list), list_index(state, code_list)
    for code in index.ordered if shape else ():
        if index.codes[code].rollup and shape is not None:
            children = shape.children.get(code, [])
            if not children:
                yield Doubt(
                    "thin-rollup",
                    code,
                    "It holds nothing.",
                    "Place codes below it, let it take some in, or delete it.",
                )
            elif len(children) == 1:
                yield Doubt(
                    "thin-rollup",
                    code,
                    f"It holds {children[0]} alone.",
                    "Move that one higher and delete the rollup code.",
                    children[0],
                )


def _missing_names(state: State, code_list: str) -> Iterator[Doubt]:
    """Languages that at least half the codes have a name in."""
    index = list_index(state, code_list)
    named: dict[str, set[str]] = {}
    for row in state.part(CodeName, code_list).values():
        named.setdefault(row.language, set()).add(row.code)
    for language, codes in sorted(named.items()):
        if len(codes) * 2 >= len(index.ordered):
            for code in index.ordered:
                if code not in codes and not index.codes[code].in_use_until:
                    yield Doubt(
                        "name-missing",
                        code,
                        f"It has no name in {language}; {len(codes):,} others have.",
                        "Give it one.",
                    )
