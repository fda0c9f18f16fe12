"""The one action through which definitions change: read, judge in the core, write and log, one transaction.
Nothing is locked until all is written (web/definitions/deciding.py)."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection
from typing import Any

from django.db import connection, transaction
from django.utils import timezone

from core.changes.further_segments import tails
from core.changes.kinds import Change, Restore, examine
from core.definitions.parsing import encode_row
from core.definitions.state import Edit, State
from core.drafts.readiness import charts_touched
from core.faults import Fault, Location, Refused, blocking
from web.definitions import snapshot, store
from web.definitions.deciding import (
    Moved,
    decided,
    keep_others_out,
    lock_alone,
    moved_where_refused,
    pass_turnstile,
)
from web.definitions.models import Edited, Version
from web.definitions.posted import AskedOfBooks, lengthen_strings, resort
from web.definitions.sealed_versions import VERSIONS, EditTold, row_text, version_texts
from web.definitions.sealing import hash_of, seal_hashes


@decided(keep_others_out)
def make_change(
    change: Change, by: Any, seen: int | None = None, reason: str = "", on: uuid.UUID | None = None
) -> snapshot.Snapshot:
    """Makes a change for a person, with a reason for the log if one is given. `seen` is the version they
    looked at: a row changed since is told, not overwritten. `on` is the token of the version that a larger
    act worked the change out on.

    Raises Refused with all faults; then nothing was written.
    """
    before = snapshot.current()
    if on is not None and before.token != on:
        raise Moved
    asked = AskedOfBooks(before.state)
    examined = examine(before.state, change, asked.facts)
    check_rights(by, before.state, examined.after, examined.edits)  # before anything of others is told
    faults = [] if seen is None else changed_since(examined.edits, seen)
    if blocking([*faults, *examined.faults]):
        raise Refused(blocking([*faults, *examined.faults]))
    if not examined.edits:
        return before
    with transaction.atomic():
        return write_version(
            before,
            examined.edits,
            change.sentence(before.state),
            by,
            asked,
            after=examined.after,
            reason=reason,
        )


def write_version(
    before: snapshot.Snapshot,
    edits: list[Edit],
    sentence: str,
    by: Any,
    asked: AskedOfBooks,
    takes_back: Version | None = None,
    after: State | None = None,
    approves: bool = False,
    beside: Callable[[], None] = lambda: None,
    **more: Any,
) -> snapshot.Snapshot:
    """Writes rows and log inside the caller's transaction, which has judged all but the rights of who does it
    against `before` and what was `asked` of the books. Last of all it takes the lock, until commit.
    `approves`: whoever approves may too. `beside` writes what else comes with the rows of the version.

    `after` is the state that the edits lead to, where the caller knows it. `more` are further columns of the
    version:
    reason, charts touched (worked out where not given).

    Raises Moved where the definitions or the books are not those that it was judged against.
    """
    after = after or before.state.edited(edits)
    check_rights(by, before.state, after, edits, approves=approves)
    with snapshot.pinned(before):
        pass_turnstile()
        with moved_where_refused():
            store.write(edits)
        if longer := tails(before.state, edits):
            asked.rewrites()
            lengthen_strings(longer)
        if moved_on := resort(before.state, after, asked):
            sentence = f"{sentence}; {moved_on}"
        touched = more.pop("charts", None)
        if touched is None:
            touched = charts_touched(before.state, after, {(edit.table, edit.key[:1]) for edit in edits})
        version_row = Version(
            version=before.version + 1,
            by=by,
            at=timezone.now(),
            sentence=sentence[:2000],
            rows=len(edits),
            takes_back=takes_back,
            digest=after.digest,
            charts=_next_of_charts(touched),
            **more,
        )
        told = _log(version_row, edits)
        beside()
        content = hash_of(version_texts(version_row, told))
        with moved_where_refused():
            _check_references()
        lock_alone(before, asked)
        version_row.save(force_insert=True)
        seal_hashes(VERSIONS, [(str(version_row.version), content)])
    made = snapshot.Snapshot(version_row.version, version_row.token, after)
    transaction.on_commit(lambda: snapshot.keep(made))
    return made


def _next_of_charts(charts: Collection[str]) -> dict[str, int]:
    """The version that comes next of each chart."""
    numbers = snapshot.chart_versions(charts)
    return {chart: numbers.get(chart, 0) + 1 for chart in charts}


def _check_references() -> None:
    """References of the rows just written are checked now, and not under the lock at commit."""
    with connection.cursor() as cursor:
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        cursor.execute("SET CONSTRAINTS ALL DEFERRED")


def _log(version_row: Version, edits: list[Edit]) -> list[EditTold]:
    """Writes the edits of a version."""
    told: list[EditTold] = [
        (edit.table, store.key_text(edit.key), row_text(encode_row(edit.old)), row_text(encode_row(edit.new)))
        for edit in edits
    ]
    with (
        connection.cursor() as cursor,
        cursor.copy('COPY definitions_edited (version_id, "table", key, old, new) FROM STDIN') as copy,
    ):
        for row in told:
            copy.write_row((version_row.version, *row))
    return told


def check_rights(by: Any, before: State, after: State, edits: list[Edit], *, approves: bool = False) -> None:
    """Raises Refused with what a person has no right to change; without one it is the command line."""
    if by is not None and (faults := by.not_allowed(before, after, edits, approves=approves)):
        raise Refused(faults)


def changed_since(edits: list[Edit], seen: int) -> list[Fault]:
    """Rows that someone else changed after the version a person looked at, each with its newest change."""
    keys = {(edit.table, store.key_text(edit.key)) for edit in edits}
    rows = (
        Edited.objects.filter(
            version_id__gt=seen, table__in={table for table, _ in keys}, key__in={key for _, key in keys}
        )
        .select_related("version__by")
        .order_by("version_id", "pk")
    )
    newest = {(row.table, row.key): row.version for row in rows.iterator() if (row.table, row.key) in keys}
    return [
        Fault(
            "changed-since",
            f"{version.by.shown_name() if version.by else 'An import'} changed this meanwhile: "
            f"{version.sentence}.",
            Location(table, (key,)),
            "Look at it as it is now, then decide again.",
        )
        for (table, key), version in newest.items()
    ]


def taking_back(version: int) -> Restore:
    """The change that takes a version back. Raises Refused where there is no such version."""
    version_row = Version.objects.filter(version=version).first()
    if version_row is None:
        raise Refused([Fault("version-unknown", f"There is no change {version}.")])
    if version_row.recodes:
        raise Refused(
            [
                Fault(
                    "recoded",
                    "It spelled posted account strings anew, so it is not taken back row by row.",
                    way_out="Give the list its former length again, on the page of the list itself.",
                )
            ]
        )
    edits = [snapshot.as_edit(row) for row in version_row.edits.order_by("pk")]
    return Restore(tuple(edit.turned() for edit in reversed(edits)), version_row.sentence)


@decided(keep_others_out)
def take_back(version: int, by: Any) -> snapshot.Snapshot:
    """Makes the inverse of a logged change. Raises Refused where a row was changed again since, or is
    needed."""
    before = snapshot.current()
    change = taking_back(version)
    version_row = Version.objects.get(version=version)
    if Version.objects.filter(takes_back=version_row).exists():
        raise Refused([Fault("taken-back", "This change was taken back already.")])
    asked = AskedOfBooks(before.state)
    examined = examine(before.state, change, asked.facts)
    if blocking(examined.faults):
        raise Refused(blocking(examined.faults))
    with transaction.atomic():
        return write_version(
            before,
            examined.edits,
            change.sentence(before.state),
            by,
            asked,
            takes_back=version_row,
            after=examined.after,
        )
