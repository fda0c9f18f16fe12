"""Non-cash pairs of a cash flow on screen and in files: what is left out is told and opens to its lines."""

from __future__ import annotations

import csv
import html
import io
import re
from datetime import date
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

from django.contrib.auth import get_user_model
from openpyxl import load_workbook

from core.changes.kinds import Delete, Put
from core.definitions.tables import Group, GroupMember, NonCashPair
from tests.base import PineTest, bring, client_of, person, run, tables_of
from tests.naive_books import SWAPPED, Books, Column, in_days, in_periods, shown
from web.definitions import actions, drafting
from web.definitions.snapshot import current

PAIR = NonCashPair("moved", "owed", "Owed for capital", "1110, 3010", "2010, 1810, 2810")
LEFT_OUT = re.compile(r'id="left-out">.*?</section>', re.S)
STRETCHES: tuple[tuple[dict[str, Any], Any], ...] = (
    ({"year": 2027, "period": 9}, in_periods(2027, 4, 9)[0]),
    ({"year": 2026, "period": 4, "first": 2}, in_periods(2026, 2, 4)[0]),
)


def amount_of(text: str) -> Decimal:
    return Decimal(text.replace("\u2212", "-").replace(",", "").strip())


class NonCash(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.books = Books(11)
        bring(self.books.package())
        self.client = client_of(person("mirela"))

    def page(self, path: str, **query: Any) -> str:
        reply = self.client.get(f"/statements/{path}?{urlencode({'company': 'alpha', **query})}")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return html.unescape(reply.content.decode())

    def apart(self, test: Any) -> list[Any]:
        """Lines that are left out of a stretch, on the first side."""
        swapped = self.books.swapped()
        return [x for x in self.books.of["alpha"] if test(x) and x.journal in swapped]

    def lines(self, address: str) -> list[dict[str, str]]:
        reply = self.client.get(f"{address.partition('&back')[0]}&file=csv")
        self.assertEqual(reply.status_code, 200)
        return list(csv.DictReader(io.StringIO(reply.content.decode())))

    def test_what_is_left_out_is_told_and_opens_to_its_lines(self) -> None:
        by_day: dict[str, Any] = {"from": "2026-02-03", "to": "2027-05-17"}
        stretches = [*STRETCHES, (by_day, in_days(date(2026, 2, 3), date(2027, 5, 17))[0])]
        for path in ("moved/figures/", "moved/", "moved/non-cash/"):
            for query, test in stretches if path == "moved/figures/" else STRETCHES:
                with self.subTest(path=path, query=query):
                    apart = self.apart(test)
                    first = [x for x in apart if x.natural in SWAPPED[0]]
                    (part,) = LEFT_OUT.findall(self.page(path, unit="exact", **query))
                    journals = len({x.journal for x in apart})
                    self.assertIn(f"Owed for capital, {journals} journal{'s' * (journals > 1)}<", part)
                    found = re.search(r'href="(/journals/[^"]*)"\s*>([^<]*)<', part)
                    assert found is not None
                    self.assertEqual(amount_of(found[2]), sum((x.raw for x in first), Decimal(0)))
                    lines = self.lines(found[1])
                    self.assertEqual({row["journal"] for row in lines}, {x.journal.split()[1] for x in first})
                    self.assertEqual(sum(Decimal(row["amount"]) for row in lines), amount_of(found[2]))

    def test_a_figure_opens_to_the_lines_that_count(self) -> None:
        page = self.page("moved/figures/", year=2027, period=9, unit="exact")
        self.assertIn("Activities come to what\n        cash moved.", page)
        cell = self.client.get("/statements/moved/figures/cell/?company=alpha&year=2027&period=9&line=work")
        text = html.unescape(cell.content.decode())
        told = re.findall(r'<td class="num"><a class="amount"\s+href="([^"]*)"\s*>([^<]*)<', text)
        self.assertTrue(any("on=moved%3Awork" in address for address, _ in told))
        for address, amount in told:
            self.assertEqual(sum(Decimal(row["amount"]) for row in self.lines(address)), amount_of(amount))

    def test_files_tell_it_too(self) -> None:
        query = "company=alpha&year=2027&period=9"
        apart = [x for x in self.apart(STRETCHES[0][1]) if x.natural in SWAPPED[0]]
        total, journals = sum((x.raw for x in apart), Decimal(0)), len({x.journal for x in apart})
        side = "debit" if total >= 0 else "credit"
        many = f"{journals} journal{'s' * (journals > 1)}"
        says = f"Left out, for no cash moved: Owed for capital, {many}, {abs(total):,.2f} {side}."
        for path in ("figures/workbook/", "workbook/"):
            reply = self.client.get(f"/statements/moved/{path}?{query}")
            sheet = load_workbook(io.BytesIO(reply.content)).worksheets[0]
            self.assertIn(says, [row[0].value for row in sheet.iter_rows()])
        pages = self.client.get(f"/statements/moved/figures/pdf/?{query}")
        self.assertEqual((pages.status_code, pages["Content-Type"]), (200, "application/pdf"))

    def test_likely_pairs_are_named_by_one_act(self) -> None:
        query = {"year": 2026, "period": 4, "first": 1}
        page = self.page("whole/non-cash/", **query)
        self.assertIn("Nothing is left out: every journal counts.", page)
        name = re.search(r'name="pair" value="([^"]+)"', page)
        assert name is not None
        address = f"/statements/whole/non-cash/name/?{urlencode({'company': 'alpha', **query})}"
        self.assertEqual(self.client.post(address, {"pair": name[1]}).status_code, 200)
        row = current().state.require(NonCashPair, "whole", name[1])
        self.assertIn(f"{row.name}, ", self.page("whole/figures/", **query))
        again = self.client.post(address, {"pair": name[1]})
        self.assertIn("No journals are there now for that pair.", again.content.decode())
        self.assertEqual(self.client.get("/statements/st/non-cash/").status_code, 404)
        self.assertEqual(self.client.get("/statements/paid/non-cash/").status_code, 404)

    def test_a_draft_says_which_figures_a_pair_moves(self) -> None:
        who = get_user_model().objects.get(username="mirela")
        draft = drafting.start("Pairs", who, [Put(PAIR._replace(statement="whole"))])
        page = self.client.get(f"/drafts/{draft.pk}/moves/?year=2027&period=9").content.decode()
        apart = self.apart(STRETCHES[0][1])
        work = sum((x.raw for x in apart if x.natural in ("1110", "2010")), Decimal(0))
        self.assertIn(f"{work:,.2f}".replace("-", "\u2212"), html.unescape(page))

    def test_the_command_line_takes_them_off_and_a_group_says_that_it_counts_them(self) -> None:
        words = ("--company=alpha", "--year=2027", "--period=9")
        with_pair = run("statement", "moved", *words)[1]
        self.assertNotEqual(with_pair, run("statement", "whole", *words)[1])
        lines = self.books.without_swaps(self.books.of["alpha"])
        moving = [x for x in lines if STRETCHES[0][1](x)]
        expected = shown("moved", Column("amount", moving, []))
        amounts = [Decimal(row["amount"]) for row in csv.DictReader(io.StringIO(with_pair))]
        self.assertEqual(amounts, expected)
        actions.make_change(Delete(PAIR), get_user_model().objects.get(username="mirela"))
        alike = run("statement", "moved", *words)[1]
        self.assertEqual(
            [row.split(",")[-1] for row in alike.splitlines()],
            [row.split(",")[-1] for row in run("statement", "whole", *words)[1].splitlines()],
        )

    def test_a_group_leaves_them_out_too(self) -> None:
        """A group of one company shows what the company does; so where its accounts are mapped."""
        who = get_user_model().objects.get(username="mirela")
        bring(tables_of([Group("g", "Group", "GBP", "c", "m"), GroupMember("g", "alpha")]))
        for words in (("--year=2027", "--period=9"), ("--year=2026", "--period=4", "--from-period=2")):
            whole, moved = (
                [run("statement", statement, whose, *words)[1] for whose in ("--group=g", "--company=alpha")]
                for statement in ("whole", "moved")
            )
            with self.subTest(words=words):
                self.assertEqual(moved[0], moved[1])
                self.assertEqual(whole[0], whole[1])
                self.assertNotEqual(whole[0], moved[0])
        says = "Left out, for no cash moved: Owed for capital."
        self.assertIn(says, run("statement", "moved", "--group=g", *words)[2])
        page = client_of(who).get("/group/g/?statement=moved&year=2027&period=9").content.decode()
        self.assertIn("Left out, for no cash moved:", page)
