"""Before a code is closed: what still uses it at that date, and where to go for each. And what looks wrong in
a list."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any, NamedTuple
from urllib.parse import urlencode

from django.urls import reverse

from core.books.balances import by_account
from core.books.periods import company_calendar, ordinal
from core.codes.doubts import CodeUsage
from core.codes.lists import list_index, natural_lists
from core.definitions.parsing import write_cell
from core.definitions.state import State
from core.definitions.tables import TABLES, Company
from core.money import digits_of, show_amount
from core.references import uses
from core.references.uses import charts_of_list
from core.structures.accounts import parse_dimensions
from core.structures.charts import chart_index
from web.definitions.posted import posted_facts
from web.journals.books import books_for
from web.journals.interning import interned_texts
from web.journals.models import Unfinished
from web.people.rights import charts_seen, companies_seen, sees, sees_everything


class RemainingUse(NamedTuple):
    """Something that still uses a code, in words, and where to go for it."""

    sentence: str
    address: str


def _natural_companies(state: State, code_list: str, companies: list[Company]) -> list[Company]:
    charts = {
        c
        for c in charts_of_list(state, code_list)
        if (index := chart_index(state, c)) and index.natural_list == code_list
    }
    return [row for row in companies if row.chart in charts]


def balances_at(
    state: State, code_list: str, codes: frozenset[str], companies: list[Company], on: date | None
) -> list[tuple[str, Company, int]]:
    """(code, company, raw amount) that is not zero at the end of the period that holds a day (None:
    everything so far)."""
    rows = _natural_companies(state, code_list, companies)
    books = books_for(state, (row.company for row in rows))
    place = {code: i for i, code in enumerate(sorted(codes))}
    pairs = []
    for row in rows:
        end = ordinal(9999, 99) if on is None else _ordinal_at(state, row.company, on)
        own = [book for book in books[row.company] if codes.intersection(book.naturals)]
        spare = {name: len(place) for book in own for name in book.naturals if name not in place}
        sums = by_account(list(own), {**place, **spare}, len(place) + 1, end, end) if own else None
        for code, i in place.items():
            if sums is not None and sums["cumulative"][i]:
                pairs.append((code, row, int(sums["cumulative"][i])))
    return pairs


def _ordinal_at(state: State, company: str, on: date) -> int:
    periods = [p for p in company_calendar(state, company).periods.values() if p.starts_on <= on]
    last = max(periods, key=lambda p: (p.starts_on, p.period), default=None)
    return ordinal(last.fiscal_year, last.period) if last else 0


def uses_seen(state: State, code_list: str, code: str, person: Any) -> list[RemainingUse]:
    """Definitions that name a code, as far as the person may know of them."""
    companies, charts = {row.company for row in companies_seen(person, state)}, charts_seen(person, state)

    def seen(use: uses.Use) -> bool:
        first = str(use.key[0])
        if use.table in OF_GROUPS:
            return sees(person, state, "group", first)
        if use.table in OF_COMPANIES:
            return first in companies
        if use.table == "statement_lines":
            return sees(person, state, "statement", first)
        if use.table == "second_chart_mappings":
            return {first, str(use.key[1])} <= charts
        return use.table not in OF_CHARTS or first in charts

    return [
        RemainingUse(use.sentence, address(use)) for use in uses.of_code(state, code_list, code) if seen(use)
    ]


OF_GROUPS = tuple(name for name, table in TABLES.items() if table.row._fields[0] == "group")
"""Tables of a group: who sees no group doesn't see their uses."""
OF_COMPANIES = ("company_codes", "company_accounts", "intercompany_pairs")
OF_CHARTS = (
    *("chart_segments", "pairing_rules", "pairing_conditions", "account_strings", "quick_codes"),
    *("charts", "second_chart_mappings"),
)


def still_used(state: State, code_list: str, code: str, person: Any, on: date | None) -> list[RemainingUse]:
    """Balances at that date, journals being keyed, and every definition that names the code."""
    remaining_uses = []
    companies = companies_seen(person, state)
    if code_list in natural_lists(state):
        for _, row, raw in balances_at(state, code_list, frozenset([code]), companies, on):
            words = f"{row.name}: {show_amount(raw, digits_of(row.currency))} {row.currency} stands on it"
            remaining_uses.append(RemainingUse(words, reverse("account-lines", args=[row.company, code])))
    remaining_uses += _unfinished(code, companies)
    return remaining_uses + uses_seen(state, code_list, code, person)


