"""What figures cost the database: with ten times the journals each page asks as many questions as before, and
PostgreSQL visits at most a little over ten times the rows for them.

A condition that looks through the books once for each line is right and unnoticed in a small world; counted
rows show it, where a clock on a busy machine would not.
"""

from __future__ import annotations

import io
import json
from collections.abc import Iterator, Mapping
from datetime import date, timedelta
from random import Random
from typing import Any, NamedTuple

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.changes.kinds import Amend, Put
from core.definitions.tables import Statement, StatementLine
from tests.base import PineTest, bring, client_of, forget, person, tables, world
from web.definitions import drafting

FEW = 60
TIMES = 10
PACKING, PACKS = 4, 2
"""How often a line is looked at where a book's balances are packed anew, and how many questions that adds: a
book is packed by whoever reads it first after it was posted to."""
STATEMENTS = [
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "sales", "", 1, "Sales", "accounts", "4*"),
    StatementLine("inc", "costs", "", 2, "Costs", "accounts", "5*"),
    Statement("cash", "Cash", "c", "cash_flow"),
    StatementLine("cash", "cash", "", 1, "Cash", "accounts", "1010"),
    StatementLine("cash", "rest", "", 2, "Rest", "accounts", "1020, 1110"),
]
AT = "year=2026&period=3"
PAGES = (
    f"/statements/inc/?company=alpha&{AT}",
    f"/statements/st/?company=alpha&{AT}",
    f"/statements/cash/?company=alpha&{AT}",
    f"/statements/inc/figures/?company=alpha&{AT}&by=season",
    f"/statements/inc/figures/?company=alpha&{AT}&periods=months",
    "/statements/inc/figures/?company=alpha&from=2026-01-05&to=2026-03-04",
    f"/statements/inc/matrix/?company=alpha&{AT}&down=account&across=season",
    f"/statements/inc/line/sales/?company=alpha&{AT}",
    f"/statements/hierarchy/tree/figures/?company=alpha&{AT}",
    f"/statements/trial-balance/?company=alpha&{AT}",
    f"/statements/inc/figures/?companies=alpha,beta&{AT}",
    "/journals/make/periods/?year=2026",
    "/journals/make/year-end/?year=2026",
    f"/group/g/mapping/alpha/?{AT}",
    "/companies/alpha/",
    f"/versions/compare/?before=1&after=2&{AT}",
    f"/journals/alpha/account/4010/?{AT}",
    "/journals/alpha/",
    f"/group/g/?statement=inc&{AT}",
    f"/group/g/?statement=inc&{AT}&open=alpha",
    f"/group/g/?statement=cash&{AT}",
    f"/group/g/steps/?{AT}",
    f"/group/g/sides/?{AT}",
    f"/group/g/equity/?{AT}",
    f"/group/g/rates/?{AT}",
    f"/group/g/matrix/?statement=inc&{AT}&down=members&across=columns",
    f"/group/g/period-end/?{AT}",
    "/codes/acc/",
    "/codes/acc/code/4010/",
    "/codes/acc/doubts/",
    "/companies/",
    "/today/",
    "/today/groups/",
)


class Cost(NamedTuple):
    """What pages ask of the database: questions, and the rows that its plans visit for them."""

    questions: int
    rows: int


def visited(plan: Mapping[str, Any]) -> int:
    """Rows that a node and those below it looked at, whether they were handed on or thrown away."""
    looked_at = sum(
        plan.get(name, 0) for name in ("Actual Rows", "Rows Removed by Filter", "Rows Removed by Join Filter")
    )
    here: int = round(looked_at * plan["Actual Loops"])
    return here + sum(map(visited, plan.get("Plans", ())))


def rows_visited(question: str) -> int:
    with connection.cursor() as cursor:
        cursor.execute("EXPLAIN (ANALYZE, TIMING OFF, FORMAT JSON) " + question.replace("%", "%%"))
        (told,) = cursor.fetchone() or ("[]",)
    plans = json.loads(told) if isinstance(told, str) else told
    return sum(visited(one["Plan"]) for one in plans)


