"""Find anything from anywhere: codes, companies, statement lines, journals, account strings, and what
finding_heads.py names."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import urlencode

from django.urls import reverse

from core.codes.lists import lowered
from core.definitions.state import State
from core.definitions.tables import Code, Statement, StatementLine
from core.structures.charts import company_context
from web.frame.finding_heads import Hit, heads, pages
from web.journals import queries
from web.people.rights import charts_seen, companies_seen, lists_seen

MOST = 12


def find(state: State, person: Any, text: str) -> list[Hit]:
    """An exact code first, then what begins so, then words within names."""
    small = text.lower()
    exact, begins, within = _codes(state, person, text)
    within = [*_companies(state, person, small), *within, *_lines(state, person, small)]
    numbered = _numbered(state, person, text)
    known = {hit.address for hit in numbered}
    written = [hit for hit in _written(state, person, text) if hit.address not in known]
    named = [*heads(state, person, small)[:6], *pages(state, person, small)[:4]]
    return [
        *exact,
        *numbered,
        *begins[:6],
        *named,
        *begins[6:],
        *within[: MOST - 4],
        *written,
        *within[MOST - 4 :],
    ][:MOST]


def _codes(state: State, person: Any, text: str) -> tuple[list[Hit], list[Hit], list[Hit]]:
    """Codes that are the text, those that begin with it, those with it in their name."""
    small = text.lower()
    exact: list[Hit] = []
    begins: list[Hit] = []
    within: list[Hit] = []
    for row in lists_seen(person, state):
        for code, name in lowered(state, row.code_list):
            if not code.startswith(text) and small not in name:
                continue
            place = f"{reverse('code-list', kwargs={'code_list': row.code_list})}?at={code}"
            full = state.get(Code, row.code_list, code)
            hit = Hit(code, full.name if full else name, row.name, place)
            (exact if code == text else begins if code.startswith(text) else within).append(hit)
            if len(within) + len(begins) > 4 * MOST:
                break
    return exact, begins, within


def _companies(state: State, person: Any, small: str) -> list[Hit]:
    rows = [
        row
        for row in companies_seen(person, state)
        if small in row.name.lower() or row.company.startswith(small)
    ]
    return [
        Hit(row.company, row.name, "Company", reverse("company", kwargs={"company": row.company}))
        for row in reversed(rows)
    ]


def _lines(state: State, person: Any, small: str) -> Iterator[Hit]:
    """Lines of statements by their label."""
    charts = charts_seen(person, state)
    for line in state.rows(StatementLine):
        statement = state.get(Statement, line.statement)
        if statement and statement.chart in charts and line.label and small in line.label.lower():
            place = f"{reverse('statement', kwargs={'statement': line.statement})}?at={line.line}"
            yield Hit(line.line, line.label, f"Line of {statement.name}", place)


def _numbered(state: State, person: Any, text: str) -> list[Hit]:
    """Journals by number and account strings that begin so, of the companies the person sees."""
    companies = [row.company for row in companies_seen(person, state)]
    hits = [
        Hit(journal, words, "Journal", _journal(company, journal))
        for company, journal, words in queries.numbered(companies, text)
    ]
    strings = queries.strings(sorted(charts_seen(person, state)), companies, text, 4)
    for string, natural, company, now in strings:
        if not natural:
            continue  # posted when a chart could do without: its journal shows it
        place = reverse("account-lines", kwargs={"company": company, "code": natural})
        seated = company_context(state, company)
        shown = seated.chart.shown(string) if seated else string
        hits.append(Hit(shown, company, "Account string", f"{place}?{urlencode({'string': now})}"))
    return hits


def _written(state: State, person: Any, text: str) -> list[Hit]:
    """Journals by the number of a document, and by words."""
    companies = [row.company for row in companies_seen(person, state)]
    return [
        Hit(source or journal, words, "Document" if source else "Journal", _journal(company, journal))
        for company, journal, words, source in queries.found(companies, text, 4)
    ]


def _journal(company: str, journal: str) -> str:
    return reverse("journal", kwargs={"company": company, "journal": journal})
