"""Keeping a group's period as it stands, and releasing it: rows that are only ever added."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import date
from typing import Any

from django.db import transaction
from django.utils import timezone

from core.consolidation.position import Consolidation
from core.consolidation.translations import Translations
from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.faults import Fault, Refused
from core.group.membership import group_calendar, membership
from core.group.rates import rate_table
from core.keeping.kept import figures_to_keep, sealed
from core.keeping.locks import KeptRates, LockedRate, locked_by
from web.definitions import snapshot
from web.definitions.deciding import Moved, decided, keep_others_out, lock_alone, pass_turnstile
from web.definitions.sealing import Told, seal, text_of
from web.group import queries
from web.group.models import KeptPeriod, ReleasedPeriod
from web.journals.book_locks import books_seen


class KeptRows:
    """The answers to web/definitions/posted.py."""

    def rates(self) -> tuple[KeptRates, ...]:
        return tuple(
            KeptRates(row.group, row.name, _name(row.by), tuple(LockedRate(*lock) for lock in row.locks))
            for row in newest(KeptPeriod.objects.select_related("by", "released").defer("figures"))
            if not is_released(row)
        )

    def has_kept(self, group: str) -> bool:
        return KeptPeriod.objects.filter(group=group).exists()

    def kept_from(self, state: State, calendar: str, on: date) -> list[str]:
        companies = {row.company for row in state.rows(Company) if row.calendar == calendar}
        sentences = []
        for row in newest(KeptPeriod.objects.select_related("released").defer("figures")):
            group, periods = state.get(Group, row.group), group_calendar(state, row.group)
            period = periods.periods.get((row.fiscal_year, row.period)) if periods else None
            members = {own.company for own in membership(state, row.group).companies}
            if group and period and period.ends_on >= on and members & companies and not is_released(row):
                sentences.append(f"{group.name} kept {row.name}: what is posted now moves it since.")
        return sentences


def _name(person: Any) -> str:
    return person.shown_name() if person else "somebody"


def newest(rows: Iterable[KeptPeriod]) -> list[KeptPeriod]:
    """The last keeping of each period, in order."""
    by_period = {
        (row.group, row.fiscal_year, row.period): row for row in sorted(rows, key=lambda row: row.number)
    }
    return [by_period[key] for key in sorted(by_period)]


def is_released(row: KeptPeriod) -> bool:
    return hasattr(row, "released")


def head_of(row: KeptPeriod) -> list[object]:
    """What a keeping's digest seals beside its figures."""
    at = row.at.isoformat()
    return [row.group, row.fiscal_year, row.period, row.number, row.name, row.version, row.why, at, row.by_id]


def is_sealed(row: KeptPeriod) -> bool:
    """Whether a keeping is still what was kept."""
    return sealed([*head_of(row), row.books, row.locks, row.still_open], row.figures) == row.digest


def worked_afresh(group: Consolidation) -> Consolidation:
    """The same books and definitions with nothing worked out yet, so that its table of rates learns what is
    asked of it from now on."""
    rates = rate_table(group.state, group.group, group.periods)
    return replace(group, rates=rates, positions={}, sets={}, translations=Translations())


@decided(keep_others_out)
def keep_period(group: str, year: int, period: int, why: str, still_open: list[str], by: Any) -> KeptPeriod:
    """Keeps a period as it stands now. Raises Refused where its figures aren't whole, or no reason is
    given where one is needed."""
    now = snapshot.current()
    members = membership(now.state, group).companies
    seen = books_seen(member.company for member in members)
    at = queries.group_window(now.state, group, year, period)
    work = worked_afresh(queries.consolidation_of(now.state, group))
    p = work.periods.last_to(at.end)
    if not p:
        what = "What was brought forward is no period of the group."
        raise Refused([Fault("kept-period", what, way_out="Choose a later period.")])
    position = work.position(p)
    number = _next_number(group, year, period)
    _refuse(queries.waiting_in(position), number, why, still_open)
    figures = figures_to_keep(work, at.start, at.end)
    if figures.balance:
        raise Refused([Fault("kept-period", "Debits and credits of the group differ.")])
    names = {name for books in work.books.sets for name in (books.name, books.company)}
    kept = KeptPeriod(
        group=group,
        fiscal_year=year,
        period=period,
        number=number,
        name=work.periods.rows[p - 1].name,
        version=now.version,
        books=[[*key, sequence] for key, sequence in seen.items() if key[0] in names],
        figures=figures.written(),
        locks=[list(lock) for lock in locked_by(work.rates, p)],
        still_open=still_open,
        why=why,
        at=timezone.now(),
        by=by,
    )
    kept.digest = sealed([*head_of(kept), kept.books, kept.locks, kept.still_open], kept.figures)
    with transaction.atomic():
        pass_turnstile()
        lock_alone(now)
        if _next_number(group, year, period) != number or books_seen(name for name, _ in seen) != seen:
            raise Moved
        kept.save(force_insert=True)
        seal(KEPT, [(str(kept.pk), [kept.digest])])
    return kept


def _next_number(group: str, year: int, period: int) -> int:
    before = KeptPeriod.objects.filter(group=group, fiscal_year=year, period=period)
    return max(before.values_list("number", flat=True), default=0) + 1


def _refuse(waiting: list[str], number: int, why: str, still_open: list[str]) -> None:
    faults = [
        Fault("kept-period", sentence, way_out="Give what it waits for, then keep the period.")
        for sentence in waiting
    ]
    if number > 1 and not why:
        faults.append(Fault("kept-period", "It was kept before.", way_out="Say why it is kept again."))
    elif still_open and not why:
        what = f"{len(still_open)} things are not in order: {still_open[0]}"
        faults.append(Fault("kept-period", what, way_out="Put them right, or say why it is kept with them."))
    if faults:
        raise Refused(faults)


@decided(keep_others_out)
def release(kept: KeptPeriod, why: str, by: Any) -> None:
    """Lets the rates of a kept period change again. Raises Refused without a reason, or where it is
    released."""
    if not why:
        raise Refused([Fault("kept-period", "A release says why.", way_out="Give the reason.")])
    now = snapshot.current()
    with transaction.atomic():
        pass_turnstile()
        lock_alone(now)
        if ReleasedPeriod.objects.filter(kept=kept).exists():
            raise Refused([Fault("kept-period", f"{kept.name} is released already.")])
        released = ReleasedPeriod.objects.create(kept=kept, why=why, at=timezone.now(), by=by)
        seal(RELEASED, [(str(released.pk), _release_texts(released))])


KEPT, RELEASED = "kept", "released"


def kept_told() -> Told:
    """Every keeping by its digest; one whose digest is no longer that of its content by nothing."""
    for row in KeptPeriod.objects.order_by("pk").iterator(chunk_size=5):
        yield str(row.pk), [row.digest if is_sealed(row) else ""]


def released_told() -> Told:
    return ((str(row.pk), _release_texts(row)) for row in ReleasedPeriod.objects.order_by("pk"))


def _release_texts(row: ReleasedPeriod) -> list[str]:
    return [text_of(row.kept_id, row.why, row.at, row.by_id)]
