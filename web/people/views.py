"""People for group accountants; one's own password; the page behind a one-time link."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import login, update_session_auth_hash
from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.debug import sensitive_post_parameters

from core.definitions.state import State
from core.definitions.tables import Overlay
from core.faults import Fault, Location, Refused
from core.structures.overlays import SeenAs, languages
from core.writing import LOCALES, way_of
from web.definitions.viewing import PineRequest
from web.people import actions, second_factor
from web.people.models import Person
from web.people.rights import ADMINISTER, OPEN, SIGNED_IN, companies_seen, needs, needs_post
from web.people.tries import TooManyTries, is_right
from web.shell.asked import text
from web.shell.failing import locked_out
from web.shell.htmx import page_of, reload_at

BACKEND = "django.contrib.auth.backends.ModelBackend"


def _known(name: str) -> Person:
    person_row = Person.objects.filter(username=name).first()
    if person_row is None:
        raise Http404
    return person_row


def _page(
    request: PineRequest,
    state: State,
    *,
    faults: Any = (),
    link: str = "",
    chosen: Person | None = None,
    form: Any = None,
) -> HttpResponse:
    rows = list(
        Person.objects.prefetch_related("companies", "teams__granted__role", "granted__role").order_by(
            "-is_active", "first_name", "last_name", "username"
        )
    )
    for row in rows:
        row.know_grants()
    return render(
        request,
        "people/people.html",
        {
            "rows": rows,
            "faults": faults,
            "link": link,
            "chosen": chosen,
            "roles": Person.Role.choices,
            "companies": companies_seen(request.user, state),
            "events": chosen.events.order_by("-at", "-pk")[:12] if chosen else [],
            "form": form or _form_of(chosen),
        },
        status=422 if faults else 200,
    )


def _form_of(person: Person | None) -> dict[str, object]:
    if person is None:
        return {"username": "", "name": "", "role": Person.Role.COMPANY, "companies": [], "restricted": False}
    names = sorted(company.company for company in person.companies.all())
    return {
        "username": person.username,
        "name": person.get_full_name(),
        "role": person.role,
        "companies": names,
        "restricted": person.posts_restricted,
    }


@needs(ADMINISTER, published=True)
def people(request: PineRequest, state: State) -> HttpResponse:
    """Everybody who signs in; with `who` one of them in the proof leaf."""
    who = text(request.GET, "who", 150)
    return _page(request, state, chosen=_known(who) if who else None)


def chosen_companies(request: PineRequest) -> list[str]:
    """Those ticked; ids parted by commas are taken too."""
    parts = (part.strip() for value in request.POST.getlist("companies") for part in value.split(","))
    return list(dict.fromkeys(part for part in parts if part))


@needs_post(ADMINISTER, published=True)
def change(request: PineRequest, state: State) -> HttpResponse:
    """One act on a person: add, change, switch on or off, give a link."""
    act, who = text(request.POST, "act"), text(request.POST, "who", 150)
    given = {name: text(request.POST, name, 300) for name in ("username", "name", "role")}
    companies = chosen_companies(request)
    restricted = bool(text(request.POST, "restricted"))
    chosen = _known(who) if who else None
    link = ""
    try:
        if chosen is None:
            chosen = actions.add(
                given["username"],
                given["name"],
                given["role"],
                companies,
                request.user,
                posts_restricted=restricted,
            )
            link = _address(request, actions.link_for(chosen, request.user))
        elif act == "change":
            chosen = actions.change(
                chosen,
                given["name"],
                given["role"],
                companies,
                request.user,
                posts_restricted=restricted,
            )
        elif act in ("on", "off"):
            chosen = actions.switch(chosen, act == "on", request.user)
        elif act == "factor-off":
            second_factor.switch_off(chosen, request.user)
        elif act == "link":
            link = _address(request, actions.link_for(chosen, request.user))
        else:
            raise Http404
    except Refused as refused:
        return _page(
            request,
            state,
            faults=refused.faults,
            chosen=chosen,
            form={**given, "restricted": restricted} if act in ("add", "change") else None,
        )
    if link:
        return _page(request, state, link=link, chosen=chosen)
    return HttpResponseRedirect(f"{reverse('people')}?who={chosen.username}")


def _address(request: PineRequest, token: str) -> str:
    return request.build_absolute_uri(reverse("one-time-link", args=[token]))


@needs(SIGNED_IN, published=True, posts=True)
def own(request: PineRequest, state: State) -> HttpResponse:
    """One's own password: the one of now, and another."""
    person: Any = request.user
    faults: list[Fault] = []
    if request.method == "POST":
        try:
            now = request.POST.get("now", "")
            if not is_right(request, person, lambda: person.check_password(now)):
                raise Refused(
                    [
                        Fault(
                            "password",
                            "This is not your password of now.",
                            Location(column="now"),
                            "Type it anew.",
                        )
                    ]
                )
            actions.set_password(person, _twice(request))
            update_session_auth_hash(request, person)
            return render(request, "people/own.html", _own_page(request, done=True))
        except TooManyTries:
            return locked_out(request)
        except Refused as refused:
            faults = refused.faults
    return render(
        request, "people/own.html", _own_page(request, faults=faults), status=422 if faults else 200
    )


