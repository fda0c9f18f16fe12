"""Reads for storey 4: journals of a company, one journal, the lines of an account."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any, NamedTuple

from django.db import connection

from core.definitions.state import State
from core.definitions.tables import Company
from core.journal_numbers import ELSEWHERE
from core.structures.accounts import parse_dimensions
from web.journals.reading import accounts_of_lines

PAGE = 80


NEWEST_DAY = """
    SELECT max(n.date) FROM unnest(%s::text[]) AS c(company), LATERAL (
        SELECT j.date FROM journals_journal j WHERE j.company = c.company ORDER BY j.date DESC LIMIT 1) n
"""


def newest_day(companies: Sequence[str]) -> date | None:
    """The last day that journals of some companies are dated; None where they have none."""
    with connection.cursor() as cursor:
        cursor.execute(NEWEST_DAY, [list(companies)])
        day: date | None = cursor.fetchone()[0]
        return day


def has_journals(company: str) -> bool:
    with connection.cursor() as cursor:
        cursor.execute("SELECT EXISTS (SELECT 1 FROM journals_journal WHERE company = %s)", [company])
        return bool(cursor.fetchone()[0])


POSTED_BEFORE = """
    SELECT journal, journal FROM journals_journal WHERE company = %(company)s AND journal = ANY(%(names)s)
    UNION
    SELECT l.source_number, j.journal
    FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id
    WHERE l.source_number = ANY(%(names)s) AND l.source_number <> '' AND l.source_type = %(elsewhere)s
      AND j.company = %(company)s
"""


def posted_before(company: str, names: Sequence[str]) -> dict[str, str]:
    """Of numbers of journals from elsewhere those that a company has, each with the number that it has
    here."""
    with connection.cursor() as cursor:
        cursor.execute(POSTED_BEFORE, {"company": company, "names": list(names), "elsewhere": ELSEWHERE})
        return dict(cursor.fetchall())


class JournalSummary(NamedTuple):
    """A journal in a list; `total` are its debits in minor units of its currency."""

    id: int
    journal: str
    date: Any
    kind: str
    description: str
    total: int
    reverses: str | None
    reversed_by: str | None


HEADS = """
    SELECT j.id, j.journal, j.date, j.kind, j.description,
           (SELECT coalesce(sum(greatest(l.keyed, 0)), 0)::bigint FROM journals_journalline l
           WHERE l.journal_id = j.id),
           r.journal, b.journal
    FROM journals_journal j LEFT JOIN journals_journal r ON r.id = j.reverses_id
    LEFT JOIN journals_journal b ON b.reverses_id = j.id
    WHERE j.company = %(company)s AND (%(words)s = '' OR j.journal ILIKE %(like)s
    OR j.description ILIKE %(like)s OR j.id IN (
        SELECT l.journal_id FROM journals_journalline l JOIN journals_book k ON k.id = l.book_id
        WHERE l.source_number = %(words)s AND l.source_number <> '' AND k.company = %(company)s))
      AND (j.date, j.id) < (%(day)s, %(id)s) ORDER BY j.date DESC, j.id DESC LIMIT %(most)s
"""


def holding(words: str) -> str:
    """The pattern of texts that hold the words as they are."""
    return "%" + words.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def journals(
    company: str, words: str = "", before: tuple[str, int] = ("9999-12-31", 2**62), most: int = PAGE + 1
) -> list[JournalSummary]:
    """Newest first, after a given (date, id)."""
    values: dict[str, Any] = {
        "company": company,
        "words": words,
        "like": holding(words),
        "day": before[0],
        "id": before[1],
        "most": most,
    }
    with connection.cursor() as cursor:
        cursor.execute(HEADS, values)
        return [JournalSummary(*row) for row in cursor.fetchall()]


LINES = """
    SELECT l.line, b.company, a.account, a."natural", coalesce(d.codes, ''), l.keyed, l.amount,
    coalesce(c.company, ''), l.generated,
           l.description, l.source_type, l.source_number, l.source_party, l.source_item, l.period,
           b.fiscal_year, a.chart, coalesce(n."natural", a."natural")
    FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id
    JOIN journals_account a ON a.id = l.account_id
    JOIN companies_company own ON own.company = b.company
    LEFT JOIN journals_movedaccount m
      ON m.company = b.company AND m.account_id = a.id AND m.chart = own.chart
    LEFT JOIN journals_account n ON n.id = m.now_id
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id
    WHERE l.journal_id = %s ORDER BY l.line
