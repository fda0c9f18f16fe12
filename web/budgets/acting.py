"""Changes of budget lines: read, decide in the core, then lock, write and log in one transaction."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.utils import timezone

from core.budgets.cells import BudgetCell, BudgetYear, CellEdit
from core.budgets.fitting import approved_fault, budget_fault
from core.definitions.tables import Budget
from core.faults import Fault, Location, Refused
from web.budgets.address import BudgetAddress
from web.budgets.models import BudgetAct
from web.definitions import snapshot
from web.definitions.deciding import Moved, decided, keep_definers_out, share
from web.journals.budgets import lock_budget, write_edits

Decide = Callable[[BudgetYear], list[CellEdit]]


@decided(keep_definers_out)
def act(
    address: BudgetAddress,
    person: Any,
    seen: int | None,
    sentence: str,
    decide: Decide,
    takes_back: int | None = None,
) -> BudgetAct | None:
    """Makes the edits that `decide` comes to on the cells as they stand now; None where there are none.

    `seen` is the last act that the person's page showed: cells changed since by somebody are told, not
    overwritten; None where `decide` proves that by itself. Raises Refused; then nothing was written.
    """
    judged = snapshot.current()
    address = replace(address, state=judged.state)  # what is published counts
    _check_open(address)
    stored = address.stored()
    edits = decide(address.budget_year(stored))
    _check_accounts(address, edits)
    if seen is not None:
        _check_unchanged(address, edits, seen)
    if not edits:
        return None
    with transaction.atomic():
        lock_budget(address.budget.budget)
        if address.stored() != stored:
            raise Moved
        write_edits(address.budget.budget, address.company.company, address.year, edits)
        row = BudgetAct.objects.create(
            budget=address.budget.budget,
            company=address.company.company,
            fiscal_year=address.year,
            sentence=sentence[:1000],
            edits=[[*edit.cell, edit.was, edit.now] for edit in edits],
            takes_back_id=takes_back,
            at=timezone.now(),
            by=person,
        )
        share(judged)
    return row


def acts_of(address: BudgetAddress) -> Any:
    """The acts on a company's year of a budget, the newest first."""
    return BudgetAct.objects.filter(
        budget=address.budget.budget, company=address.company.company, fiscal_year=address.year
    ).order_by("-pk")


def edits_of(row: BudgetAct) -> list[CellEdit]:
    return [CellEdit(BudgetCell(*parts[:3]), *parts[3:]) for parts in row.edits]


def turned_back(row: BudgetAct) -> Decide:
    """Decides to put an act's cells back. Raises Refused where one was changed again."""

    def decide(year: BudgetYear) -> list[CellEdit]:
        edits = edits_of(row)
        if any(year.cells.get(edit.cell) != edit.now for edit in edits):
            what = "Some of these lines were changed again since."
            way_out = "Take back what came after it first."
            raise Refused([Fault("changed-since", what, Location("budget_lines"), way_out)])
        return [CellEdit(cell, now, was) for cell, was, now in edits]

    return decide


def _check_open(address: BudgetAddress) -> None:
    """The budget is there, and not approved."""
    row = address.state.get(Budget, address.budget.budget)
    if row is None:
        raise Refused([Fault("reference", f"There is no budget {address.budget.budget} any more.")])
    if fault := approved_fault(row):
        raise Refused([fault])


def _check_accounts(address: BudgetAddress, edits: Iterable[CellEdit]) -> None:
    """An account that takes no budget may be emptied, nothing else."""
    keyed = sorted({address.context.chart.natural_of(e.cell.account) for e in edits if e.now is not None})
    faults = [
        fault
        for code in keyed
        if (fault := budget_fault(address.state, address.context, address.budget, code))
    ]
    if faults:
        raise Refused(faults[:20])


def _check_unchanged(address: BudgetAddress, edits: Iterable[CellEdit], seen: int) -> None:
    cells = {edit.cell for edit in edits}
    for later in acts_of(address).filter(pk__gt=seen):
        if cells & {edit.cell for edit in edits_of(later)}:
            who = later.by.shown_name() if later.by else "somebody"
            what = f"{who} changed these lines since you looked: {later.sentence}"
            raise Refused([Fault("changed-since", what, Location("budget_lines"), "Look at the page again.")])
