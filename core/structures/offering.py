"""What is offered while an account is keyed: only what could be posted to, on the date, by this company."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import NamedTuple

from core.codes.lists import in_use, list_index, lowered
from core.definitions.state import State
from core.definitions.tables import Code
from core.structures.charts import ChartIndex, CompanyContext, Field
from core.structures.quick_codes import is_for, quick_codes

MOST = 30


class Offer(NamedTuple):
    """`text` is what the whole cell would then be, `code` and `name` what is shown."""

    text: str
    code: str
    name: str


def _matching(state: State, code_list: str, text: str) -> Iterator[Code]:
    """Codes that begin with a text, then those whose name has it."""
    codes, small = list_index(state, code_list).codes, text.lower()
    names = lowered(state, code_list)
    yield from (codes[code] for code, _ in names if code.startswith(text))
    yield from (codes[code] for code, name in names if small and small in name and not code.startswith(text))


def codes_offered(state: State, seated: CompanyContext, field: Field, text: str, on: date) -> list[Code]:
    """Codes of a segment or dimension that take amounts on a date and are open for the company."""
    chart, rows = seated.chart, []
    own = chart.company >= 0 and chart.segments[chart.company].name == field.name
    natural = chart.natural >= 0 and chart.segments[chart.natural].name == field.name
    for row in _matching(state, field.code_list, text):
        if (
            not row.takes_amounts
            or row.is_statistic
            or not row.enabled
            or not in_use(row, on)
            or (own and row.code not in seated.codes)
        ):
            continue
        if natural and (row.code in seated.shut or (seated.open is not None and row.code not in seated.open)):
            continue
        rows.append(row)
        if len(rows) == MOST:
            break
    return rows


def accounts_offered(
    state: State, seated: CompanyContext, text: str, on: date, person: str | None
) -> list[Offer]:
    """Quick codes of the person that a text begins, then codes of the segment that is being keyed, in the
    shown order."""
    chart = seated.chart
    parts = text.split(chart.separator)
    at = len(parts) - 1
    if at >= len(chart.segments):
        return []
    behind = at == 1 and chart.company == chart.order[0] and parts[0] in seated.codes
    quick = [
        Offer(row.quick_code, row.quick_code, chart.shown(row.account))
        for row in sorted(quick_codes(state, chart.chart).values())
        if parts[-1]
        and (at == 0 or behind)
        and row.quick_code.startswith(parts[-1])
        and is_for(row, seated.company, person)
    ]
    before = chart.separator.join(parts[:-1]) + (chart.separator if at else "")
    tail = chart.separator if at + 1 < len(chart.segments) else ""
    place = chart.order[at]
    codes = codes_offered(state, seated, chart.segments[place], parts[-1], on)
    return [*quick, *_segment_offers(chart, place, codes, before, tail)][:MOST]


def _segment_offers(
    chart: ChartIndex, place: int, codes: list[Code], before: str, tail: str
) -> Iterator[Offer]:
    """Codes of a segment as offers, by their local number where they are seen as an overlay."""
    for row in codes:
        code = chart.locals[place].spelled.get(row.code, row.code) if chart.locals else row.code
        yield Offer(before + code + tail, code, row.name.removeprefix(f"{code} "))


def dimensions_offered(state: State, seated: CompanyContext, text: str, on: date) -> list[Offer]:
    """Dimensions of the chart, or codes of the one that is being keyed: season=SP26; project=P104."""
    before, _, last = text.rpartition(";")
    name, equals, code = last.strip().partition("=")
    base = f"{before.strip()}; " if before.strip() else ""
    if not equals:
        return [
            Offer(f"{base}{field.name}=", field.name, field.title)
            for field in seated.chart.dimensions
            if field.name.startswith(name) or name.lower() in field.title.lower()
        ]
    field = next((field for field in seated.chart.dimensions if field.name == name.strip()), None)
    if field is None:
        return []
    return [
        Offer(f"{base}{field.name}={row.code}", row.code, row.name)
        for row in codes_offered(state, seated, field, code.strip(), on)
    ]