"""


class PostedLine(NamedTuple):
    """A line of a posted journal; amounts raw in minor units."""

    line: int
    company: str
    account: str
    natural: str
    dimensions: str
    keyed: int
    amount: int
    partner: str
    generated: bool
    description: str
    source_type: str
    source_number: str
    source_party: str
    source_item: str
    period: int
    fiscal_year: int
    chart: str
    """that it was posted in"""
    now: str
    """the natural account that it is read as in the chart that the company is on"""


def lines(journal: int) -> list[PostedLine]:
    with connection.cursor() as cursor:
        cursor.execute(LINES, [journal])
        return [PostedLine(*row) for row in cursor.fetchall()]


ACCOUNT = """
    SELECT j.date, j.company, j.journal, l.line, a.account, coalesce(d.codes, ''), l.amount,
    coalesce(c.company, ''),
           coalesce(nullif(l.description, ''), j.description), l.source_number, b.fiscal_year, l.period,
           j.kind
"""
SUM = "SELECT count(*), coalesce(sum(l.amount), 0)"
BEHIND = """
    FROM journals_account a JOIN journals_book b ON b.company = %(company)s
    {lines}
    JOIN journals_journal j ON j.id = l.journal_id
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id{tags}
    WHERE a.chart = %(chart)s AND a."natural" = ANY(%(codes)s)
      AND (b.fiscal_year, l.period) >= (%(from_year)s, %(from_period)s)
      AND (b.fiscal_year, l.period) <= (%(year)s, %(period)s)
      AND (%(closing)s OR NOT l.closing) AND (%(partner)s = '' OR c.company = %(partner)s)
      AND (%(untagged)s = '' OR coalesce(d.codes, '') !~ ('(^|; )' || %(untagged)s || '='))
      AND (%(string)s = '' OR a.account = %(string)s)
      AND (%(tagged)s = '' OR %(tagged)s = ANY(string_to_array(coalesce(d.codes, ''), '; ')))
      AND (%(from_day)s::date IS NULL OR j.date >= %(from_day)s)
      AND (%(to_day)s::date IS NULL OR j.date <= %(to_day)s)
      AND (%(strings)s::bigint[] IS NULL OR a.id = ANY(%(strings)s))
      AND (%(sets)s::bigint[] IS NULL OR coalesce(l.dimensions_id, 0) = ANY(%(sets)s))
      AND (%(into_strings)s::bigint[] IS NULL OR (a.id, coalesce(l.dimensions_id, 0)) IN
           (SELECT * FROM unnest(%(into_strings)s::bigint[], %(into_sets)s::bigint[])))
      AND (%(through)s::text[] IS NULL
           OR (a.id, coalesce(l.dimensions_id, 0)) IN {received_on} AND l.journal_id IN {received}
           OR (a.id, coalesce(l.dimensions_id, 0)) IN {paid_on} AND l.journal_id IN {paid})
      AND (%(journals)s::bigint[] IS NULL OR l.journal_id = ANY(%(journals)s))
      AND (%(but)s::bigint[] IS NULL OR l.journal_id <> ALL(%(but)s))
"""
MOVED_CASH = """
           (SELECT t.journal_id FROM journals_journalline t JOIN journals_book k ON k.id = t.book_id
            {{touched}}
            WHERE k.company = %(company)s AND s."natural" = ANY(%(through)s)
            GROUP BY t.journal_id HAVING sum(t.amount) {sign} 0)"""
ON_LINE = """
           (SELECT p.string, p.combination
            FROM unnest(%(into_strings)s::bigint[], %(into_sets)s::bigint[], %(into_ways)s::int[])
              AS p(string, combination, way) WHERE p.way = {way})"""
WAYS = {
    "received": MOVED_CASH.format(sign=">="),
    "paid": MOVED_CASH.format(sign="<"),
    "received_on": ON_LINE.format(way=1),
    "paid_on": ON_LINE.format(way=-1),
}
"""Of a line of a direct cash flow: the journals that touched cash by their direction, and what stands on the
line of them."""
NEWEST = " ORDER BY j.date DESC, j.id DESC, l.line LIMIT %(most)s OFFSET %(skip)s"
OF_BALANCES = """
    FROM journals_balance l JOIN journals_account a ON a.id = l.account_id
    LEFT JOIN journals_dimensionset d ON d.id = l.dimensions_id
    LEFT JOIN companies_company c ON c.id = l.partner_id
    WHERE l.company = %(company)s AND a."natural" = ANY(%(codes)s) AND l.amount <> 0
      AND (l.fiscal_year, l.period) >= (%(from_year)s, %(from_period)s)
      AND (l.fiscal_year, l.period) <= (%(year)s, %(period)s)
      AND (%(partner)s = '' OR c.company = %(partner)s)
      AND (%(string)s = '' OR a.account = %(string)s)
      AND (%(tagged)s = '' OR %(tagged)s = ANY(string_to_array(coalesce(d.codes, ''), '; ')))
      AND (%(closing)s OR (l.fiscal_year, l.period) NOT IN
           (SELECT * FROM unnest(%(closing_years)s::int[], %(closing_periods)s::int[])))
      AND (%(strings)s::bigint[] IS NULL OR l.account_id = ANY(%(strings)s))
      AND (%(sets)s::bigint[] IS NULL OR l.dimensions_id = ANY(%(sets)s))
      AND (%(into_strings)s::bigint[] IS NULL OR (l.account_id, l.dimensions_id) IN
           (SELECT * FROM unnest(%(into_strings)s::bigint[], %(into_sets)s::bigint[])))
      AND %(through)s::text[] IS NULL AND %(journals)s::bigint[] IS NULL
