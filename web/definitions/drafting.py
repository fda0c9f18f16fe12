"""Drafts: recording changes, undo and redo, taking single ones back, what collides, publishing now or on a
date."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any

from django.db import IntegrityError, transaction

from core.changes.fixed import Facts
from core.changes.kinds import Change, Restore, examine, joined
from core.changes.recording import decode_change, encode
from core.definitions.state import Edit, State
from core.definitions.tables import Chart
from core.drafts import readiness
from core.drafts.replaying import (
    MAY_WAIT,
    Collision,
    Replayed,
    collisions,
    dependents,
    recorded,
    replay,
    touching,
)
from core.faults import MUST, Fault, Location, Refused, blocking
from web.definitions import actions, snapshot, store
from web.definitions.deciding import Moved, decided, keep_others_out
from web.definitions.models import Draft, DraftChange, DraftRemark, DraftStep, Edited
from web.definitions.posted import AskedOfBooks, posted_facts
from web.process_cache import ProcessCache
from web.shell.retrying import retried

OPEN_ENDED = (Draft.OPEN, Draft.REVIEW, Draft.APPROVED, Draft.SCHEDULED)
NOT_DUE = ("draft-status", "draft-date", "draft-unknown")
_kept: ProcessCache[int, tuple[uuid.UUID | None, tuple[int, ...], Replayed]] = ProcessCache(12)


@dataclass(frozen=True)
class Working:
    """A draft worked out on the published definitions of now."""

    draft: Draft
    published: snapshot.Snapshot
    replayed: Replayed
    changes: tuple[int, ...]

    @property
    def state(self) -> State:
        return self.replayed.state

    @property
    def stands_at(self) -> tuple[object, ...]:
        """Another one where it would be worked out to something else."""
        return self.published.token, self.changes

    @cached_property
    def edits(self) -> dict[tuple[str, tuple[Any, ...]], Edit]:
        return {(edit.table, edit.key): edit for edit in self.replayed.edits()}

    @cached_property
    def collisions(self) -> list[Collision]:
        return collisions(self.edits.values(), _published_since(self.draft, list(self.edits)))

    def items(self, facts: Facts | None = None) -> list[readiness.ReadinessItem]:
        """What must be put right or looked at before it is published, by the books of now if none are
        given."""
        facts = facts or posted_facts(self.published.state)
        to_do = readiness.items(self.replayed, self.collisions, facts)
        if not self.replayed.steps:
            to_do.insert(0, readiness.ReadinessItem(MUST, "There is nothing in this draft yet."))
        if self.needs_approval and self.draft.status not in (Draft.APPROVED, Draft.SCHEDULED):
            to_do.insert(
                0, readiness.ReadinessItem(MUST, "Someone other than the author must approve it.", "review")
            )
        return to_do

    @cached_property
    def charts(self) -> list[str]:
        return readiness.charts_touched(self.published.state, self.state, list(self.edits))

    @property
    def needs_approval(self) -> bool:
        rows = [
            state.get(Chart, chart) for chart in self.charts for state in (self.published.state, self.state)
        ]
        return any(row.approval for row in rows if row is not None)


def _published_since(draft: Draft, mine: Sequence[tuple[str, tuple[Any, ...]]]) -> list[Edit]:
    """What versions after the draft's beginning did to rows that it touches, each row once."""
    keys = {(table, store.key_text(key)) for table, key in mine}
    rows = Edited.objects.filter(
        version__gt=draft.base, table__in={table for table, _ in keys}, key__in={key for _, key in keys}
    ).order_by("version_id", "pk")
    return joined(
        snapshot.as_edit(row)
        for row in rows
        if (row.table, row.key) in keys
        and row.version_id > draft.settled.get(f"{row.table} {row.key}", draft.base)
    )


def changes_of(draft: Draft) -> list[int]:
    """Numbers of the changes a draft consists of at the step it stands at."""
    step = DraftStep.objects.filter(draft=draft, number=draft.at).first()
    return list(step.changes) if step else []


