"""Find by name: pages, lists, structures, charts, dimensions, hierarchies, rules, quick codes, statements,
groups."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from django.urls import reverse

from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    ChartDimension,
    CodeList,
    Dimension,
    Group,
    Hierarchy,
    PairingRule,
    QuickCode,
    Statement,
    Structure,
)
from core.structures.quick_codes import is_for
from web.people.rights import charts_seen, hides_groups, lists_seen


class Hit(NamedTuple):
    """Something that find leads to."""

    code: str
    name: str
    kind: str
    address: str


PAGES = (
    ("Trial balance", "trial-balance", False),
    ("Codes", "codes", False),
    ("Structures and charts", "structures", False),
    ("Companies", "companies", False),
    ("Journals", "journals", False),
    ("Statements", "statements", False),
    ("Bring in, take out a package", "exchange", False),
    ("Your password", "own-password", False),
    ("Group", "groups", True),
    ("Registers: structures, charts, calendars, overlays, groups, budgets, columns", "registers", True),
    ("Versions and the log of changes", "log", True),
    ("Drafts", "drafts", True),
    ("People", "people", True),
    ("New structure", "structure-new", True),
    ("New company", "company-new", True),
    ("New code list", "new-list", True),
    ("New statement", "statement-new", True),
)
"""(what it is called, its route, only for group accountants)"""


def pages(person: Any, small: str) -> list[Hit]:
    return [
        Hit("", title, "Page", reverse(name))
        for title, name, for_group in PAGES
        if small in title.lower() and (person.is_group_accountant or not for_group)
    ]


def heads(state: State, person: Any, small: str) -> list[Hit]:
    """Definitions whose id or name holds the words; those that begin so first."""
    rows = [hit for hit in _all(state, person) if small in hit.code.lower() or small in hit.name.lower()]
    return sorted(
        rows, key=lambda hit: not (hit.code.lower().startswith(small) or hit.name.lower().startswith(small))
    )


def _all(state: State, person: Any) -> Iterator[Hit]:
    lists = {row.code_list for row in lists_seen(person, state)}
    for row in state.rows(CodeList):
        if row.code_list in lists:
            yield Hit(row.code_list, row.name, "Code list", reverse("code-list", args=[row.code_list]))
    for tree in state.rows(Hierarchy):
        if tree.code_list in lists:
            yield Hit(tree.hierarchy, tree.name, "Hierarchy", reverse("hierarchy", args=[tree.hierarchy]))
    for chart in charts_seen(person, state):
        yield from _of_chart(state, chart, person)
    if hides_groups(person):
        return
    for group in state.rows(Group):
        yield Hit(group.group, group.name, "Group", reverse("group", args=[group.group]))
    for calendar in state.rows(Calendar):
        address = f"{reverse('registers')}?row=calendars:{calendar.calendar}"
        yield Hit(calendar.calendar, calendar.name, "Calendar", address)


def _of_chart(state: State, name: str, person: Any) -> Iterator[Hit]:
    """A chart, its structure, rules, quick codes, dimensions and statements."""
    chart, address = state.require(Chart, name), reverse("structure", args=[name])
    yield Hit(chart.chart, chart.name, "Chart", address)
    structure = state.get(Structure, chart.structure)
    if structure and structure.name != chart.name:
        yield Hit(structure.structure, structure.name, "Structure", address)
    for rule in state.part(PairingRule, name).values():
        yield Hit(rule.rule, rule.message, "Pairing rule", f"{address}?row=rules:{rule.rule}")
    strings = reverse("strings", args=[name])
    for quick in state.part(QuickCode, name).values():
        if is_for(quick, quick.company, person.username):
            row = f"{strings}?row=quick-codes:{quick.quick_code}"
            yield Hit(quick.quick_code, quick.account, "Quick code", row)
    for hung in state.part(ChartDimension, name).values():
        dimension = state.get(Dimension, hung.dimension)
        if dimension:
            page = reverse("dimensions", args=[name])
            yield Hit(dimension.dimension, dimension.name, "Dimension", page)
    for statement in state.rows(Statement):
        if statement.chart == name:
            page = reverse("statement", args=[statement.statement])
            yield Hit(statement.statement, statement.name, "Statement", page)