"""
BALANCES = (
    "SELECT l.fiscal_year, l.period, a.account, coalesce(d.codes, ''), l.amount, coalesce(c.company, '')"
)


class AccountLine(NamedTuple):
    """A posted line behind a figure; `amount` raw in minor units."""

    date: Any
    company: str
    journal: str
    line: int
    account: str
    dimensions: str
    amount: int
    partner: str
    description: str
    source: str
    fiscal_year: int
    period: int
    kind: str


TAGS = " CROSS JOIN LATERAL unnest(string_to_array(d.codes, '; ')) AS t(tag)"


def _of_account(values: dict[str, Any], tags: str = "") -> str:
    """Of `values` the lines that are read as the account strings asked for (web/journals/stretch.py)."""
    ways = {name: text.format(touched=values["touched"]) for name, text in WAYS.items()}
    return BEHIND.format(lines=values["lines"], tags=tags, **ways)


def account_lines(values: dict[str, Any], skip: int = 0, most: int = PAGE + 1) -> list[AccountLine]:
    """Posted lines of natural accounts of one company in a stretch of periods, newest first."""
    with connection.cursor() as cursor:
        cursor.execute(f"{ACCOUNT}{_of_account(values)}{NEWEST}", {**values, "most": most, "skip": skip})
        return [AccountLine(*row) for row in cursor.fetchall()]


def account_total(values: dict[str, Any]) -> tuple[int, int]:
    """How many those lines are, and what they come to: raw minor units."""
    with connection.cursor() as cursor:
        cursor.execute(f"{SUM}{_of_account(values)}", values)
        count, total = cursor.fetchone()
        return int(count), int(total)


class LineTotal(NamedTuple):
    """Some of those lines together: raw minor units. `key` is (fiscal year, period), or a dimension with its
    code."""

    key: Any
    lines: int
    amount: int


BY_PERIOD = "SELECT b.fiscal_year, l.period, count(*), sum(l.amount)"
BY_TAG = "SELECT t.tag, count(*), sum(l.amount)"
MOST_PARTS = 40


def by_period(values: dict[str, Any]) -> list[LineTotal]:
    """What those lines come to in each period, the latest first."""
    with connection.cursor() as cursor:
        cursor.execute(
            f"{BY_PERIOD}{_of_account(values)} GROUP BY 1, 2 ORDER BY 1 DESC, 2 DESC LIMIT {MOST_PARTS}",
            values,
        )
        return [
            LineTotal((year, period), count, int(amount)) for year, period, count, amount in cursor.fetchall()
        ]


def by_tag(values: dict[str, Any]) -> list[LineTotal]:
    """What those lines come to with each code of each dimension."""
    with connection.cursor() as cursor:
        cursor.execute(
            f"{BY_TAG}{_of_account(values, TAGS)} GROUP BY 1 ORDER BY 1 LIMIT {MOST_PARTS}", values
        )
        return [LineTotal(tag, count, int(amount)) for tag, count, amount in cursor.fetchall()]


def newest_total(values: dict[str, Any], lines: int) -> int:
    """What the newest so many of those lines come to: raw minor units."""
    if not lines:
        return 0
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT coalesce(sum(n.amount), 0) FROM (SELECT l.amount {_of_account(values)}{NEWEST}) n",
            {**values, "most": lines, "skip": 0},
        )
        return int(cursor.fetchone()[0])


def before(values: dict[str, Any], within_year: bool) -> dict[str, Any] | None:
    """The stretch that ends where this one begins; None where it begins with the first line. `within_year`:
    since
    that fiscal year began."""
    if values["from_day"]:
        since = values["year_begins"] if within_year else None
        return {**values, "from_day": since, "to_day": values["from_day"] - timedelta(days=1)}
    if not values["from_year"]:
        return None
    year = values["from_year"]
    ends = {"year": year, "period": values["from_period"] - 1}
    return {**values, **ends, "from_year": year if within_year else 0, "from_period": 0}


def balances_elsewhere(values: dict[str, Any]) -> list[tuple[Any, ...]]:
    """(year, period, account, dimensions, raw minor units, partner) of balances kept without journals, the
    latest
    first."""
    with connection.cursor() as cursor:
        cursor.execute(f"{BALANCES}{OF_BALANCES} ORDER BY 1 DESC, 2 DESC, a.account LIMIT 500", values)
        return list(cursor.fetchall())


def balances_total(values: dict[str, Any]) -> int:
    """What those balances come to: raw minor units."""
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT coalesce(sum(l.amount), 0){OF_BALANCES}", values)
        return int(cursor.fetchone()[0])


def numbered(companies: list[str], text: str, most: int = 5) -> list[tuple[str, str, str]]:
    """(company, journal, description) of journals whose number begins so."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT company, journal, description FROM journals_journal WHERE company = ANY(%s) AND journal"
            " >= %s AND journal < %s ORDER BY journal LIMIT %s",
            [companies, text, text + "\uffff", most],
        )
        return list(cursor.fetchall())