LETTERS = (("", "at once"), ("alt", "with Alt"), ("off", "not at all"))


def _own_page(request: PineRequest, **more: Any) -> dict[str, Any]:
    ways = [("", f"I didn't say: {way_of('').example}, and what is plain is read")]
    ways += [(locale, way_of(locale).example) for locale in LOCALES]
    return {"ways": ways, "letters": LETTERS, **more}


@needs_post(SIGNED_IN)
def own_settings(request: PineRequest, state: State) -> HttpResponse:
    """How the person writes numbers, whether single letters are keys and lists leave out closed codes."""
    writing, letters = text(request.POST, "writing", 5), text(request.POST, "letters", 5)
    if writing not in ("", *LOCALES) or letters not in dict(LETTERS):
        raise Http404
    hides = text(request.POST, "closed", 6) == "hidden"
    Person.objects.filter(pk=request.user.pk).update(writing=writing, letters=letters, hides_closed=hides)
    return reload_at(reverse("own-password"))


@needs_post(SIGNED_IN)
def closed_codes(request: PineRequest, state: State) -> HttpResponse:
    """Whether lists leave out the codes that are out of use, from now on and for this person."""
    hides = text(request.POST, "closed", 6) == "hidden"
    Person.objects.filter(pk=request.user.pk).update(hides_closed=hides)
    return reload_at(page_of(request))


def _twice(request: PineRequest) -> str:
    """A new password, typed alike twice. Raises Refused."""
    password = request.POST.get("password", "")
    if password != request.POST.get("again", ""):
        raise Refused(
            [Fault("password", "The two are not alike.", Location(column="again"), "Type it twice.")]
        )
    return password


@sensitive_post_parameters()
@needs(OPEN, posts=True)
def one_time_link(request: PineRequest, token: str) -> HttpResponse:
    """Whoever holds the link sets the password, once; the first of a new database gives a name too."""
    link = actions.link_of(token)
    if link is None:
        return render(request, "people/link.html", {"gone": True}, status=404)
    faults: list[Fault] = []
    given = {name: text(request.POST, name, 300) for name in ("username", "name")}
    if request.method == "POST":
        try:
            person = actions.use(token, _twice(request), given["username"], given["name"])
            if person.factor:
                return HttpResponseRedirect(reverse("sign-in"))
            login(request, person, backend=BACKEND)
            return HttpResponseRedirect("/")
        except Refused as refused:
            faults = refused.faults
    return render(
        request,
        "people/link.html",
        {"person": link.person, "faults": faults, "given": given},
        status=422 if faults else 200,
    )


@needs_post(SIGNED_IN)
def see_as(request: PineRequest, state: State) -> HttpResponse:
    """What the person sees codes as from now on: an overlay's numbers and names, names in a language."""
    seen = SeenAs(text(request.POST, "overlay", 40), text(request.POST, "language", 40))
    if (seen.overlay and state.get(Overlay, seen.overlay) is None) or (
        seen.language and seen.language not in languages(state)
    ):
        raise Http404
    Person.objects.filter(pk=request.user.pk).update(overlay=seen.overlay, language=seen.language)
    return reload_at(page_of(request))
