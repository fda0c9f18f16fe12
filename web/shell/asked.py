"""What an address, a form or a JSON body gives, read in one way: a value of its kind, or what stands for
none.

Whatever can be typed into an address ends here, through Django's fields: a number is ASCII digits within
bounds, a text has no characters that no text may hold, a way back leads nowhere but into this application.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from datetime import date
from functools import lru_cache
from typing import Any

from django import forms
from django.core.exceptions import ValidationError
from django.http import HttpRequest, RawPostDataException
from django.utils.http import url_has_allowed_host_and_scheme

from core.definitions.parsing import CONTROL, HALF
from core.faults import Fault, Location, Refused

DIGITS = re.compile(r"[0-9]{1,18}", re.ASCII)
DAY = forms.DateField(required=False, input_formats=["%Y-%m-%d"])
DEEPEST_JSON = 20
LONGEST_JSON = 4_000_000


class WholeNumber(forms.IntegerField):
    """ASCII digits alone: Python reads signs, underscores and other scripts' digits as numbers too."""

    def to_python(self, value: Any) -> int | None:
        if value and not DIGITS.fullmatch(str(value)):
            raise ValidationError(self.error_messages["invalid"], code="invalid")
        return super().to_python(value)


class PlainText(forms.CharField):
    """Text without characters that no text may hold, without blanks around it."""

    def to_python(self, value: Any) -> str:
        return HALF.sub("", CONTROL.sub("", super().to_python(value) or "")).strip()


@lru_cache
def _whole_number(most: int) -> WholeNumber:
    return WholeNumber(required=False, min_value=0, max_value=most)


def _written(given: Mapping[str, Any], name: str) -> str:
    """What was written there; JSON may hold anything else, which is nothing."""
    value = given.get(name)
    return value if isinstance(value, str) else ""


PLAIN_TEXT = PlainText(required=False)


def number(
    given: Mapping[str, Any], name: str, otherwise: int | None = None, most: int = 10**9
) -> int | None:
    """A whole number from 0 to `most`; anything else gives `otherwise`."""
    try:
        number_given: int | None = _whole_number(most).clean(_written(given, name))
    except ValidationError:
        return otherwise
    return otherwise if number_given is None else number_given


def whole(given: Mapping[str, Any], name: str, otherwise: int = 0, most: int = 10**9) -> int:
    """Like `number`, where there is always one."""
    number_given = number(given, name, otherwise, most)
    return otherwise if number_given is None else number_given


def text(given: Mapping[str, Any], name: str, most: int = 200) -> str:
    """A text without characters that no text may hold, cut at `most`."""
    return str(PLAIN_TEXT.to_python(_written(given, name)))[:most]


def day(given: Mapping[str, Any], name: str) -> date | None:
    """A date written 2026-09-30; None where there is none, or none that can be read."""
    try:
        day_given: date | None = DAY.clean(_written(given, name))
    except ValidationError:
        return None
    return day_given


def required_day(given: Mapping[str, Any], name: str) -> date | None:
    """A date of a form; None where it is empty. Raises Refused where it can't be read."""
    written = (given.get(name) or "").strip()
    if not written:
        return None
    if (day_given := day({name: written}, name)) is None:
        raise Refused(
            [Fault("cell-unreadable", "A date is written 2026-09-30.", Location(column=name, value=written))]
        )
    return day_given


def listed(given: Mapping[str, Any], name: str, most: int = 20_000) -> list[str]:
    """Ids or codes parted by commas, each once, in order."""
    parts = (part.strip() for part in text(given, name, 1_000_000).split(","))
    return list(dict.fromkeys(part for part in parts if part))[:most]


def back(request: HttpRequest, otherwise: str = "") -> str:
    """A way back that the address names: a path of this application, or `otherwise`."""
    wanted = request.GET.get("back", "")
    safe = wanted.startswith("/") and url_has_allowed_host_and_scheme(wanted, allowed_hosts=None)
    return wanted if safe and not CONTROL.search(wanted) else otherwise


def json_body(request: HttpRequest) -> dict[str, Any]:
    """The object that a JSON body holds; its numbers are texts as they were written. Raises Refused where
    there is none."""
    try:
        body = request.body.decode()
        if len(body) > LONGEST_JSON or _depth(body) > DEEPEST_JSON:
            raise ValueError
        content = json.loads(body, parse_float=str, parse_int=str, parse_constant=str)
        json.dumps(content, ensure_ascii=False).encode()  # halves of characters can't be written
        if not isinstance(content, dict) or "\\u0000" in body:
            raise ValueError
    except (ValueError, RecursionError, RawPostDataException):
        raise Refused(
            [Fault("unreadable", "What was sent could not be read.", way_out="Load the page again.")]
        ) from None
    return content


def _depth(body: str) -> int:
    """How deep brackets stand in one another at most; those inside of texts count too, which only errs on the
    safe side."""
    deepest = depth = 0
    for mark in re.findall(r"[\[\]{}]", body):
        depth += 1 if mark in "[{" else -1
        deepest = max(deepest, depth)
    return deepest
