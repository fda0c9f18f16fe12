"""A journal that repeats itself period by period, or that the next period takes back: all of its journals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Journal, JournalLine, Period
from core.faults import Fault, Location

MOST = 60
"""So many journals come of one at most."""


@dataclass(frozen=True, slots=True)
class Recurrence:
    """`until`: repeat it in each later period that begins up to that day; `reverses`: the first day of the
    following period takes each back."""

    until: date | None = None
    reverses: bool = False

    @property
    def is_none(self) -> bool:
        return self.until is None and not self.reverses


ONCE = Recurrence()


@dataclass(frozen=True, slots=True)
class JournalOfSeries:
    """One journal with its lines; `reverses` is the place of the one that it takes back, if any. Its number
    is still to come."""

    head: Journal
    lines: tuple[JournalLine, ...]
    reverses: int | None = None


def series(
    state: State, head: Journal, lines: Sequence[JournalLine], recurrence: Recurrence
) -> tuple[list[JournalOfSeries], list[Fault]]:
    """The journal itself first, then the others in order of their days; and why some can't be made."""
    regular = company_calendar(state, head.company).regular
    at = next((i for i, row in enumerate(regular) if row.starts_on <= head.date <= row.ends_on), None)
    if recurrence.is_none or at is None:
        return [JournalOfSeries(head, tuple(lines))], []
    place = Location("journals", (head.company, head.journal), "date", str(head.date))
    if head.kind in ("opening", "closing"):
        what = f"A journal of kind {head.kind} neither repeats nor reverses itself."
        return [], [Fault("series", what, place, "Key it as a general or an adjusting one.")]
    days = [head.date]
    if recurrence.until is not None:
        days += [_same_day(head.date, regular[at], row) for row in regular[at + 1 :]]
        days = [day for day in days if day <= recurrence.until]
        if not days:
            what = f"It would end on {recurrence.until}, before it begins."
            return [], [Fault("series", what, place, "Give a later day, or none.")]
        if regular[-1].ends_on < recurrence.until:
            what = f"The calendar ends on {regular[-1].ends_on}, before {recurrence.until}."
            return [], [Fault("series", what, place, "Add the periods of the next year, or repeat it less.")]
    return _made(head, lines, days, regular, recurrence, place)


def _made(
    head: Journal,
    lines: Sequence[JournalLine],
    days: Sequence[date],
    regular: Sequence[Period],
    recurrence: Recurrence,
    place: Location,
) -> tuple[list[JournalOfSeries], list[Fault]]:
    rows: list[JournalOfSeries] = []
    for number, day in enumerate(days, 1):
        told = f"{head.description}, {number} of {len(days)}" if len(days) > 1 else head.description
        rows.append(JournalOfSeries(head._replace(date=day, description=told.strip(", ")), tuple(lines)))
        if not recurrence.reverses:
            continue
        after = next((row.starts_on for row in regular if row.starts_on > day), None)
        if after is None:
            what = f"No period follows {day}, in which it could be taken back."
            return [], [Fault("series", what, place, "Add the periods of the next year.")]
        back = head._replace(date=after, description=f"Reversal of {told}".strip())
        rows.append(JournalOfSeries(back, tuple(map(_turned, lines)), len(rows) - 1))
    if len(rows) > MOST:
        what = f"{len(rows)} journals would come of it; at most {MOST} do."
        return [], [Fault("series", what, place, "Let it end earlier.")]
    return rows, []


def _same_day(day: date, own: Period, other: Period) -> date:
    """The day of another period that stands where this one does: the last stays the last."""
    if day == own.ends_on:
        return other.ends_on
    return min(other.starts_on + timedelta(days=(day - own.starts_on).days), other.ends_on)


def _turned(line: JournalLine) -> JournalLine:
    return line._replace(debit=line.credit, credit=line.debit)


def numbered(rows: Sequence[JournalOfSeries], numbers: Sequence[str]) -> list[JournalOfSeries]:
    """The series under these numbers, reversals naming what they take back."""
    return [
        replace(
            row,
            head=row.head._replace(
                journal=number, reverses="" if row.reverses is None else numbers[row.reverses]
            ),
            lines=tuple(line._replace(journal=number) for line in row.lines),
        )
        for row, number in zip(rows, numbers, strict=True)
    ]