def _unfinished(code: str, companies: list[Company]) -> Iterator[RemainingUse]:
    names = {row.company: row.name for row in companies}
    for row in Unfinished.objects.filter(company_id__in=list(names)).select_related("by"):
        if code in str(row.content):
            yield RemainingUse(
                f"{row.by.shown_name()} is keying a journal of {names[row.company_id]} with it",
                reverse("company-journals", args=[row.company_id]),
            )


def address(use: uses.Use) -> str:
    """Where a definition that names a code is looked at."""
    first = str(use.key[0])
    if use.table == "statement_lines":
        return reverse("statement", args=[first]) + f"?at={use.key[1]}"
    if use.table == "hierarchy_nodes":
        return reverse("hierarchy", args=[first]) + f"?at={use.key[1]}"
    if use.table in ROWS:
        page, sheet, own = ROWS[use.table]
        row = " ".join(write_cell(part) for part in use.key[own : own + 1])
        return (
            reverse(page, args=[str(part) for part in use.key[:own]])
            + f"?{urlencode({'row': f'{sheet}:{row}'})}"
        )
    if use.table == "chart_segments":
        return reverse("structure", args=[first])
    return reverse("company", args=[first]) if use.table == "company_codes" else ""


ROWS = {
    "pairing_rules": ("structure", "rules", 1),
    "pairing_conditions": ("structure", "rules", 1),
    "account_strings": ("strings", "strings", 1),
    "quick_codes": ("strings", "quick-codes", 1),
    "company_accounts": ("company", "own-accounts", 1),
    "intercompany_pairs": ("company", "pairs", 1),
    "mappings": ("mapping", "mappings", 2),
    "eliminations": ("members", "eliminations", 1),
    "groups": ("members", "group-accounts", 1),
    "translation_rules": ("members", "translation-rules", 1),
    "group_openings": ("members", "group-openings", 1),
    "acquisitions": ("members", "acquisitions", 1),
    "acquired_equity": ("members", "acquired-equity", 1),
    "chart_mappings": ("members", "chart-mappings", 1),
}
"""Rows edited in place that name codes: their page, their table on it, how many parts of the key the page
gives."""


def posted_codes(state: State, code_list: str, person: Any) -> frozenset[str]:
    """Codes of a list that were posted to, as far as the person may know: in their companies."""
    if sees_everything(person, state):
        return posted_facts(state).codes(code_list)
    names: set[str] = set()
    charts = charts_of_list(state, code_list)
    for company in companies_seen(person, state):
        index = chart_index(state, company.chart) if company.chart in charts else None
        if index is None:
            continue
        rows = [
            text
            for book in books_for(state, [company.company])[company.company]
            for text in interned_texts(book.rows)
        ]
        places = [i for i, segment in enumerate(index.segments) if segment.name in charts[company.chart]]
        tags = {field.name for field in index.dimensions if field.name in charts[company.chart]}
        for account, dimensions in set(rows):
            parts = index.split(account)
            names.update(parts[place] for place in places)
            names.update(code for name, code in parse_dimensions(dimensions)[0].items() if name in tags)
    return frozenset(names - {""})


def doubts_known(state: State, code_list: str, person: Any) -> CodeUsage:
    """What the books know for the list of doubts, as far as the person may."""
    if code_list not in natural_lists(state):
        return CodeUsage(frozenset(), {})
    companies = companies_seen(person, state)
    posted = posted_codes(state, code_list, person)
    index = list_index(state, code_list).codes
    closed = frozenset(code for code in posted if code in index and index[code].in_use_until)
    standing: dict[str, list[str]] = {}
    for code, row, raw in balances_at(state, code_list, closed, companies, None) if closed else ():
        standing.setdefault(code, []).append(
            f"{show_amount(raw, digits_of(row.currency))} {row.currency} of {row.name}"
        )
    return CodeUsage(posted, {code: ", ".join(parts[:3]) for code, parts in standing.items()})
