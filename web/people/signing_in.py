"""Signing in by name and password, with a code of a second factor where there is one; one's own factor."""

from __future__ import annotations

import time
from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.debug import sensitive_post_parameters

from core.definitions.state import State
from core.faults import Refused
from web.definitions.viewing import PineRequest
from web.people import second_factor
from web.people.models import Person
from web.people.rights import OPEN, SIGNED_IN, needs
from web.people.single_sign_on import BACKEND
from web.people.tries import TooManyTries, is_right
from web.shell.asked import text
from web.shell.failing import locked_out

LASTS = 300
"""Seconds in which the code has to follow the password."""
WAITING = ("factor_for", "factor_since", "factor_next")


class SignIn(LoginView):
    """By name and password; somebody with a second factor goes on to its page, not yet signed in."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True

    def get_context_data(self, **more: Any) -> dict[str, Any]:
        single = settings.SINGLE_SIGN_ON
        return {**super().get_context_data(**more), "single": single["name"] if single["discovery"] else ""}

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        person: Any = form.get_user()
        if not person.factor:
            return super().form_valid(form)
        session = self.request.session
        session.cycle_key()
        values = (person.pk, int(time.time()), self.get_success_url())
        session.update(dict(zip(WAITING, values, strict=True)))
        return HttpResponseRedirect(reverse("sign-in-code"))


def _waiting(request: HttpRequest) -> Person | None:
    """Who gave their password a moment ago."""
    since = request.session.get("factor_since", 0)
    if time.time() - since > LASTS:
        return None
    return Person.objects.filter(pk=request.session["factor_for"], is_active=True).exclude(factor="").first()


@sensitive_post_parameters()
@needs(OPEN, posts=True)
def code(request: HttpRequest) -> HttpResponse:
    """The code behind the password. Wrong ones count as wrong passwords do."""
    person = _waiting(request)
    if person is None:
        return HttpResponseRedirect(reverse("sign-in"))
    wrong, given = False, text(request.POST, "code", 60)
    if request.method == "POST":
        try:
            right = is_right(request, person, lambda: second_factor.fits(person, given))
        except TooManyTries:
            right = False
        if right:
            onward = str(request.session.get("factor_next") or "/")
            for name in WAITING:
                request.session.pop(name, None)
            login(request, person, backend=BACKEND)
            return HttpResponseRedirect(onward)
        wrong = True
    context = {"person": person, "wrong": wrong, "opens": second_factor.opens(person)}
    return render(request, "people/code.html", context, status=422 if wrong else 200)


@sensitive_post_parameters()
@needs(SIGNED_IN, published=True, posts=True)
def own_factor(request: PineRequest, state: State) -> HttpResponse:
    """One's own second factor: shown as a drawing until its first code is given; taken off, or given other
    recovery codes, with password and code. Recovery codes are shown once, by the act that makes them."""
    person, faults = request.user, []
    given = {name: text(request.POST, name, 200) for name in ("act", "code", "now")}
    if request.method == "POST":
        try:
            if codes := _act(request, given):
                return render(request, "people/recovery.html", {"codes": codes})
            return HttpResponseRedirect(reverse("own-factor"))
        except TooManyTries:
            return locked_out(request)
        except Refused as refused:
            faults = refused.faults
    secret = request.session.get("factor_new", "")
    if not person.factor and not secret:
        secret = request.session["factor_new"] = second_factor.new_secret()
    context = {"faults": faults, "has": bool(person.factor), "left": len(person.factor_recovery)}
    if not person.factor:
        context |= {"secret": secret, "drawing": second_factor.drawing(person, secret)}
    return render(request, "people/factor.html", context, status=422 if faults else 200)


def _act(request: PineRequest, given: dict[str, str]) -> list[str]:
    """Recovery codes where the act makes them. Raises Refused, TooManyTries."""
    person = request.user
    if given["act"] == "on" and not person.factor:
        codes = second_factor.switch_on(person, request.session.get("factor_new", ""), given["code"])
        request.session.pop("factor_new", None)
        return codes
    if given["act"] not in ("off", "recovery") or not person.factor:
        return []
    if not is_right(request, person, lambda: person.check_password(given["now"])):
        raise second_factor.wrong("now", "This is not your password of now.")
    if not is_right(request, person, lambda: second_factor.fits(person, given["code"])):
        raise second_factor.wrong("code", "This is not the code of now.")
    if given["act"] == "recovery":
        return second_factor.new_recovery(person)
    second_factor.switch_off(person, person)
    return []
