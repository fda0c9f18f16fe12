"""Remarks on cells of a budget: on a line, an account or an account string, for a period or the whole year.

One on a line belongs to its statement; any other stands wherever the account does. One that was taken away is
kept with who took it away.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from django.http import Http404, HttpResponse
from django.utils import timezone

from core.definitions.state import State
from web.budgets.address import BudgetAddress, budget_address
from web.budgets.models import BudgetRemark
from web.budgets.table import YEAR
from web.definitions.viewing import PineRequest
from web.people.rights import POST, needs_post
from web.sheets.changing import reload_at, words_of

WHOLE_YEAR = 0
"""The period of a remark on the year."""


class CellNote(NamedTuple):
    """A remark with its number and where it stands: a row's key and a column, named."""

    number: int
    key: str
    column: int
    row: str
    title: str
    remark: BudgetRemark


def notes_of(address: BudgetAddress, named: Callable[[str], str]) -> list[CellNote]:
    """Those of the page in the order they were written. `named` says what a row is called, or nothing where
    the page has none of its key."""
    whole = (len(address.spans) + 2, str(address.year))
    rows = BudgetRemark.objects.filter(
        budget=address.budget.budget,
        company=address.company.company,
        fiscal_year=address.year,
        statement__in=("", address.plan.statement.statement),
        ended_at=None,
    )
    notes = list[CellNote]()
    for row in rows.select_related("by").order_by("at", "pk"):
        spans = enumerate(address.spans, 1)
        at = next(((i, span.title) for i, span in spans if row.period in span.periods), whole)
        if name := named(row.key):
            notes.append(CellNote(len(notes) + 1, row.key, at[0], name, at[1], row))
    return notes


def numbers_in(notes: Iterable[CellNote]) -> dict[tuple[str, int], str]:
    """By row's key and column the numbers of the remarks there."""
    numbers: dict[tuple[str, int], list[str]] = {}
    for note in notes:
        numbers.setdefault((note.key, note.column), []).append(str(note.number))
    return {cell: " ".join(some) for cell, some in numbers.items()}


def keep_remark(request: PineRequest, address: BudgetAddress, key: str) -> None:
    """Keeps what the form of a row says of one of its cells, if it says anything."""
    text, span = words_of(request, "remark", 2000), words_of(request, "remark_on", 10)
    if not text:
        return
    periods = next((one.periods for one in address.spans if one.name == span), (WHOLE_YEAR,))
    if periods == (WHOLE_YEAR,) and span != YEAR:
        raise Http404
    is_line = key.startswith("line:")
    BudgetRemark.objects.create(
        budget=address.budget.budget,
        company=address.company.company,
        fiscal_year=address.year,
        statement=address.plan.statement.statement if is_line else "",
        key=key,
        period=periods[-1],
        text=text,
        at=timezone.now(),
        by=request.user,
    )


@needs_post(POST, published=True)
def end_remark(
    request: PineRequest, state: State, budget: str, company: str, statement: str, number: str
) -> HttpResponse:
    """Takes a remark away; it is kept with who did."""
    address = budget_address(request, state, budget, company, statement)
    if not number.isdecimal() or len(number) > 17:
        raise Http404
    own: dict[str, Any] = {"budget": budget, "company": company, "pk": int(number), "ended_at": None}
    if not BudgetRemark.objects.filter(**own).update(ended_at=timezone.now(), ended_by=request.user):
        raise Http404
    return reload_at(address.address())
