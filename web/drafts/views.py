"""Drafts: their changes in order, what they move, what must be put right before they are published."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from django.http import Http404, HttpResponse, HttpResponseRedirect, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone
from django.utils.http import url_has_allowed_host_and_scheme

from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.drafts.replaying import touching
from core.faults import LOOK, MUST
from core.money import digits_of
from web.definitions import drafting, store
from web.definitions.models import Draft, DraftChange, DraftRemark
from web.definitions.posted import falling_then
from web.definitions.viewing import VIEW_FIELDS, OtherView, PineRequest, view_named
from web.drafts import queries
from web.drafts.seeing import drafts_seen, known_draft
from web.people.rights import CHANGE, REVIEW, companies_seen, needs, needs_post, sees, sees_everything
from web.sheets.changing import date_of, reload_at, words_of
from web.shell.asked import text
from web.shell.htmx import page_of
from web.shell.tabular import Money, attached
from web.statements.addresses import asked_period

MOST_ROWS = 400


def _enter(request: PineRequest, number: int | None) -> None:
    OtherView("", "", draft=number).open(request)


@needs_post(CHANGE)
def go_over(request: PineRequest, state: State) -> HttpResponse:
    """To the view of a link, where the person says so; or the same page in the view that they have."""
    stays = text(request.POST, "stay")
    other = view_named(request.user, request.viewed.snapshot.state, text(request.POST, "view", 40))
    if other is None:
        raise Http404
    if not stays:
        other.open(request)
    address = urlsplit(request.POST.get("to", "/"))
    asked = QueryDict(address.query, mutable=True)
    for name in VIEW_FIELDS:
        asked.pop(name, None)
    to = f"/{address.path.lstrip('/')}{'?' if asked else ''}{asked.urlencode()}"
    allowed = url_has_allowed_host_and_scheme(to, allowed_hosts=None)
    return HttpResponseRedirect(to if allowed else "/")


@needs(REVIEW)
def drafts(request: PineRequest, state: State) -> HttpResponse:
    """All drafts that the person may look at, those still open first."""
    to_do, ended = (
        Draft.objects.filter(status__in=drafting.OPEN_ENDED),
        Draft.objects.exclude(status__in=drafting.OPEN_ENDED),
    )
    open_ones = [(row, len(drafting.changes_of(row))) for row in drafts_seen(request.user, state, to_do)]
    done = drafts_seen(request.user, state, ended)[:100]
    return render(request, "drafts/drafts.html", {"open": open_ones, "done": done})


@needs_post(CHANGE)
def new(request: PineRequest, state: State) -> HttpResponse:
    draft = drafting.start(words_of(request, "name", 200), request.user)
    _enter(request, draft.pk)
    return reload_at(page_of(request))


@needs_post(CHANGE)
def open_draft(request: PineRequest, state: State, number: int) -> HttpResponse:
    """From now on every page shows this draft, and changes go into it."""
    if known_draft(request, number, to_work=True).status not in drafting.OPEN_ENDED:
        raise Http404
    _enter(request, number)
    return reload_at(page_of(request))


@needs_post(CHANGE)
def leave(request: PineRequest, state: State) -> HttpResponse:
    """Back to what is published; the draft stays."""
    _enter(request, None)
    return reload_at(page_of(request))


def _along(request: PineRequest, steps: int) -> HttpResponse:
    number = request.session.get("draft")
    if number is None:
        return HttpResponse(status=204)
    drafting.undo(known_draft(request, number, to_work=True).pk, steps)
    return reload_at(page_of(request))


@needs_post(CHANGE)
def undo(request: PineRequest, state: State) -> HttpResponse:
    return _along(request, -1)


@needs_post(CHANGE)
def redo(request: PineRequest, state: State) -> HttpResponse:
    return _along(request, 1)


def asked(request: PineRequest, state: State) -> queries.ComparedPeriod:
    """The period of the address, or the likely one of the first company."""
    companies = sorted(state.rows(Company), key=lambda row: row.company)
    return queries.ComparedPeriod(*asked_period(request, state, companies[0].calendar if companies else ""))


def shown(
    state: State, trees: list[queries.MovedTree]
) -> list[tuple[queries.MovedTree, list[tuple[Any, int, Any]], int]]:
    """Trees with their first rows, each with its currency's digits and whose it is, and how many more there
    are."""
    left, pairs = MOST_ROWS, []
    for tree in trees:
        rows = []
        for row in tree.rows[:left]:
            holder = _holder(state, tree, row.company)
            rows.append((row, digits_of(holder.currency), holder))
        pairs.append((tree, rows, len(tree.rows) - len(rows)))
        left -= len(rows)
    return pairs


def _holder(state: State, tree: queries.MovedTree, name: str) -> Group | Company:
    """The group or company whose figure moves."""
    row = state.get(Group, name) if tree.kind == "group" else state.get(Company, name)
    assert row is not None  # its figure was worked out on this state
    return row


def moves_out(kind: str, name: str, state: State, trees: list[queries.MovedTree]) -> HttpResponse:
    """Every line that moves, as a file."""
    rows = []
    for tree in trees:
        for row in tree.rows:
            digits = digits_of(_holder(state, tree, row.company).currency)
            amounts = (Money(row.was, digits), Money(row.now, digits), Money(row.difference, digits))
            rows.append((tree.title, row.line, row.label, row.company, *amounts))
    return attached(name, kind, ("tree", "line", "label", "company", "was", "now", "difference"), rows)


def periods_of(state: State) -> list[Any]:
    companies = sorted(state.rows(Company), key=lambda row: row.company)
    calendar = company_calendar(state, companies[0].company) if companies else None
    return [calendar.of_year(year) for year in reversed(calendar.years())] if calendar else []


@needs(REVIEW)
def draft(request: PineRequest, state: State, number: int) -> HttpResponse:
    """One draft: its changes, the list before publishing, the review."""
    draft_row = known_draft(request, number)
    open_draft = drafting.working(draft_row) if draft_row.status in drafting.OPEN_ENDED else None
    items = open_draft.items() if open_draft else []
    by = {
        row.pk: row
        for row in DraftChange.objects.filter(pk__in=drafting.changes_of(draft_row)).select_related("by")
    }
    collided: dict[int, list[Any]] = {}
    if open_draft:
        for collision in open_draft.collisions:
            for step in touching(open_draft.replayed, collision.table, collision.key):
                collided.setdefault(step, []).append((collision, store.key_text(collision.key)))
    return render(
        request,
        "drafts/draft.html",
        {
            "draft": draft_row,
            "made": open_draft,
            "items": items,
            "blocked": any(item.severity == MUST for item in items),
            "steps": (
                [(step, by[step.number], collided.get(step.number, [])) for step in open_draft.replayed.steps]
                if open_draft
                else []
            ),
            "sentences": [row.content for row in by.values()] if not open_draft else [],
            "remarks": draft_row.remarks.select_related("by").order_by("at", "pk"),
            "later": draft_row.steps.filter(number__gt=draft_row.at).exists(),
            "own": draft_row.author_id == request.user.pk,
            "falling": falling_then(open_draft.published.state, open_draft.state) if open_draft else "",
            "looks": sum(item.severity == LOOK for item in items),
            "today": timezone.localdate(),
            "at": asked(request, state),
        },
    )


@needs(REVIEW)
def moves(request: PineRequest, state: State, number: int) -> HttpResponse:
    """What a draft moves: published beside draft, only lines that differ."""
    draft_row = known_draft(request, number)
    open_draft = drafting.working(draft_row)
    at = asked(request, open_draft.state)
    company = request.GET.get("company", "")
    seen = {row.company for row in companies_seen(request.user, open_draft.state)}
    whole_group = sees_everything(request.user, open_draft.state)
    only = frozenset([company]) if company in seen else None if whole_group else frozenset(seen)
    trees = queries.moved(open_draft.published.state, open_draft.state, at, only)
    if kind := request.GET.get("file"):
        return moves_out(kind, f"moves-{number}", open_draft.state, trees)
    whole = request.GET.get("part") is None
    return render(
        request,
        "drafts/moves.html" if whole else "drafts/moves_part.html",
        {
            "draft": draft_row,
            "trees": shown(open_draft.state, trees),
            "at": at,
            "company": company,
            "total": sum(len(t.rows) for t in trees),
            "companies": companies_seen(request.user, open_draft.state),
            "periods": periods_of(open_draft.state),
            "period": next(
                (
                    p
                    for year in periods_of(open_draft.state)
                    for p in year
                    if (p.fiscal_year, p.period) == at[:2]
                ),
                None,
            ),
            "names": ("Published", "Draft"),
            "causes": reverse("draft-causes", args=[number]),
            "step": MOST_ROWS,
        },
    )


@needs(REVIEW)
def causes(request: PineRequest, state: State, number: int) -> HttpResponse:
    """The accounts behind one line that moves."""
    open_draft = drafting.working(known_draft(request, number))
    return causes_page(
        request, open_draft.published.state, open_draft.state, asked(request, open_draft.state)
    )


def causes_page(
    request: PineRequest, before: State, after: State, at: queries.ComparedPeriod
) -> HttpResponse:
    kind, of, line, whose = (request.GET.get(name, "")[:40] for name in ("kind", "of", "line", "whose"))
    row: Any = after.get(Group if kind == "group" else Company, whose)
    if row is None or not sees(request.user, after, "group" if kind == "group" else "company", whose):
        raise Http404
    if kind == "group":
        reasons = queries.group_causes_of(before, after, at, of, line, whose)
    else:
        reasons = queries.causes_of(before, after, at, kind, of, line, whose)
    return render(
        request,
        "drafts/causes.html",
        {
            "found": reasons,
            "whose": row,
            "digits": digits_of(row.currency),
            "kind": kind,
            "of": of,
            "line": line,
            "at": at,
        },
    )


@needs_post(CHANGE)
def take_back(request: PineRequest, state: State, number: int, change: int) -> HttpResponse:
    drafting.take_back(known_draft(request, number, to_work=True).pk, change)
    return reload_at(reverse("draft", args=[number]))


@needs_post(CHANGE)
def settle(request: PineRequest, state: State, number: int) -> HttpResponse:
    """Decides a collision for one of the two sides."""
    keep = request.POST.get("keep", "")
    if keep not in ("draft", "published"):
        raise Http404
    draft_row = known_draft(request, number, to_work=True)
    drafting.settle(draft_row.pk, request.POST.get("table", ""), request.POST.get("key", ""), keep)
    return reload_at(reverse("draft", args=[number]))


@needs_post(REVIEW)
def publish(request: PineRequest, state: State, number: int) -> HttpResponse:
    """Makes the draft the next version, or lets it wait for its date."""
    draft_row = drafting.publish(
        known_draft(request, number).pk,
        request.user,
        reason=words_of(request, "reason"),
        on=date_of(request, "on"),
        today=timezone.localdate(),
    )
    if draft_row.status == Draft.PUBLISHED and request.session.get("draft") == number:
        _enter(request, None)
    return reload_at(
        reverse("log") if draft_row.status == Draft.PUBLISHED else reverse("draft", args=[number])
    )


@needs_post(REVIEW)
def say(request: PineRequest, state: State, number: int) -> HttpResponse:
    verdict = request.POST.get("verdict", "")
    if verdict not in dict(DraftRemark.VERDICTS):
        raise Http404
    drafting.say(known_draft(request, number).pk, request.user, verdict, words_of(request, "text", 2000))
    return reload_at(reverse("draft", args=[number]))


@needs_post(CHANGE)
def drop(request: PineRequest, state: State, number: int) -> HttpResponse:
    drafting.drop(known_draft(request, number, to_work=True).pk)
    if request.session.get("draft") == number:
        _enter(request, None)
    return reload_at(reverse("drafts"))