LINES_POSTED = """
    SELECT a."natural", count(*) FROM journals_book b
    JOIN journals_journalline l ON l.book_id = b.id AND l.fiscal_year = b.fiscal_year
    {accounts} WHERE b.company = %(company)s AND b.fiscal_year = %(year)s GROUP BY 1
"""


def lines_posted(state: State, company: Company, year: int) -> dict[str, float]:
    """How many lines a company posted to each natural account in a fiscal year."""
    values: dict[str, Any] = {"company": company.company, "year": year, "chart": company.chart}
    with connection.cursor() as cursor:
        cursor.execute(LINES_POSTED.format(accounts=accounts_of_lines(state, [company.company])), values)
        return {code: float(count) for code, count in cursor.fetchall()}


def sets_with(dimension: str) -> frozenset[int]:
    """Numbers of the dimension combinations that carry a code of a dimension."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, codes FROM journals_dimensionset WHERE codes LIKE %s", [f"%{dimension}=%"])
        return frozenset(
            number for number, codes in cursor.fetchall() if dimension in parse_dimensions(codes)[0]
        )


FOUND = """
    SELECT j.company, j.journal, coalesce(nullif(l.description, ''), j.description), l.source_number
    FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id
    WHERE l.source_number >= %(text)s AND l.source_number < %(after)s AND l.source_number <> ''
    AND j.company = ANY(%(companies)s)
    ORDER BY l.source_number LIMIT %(most)s
"""
WORDS = """
    SELECT company, journal, description, '' FROM (
        SELECT j.company, j.journal, j.description, j.id FROM journals_journal j
        ORDER BY j.id DESC LIMIT %(newest)s
    ) j WHERE j.company = ANY(%(companies)s) AND j.description ILIKE %(like)s
    ORDER BY j.id DESC LIMIT %(most)s
"""
STRINGS = """
    SELECT a.account, coalesce(n."natural", a."natural"), c.company, coalesce(n.account, a.account) FROM (
        SELECT id, chart, account, "natural" FROM journals_account
        WHERE chart = ANY(%(charts)s) AND account >= %(text)s AND account < %(after)s
        ORDER BY chart, account LIMIT %(most)s
    ) a CROSS JOIN LATERAL (
        SELECT b.company FROM journals_journalline l JOIN journals_book b ON b.id = l.book_id
        WHERE l.account_id = a.id AND b.company = ANY(%(companies)s) LIMIT 1
    ) c JOIN companies_company own ON own.company = c.company
    LEFT JOIN journals_movedaccount m
      ON m.company = c.company AND m.account_id = a.id AND m.chart = own.chart
    LEFT JOIN journals_account n ON n.id = m.now_id
"""
NEWEST_JOURNALS = 4_000
"""How far back words are looked for from everywhere; a company's own page looks through all of its
journals."""


def found(companies: list[str], text: str, most: int) -> list[tuple[str, str, str, str]]:
    """(company, journal, description, source document): by the number of a document, then by words of the
    newest journals."""
    values: dict[str, Any] = {
        "companies": companies,
        "text": text,
        "after": text + "\uffff",
        "like": holding(text),
        "most": most,
        "newest": NEWEST_JOURNALS,
    }
    with connection.cursor() as cursor:
        cursor.execute(FOUND, values)
        rows = cursor.fetchall()
        if len(rows) < most and len(text) > 2:
            cursor.execute(WORDS, values)
            rows += cursor.fetchall()
    return list(dict.fromkeys(rows))[:most]


def strings(charts: list[str], companies: list[str], text: str, most: int) -> list[tuple[str, str, str, str]]:
    """Posted account strings that begin so: (string, natural account, a company that has lines of it, the
    string that it is read as); of a company that moved to another chart the natural account is of that."""
    values: dict[str, Any] = {
        "charts": charts,
        "companies": companies,
        "text": text,
        "after": text + "\uffff",
        "most": most,
    }
    with connection.cursor() as cursor:
        cursor.execute(STRINGS, values)
        return list(cursor.fetchall())
