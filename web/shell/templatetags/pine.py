"""Small things every page shows: amounts, marks, chips, addresses that keep the state."""

from __future__ import annotations

from datetime import date
from fractions import Fraction
from typing import Any

from django import template
from django.utils.html import format_html
from django.utils.http import urlencode
from django.utils.safestring import SafeString

from core.codes import columns
from core.definitions.tables import Code
from core.money import show_amount, show_percent, show_quantity, show_rate

register = template.Library()
ROMAN = ("", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X")


@register.filter
def amount(minor: int | None, digits: int) -> str:
    return show_amount(minor, digits)


@register.filter
def quantity(value: int | None, digits: int) -> str:
    return show_quantity(value, digits)


@register.filter
def closed_words(code: Code) -> str:
    """Why a code is out of use today; empty where it isn't."""
    return columns.closed_words(code, date.today())


@register.filter
def roman(number: int) -> str:
    return ROMAN[number] if number < len(ROMAN) else str(number)


@register.filter
def item(mapping: Any, key: Any) -> Any:
    return mapping.get(key)


@register.filter
def spaced(text: str) -> str:
    """A choice as the package writes it, in words."""
    return text.replace("_", " ")


@register.filter
def parts(text: str) -> list[str]:
    return text.split(",")


@register.filter
def clip(number: int, most: int) -> int:
    return min(number, most)


@register.simple_tag
def key(letter: str) -> SafeString:
    return format_html("<kbd>{}</kbd>", letter)


@register.simple_tag(takes_context=True)
def here(context: Any, **changes: Any) -> str:
    """This page's address with some of its state changed; an empty value takes it out."""
    values: dict[str, Any] = dict(context["request"].GET.lists())
    for name, value in changes.items():
        if value in ("", None):
            values.pop(name, None)
        else:
            values[name] = value
    text = urlencode(values, doseq=True)
    return f"?{text}" if text else "?"


@register.simple_tag(takes_context=True)
def sorting(context: Any, name: str, title: str) -> str:
    """The head of a column of codes that sorts by it, the other way round where it does already."""
    now = str(context["request"].GET.get("sort", "")) or "code"
    way = {name: "ascending", f"-{name}": "descending"}.get(now, "")
    address = here(context, sort=f"-{name}" if now == name else name)
    mark = format_html(' aria-sort="{}"', way) if way else ""
    return format_html('<th scope="col"{}><a class="sorts" href="{}">{}</a></th>', mark, address, title)


@register.filter
def credit_of(line: Any, digits: int) -> str:
    return show_amount(-line.keyed, digits)


@register.filter
def flipped(minor: int | None) -> int | None:
    return None if minor is None else -minor


@register.filter
def words(text: str) -> list[str]:
    return text.split()


@register.filter(name="with")
def with_name(names: tuple[str, ...], name: str) -> str:
    """Names as an address has them, with one more."""
    return ",".join(dict.fromkeys([*names, name]))


@register.filter
def without(names: tuple[str, ...], name: str) -> str:
    return ",".join(one for one in names if one != name)


@register.filter
def period_key(period: Any) -> str:
    """A period as an address names it: 2026-9."""
    return f"{period.fiscal_year}-{period.period}"


@register.filter
def percent(share: Fraction) -> str:
    """A share in per cent."""
    return show_percent(share)


@register.filter
def as_rate(rate: Fraction) -> str:
    """A rate between whole units."""
    return show_rate(rate)