def working(draft: Draft) -> Working:
    """Works a draft out, going on from what is kept where only changes at the end are new."""
    published = snapshot.current()
    numbers = tuple(changes_of(draft))
    cached = _kept.get(draft.pk)
    if cached is not None and cached[0] == published.token and numbers[: len(cached[1])] == cached[1]:
        base, known = cached[2], len(cached[1])
    else:
        base, known = replay(published.state, ()), 0
    fresh = numbers[known:]
    if fresh:
        rows = {row.pk: row for row in DraftChange.objects.filter(draft=draft, pk__in=fresh)}
        base = base.followed([(number, decode_change(rows[number].content)) for number in fresh])
    _kept.put(draft.pk, (published.token, numbers, base))
    return Working(draft, published, base, numbers)


def start(name: str, by: Any, changes: Sequence[Change] = (), reason: str = "") -> Draft:
    """A new draft on what is published now. Raises Refused where the name is taken or empty."""
    name = name.strip()[:200]
    if not name:
        raise Refused([Fault("cell-empty", "A draft needs a name.", Location(column="name"))])
    with transaction.atomic():
        draft = _named(name, reason, by)
        DraftStep.objects.create(draft=draft, number=0)
        for change in changes:
            record(draft.pk, change, by, checked=False)
    draft.refresh_from_db()
    return draft


def _named(name: str, reason: str, by: Any) -> Draft:
    """The draft's own row. Raises Refused where an open one has the name."""
    try:
        with transaction.atomic():
            return Draft.objects.create(name=name, reason=reason[:1000], author=by, base=snapshot.latest()[0])
    except IntegrityError:
        what, way_out = f"There is a draft {name} already.", "Choose another name."
        raise Refused([Fault("taken", what, Location(column="name"), way_out)]) from None


def allowed(number: int, *statuses: str) -> Draft:
    """The draft as it stands. Raises Refused where it is none of the allowed kinds."""
    return _checked(Draft.objects.filter(pk=number).first(), statuses)


def locked(number: int, *statuses: str) -> Draft:
    """The draft under its row lock. Raises Refused where it is none of the allowed kinds any more."""
    return _checked(Draft.objects.select_for_update().filter(pk=number).first(), statuses)


def _checked(draft: Draft | None, statuses: Sequence[str]) -> Draft:
    if draft is None:
        raise Refused([Fault("draft-unknown", "There is no such draft.")])
    if draft.status not in statuses:
        what = f"The draft {draft.name} is {draft.get_status_display()}."
        raise Refused([Fault("draft-status", what, way_out="Reopen it first, or start another one.")])
    return draft


def _relocked(seen: Draft, changes: Sequence[int] | None = None) -> Draft:
    """The draft under its row lock. Raises Moved where it isn't what was looked at any more; `changes` are
    those that it was worked out with."""
    now = Draft.objects.select_for_update().filter(pk=seen.pk).first()
    if now is None or _standing(now) != _standing(seen):
        raise Moved
    if changes is not None and changes_of(now) != list(changes):
        raise Moved
    return now


def _standing(draft: Draft) -> tuple[object, ...]:
    return draft.status, draft.at, draft.settled, draft.takes_effect


def _lock_draft(number: int, *_: object, **__: object) -> None:
    """For the last try: nobody else changes the draft until commit."""
    Draft.objects.select_for_update().filter(pk=number).first()


@decided(_lock_draft)
def record(
    number: int,
    change: Change,
    by: Any,
    seen: int | None = None,
    *,
    checked: bool = True,
    on: Working | None = None,
) -> Draft:
    """Adds a change to a draft. `on` is the draft as a larger act worked the change out on it. Raises Refused
    with the same faults that making it at once would have."""
    draft = allowed(number, Draft.OPEN)
    open_draft = working(draft)
    if on is not None and on.stands_at != open_draft.stands_at:
        raise Moved
    facts = posted_facts(open_draft.published.state)
    examined = examine(open_draft.state, change, facts) if checked else None
    edits = examined.edits if examined else change.edits(open_draft.state)
    after = examined.after if examined else open_draft.state.edited(edits)
    actions.check_rights(by, open_draft.state, after, edits)  # before anything of others is told
    faults = [] if seen is None else actions.changed_since(edits, seen)
    if examined:
        faults += [
            *examined.own,
            *(fault for fault in examined.following if fault.code not in MAY_WAIT),
        ]
    if blocking(faults):
        raise Refused(blocking(faults))
    if not edits:
        return draft
    content = encode(recorded(change, open_draft.state))
    with transaction.atomic():
        draft = _relocked(draft, open_draft.changes)
        draft_change = DraftChange.objects.create(draft=draft, by=by, content=content)
        _step(draft, [*open_draft.changes, draft_change.pk])
    return draft


