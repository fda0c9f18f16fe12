"""What is kept from a snapshot names all that it reads: else it would stand when that changes, unseen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from inspect import signature
from itertools import product
from typing import Any
from unittest import TestCase
from unittest.mock import patch

from core import checks, listing, sheets
from core.access.rights import Grant, Right
from core.books import untagged
from core.codes import doubts, tree_counts
from core.definitions.state import DERIVED, State
from core.definitions.tables import (
    BY_ROW,
    Calendar,
    Chart,
    CodeList,
    Company,
    Group,
    Hierarchy,
    Overlay,
    Statement,
)
from core.group import mapping, membership
from core.structures import quick_codes
from core.tests.rich_world import rich_state

MODULES = (checks, sheets, untagged, doubts, listing, tree_counts, mapping, membership, quick_codes)
"""Imported so that every kept function is known."""


class Reads:
    """Notes which tables each kept function reads while it works, its own and those of what it asks."""

    def __init__(self) -> None:
        self.open: list[set[str]] = []
        self.wrong: set[str] = set()
        self.made: set[str] = set()

    def note(self, row: type[Any]) -> None:
        if self.open:
            self.open[-1].add(BY_ROW[row].name)

    def noting(self, reader: Callable[..., Any]) -> Callable[..., Any]:
        def read(state: State, row: type[Any], *rest: Any) -> Any:
            self.note(row)
            return reader(state, row, *rest)

        return read

    def asking(self, ask: Callable[..., Any]) -> Callable[..., Any]:
        def asked(
            state: State, make: Callable[..., Any], reads: tuple[Any, ...], args: Any, follow: Any = None
        ) -> Any:
            declared = {BY_ROW[read[0] if isinstance(read, tuple) else read].name for read in reads}

            def watched(*given: Any) -> Any:
                self.open.append(set())
                try:
                    return make(*given)
                finally:
                    for table in sorted(self.open.pop() - declared):
                        self.wrong.add(f"{make.__module__}.{make.__name__} reads {table}")
                    self.made.add(make.__name__)

            value = ask(state, watched, reads, args, None)
            for table in declared:
                if self.open:
                    self.open[-1].add(table)
            return value

        return asked

    @contextmanager
    def watching(self) -> Iterator[None]:
        with (
            patch.object(State, "get", self.noting(State.get)),
            patch.object(State, "part", self.noting(State.part)),
            patch.object(State, "rows", self.noting(State.rows)),
            patch.object(State, "count", self.noting(State.count)),
            patch.object(State, "ask", self.asking(State.ask)),
        ):
            yield


GIVEN: dict[str, Callable[[State], list[Any]]] = {
    "code_list": lambda state: [row.code_list for row in state.rows(CodeList)],
    "natural_list": lambda state: ["acc"],
    "hierarchy": lambda state: [row.hierarchy for row in state.rows(Hierarchy)],
    "chart": lambda state: [row.chart for row in state.rows(Chart)],
    "second_chart": lambda state: [row.chart for row in state.rows(Chart)],
    "calendar": lambda state: [row.calendar for row in state.rows(Calendar)],
    "company": lambda state: [row.company for row in state.rows(Company)],
    "group": lambda state: [row.group for row in state.rows(Group)],
    "statement": lambda state: [row.statement for row in state.rows(Statement)],
    "on": lambda state: [date(2026, 1, 31), date(2030, 1, 1)],
    "text": lambda state: ["1010 to 2010", "under 1", "1*, 2010 except 1010"],
    "overlay": lambda state: [row.overlay for row in state.rows(Overlay)],
    "level": lambda state: [0, 1, 2],
    "grants": lambda state: [
        (),
        (Grant(frozenset(Right), "all", "all", "all"),),
        *((Grant(frozenset({Right.SEE}), "alpha", "", row.group),) for row in state.rows(Group)),
    ],
}
"""What the arguments of kept functions may be, by their name."""


class Derived(TestCase):
    def test_whatever_is_kept_reads_only_what_it_names(self) -> None:
        state, reads = rich_state(), Reads()
        given = {name: values(state) for name, values in GIVEN.items()}
        with reads.watching():
            for kept in DERIVED:
                names = list(signature(kept).parameters)[1:]
                for args in product(*(given[name] for name in names)):
                    if kept.__name__ == "_plain" and "under" in args[-1]:
                        continue  # it is asked for selectors without, just because they read less
                    kept(state, *args)
        self.assertEqual(sorted(reads.wrong), [])
        self.assertEqual(sorted(reads.made), sorted(kept.__name__ for kept in DERIVED))
