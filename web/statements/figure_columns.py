"""What may stand across figures: sets of columns kept under a name, fields, periods, budgets, another
stretch."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from django.http import HttpResponse
from django.urls import reverse

from core.analysis.asked import Asked
from core.analysis.period_columns import STEPS
from core.changes.kinds import Put
from core.definitions.state import State
from core.definitions.tables import Budget, ColumnSet
from web.definitions.viewing import PineRequest
from web.people.rights import CHANGE, needs_post
from web.sheets.changing import apply_change, reload_at
from web.shell.asked import back, text
from web.shell.ids import free_id
from web.statements.figure_address import FigureAddress
from web.statements.figure_choices import by_level, narrowing

NOTHING = "nothing"


def remember_columns(request: PineRequest, address: FigureAddress) -> None:
    """Keeps what stands across for the person, to be there again with the next statement of the chart."""
    person, key = request.user, f"@{address.company.chart}"
    if person.columns.get(key, {}) != (
        across := {name: text for name, text in address.columns.items() if text}
    ):
        person.columns = {**person.columns, key: across}
        person.save(update_fields=["columns"])


def columns_offered(state: State, address: FigureAddress) -> list[tuple[str, str, bool]]:
    """(words, address, whether it is this one) of what may stand across."""
    at = replace(address.asked, by="", periods="", budget="", forecast="")
    options = [("one column", at), *_by_fields(state, address, at)]
    if not at.by_day and at.first is None:
        options += [(word, replace(at, periods=word)) for word in STEPS]
    beside_budgets: Iterator[tuple[str, str, bool]] = iter(())
    if not at.by_day:
        budgets = sorted(
            row for row in state.rows(Budget) if row.chart == address.company.chart and row.kind == "budget"
        )
        options += [(row.name, replace(at, budget=row.budget)) for row in budgets]
        beside_budgets = _beside_budgets(address, at, budgets)
        options += [
            (f"forecast: posted, then {row.name}", replace(at, periods="months", forecast=row.budget))
            for row in budgets
            if at.first is None
        ]
    plain = replace(address, than="", choice="", several=(), within=None, part_of="", formulas="")
    beside_than = address.earlier() is not None
    links = [
        (words, plain.query(asked), asked == address.asked and not beside_than and not address.is_further)
        for words, asked in options
    ]
    links += [*beside_budgets, *_within(address, plain, at), *_beside(address, plain, at)]
    return [*_kept_columns(state, plain, at, address.query()), *links]


def _beside_budgets(
    address: FigureAddress, at: Asked, budgets: Sequence[Budget]
) -> Iterator[tuple[str, str, bool]]:
    """A budget, the difference and the year before in one table, for all of the stretch or by its months."""
    plain = replace(address, than="year", choice="", several=(), within=None, part_of="", formulas="")
    for row in budgets:
        with_budget = replace(at, budget=row.budget)
        is_this = address.asked == with_budget and address.earlier() is not None
        yield f"{row.name} and the year before", plain.query(with_budget), is_this and not address.within
        if at.first is None:
            there = plain.query(with_budget, within="months")
            yield f"{row.name} and the year before, by months", there, is_this and address.within == "months"


def _within(address: FigureAddress, plain: FigureAddress, at: Asked) -> Iterator[tuple[str, str, bool]]:
    """The codes of the one field that stands across within periods."""
    field = address.chart.field(address.asked.by.strip())
    if field is None or at.by_day or at.first is not None:
        return
    for step in STEPS:
        there = plain.query(replace(at, by=field.name), within=step)
        yield f"{field.title} within {step}", there, address.within == step


def _beside(address: FigureAddress, plain: FigureAddress, at: Asked) -> Iterator[tuple[str, str, bool]]:
    """Another stretch beside the figures, or more companies."""
    than_now = address.than if address.earlier() is not None else ""
    for words, than in (("the stretch before", "before"), ("the year before", "year")):
        yield words, plain.query(at, than=than), than == than_now and not address.asked.budget
    currency = address.company.currency
    there = plain.query(at, companies=f"currency={currency}")
    yield f"companies in {currency}", there, bool(address.choice)


def _kept_columns(state: State, address: FigureAddress, at: Asked, own: str) -> list[tuple[str, str, bool]]:
    """Those that were kept under a name, as far as they go with the stretch. `own` is what is looked at."""
    links = []
    for row in sorted(state.rows(ColumnSet), key=lambda row: row.name):
        periods = "" if row.periods == "none" else row.periods
        asked = replace(at, by=row.by, periods=periods, budget=row.budget, forecast=row.forecast)
        of_periods = periods or row.budget or row.forecast or row.within != NOTHING
        goes = not (asked.by_day and of_periods) and not (asked.first is not None and periods)
        if row.chart == address.company.chart and goes:
            there = address.query(
                asked,
                than="" if row.beside == NOTHING else row.beside,
                within="" if row.within == NOTHING else row.within,
                companies=row.companies,
                of=row.part_of,
                columns=row.formulas,
            )
            links.append((row.name, there, there == own))
    return links


@needs_post(CHANGE)
def keep_columns(request: PineRequest, state: State) -> HttpResponse:
    """Keeps what stands across under a name, for everybody and any statement of the chart."""
    given, name = request.POST, text(request.POST, "name")
    column_set = free_id(name, lambda one: state.get(ColumnSet, one) is not None, "columns")
    row = ColumnSet(
        column_set,
        name,
        text(given, "chart", 40),
        text(given, "by", 100),
        text(given, "periods", 10) or "none",
        text(given, "budget", 100),
        text(given, "than", 10) or NOTHING,
        text(given, "forecast", 100),
        text(given, "within", 10) or NOTHING,
        text(given, "companies", 400),
        text(given, "of", 40),
        text(given, "columns", 400),
    )
    apply_change(request, Put(row))
    return reload_at(back(request, reverse("statements")))


def _by_fields(state: State, address: FigureAddress, at: Asked) -> list[tuple[str, Asked]]:
    """Each field, and within the one that stands across each other one."""
    fields = narrowing(address)
    options = [
        (title, replace(at, by=name))
        for field in fields
        for name, title in ((field.name, field.title), *by_level(state, field))
    ]
    for first in [*fields, *address.chart.segments[address.chart.natural :][:1]]:
        if first.name == address.asked.by.split(",")[0].strip():
            options += [
                (f"{first.title} by {other.title.lower()}", replace(at, by=f"{first.name},{other.name}"))
                for other in fields
                if other != first
            ]
    return options
