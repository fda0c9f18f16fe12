"""Asking for an account, and what becomes of it."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from core.changes.kinds import examine
from core.definitions.state import State
from core.definitions.tables import Company
from core.faults import Fault, Location, Refused, blocking
from core.founding.requested_account import account_made, requested_account
from web.definitions import actions, snapshot
from web.definitions.deciding import decided, keep_others_out
from web.definitions.posted import posted_facts
from web.requests.models import AccountRequest
from web.shell.retrying import retried


def ask(
    state: State, company: str, name: str, account_class: str, beside: str, reason: str, by: Any
) -> AccountRequest:
    """Raises Refused with what would stand in the way of making the account now."""
    row = state.require(Company, company)
    change = requested_account(state, row, name, account_class, beside)
    faults = blocking(examine(state, change, posted_facts(state)).faults)
    if not reason:
        way_out = "Say what is booked on it, and why none of those there will do."
        faults.append(Fault("account-request", "No reason is given.", Location(column="reason"), way_out))
    if faults:
        raise Refused(faults)
    return AccountRequest.objects.create(
        company_id=company, name=name, account_class=account_class, beside=beside, reason=reason, by=by
    )


def _open(number: int) -> AccountRequest:
    """The request under its row lock. Raises Refused where it waits no more."""
    row = AccountRequest.objects.select_for_update(of=("self",)).filter(pk=number).first()
    if row is None:
        raise Refused([Fault("account-request", "There is no such request.")])
    if row.state != AccountRequest.OPEN:
        raise Refused([Fault("account-request", f"It is {row.get_state_display()} already.")])
    return row


@decided(keep_others_out)
def make(number: int, code: str, by: Any) -> AccountRequest:
    """Makes the account and answers, both or none. Raises Refused."""
    with transaction.atomic():
        row, state = _open(number), snapshot.current().state
        company = state.require(Company, row.company_id)
        change = requested_account(state, company, row.name, row.account_class, row.beside, code)
        after = actions.make_change(change, by, reason=row.reason)
        _answered(row, AccountRequest.MADE, "", by, code=account_made(change), version_id=after.version)
    return row


@retried
def decline(number: int, answer: str, by: Any) -> AccountRequest:
    """Raises Refused without a reason."""
    if not answer:
        where = Location(column="answer")
        raise Refused([Fault("account-request", "A request is declined with a reason.", where, "Say why.")])
    with transaction.atomic():
        row = _open(number)
        _answered(row, AccountRequest.DECLINED, answer, by)
    return row


@retried
def withdraw(number: int, by: Any) -> AccountRequest:
    """Whoever asked takes it back. Raises Refused for another's."""
    with transaction.atomic():
        row = _open(number)
        if row.by_id != by.pk:
            raise Refused([Fault("account-request", "Only who asked takes a request back.")])
        _answered(row, AccountRequest.WITHDRAWN, "", by)
    return row


def _answered(row: AccountRequest, state: str, answer: str, by: Any, **more: Any) -> None:
    values = {"state": state, "answer": answer, "answered_by": by, "answered_at": timezone.now(), **more}
    for name, value in values.items():
        setattr(row, name, value)
    row.save(update_fields=list(values))
