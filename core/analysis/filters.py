"""Filters: `season=SP26,AU26; site=under 310; channel=none` → the codes that each field may hold.

A part says FIELD=SELECTOR; all parts must hold. `none` stands for an empty field and may stand beside codes,
before `except`; `all` doesn't hold it. Source: docs/exchange-format.md, "Columns, filters, stretches of
time".
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from core.codes.lists import list_index
from core.codes.selector_text import parse
from core.codes.selectors import pick
from core.definitions.state import State
from core.faults import WrongCall
from core.structures.accounts import parse_dimensions
from core.structures.charts import ChartIndex, Field

NONE = "none"
"""What an empty field is called in a filter and over a column."""
EXCEPT = re.compile(r"(?<![0-9A-Za-z_-])except(?![0-9A-Za-z_*-])", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Condition:
    """A field with the codes that fit, as written and worked out; `takes_none`: an empty field fits too."""

    field: str
    text: str
    codes: frozenset[str]
    takes_none: bool

    def fits(self, code: str) -> bool:
        return code in self.codes if code else self.takes_none


Filter = tuple[Condition, ...]


def chart_field(chart: ChartIndex, name: str) -> Field:
    """A segment or dimension of a chart. Raises WrongCall where there is none of this name."""
    field = chart.field(name)
    if field is not None and ":" in name:
        level_of(name)
    if field is None:
        raise WrongCall(
            f"There is no segment or dimension {name or '(without a name)'} in chart {chart.chart}."
        )
    return field


def level_of(name: str) -> int:
    """Of `site:1` 1: codes stand for what is above them on that level of their main hierarchy; 0 for a field
    alone. Raises WrongCall for a level that is none."""
    _, parted, level = name.partition(":")
    if not parted:
        return 0
    if not level.isdecimal() or not 0 < int(level) < 100:
        raise WrongCall(f"'{name}' is not written as a field and a level, as site:1.")
    return int(level)


def parse_filter(state: State, chart: ChartIndex, text: str) -> Filter:
    """Raises WrongCall for a field, code or spelling that there isn't, and for a rollup code by itself."""
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if text.strip() and not parts:
        raise WrongCall(f"'{text.strip()}' names no field.")
    return tuple(_condition(state, chart, part) for part in parts)


def _condition(state: State, chart: ChartIndex, part: str) -> Condition:
    name, equals, selector = (piece.strip() for piece in part.partition("="))
    if not equals:
        raise WrongCall(f"'{part}' is not written as field=codes.")
    if ":" in name:
        raise WrongCall(
            f"{name}: a filter asks for what is under a code, as {name.partition(':')[0]}=under 1."
        )
    field = chart_field(chart, name)
    codes_text, takes_none = _without_none(selector)
    if not codes_text and takes_none:
        return Condition(name, selector, frozenset(), True)
    picked = pick(state, field.code_list, codes_text)
    faults = [*picked.faults, *_rollups_alone(state, field, codes_text)]
    if faults:
        raise WrongCall(f"{name}: {' '.join(faults)}")
    return Condition(name, selector, picked.codes, takes_none)


def toggled(text: str, field: str, item: str) -> str:
    """The filter with an item (a code, `under` a rollup code, `none`) of a field put in, or taken out where
    it is
    there. A part that takes codes away gives way to the item alone."""
    parts = [part.strip() for part in text.split(";") if part.strip()]
    kept, items = [], list[str]()
    for part in parts:
        name, _, selector = (piece.strip() for piece in part.partition("="))
        if name != field:
            kept.append(part)
        elif not EXCEPT.search(selector):
            items += [one.strip() for one in selector.split(",")]
    items = [one for one in items if one != item] if item in items else [*items, item]
    return "; ".join([*kept, *([f"{field}={', '.join(items)}"] if items else [])])


def of_column(text: str, chart: ChartIndex, name: str, code: str) -> str:
    """The filter with what a column by codes asks for: a code of a field, or on a level what is under it."""
    field = chart.field(name)
    row = field.codes.get(code) if field else None
    is_above = bool(level_of(name) and row and row.rollup)
    return with_condition(text, name.partition(":")[0], f"under {code}" if is_above else code)


def with_condition(text: str, field: str, item: str) -> str:
    """The filter with one more part that must hold."""
    return "; ".join(part for part in (text.strip().rstrip(";"), f"{field}={item or NONE}") if part)


def _without_none(selector: str) -> tuple[str, bool]:
    """The selector without `none` among what it picks, and whether it was there."""
    found = EXCEPT.search(selector)
    head, tail = (selector[: found.start()], selector[found.start() :]) if found else (selector, "")
    items = [item.strip() for item in head.split(",")]
    codes = [item for item in items if item.lower() != NONE]
    if len(codes) == len(items):
        return selector, False
    return f"{', '.join(codes)} {tail}".strip(), True


def _rollups_alone(state: State, field: Field, selector: str) -> Iterable[str]:
    codes = list_index(state, field.code_list).codes
    parsed = parse(selector)
    for item in (*parsed.items, *parsed.taken_away):
        if item.kind == "code" and (row := codes.get(item.first)) and row.rollup:
            yield f"{item.first} is a rollup code; 'under {item.first}' picks what is below it."


def code_in_string(chart: ChartIndex, field: str, account: str) -> str:
    """The code that an account string has in a segment; empty where it has none."""
    return chart.codes_of(account)[chart.index[field]]


def code_in_combination(field: str, dimensions: str) -> str:
    """The code that a dimension combination has of a dimension; empty where it has none."""
    return parse_dimensions(dimensions)[0].get(field, "")
