"""A question before an act that takes more with it than what was named: what goes, and the ways there are."""

from __future__ import annotations

from typing import NamedTuple

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from web.shell.htmx import among_messages

FIELD = "decided"


class Choice(NamedTuple):
    """One way to go on: `value` is what `decided` then gives."""

    value: str
    label: str


def decided(request: HttpRequest) -> str:
    """What the person answered; empty where nothing was asked yet."""
    return request.POST.get(FIELD, "")


def ask(request: HttpRequest, sentence: str, *choices: Choice, why: bool = False) -> HttpResponse:
    """The question in the place for messages; an answer sends the same form again with `decided`, and `why`
    if it is asked."""
    fields = [
        (name, value)
        for name, values in request.POST.lists()
        if name not in (FIELD, "why")
        for value in values
    ]
    reply = render(
        request,
        "shell/question.html",
        {
            "sentence": sentence,
            "choices": choices,
            "fields": fields,
            "address": request.get_full_path(),
            "why": why,
        },
    )
    return among_messages(reply)
