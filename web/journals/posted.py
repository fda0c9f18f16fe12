"""What was posted, asked of the database for core/changes/fixed.py, and the one change of definitions that
reaches
into kept strings."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date
from functools import cache, partial
from typing import Any

from django.db import connection

from core.changes.fixed import Facts
from core.definitions.state import State
from core.definitions.tables import Budget, Company
from core.references.uses import charts_of_list
from core.resorting import ResortedDay
from core.structures.accounts import parse_dimensions
from core.structures.charts import chart_index
from web.definitions.posted import JournalCount
from web.definitions.sealing import newest_seal
from web.journals.budgets import BUDGETS
from web.journals.code_postings import strings_of
from web.journals.models import BudgetLine, Unfinished
from web.journals.resorting import posted_days, resort
from web.journals.rewriting import rewrite_strings
from web.people.models import Person


def _rows(sql: str, *values: Any) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        rows: list[tuple[Any, ...]] = cursor.fetchall()
        return rows


BY_OTHERS = """
    SELECT b.company, max(j.posted_at)::date FROM journals_book b
    JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    JOIN journals_journal j ON j.id = l.journal_id
    WHERE b.company <> ALL(%s) GROUP BY 1
"""
"""When companies without a journal of their own were last posted to, by another's."""
POSTED_TO = """
    SELECT DISTINCT c.company, a."natural" FROM unnest(%s::text[], %s::text[]) AS c(company, chart)
    JOIN journals_account a ON a.chart = c.chart AND a."natural" = ANY(%s)
    WHERE EXISTS (
        SELECT 1 FROM journals_book b
        JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
        WHERE b.company = c.company AND (l.account_id = a.id OR l.account_id IN (
            SELECT m.account_id FROM journals_movedaccount m
            WHERE m.company = c.company AND m.chart = a.chart AND m.now_id = a.id)))
       OR EXISTS (SELECT 1 FROM journals_balance n WHERE n.company = c.company AND n.account_id = a.id)
"""
"""Few accounts stand on no line; those are looked for by their strings."""


class PostedBooks:
    """The answers to web/definitions/posted.py."""

    def facts(self, state: State) -> Facts:
        asked = _PostedFacts(state)
        return Facts(
            cache(asked.codes),
            cache(asked.charts),
            cache(asked.companies),
            cache(asked.periods),
            cache(asked.dimensions),
            cache(asked.budgeted),
            cache(asked.own_codes),
            asked.tie,
            cache(asked.foreign_until),
            first_posted=cache(asked.first_posted),
            with_balances=cache(asked.with_balances),
            posted_days=posted_days,
        )

    def journal_counts(self) -> dict[str, JournalCount]:
        sql = "SELECT company, count(*), max(posted_at)::date FROM journals_journal GROUP BY company"
        counts = {company: JournalCount(count, last) for company, count, last in _rows(sql)}
        others = {company: JournalCount(0, last) for company, last in _rows(BY_OTHERS, list(counts))}
        return {**others, **counts}

    def resort(self, days: Sequence[ResortedDay]) -> None:
        resort(days)

    def posted_to(self, companies: Mapping[str, str], codes: Iterable[str]) -> set[tuple[str, str]]:
        pairs = _rows(POSTED_TO, list(companies), list(companies.values()), sorted(set(codes)))
        return {(company, natural) for company, natural in pairs}

    def strings_of(self, company: str) -> tuple[str, ...]:
        return strings_of(company)

    def mark(self) -> tuple[int, ...]:
        sql = (
            "SELECT (SELECT count(*) FROM journals_book), (SELECT coalesce(sum(sequence), 0)::bigint FROM"
            " journals_book)"
        )
        return *_rows(sql)[0], newest_seal(BUDGETS)

    def carried_from(self, companies: Sequence[str], on: date) -> int:
        sql = (
            "SELECT count(DISTINCT company) FROM journals_journal j WHERE company = ANY(%s)"
            " AND kind = 'closing' AND date >= %s AND reverses_id IS NULL AND NOT EXISTS"
            " (SELECT 1 FROM journals_journal r WHERE r.reverses_id = j.id)"
        )
        return int(_rows(sql, list(companies), on)[0][0])

    def lengthen_strings(self, tails: Mapping[str, str]) -> None:
        for chart, tail in sorted(tails.items()):
            rewrite_strings(chart, partial(_with_tail, tail))


def _with_tail(tail: str, account: str) -> str:
    return account + tail


