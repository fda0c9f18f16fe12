"""Lines that take a part of their accounts, on pages, in a draft, and where figures come by account alone."""

from __future__ import annotations

import html
from io import BytesIO
from typing import Any
from zipfile import ZipFile

from openpyxl import load_workbook

from core.changes.kinds import Drop, Put, apply
from core.definitions.tables import Budget, Company, Statement, StatementLine
from tests.base import InWorld, run
from web.definitions import actions, drafting
from web.drafts import queries

AT_COMMAND = ("--company=alpha", "--year=2026", "--period=2")
AT = queries.ComparedPeriod(2026, 2)
NORTH = StatementLine("parts", "north", "", 10, "North", "accounts", "1*", "", "debit", "site", "001")
REST = StatementLine("parts", "rest", "", 20, "Elsewhere", "accounts", "1*", "", "debit")
OVERDRAWN = StatementLine("parts", "over", "", 30, "Overdrawn", "accounts", "18*", side="credit")


class LineParts(InWorld):
    def setUp(self) -> None:
        super().setUp()
        for row in (Statement("parts", "Parts", "c", "other"), NORTH, REST, Budget("plan", "Plan", "c")):
            actions.make_change(Put(row), self.mirela)

    def page(self, address: str, status: int = 200) -> str:
        reply = self.group.get(address)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return " ".join(html.unescape(reply.content.decode()).split())

    def moved(self, *changes: Put) -> tuple[Any, list[tuple[str, str, int | None, int | None]]]:
        draft = drafting.working(drafting.start("Overdrawn", self.mirela, list(changes)))
        trees = queries.moved(draft.published.state, draft.state, AT, frozenset({"alpha", "beta"}))
        rows = [(r.line, r.company, r.was, r.now) for tree in trees for r in tree.rows]
        return draft, rows

    def test_the_leaf_says_what_a_line_takes_and_what_stands_elsewhere(self) -> None:
        at = "company=alpha&year=2026&period=2"
        leaf = self.page(f"/statements/parts/line/north/?{at}")
        self.assertIn("Takes amounts with site 001 only. What no such line takes stands on Elsewhere.", leaf)
        self.assertIn("on=parts%3Anorth", leaf)
        self.assertIn("250.50", leaf)
        self.assertIn("18*; in credit", self.changed(OVERDRAWN))
        rest = self.page(f"/statements/parts/line/rest/?{at}")
        self.assertIn('<td>Due from<br><span class="soft">on Overdrawn</span></td>', rest)

    def changed(self, row: StatementLine) -> str:
        actions.make_change(Put(row), self.mirela)
        return self.page("/statements/parts/?company=alpha&year=2026&period=2")

    def test_lines_behind_it_are_those_with_its_codes(self) -> None:
        at = "year=2026&period=2&on=parts"
        north = self.page(f"/journals/alpha/account/1110/?{at}:north")
        self.assertIn("on North of Parts", north)
        self.assertIn('<b class="code">250.50</b>', north)
        self.assertIn('<b class="code">0</b>', self.page(f"/journals/alpha/account/1110/?{at}:rest"))
        self.page(f"/journals/alpha/account/1110/?{at}:nothing", 404)
        self.page("/journals/alpha/account/1110/?year=2026&period=2&on=x", 404)

    def test_a_draft_tells_what_a_line_takes_away(self) -> None:
        draft, rows = self.moved(Put(OVERDRAWN), Put(NORTH._replace(codes="002")))
        found = {(line, company): (was, now) for line, company, was, now in rows}
        self.assertEqual(
            found,
            {
                ("north", "alpha"): (25050, 0),
                ("rest", "alpha"): (94950, 125050),
                ("over", "alpha"): (None, 5050),
            },
        )
        before, after = draft.published.state, draft.state
        young = apply(before, Drop(before.require(Company, "beta")))
        told = queries.moved(young, after, AT, frozenset({"beta"}))
        self.assertEqual([r.line for tree in told for r in tree.rows if tree.name == "parts"], ["rest"])
        causes = queries.causes_of(before, after, AT, "statement", "parts", "north", "alpha")
        self.assertEqual([(c.code, c.enters, c.amount) for c in causes], [("1110", False, 25050)])
        causes = queries.causes_of(before, after, AT, "statement", "parts", "over", "alpha")
        self.assertEqual([(c.code, c.enters, c.amount) for c in causes], [("1810", True, -5050)])

    def test_a_group_and_a_budget_say_that_they_come_by_account(self) -> None:
        what = "Parts has lines that ask for codes of a field; a group's figures come by account."
        status, _, told = run("statement", "parts", "--group=g", "--year=2026", "--period=2")
        self.assertEqual((status, told.strip()), (2, what))
        self.assertIn(what, self.page("/group/g/?statement=parts&year=2026&period=2", 404))
        self.assertNotIn(">Parts<", self.page("/group/g/?year=2026&period=2"))
        keyed = "Parts has lines that ask for codes of a field; a budget is keyed by account."
        self.assertIn(keyed, self.page("/budgets/plan/alpha/parts/?year=2026", 404))

    def test_a_line_shown_only_with_an_amount_is_out_of_sight_without(self) -> None:
        at = "company=alpha&year=2026&period=2"
        overdrawn = StatementLine("parts", "bank", "", 40, "Bank overdrawn", "accounts", "10*", side="credit")
        actions.make_change(Put(overdrawn), self.mirela)
        figures = f"/statements/parts/figures/?{at}"
        self.assertIn('id="line-bank"', self.page(figures))
        reply = self.group.post(
            "/statements/parts/line/bank/change/",
            {"label": "Bank overdrawn", "accounts": "10*", "side": "credit", "shown_when": "with_amount"},
        )
        self.assertEqual(reply.status_code, 200)
        self.assertNotIn('id="line-bank"', self.page(figures))
        self.assertIn('id="line-north"', self.page(figures))
        self.assertIn("10*; in credit; only with an amount", self.page(f"/statements/parts/?{at}"))
        self.assertIn("bank,Bank overdrawn,0,0.00", run("statement", "parts", *AT_COMMAND)[1])
        book = load_workbook(BytesIO(self.group.get(f"/statements/parts/figures/workbook/?{at}").content))
        hidden = {
            row[0].value: book.worksheets[0].row_dimensions[row[0].row].hidden for row in book.worksheets[0]
        }
        self.assertEqual((hidden["Bank overdrawn"], hidden["North"]), (True, False))
        open_document = self.group.get(f"/statements/parts/figures/workbook/?{at}&file=ods").content
        with ZipFile(BytesIO(open_document)) as archive:
            content = archive.read("content.xml").decode()
        row = content[: content.index("Bank overdrawn")].rindex("<table:table-row")
        self.assertIn('table:visibility="collapse"', content[row : content.index(">", row)])
