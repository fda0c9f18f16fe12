"""Drafts: their changes in order, what they move, what must be put right before they are published."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from core.faults import LOOK, MUST
from core.money import digits_of
from core.periods import company_calendar
from core.state import State
from core.tables import Company, Group
from web.definitions import drafting, store
from web.definitions.models import Draft, DraftChange
from web.drafts import queries
from web.people.rights import CHANGE, acts, needs
from web.shell.acts import date_of, go, words_of
from web.shell.tabular import Money, attached
from web.statements.views import asked_period

MOST_ROWS = 400


def _draft(number: int) -> Draft:
    found = Draft.objects.select_related("author", "approved_by").filter(pk=number).first()
    if found is None:
        raise Http404
    return found


def _enter(request: HttpRequest, number: int | None) -> None:
    request.session.pop("as_of", None)
    if number is None:
        request.session.pop("draft", None)
    else:
        request.session["draft"] = number


def here(request: HttpRequest) -> str:
    """The page the person looks at, to come back to it."""
    address = request.headers.get("HX-Current-URL", "/").split("://", 1)[-1]
    return "/" + address.split("/", 1)[1] if "/" in address else "/"


@needs(CHANGE)
def drafts(request: HttpRequest, state: State) -> HttpResponse:
    """All drafts, those still open first."""
    rows = Draft.objects.select_related("author").order_by("-made_at")
    open_ones = [(row, len(drafting.changes_of(row))) for row in rows.filter(status__in=drafting.OPEN_ENDED)]
    done = list(rows.exclude(status__in=drafting.OPEN_ENDED).select_related("published_as")[:100])
    return render(request, "drafts/drafts.html", {"open": open_ones, "done": done})


@acts(CHANGE)
def new(request: HttpRequest, state: State) -> HttpResponse:
    made = drafting.start(words_of(request, "name", 200), request.user)
    _enter(request, made.pk)
    return go(here(request))


@acts(CHANGE)
def open_draft(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """From now on every page shows this draft, and changes go into it."""
    if _draft(number).status not in drafting.OPEN_ENDED:
        raise Http404
    _enter(request, number)
    return go(here(request))


@acts(CHANGE)
def leave(request: HttpRequest, state: State) -> HttpResponse:
    """Back to what is published; the draft stays."""
    _enter(request, None)
    return go(here(request))


def _along(request: HttpRequest, steps: int) -> HttpResponse:
    number = request.session.get("draft")
    if number is None:
        return HttpResponse(status=204)
    drafting.undo(number, steps)
    return go(here(request))


@acts(CHANGE)
def undo(request: HttpRequest, state: State) -> HttpResponse:
    return _along(request, -1)


@acts(CHANGE)
def redo(request: HttpRequest, state: State) -> HttpResponse:
    return _along(request, 1)


def asked(request: HttpRequest, state: State) -> queries.At:
    """The period of the address, or the likely one of the first company."""
    companies = sorted(state.rows(Company), key=lambda row: row.company)
    return queries.At(*asked_period(request, state, companies[0].calendar if companies else ""))


def shown(
    state: State, trees: list[queries.Tree]
) -> list[tuple[queries.Tree, list[tuple[Any, int, Any]], int]]:
    """Trees with their first rows, each with its currency's digits and whose it is, and how many more there
    are."""
    left, found = MOST_ROWS, []
    for tree in trees:
        whose: Any = Group if tree.kind == "group" else Company
        rows = []
        for row in tree.rows[:left]:
            holder = state.get(whose, row.company)
            rows.append((row, digits_of(holder.currency), holder))
        found.append((tree, rows, len(tree.rows) - len(rows)))
        left -= len(rows)
    return found


def moves_out(kind: str, name: str, state: State, trees: list[queries.Tree]) -> HttpResponse:
    """Every line that moves, as a file."""
    rows = []
    for tree in trees:
        whose: Any = Group if tree.kind == "group" else Company
        for row in tree.rows:
            digits = digits_of(state.get(whose, row.company).currency)  # type: ignore[attr-defined]
            amounts = (Money(row.was, digits), Money(row.now, digits), Money(row.difference, digits))
            rows.append((tree.title, row.line, row.label, row.company, *amounts))
    return attached(name, kind, ("tree", "line", "label", "company", "was", "now", "difference"), rows)


def periods_of(state: State) -> list[Any]:
    companies = sorted(state.rows(Company), key=lambda row: row.company)
    calendar = company_calendar(state, companies[0].company) if companies else None
    return [calendar.of_year(year) for year in reversed(calendar.years())] if calendar else []


@needs(CHANGE)
def draft(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """One draft: its changes, the list before publishing, the review."""
    head = _draft(number)
    made = drafting.working(head) if head.status in drafting.OPEN_ENDED else None
    items = made.items() if made else []
    by = {
        row.pk: row
        for row in DraftChange.objects.filter(pk__in=drafting.changes_of(head)).select_related("by")
    }
    collided: dict[int, list[Any]] = {}
    for collision in made.collisions if made else []:
        for step in drafting.touching(made.replayed, collision.table, collision.key):
            collided.setdefault(step, []).append((collision, store.key_text(collision.key)))
    return render(
        request,
        "drafts/draft.html",
        {
            "draft": head,
            "made": made,
            "items": items,
            "blocked": any(item.severity == MUST for item in items),
            "steps": (
                [(step, by[step.number], collided.get(step.number, [])) for step in made.replayed.steps]
                if made
                else []
            ),
            "sentences": [row.content for row in by.values()] if not made else [],
            "remarks": head.remarks.select_related("by").order_by("at", "pk"),
            "later": head.steps.filter(number__gt=head.at).exists(),
            "own": head.author_id == request.user.pk,
            "looks": sum(item.severity == LOOK for item in items),
            "today": timezone.localdate(),
            "at": asked(request, state),
        },
    )


@needs(CHANGE)
def moves(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """What a draft moves: published beside draft, only lines that differ."""
    head = _draft(number)
    made = drafting.working(head)
    at = asked(request, made.state)
    company = request.GET.get("company", "")
    only = frozenset([company]) if made.state.get(Company, company) else None
    trees = queries.moved(made.published.state, made.state, at, only)
    if kind := request.GET.get("file"):
        return moves_out(kind, f"moves-{number}", made.state, trees)
    whole = request.GET.get("part") is None
    return render(
        request,
        "drafts/moves.html" if whole else "drafts/moves_part.html",
        {
            "draft": head,
            "trees": shown(made.state, trees),
            "at": at,
            "company": company,
            "total": sum(len(t.rows) for t in trees),
            "companies": sorted(made.state.rows(Company), key=lambda row: row.name),
            "periods": periods_of(made.state),
            "period": next(
                (p for year in periods_of(made.state) for p in year if (p.fiscal_year, p.period) == at[:2]),
                None,
            ),
            "names": ("Published", "Draft"),
            "causes": reverse("draft-causes", args=[number]),
            "step": MOST_ROWS,
        },
    )


@needs(CHANGE)
def causes(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """The accounts behind one line that moves."""
    made = drafting.working(_draft(number))
    return causes_page(request, made.published.state, made.state, asked(request, made.state))


def causes_page(request: HttpRequest, before: State, after: State, at: queries.At) -> HttpResponse:
    kind, of, line, whose = (request.GET.get(name, "")[:40] for name in ("kind", "of", "line", "company"))
    row: Any = after.get(Group if kind == "group" else Company, whose)
    if row is None:
        raise Http404
    if kind == "group":
        found = queries.group_causes_of(before, after, at, of, line, whose)
    else:
        found = queries.causes_of(before, after, at, kind, of, line, whose)
    return render(
        request,
        "drafts/causes.html",
        {
            "found": found,
            "whose": row,
            "digits": digits_of(row.currency),
            "kind": kind,
            "of": of,
            "line": line,
            "at": at,
        },
    )


@acts(CHANGE)
def take_back(request: HttpRequest, state: State, number: int, change: int) -> HttpResponse:
    drafting.take_back(number, change)
    return go(reverse("draft", args=[number]))


@acts(CHANGE)
def settle(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Decides a collision for one of the two sides."""
    keep = request.POST.get("keep", "")
    if keep not in ("draft", "published"):
        raise Http404
    drafting.settle(number, request.POST.get("table", ""), request.POST.get("key", ""), keep)
    return go(reverse("draft", args=[number]))


@acts(CHANGE)
def publish(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Makes the draft the next version, or lets it wait for its date."""
    made = drafting.working(_draft(number))
    trees = queries.moved(made.published.state, made.state, asked(request, made.state))
    head = drafting.publish(
        number,
        request.user,
        reason=words_of(request, "reason"),
        on=date_of(request, "on"),
        today=timezone.localdate(),
        moved=sum(len(tree.rows) for tree in trees),
    )
    if head.status == Draft.PUBLISHED and request.session.get("draft") == number:
        _enter(request, None)
    return go(reverse("log") if head.status == Draft.PUBLISHED else reverse("draft", args=[number]))


@acts(CHANGE)
def say(request: HttpRequest, state: State, number: int) -> HttpResponse:
    verdict = request.POST.get("verdict", "")
    if verdict not in dict(drafting.DraftRemark.VERDICTS):
        raise Http404
    drafting.say(number, request.user, verdict, words_of(request, "text", 2000))
    return go(reverse("draft", args=[number]))


@acts(CHANGE)
def drop(request: HttpRequest, state: State, number: int) -> HttpResponse:
    drafting.drop(number)
    if request.session.get("draft") == number:
        _enter(request, None)
    return go(reverse("drafts"))