class _PostedFacts:
    """A method a fact of core/changes/fixed.py's `Facts`, whose docstrings say what each is."""

    def __init__(self, state: State) -> None:
        self.state = state

    def foreign_until(self, currency: str) -> date | None:
        companies = [row.company for row in self.state.rows(Company) if row.currency == currency]
        sql = "SELECT max(date) FROM journals_journal WHERE company = ANY(%s) AND currency NOT IN ('', %s)"
        last: date | None = _rows(sql, companies, currency)[0][0]
        return last

    def first_posted(self, company: str) -> date | None:
        first: date | None = _rows("SELECT min(date) FROM journals_journal WHERE company = %s", company)[0][0]
        return first

    def with_balances(self) -> frozenset[str]:
        return frozenset(company for (company,) in _rows("SELECT DISTINCT company FROM journals_balance"))

    def codes(self, code_list: str) -> frozenset[str]:
        seen_already: set[str] = set()
        for chart, fields in charts_of_list(self.state, code_list).items():
            index = chart_index(self.state, chart)
            if index is None:
                continue
            for place, segment in enumerate(index.segments):
                if segment.name in fields:
                    seen_already |= self._in_segment(chart, place, index.separator, place == index.natural)
            names = {field.name for field in index.dimensions} & set(fields)
            if names:
                seen_already.update(
                    code
                    for tagged in self._dimension_combinations()
                    for name, code in tagged.items()
                    if name in names
                )
        return frozenset(seen_already)

    def _in_segment(self, chart: str, place: int, separator: str, natural: bool) -> set[str]:
        if natural:
            rows = _rows('SELECT DISTINCT "natural" FROM journals_account WHERE chart = %s', chart)
        else:
            sql = "SELECT DISTINCT split_part(account, %s, %s) FROM journals_account WHERE chart = %s"
            rows = _rows(sql, separator, place + 1, chart)
        return {code for (code,) in rows}

    def _dimension_combinations(self) -> Iterator[dict[str, str]]:
        return (parse_dimensions(text)[0] for (text,) in _rows("SELECT codes FROM journals_dimensionset"))

    def dimensions(self) -> frozenset[str]:
        return frozenset(name for tagged in self._dimension_combinations() for name in tagged)

    def charts(self) -> frozenset[str]:
        return frozenset(chart for (chart,) in _rows("SELECT DISTINCT chart FROM journals_account"))

    def companies(self) -> frozenset[str]:
        sql = (
            "SELECT company FROM journals_book WHERE sequence > 0 UNION SELECT company FROM"
            " journals_budgetline"
        )
        return frozenset(company for (company,) in _rows(sql))

    def periods(self, calendar: str) -> frozenset[tuple[int, int]]:
        companies = [row.company for row in self.state.rows(Company) if row.calendar == calendar]
        rows = _rows(
            "SELECT DISTINCT b.fiscal_year, l.period FROM journals_journalline l JOIN journals_book b ON b.id"
            " = l.book_id WHERE b.company = ANY(%s) UNION SELECT DISTINCT fiscal_year, period FROM"
            " journals_balance WHERE company = ANY(%s) UNION SELECT DISTINCT fiscal_year, period FROM"
            " journals_budgetline WHERE company = ANY(%s)",
            companies,
            companies,
            companies,
        )
        return frozenset((int(year), int(period)) for year, period in rows)

    def budgeted(self, code_list: str) -> frozenset[str]:
        indexes = {row.company: chart_index(self.state, row.chart) for row in self.state.rows(Company)}
        pairs = BudgetLine.objects.values_list("company_id", "account").distinct()
        return frozenset(
            index.natural_of(account)
            for company, account in pairs
            if (index := indexes.get(str(company))) is not None and index.natural_list == code_list
        )

    def own_codes(self, company: str) -> frozenset[str]:
        company_row = self.state.get(Company, company)
        index = chart_index(self.state, company_row.chart) if company_row else None
        if company_row is None or index is None or index.company < 0:
            return frozenset()
        rows = _rows(
            "SELECT DISTINCT split_part(a.account, %s, %s) FROM journals_account a WHERE a.chart = %s AND"
            " (EXISTS (SELECT 1 FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id WHERE"
            " l.account_id = a.id AND b.company = %s) OR EXISTS (SELECT 1 FROM journals_balance l WHERE"
            " l.account_id = a.id AND l.company = %s))",
            index.separator,
            index.company + 1,
            company_row.chart,
            company,
            company,
        )
        return frozenset(code for (code,) in rows)

    def tie(self, kind: type[Any], name: str) -> str:
        if kind is Budget:
            return "it has lines" if BudgetLine.objects.filter(budget_id=name).exists() else ""
        return self._tie_of_company(name) if kind is Company else ""

    def _tie_of_company(self, name: str) -> str:
        if BudgetLine.objects.filter(company_id=name).exists():
            return "budgets have lines of it"
        if Unfinished.objects.filter(company_id=name).exists():
            return "a journal of it is being keyed"
        partner = (
            "SELECT 1 FROM companies_company c WHERE c.company = %s AND (EXISTS"
            " (SELECT 1 FROM journals_journalline l WHERE l.partner_id = c.id)"
            " OR EXISTS (SELECT 1 FROM journals_balance b WHERE b.partner_id = c.id))"
        )
        if _rows(partner, name):
            return "lines name it as their partner"
        return "people work in it" if Person.objects.filter(companies__company=name).exists() else ""