def journals(count: int, chance: Random) -> Iterator[tuple[str, list[str]]]:
    """As rows of a package: sales and costs, paid or owed, some among companies, some with a season."""
    for number in range(count):
        on = date(2026, 1, 1) + timedelta(days=chance.randrange(85))
        company, own = chance.choice((("alpha", "10"), ("beta", "20")))
        name = f"X{number:05}"
        amount = chance.randrange(100, 90_000) / 100
        gains = chance.random() < 0.6
        against = chance.choice(("1010", "1110"))
        result = "4010-1" if gains else "5010-001"
        season = chance.choice(("", "season=SP26"))
        lines = [
            f"{company},{name},1,{own}-{against},{amount if gains else ''},{'' if gains else amount},",
            f"{company},{name},2,{own}-{result},{'' if gains else amount},{amount if gains else ''},{season}",
        ]
        yield f"{company},{name},{on},general,Of chance", lines


def further(first: int, count: int) -> dict[str, str]:
    heads, lines = io.StringIO(), io.StringIO()
    heads.write("company,journal,date,kind,description\n")
    lines.write("company,journal,line,account,debit,credit,dimensions\n")
    for head, of_it in journals(first + count, Random(8)):
        if int(head.split(",")[1][1:]) >= first:
            heads.write(head + "\n")
            lines.write("\n".join(of_it) + "\n")
    return {"journals": heads.getvalue(), "journal_lines": lines.getvalue()}


class RowsVisited(PineTest):
    def setUp(self) -> None:
        super().setUp()
        content = world()
        added = tables(*STATEMENTS)
        bring({**content, **{name: added[name] for name in ("statements", "statement_lines")}})
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def cost(self, address: str) -> Cost:
        """Of a page as a process gives it that has nothing kept."""
        forget()
        self.client.get("/log/")
        with CaptureQueriesContext(
            connection,
        ) as asked:
            reply = self.client.get(address)
        self.assertEqual(reply.status_code, 200, f"{address}: {reply.content[:300]!r}")
        questions = [one["sql"] for one in asked.captured_queries]
        reading = [text for text in questions if text.lstrip()[:6].upper() in ("SELECT", "WITH M", "WITH R")]
        return Cost(len(questions), sum(map(rows_visited, reading)))

    def test_ten_times_the_journals_cost_ten_times_the_rows(self) -> None:
        bring(further(0, FEW))
        moving = Put(StatementLine("inc", "costs", "", 2, "Costs", "accounts", "5010"))
        draft = drafting.start("Wording", self.mirela, [Amend("codes", ("acc", "4010"), (("name", "Sold"),))])
        more = drafting.start("Costs", self.mirela, [moving])
        pages = (
            *PAGES,
            *(f"/drafts/{one.pk}/{part}" for one in (draft, more) for part in ("", f"moves/?{AT}")),
        )
        costs = []
        for first, count in ((FEW, 0), (FEW, FEW * (TIMES - 1))):
            if count:
                bring(further(first, count))
            with connection.cursor() as cursor:
                cursor.execute("ANALYZE")
            costs.append({address: self.cost(address) for address in pages})
        few, many = costs
        for address in pages:
            with self.subTest(address):
                self.assertLessEqual(many[address].questions, few[address].questions + PACKS)
                most = (few[address].rows + PACKING * 2 * FEW) * TIMES
                self.assertLessEqual(many[address].rows, most)

    def test_a_question_that_looks_through_the_books_once_a_line_is_seen(self) -> None:
        """What the measure is for: the answer is the same, and the rows tell."""
        bring(further(0, FEW))
        with connection.cursor() as cursor:
            cursor.execute(
                "ANALYZE journals_journalline, journals_journal"
            )  # else it guesses how many there are
        once = "SELECT count(*) FROM journals_journalline l JOIN journals_journal j ON j.id = l.journal_id"
        through = "SELECT count(*) FROM journals_journal k WHERE k.id <= l.journal_id + l.line"
        per_line = f"SELECT ({through}) FROM journals_journalline l"
        lines = 2 * FEW
        self.assertLess(rows_visited(once), 8 * lines)
        self.assertGreater(rows_visited(per_line), 20 * lines)