def _step(draft: Draft, numbers: list[int]) -> None:
    """Goes on to a new step; what was undone before is given up."""
    draft.steps.filter(number__gt=draft.at).delete()
    draft.at += 1
    DraftStep.objects.create(draft=draft, number=draft.at, changes=numbers)
    draft.save(update_fields=["at"])


@retried
def undo(number: int, steps: int) -> Draft:
    """Moves along the steps: -1 undoes, 1 does again."""
    with transaction.atomic():
        draft = locked(number, Draft.OPEN)
        if not draft.steps.filter(number=draft.at + steps).exists():
            raise Refused(
                [
                    Fault(
                        "no-step",
                        "There is nothing to undo." if steps < 0 else "There is nothing to do again.",
                    )
                ]
            )
        draft.at += steps
        draft.save(update_fields=["at"])
    return draft


@decided(_lock_draft)
def take_back(number: int, change: int) -> list[int]:
    """Takes one change out, with those that depend on it; returns their numbers."""
    draft = allowed(number, Draft.OPEN)
    open_draft = working(draft)
    if change not in {step.number for step in open_draft.replayed.steps}:
        raise Refused([Fault("no-step", "This change is not in the draft any more.")])
    gone = [change, *dependents(open_draft.replayed, change)]
    with transaction.atomic():
        kept = [step.number for step in open_draft.replayed.steps if step.number not in gone]
        _step(_relocked(draft, open_draft.changes), kept)
    return gone


@decided(_lock_draft)
def settle(number: int, table: str, key: str, keep: str) -> None:
    """Decides a collision: for the draft's side, or for what was published (its changes of that row are taken
    back)."""
    draft = allowed(number, Draft.OPEN)
    open_draft = working(draft)
    first = next(
        (c for c in open_draft.collisions if c.table == table and store.key_text(c.key) == key), None
    )
    if first is None:
        return
    gone: set[int] = set()
    for step in touching(open_draft.replayed, first.table, first.key) if keep != "draft" else ():
        gone |= {step, *dependents(open_draft.replayed, step)}
    with transaction.atomic():
        draft = _relocked(draft, open_draft.changes)
        if keep == "draft":
            draft.settled = {**draft.settled, f"{table} {key}": open_draft.published.version}
            draft.save(update_fields=["settled"])
            return
        _step(draft, [step.number for step in open_draft.replayed.steps if step.number not in gone])


@decided(keep_others_out)
def publish(
    number: int,
    by: Any,
    *,
    reason: str = "",
    on: date | None = None,
    today: date,
    due: bool = False,
) -> Draft:
    """Makes a draft the next version in one transaction, or lets it wait for a date. Raises Refused with what
    is missing.

    `due`: only if it still waits for a date and that has come.
    """
    seen = allowed(number, *((Draft.SCHEDULED,) if due else OPEN_ENDED))
    if due and (seen.takes_effect is None or seen.takes_effect > today):
        raise Refused([Fault("draft-date", f"The draft {seen.name} waits for a later date.")])
    why = (reason or seen.reason).strip()[:1000]
    if not why:
        raise Refused(
            [
                Fault(
                    "cell-empty",
                    "Say why this is published.",
                    Location(column="reason"),
                    "The log keeps the reason.",
                )
            ]
        )
    open_draft = working(seen)
    asked = AskedOfBooks(open_draft.published.state)
    _must(open_draft, asked)
    with transaction.atomic():
        draft = _relocked(seen, open_draft.changes)
        draft.reason = why
        if on is not None and on > today:
            draft.status, draft.takes_effect = Draft.SCHEDULED, on
            draft.save()
        else:
            _write(open_draft, draft, by, asked)
    return draft


