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
    ("Registers: structures, charts, calendars, overlays, groups, budgets", "registers", True),
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
    charts, lists = charts_seen(person, state), {row.code_list for row in lists_seen(person, state)}
    for row in state.rows(CodeList):
        if row.code_list in lists:
            yield Hit(row.code_list, row.name, "Code list", reverse("code-list", args=[row.code_list]))
    for hierarchy in state.rows(Hierarchy):
        if hierarchy.code_list in lists:
            yield Hit(
                hierarchy.hierarchy,
                hierarchy.name,
                "Hierarchy",
                reverse("hierarchy", args=[hierarchy.hierarchy]),
            )
    for chart in state.rows(Chart):
        if chart.chart in charts:
            address = reverse("structure", args=[chart.chart])
            yield Hit(chart.chart, chart.name, "Chart", address)
            structure = state.get(Structure, chart.structure)
            if structure and structure.name != chart.name:
                yield Hit(structure.structure, structure.name, "Structure", address)
    for rule in state.rows(PairingRule):
        if rule.chart in charts:
            yield Hit(
                rule.rule,
                rule.message,
                "Pairing rule",
                f"{reverse('structure', args=[rule.chart])}?row=rules:{rule.rule}",
            )
    for quick in state.rows(QuickCode):
        if quick.chart in charts and is_for(quick, quick.company, person.username):
            yield Hit(
                quick.quick_code,
                quick.account,
                "Quick code",
                f"{reverse('strings', args=[quick.chart])}?row=quick-codes:{quick.quick_code}",
            )
    for hung in state.rows(ChartDimension):
        dimension = state.get(Dimension, hung.dimension)
        if dimension and hung.chart in charts:
            yield Hit(
                dimension.dimension, dimension.name, "Dimension", reverse("dimensions", args=[hung.chart])
            )
    for statement in state.rows(Statement):
        if statement.chart in charts:
            yield Hit(
                statement.statement,
                statement.name,
                "Statement",
                reverse("statement", args=[statement.statement]),
            )
    if not hides_groups(person):
        for group in state.rows(Group):
            yield Hit(group.group, group.name, "Group", reverse("group", args=[group.group]))
        for calendar in state.rows(Calendar):
            yield Hit(
                calendar.calendar,
                calendar.name,
                "Calendar",
                f"{reverse('registers')}?row=calendars:{calendar.calendar}",
            )
