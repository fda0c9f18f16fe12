"""Which companies are meant, as text: by name, or by what they are.

`all`; `veenbol, skovlund`; `country=NL, DK; currency=EUR`; `chart=fernhollow; code=under 1 except trials`.
Parts by `;` must all hold; a code is one of the company segment of the company's chart; what follows the last
`except` are companies left out.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Company
from core.structures.charts import chart_index, company_context

FIELDS = ("company", "chart", "country", "currency", "calendar", "overlay", "code")
EXCEPT = re.compile(r"\s+except\s+", re.IGNORECASE)


class CompanyChoice(NamedTuple):
    """The companies picked, by name, and sentences on what can't be read or isn't there."""

    companies: tuple[Company, ...]
    faults: tuple[str, ...]


def chosen_companies(state: State, text: str) -> CompanyChoice:
    """Companies that a text picks, in the order of their names."""
    wanted, _, away = _parted(text)
    rows = sorted(state.rows(Company), key=lambda row: (row.name, row.company))
    known = {row.company for row in rows}
    left_out = _names(away)
    faults = [f"There is no company {name}." for name in left_out if name not in known]
    for part in filter(None, (part.strip() for part in wanted.split(";"))):
        rows = list(_fitting(state, rows, known, part, faults))
    if not wanted.strip():
        faults.append("Which companies is not said.")
    return CompanyChoice(
        () if faults else tuple(row for row in rows if row.company not in left_out), tuple(faults)
    )


def names_others(text: str, company: str) -> bool:
    """Whether a text lists companies by name, and not this one."""
    wanted, _, _ = _parted(text)
    listed = bool(wanted.strip()) and "=" not in wanted and ";" not in wanted
    return listed and wanted.strip().lower() != "all" and company not in _names(wanted)


def companies_with(state: State, rows: Iterable[Company], text: str) -> CompanyChoice:
    """Of some companies those that a filter leaves: a choice, or words that their ids, names, countries,
    currencies, charts and calendars hold."""
    if "=" in text or EXCEPT.search(text):
        chosen = chosen_companies(state, text)
        picked = frozenset(chosen.companies)
        return CompanyChoice(tuple(row for row in rows if row in picked), chosen.faults)
    words = text.lower().split()
    told = ((row, " ".join((*row[:4], row.chart, row.calendar)).lower()) for row in rows)
    return CompanyChoice(tuple(row for row, parts in told if all(word in parts for word in words)), ())


def without_company(text: str, company: str) -> str:
    """The text with one company left out."""
    wanted, word, away = _parted(text)
    return f"{wanted}{word or ' except '}{away + ', ' if away else ''}{company}"


def _parted(text: str) -> tuple[str, str, str]:
    """What is picked, the word between, what is left out: the last `except` outside of a code's selector."""
    where = list(EXCEPT.finditer(text))
    if not where:
        return text, "", ""
    return text[: where[-1].start()], " except ", text[where[-1].end() :]


def _fitting(
    state: State, rows: list[Company], known: set[str], part: str, faults: list[str]
) -> Iterator[Company]:
    field, equals, values = (piece.strip() for piece in part.partition("="))
    if part.lower() == "all":
        yield from rows
        return
    if not equals:
        field, values = "company", part
    if field not in FIELDS:
        faults.append(f"'{field}' is nothing by which companies are chosen: {', '.join(FIELDS)}.")
        return
    if field == "code":
        yield from _with_codes(state, rows, values, faults)
        return
    wanted = _names(values)
    if field == "company":
        faults += [f"There is no company {name}." for name in wanted if name not in known]
    yield from (row for row in rows if getattr(row, field) in wanted)


def _names(text: str) -> list[str]:
    return [name for part in text.split(",") if (name := part.strip())]


def _with_codes(state: State, rows: list[Company], selector: str, faults: list[str]) -> list[Company]:
    """Companies one of whose own codes the selector picks. What one chart's list doesn't have may stand in
    another's: only where none can read it is that a fault."""
    fitting: list[Company] = []
    unread: list[str] = []
    for row in rows:
        index, own = chart_index(state, row.chart), company_context(state, row.company)
        if index is None or own is None or index.company < 0:
            continue
        picked = pick(state, index.segments[index.company].code_list, selector)
        unread += picked.faults
        if picked.codes & own.codes:
            fitting.append(row)
    if not fitting:
        faults += dict.fromkeys(unread)
    return fitting