def _must(open_draft: Working, asked: AskedOfBooks) -> None:
    items = open_draft.items(asked.facts)
    faults = [Fault("not-ready", item.sentence) for item in items if item.severity == MUST]
    if faults:
        raise Refused(faults)


def _write(made: Working, draft: Draft, by: Any, asked: AskedOfBooks) -> None:
    edits = list(made.edits.values())
    sentences = [step.sentence for step in made.replayed.steps]
    more = f", and {len(sentences) - 3} more" if len(sentences) > 3 else ""
    after = actions.write_version(
        made.published,
        edits,
        f"Published {draft.name}: {'; '.join(sentences[:3])}{more}",
        by,
        asked,
        reason=draft.reason,
        charts=made.charts,
        approves=True,
    )
    draft.status, draft.published_as_id = Draft.PUBLISHED, after.version
    draft.save()


def drop(number: int) -> Draft:
    with transaction.atomic():
        draft = locked(number, *OPEN_ENDED)
        draft.status = Draft.DROPPED
        draft.save(update_fields=["status"])
    return draft


@decided(_lock_draft)
def say(number: int, by: Any, verdict: str, text: str) -> Draft:
    """A remark of a review: asks for it, comments, approves (never one's own), sends back."""
    draft = allowed(number, *OPEN_ENDED)
    if verdict == DraftRemark.APPROVE:
        _may_approve(draft, by)
    if verdict == DraftRemark.SEND_BACK and not text.strip():
        raise Refused([Fault("cell-empty", "Say what should be changed.", Location(column="text"))])
    with transaction.atomic():
        draft = _relocked(draft)
        DraftRemark.objects.create(draft=draft, by=by, verdict=verdict, text=text.strip()[:2000])
        after = {
            DraftRemark.ASK: Draft.REVIEW,
            DraftRemark.APPROVE: Draft.APPROVED,
            DraftRemark.SEND_BACK: Draft.OPEN,
        }
        if verdict in after:
            draft.status = after[verdict]
            draft.approved_by = by if verdict == DraftRemark.APPROVE else None
            draft.takes_effect = None
            draft.save(update_fields=["status", "approved_by", "takes_effect"])
    return draft


def _may_approve(draft: Draft, by: Any) -> None:
    """Raises Refused where a person may not approve a draft, or nobody asked for it."""
    if draft.author_id == by.pk:
        raise Refused(
            [Fault("own-draft", "The author can't approve their own draft.", way_out="Ask a colleague.")]
        )
    made = working(draft)
    if faults := by.not_to_approve(made.published.state, made.state, list(made.edits.values())):
        raise Refused(faults)
    if draft.status != Draft.REVIEW:
        raise Refused([Fault("not-asked", "Nobody has asked for a review of this draft yet.")])


def bring_back(version: int, by: Any, name: str) -> Draft:
    """A draft that turns back every version after the one named, newest first, one change a version."""
    rows = (
        Edited.objects.filter(version_id__gt=version).select_related("version").order_by("-version_id", "-pk")
    )
    changes: dict[int, tuple[str, list[Edit]]] = {}
    for row in rows:
        changes.setdefault(row.version_id, (row.version.sentence, []))[1].append(
            snapshot.as_edit(row).turned()
        )
    return start(
        name,
        by,
        [Restore(tuple(edits), sentence) for sentence, edits in changes.values()],
        f"Brings back version {version}",
    )


def publish_due(today: date) -> None:
    """Publishes drafts whose date has come: the worker asks every minute (web/definitions/tasks.py). One that
    can't be
    published goes back to being worked on, with the reason in its remarks."""
    due = Draft.objects.filter(status=Draft.SCHEDULED, takes_effect__lte=today).order_by("takes_effect", "pk")
    for draft in due.select_related("author", "approved_by"):
        who = draft.approved_by or draft.author
        try:
            publish(draft.pk, who, today=today, due=True)
        except Refused as refused:
            if any(fault.code in NOT_DUE for fault in refused.faults):
                continue  # somebody else published, dropped or reopened it meanwhile
            text = "; ".join(fault.what for fault in refused.faults[:10])
            say(
                draft.pk,
                who,
                DraftRemark.SEND_BACK,
                f"It could not take effect on {draft.takes_effect}: {text}",
            )
