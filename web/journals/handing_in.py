"""Journals handed in by who may enter but not post: kept as keyed, opened and posted by somebody who may."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from core.access.rights import Owner, Right
from core.books.series import Recurrence
from core.definitions.state import State
from core.definitions.tables import Journal, JournalLine
from core.faults import Fault, Refused, blocking
from web.journals import actions
from web.journals.models import EnteredBy, HandedIn, Journal as PostedJournal, Unfinished
from web.people.models import Person


def handed_in(person: Any, state: State, company: str) -> QuerySet[HandedIn]:
    """Of a company: all for who may post there, else one's own; the oldest first."""
    rows = HandedIn.objects.filter(company_id=company).select_related("by").order_by("pk")
    may_post = person.access(state).may(Right.POST, Owner("company", company))
    return rows if may_post else rows.filter(by=person)


def hand_in(
    state: State,
    head: Journal,
    lines: Sequence[JournalLine],
    recurrence: Recurrence,
    person: Any,
    content: dict[str, Any],
) -> HandedIn:
    """Keeps a journal that is in order as keyed; one that was handed in before is replaced. Raises
    Refused."""
    checked, _ = actions.check_keyed(state, head, lines, recurrence, person)
    if faults := blocking(checked.faults):
        raise Refused(faults)
    with transaction.atomic():
        own = HandedIn.objects.filter(by=person, company_id=head.company, pk=_number(content.get("handed")))
        if row := own.select_for_update().first():
            row.content, row.remark, row.sent_back_by = content, "", None
            row.save()
        else:
            _refuse_twice(head, person, content)
            row = HandedIn.objects.create(by=person, company_id=head.company, content=content)
        Unfinished.objects.filter(by=person, company_id=head.company).delete()
    return row


def _refuse_twice(head: Journal, person: Any, content: dict[str, Any]) -> None:
    """One after the other for a person, so a second press of the key, or a reply that got lost, hands in
    nothing twice. Raises Refused."""
    Person.objects.select_for_update().get(pk=person.pk)
    same = HandedIn.objects.filter(by=person, company_id=head.company, content=content, remark="").first()
    if same is not None:
        what = f"This journal was handed in already, at {same.at:%H:%M} of {same.at:%Y-%m-%d}, and waits."
        raise Refused([Fault("handed-in", what, way_out="If there are two, describe the second apart.")])


def send_back(row: HandedIn, remark: str, person: Any) -> None:
    """Gives a journal back to who entered it, with what is to be put right. Raises Refused without a
    remark."""
    if not remark.strip():
        what = "What is to be put right is not said."
        raise Refused([Fault("note-missing", what, way_out="Say it; who entered the journal sees it.")])
    row.remark, row.sent_back_by = remark.strip(), person
    row.save()


def take_up(company: str, content: dict[str, Any]) -> HandedIn | None:
    """What was handed in is posted now, and waits no more: inside the transaction that posts it. None where
    nothing was. Raises Refused where somebody else was quicker."""
    number = _number(content.get("handed"))
    if not number:
        return None
    row = HandedIn.objects.select_for_update(of=("self",)).filter(company_id=company, pk=number).first()
    if row is None:
        what = "This journal was posted or taken away meanwhile."
        raise Refused([Fault("journal-taken", what, way_out="Look at the journals; start anew for another.")])
    HandedIn.objects.filter(pk=number).delete()
    return row


def note_entered(company: str, numbers: Sequence[str], waiting: HandedIn) -> None:
    """Who entered what somebody else posts, and when it was handed in: inside the transaction that posts
    it."""
    posted = PostedJournal.objects.filter(company_id=company, journal__in=numbers)
    EnteredBy.objects.bulk_create(
        EnteredBy(journal=journal, by_id=waiting.by_id, at=waiting.at) for journal in posted
    )


def _number(value: object) -> int:
    text = str(value or "")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 18 else 0
