"""Find by name: pages, lists, structures, charts, dimensions, hierarchies, rules, quick codes, statements,
groups."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from django.urls import resolve, reverse

from core.definitions.state import State
from core.definitions.tables import (
    Calendar,
    Chart,
    ChartDimension,
    CodeList,
    Dimension,
    Hierarchy,
    PairingRule,
    QuickCode,
    Statement,
    Structure,
)
from core.structures.charts import chart_index
from core.structures.quick_codes import is_for
from web.people.rights import allowed, charts_seen, groups_seen, lists_seen, right_of, sees_everything


class Hit(NamedTuple):
    """Something that find leads to."""

    code: str
    name: str
    kind: str
    address: str


PAGES = (
    ("Trial balance", "trial-balance"),
    ("Codes", "codes"),
    ("Structures and charts", "structures"),
    ("Companies", "companies"),
    ("Journals", "journals"),
    ("Statements", "statements"),
    ("Bring in, take out a package", "exchange"),
    ("Your password", "own-password"),
    ("Group", "groups"),
    ("Registers: structures, charts, calendars, overlays, groups, budgets, columns", "registers"),
    ("Versions and the log of changes", "log"),
    ("Drafts", "drafts"),
    ("People", "people"),
    ("Who may what", "access"),
    ("New structure", "structure-new"),
    ("New company", "company-new"),
    ("New code list", "new-list"),
    ("New statement", "statement-new"),
    ("Today: what waits", "today"),
    ("Packs of statements", "packs"),
    ("Budgets", "budgets"),
    ("Arrangements of companies and groups", "arrangements"),
    ("Year end: results carried to equity", "year-end"),
    ("Revaluation of foreign currency", "revaluation"),
    ("Periods: which are open, of all calendars", "period-matrix"),
    ("Accounts open, of all companies", "open-accounts"),
    ("Intercompany pairs, of all companies", "pair-matrix"),
    ("Rollouts to many companies", "rollouts"),
    ("Requests for new accounts", "requests"),
)
"""(what it is called, its route)"""


OF_STATEMENTS = (("Figures", "figures"), ("Matrix", "matrix"))
OF_GROUPS = (
    *(
        ("Steps", "group-steps"),
        ("Ownership", "members"),
        ("Rates", "group-rates"),
        ("Equity", "group-equity"),
    ),
    *(("Sides", "group-sides"), ("Period end", "group-period-end"), ("Matrix", "group-matrix")),
)
"""(what a page of one is called, its route)"""


def pages(state: State, person: Any, small: str) -> list[Hit]:
    """Pages of which the name holds every word, if the person may open them: those of their own first, then
    those of statements and groups."""
    words = small.split()
    own = [
        (title, reverse(name))
        for title, name in PAGES
        if _holds(title, words) and _opens(state, person, name)
    ]
    return [Hit("", title, "Page", address) for title, address in (*own, *_of_one(state, person, words))]


def _of_one(state: State, person: Any, words: list[str]) -> Iterator[tuple[str, str]]:
    charts = charts_seen(person, state)
    for statement in sorted(state.rows(Statement), key=lambda row: row.name):
        for what, route in OF_STATEMENTS if statement.chart in charts else ():
            if _holds(title := f"{what} of {statement.name}", words):
                yield title, reverse(route, args=[statement.statement])
    for group in groups_seen(person, state):
        for what, route in OF_GROUPS:
            if _holds(title := f"{what} of {group.name}", words):
                yield title, reverse(route, args=[group.group])


def _holds(title: str, words: list[str]) -> bool:
    return bool(words) and all(word in title.lower() for word in words)


def _opens(state: State, person: Any, name: str) -> bool:
    if name == "groups":
        return bool(groups_seen(person, state))
    right = right_of(resolve(reverse(name)).func)
    return right is not None and allowed(person, state, right, {})


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
    for group in groups_seen(person, state):
        yield Hit(group.group, group.name, "Group", reverse("group", args=[group.group]))
    for calendar in state.rows(Calendar) if sees_everything(person, state) else ():
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
    strings, index = reverse("strings", args=[name]), chart_index(state, name)
    for quick in state.part(QuickCode, name).values():
        if is_for(quick, quick.company, person.username):
            row = f"{strings}?row=quick-codes:{quick.quick_code}"
            yield Hit(
                quick.quick_code, index.shown(quick.account) if index else quick.account, "Quick code", row
            )
    for hung in state.part(ChartDimension, name).values():
        dimension = state.get(Dimension, hung.dimension)
        if dimension:
            page = reverse("dimensions", args=[name])
            yield Hit(dimension.dimension, dimension.name, "Dimension", page)
    for statement in state.rows(Statement):
        if statement.chart == name:
            page = reverse("statement", args=[statement.statement])
            yield Hit(statement.statement, statement.name, "Statement", page)
