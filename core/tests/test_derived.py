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
from core.codes.hierarchies import main_hierarchies
from core.codes.lists import list_index
from core.definitions.state import DERIVED, Derivation, Edit, State, derived
from core.definitions.tables import (
    BY_ROW,
    DEFINING_TABLES,
    Calendar,
    Chart,
    Code,
    CodeList,
    Company,
    Group,
    Hierarchy,
    HierarchyNode,
    Overlay,
    Statement,
)
from core.group import mapping, membership
from core.statements.plans import Plan, plan
from core.structures import quick_codes
from core.tests.rich_world import rich_state

MODULES = (checks, sheets, untagged, doubts, listing, tree_counts, mapping, membership, quick_codes)
"""Imported so that every kept function is known."""


class Taken:
    """What one function took: tables, by itself or by what it asked; tables by itself; and what it asked."""

    def __init__(self) -> None:
        self.tables: set[str] = set()
        self.own: set[str] = set()
        self.asked: set[tuple[str, Any]] = set()


class Reads:
    """Notes which tables each kept function reads while it works, its own and those of what it asks."""

    def __init__(self) -> None:
        self.open: list[Taken] = []
        self.wrong: set[str] = set()
        self.made: set[str] = set()

    def note(self, row: type[Any]) -> None:
        if self.open:
            self.open[-1].tables.add(BY_ROW[row].name)
            self.open[-1].own.add(BY_ROW[row].name)

    @contextmanager
    def taking(self) -> Iterator[Taken]:
        self.open.append(Taken())
        try:
            yield self.open[-1]
        finally:
            self.open.pop()

    def beside(
        self, state: State, make: Callable[..., Any], made_of: Callable[..., Any], args: Any, taken: Taken
    ) -> None:
        """What a value is made from and its `made_of` doesn't give: it would stand when that changes."""
        with self.taking() as given:
            inputs = made_of(state, *args)
        tables = {name for name, parts in state._parts.items() if any(parts is one for one in inputs)}
        parts = {name for name, _, part in state.parts() if any(part is one for one in inputs)}
        for table in sorted(taken.own - given.own - tables - parts):
            self.wrong.add(f"{make.__module__}.{make.__name__} is not said to be made of {table}")
        for name, _ in sorted(taken.asked - given.asked, key=str):
            self.wrong.add(f"{make.__module__}.{make.__name__} is not said to be made of {name}")

    def noting(self, reader: Callable[..., Any]) -> Callable[..., Any]:
        def read(state: State, row: type[Any], *rest: Any) -> Any:
            self.note(row)
            return reader(state, row, *rest)

        return read

    def asking(self, ask: Callable[..., Any]) -> Callable[..., Any]:
        def asked(state: State, derivation: Derivation, args: Any) -> Any:
            make, made_of = derivation.make, derivation.made_of
            declared = {
                BY_ROW[read[0] if isinstance(read, tuple) else read].name for read in derivation.reads
            }

            def watched(*given: Any) -> Any:
                with self.taking() as taken:
                    value = make(*given)
                for table in sorted(taken.tables - declared):
                    self.wrong.add(f"{make.__module__}.{make.__name__} reads {table}")
                if made_of is not None:
                    self.beside(state, make, made_of, args, taken)
                self.made.add(make.__name__)
                return value

            value = ask(state, Derivation(watched, derivation.reads), args)
            for table in declared:
                if self.open:
                    self.open[-1].tables.add(table)
            if self.open:
                self.open[-1].asked.add((make.__name__, args))
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
    "code": lambda state: ["1", "10", "1010", "none"],
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

    def test_a_value_that_is_said_to_be_made_of_less_than_it_takes_is_told(self) -> None:
        """The test above sees what it is there for."""

        def too_little(state: State, code_list: str) -> tuple[Any, ...]:
            return (list_index(state, code_list),)

        @derived(Code, Hierarchy, HierarchyNode, made_of=too_little)
        def counted(state: State, code_list: str) -> int:
            return (
                len(list_index(state, code_list).codes)
                + len(main_hierarchies(state))
                + state.count(Hierarchy)
            )

        DERIVED.remove(counted)
        reads = Reads()
        with reads.watching():
            counted(rich_state(), "acc")
        own = f"{__name__}.counted is not said to be made of "
        self.assertEqual(reads.wrong, {own + "hierarchies", own + "main_hierarchies"})

    def test_a_value_stays_while_what_it_is_made_of_does(self) -> None:
        """A code moved in a tree leaves selectors and plans that name other codes as they are; whatever they
        come to is what a new process works out."""
        state = rich_state()
        plans = {row.statement: plan(state, row.statement) for row in state.rows(Statement)}
        for node in list(state.rows(HierarchyNode)):
            moved = state.edited([Edit("hierarchy_nodes", node[:2], node, node._replace(position=7))])
            for name, before in plans.items():
                now, fresh = plan(moved, name), plan(State.of(all_rows(moved)), name)
                self.assertIs(now, before)
                self.assertEqual(told_of(now), told_of(fresh))
            gone = state.edited([Edit("hierarchy_nodes", node[:2], node, None)])
            for name in plans:
                self.assertEqual(told_of(plan(gone, name)), told_of(plan(State.of(all_rows(gone)), name)))


def all_rows(state: State) -> Iterator[Any]:
    return (row for table in DEFINING_TABLES for row in state.rows(table.row))


def told_of(planned: Plan | None) -> Any:
    """What a plan says, to be compared."""
    return planned and (
        planned.lines,
        planned.line_of.tolist(),
        planned.twice,
        planned.index,
        planned.non_cash,
    )
