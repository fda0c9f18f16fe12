"""Remarks on a statement's lines at the end of a period, of a company or a group: numbered in the statement's
order, they are printed as notes below it.

They hang on a line's id, so they stay when lines move. One that was taken away is kept with who took it away.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from django.db.models import QuerySet
from django.http import Http404, HttpResponse
from django.utils import timezone

from core.access.rights import Owner, Right
from core.definitions.state import State
from core.definitions.tables import StatementLine
from core.faults import Fault, Location, Refused
from core.statements.plans import Plan, line_title
from web.definitions.viewing import PineRequest
from web.people.rights import SIGNED_IN, needs_post, sees
from web.sheets.changing import reload_at, words_of
from web.shell.asked import whole
from web.shell.htmx import page_of
from web.statements.models import LineRemark


class Note(NamedTuple):
    """A remark as it is printed: its number, the line's title, what it says, by whom and when."""

    number: int
    line: str
    title: str
    text: str
    by: str
    at: datetime
    remark: int

    def sentence(self) -> str:
        return f"{self.number} {self.title}: {self.text} ({self.by}, {self.at:%Y-%m-%d})"


@dataclass(frozen=True, slots=True)
class RemarksAt:
    """On a statement of a company or a group (the other is empty) at the end of a period."""

    statement: str
    company: str
    group: str
    year: int
    period: int

    def rows(self) -> QuerySet[LineRemark]:
        return LineRemark.objects.filter(
            statement=self.statement,
            company=self.company,
            group=self.group,
            fiscal_year=self.year,
            period=self.period,
            ended_at=None,
        )

    def notes(self, plan: Plan) -> list[Note]:
        """In the order of the lines; of lines that are gone last."""
        rows = list(self.rows().select_related("by").order_by("at", "pk"))
        rows.sort(key=lambda row: plan.index.get(row.line, len(plan.lines)))
        return [
            Note(number, row.line, _title(plan, row.line), row.text, row.by.shown_name(), row.at, row.pk)
            for number, row in enumerate(rows, 1)
        ]


def _title(plan: Plan, line: str) -> str:
    at = plan.index.get(line)
    return line_title(plan.lines[at].row) if at is not None else f"{line} (a line that is gone)"


def numbers_of(notes: Iterable[Note]) -> dict[str, str]:
    """By line the numbers of its notes, as they stand behind its label."""
    numbers: dict[str, list[str]] = {}
    for note in notes:
        numbers.setdefault(note.line, []).append(str(note.number))
    return {line: " ".join(some) for line, some in numbers.items()}


def _asked(request: PineRequest, state: State, statement: str) -> RemarksAt:
    """Whose remarks a form is about. Raises Http404 where the person may not write any: journals of the
    company must be theirs to enter, the group's definitions theirs to change."""
    company, group = words_of(request, "company", 40), words_of(request, "group", 40)
    kind, name = ("group", group) if group else ("company", company)
    right = Right.DEFINE if group else Right.ENTER
    may = request.user.access(state).may(right, Owner(kind, name))
    if not may or not sees(request.user, state, kind, name):
        raise Http404
    year, period = whole(request.POST, "year", 0, 9999), whole(request.POST, "period", 0, 9999)
    return RemarksAt(statement, "" if group else company, group, year, period)


@needs_post(SIGNED_IN)
def remark(request: PineRequest, state: State, statement: str) -> HttpResponse:
    """Adds a remark to a line."""
    at, line, text = (
        _asked(request, state, statement),
        words_of(request, "line", 40),
        words_of(request, "text", 2000),
    )
    if state.get(StatementLine, statement, line) is None:
        raise Http404
    if not text:
        raise Refused([Fault("cell-empty", "The remark is empty.", Location(column="text"))])
    LineRemark.objects.create(
        statement=at.statement,
        line=line,
        company=at.company,
        group=at.group,
        fiscal_year=at.year,
        period=at.period,
        text=text,
        at=timezone.now(),
        by=request.user,
    )
    return reload_at(page_of(request))


@needs_post(SIGNED_IN)
def end_remark(request: PineRequest, state: State, statement: str, number: str) -> HttpResponse:
    """Takes a remark away; it is kept with who did."""
    at = _asked(request, state, statement)
    ended = at.rows().filter(pk=whole({"n": number}, "n"))
    if not ended.update(ended_at=timezone.now(), ended_by=request.user):
        raise Http404
    return reload_at(page_of(request))
