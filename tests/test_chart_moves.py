"""A company moved to another chart: figures before and after, from its page to the package and back."""

from __future__ import annotations

import csv
import html
import io
import re
from datetime import date, timedelta
from decimal import Decimal
from random import Random
from typing import Any
from unittest.mock import patch

from django.db import transaction
from django.utils import timezone

from core.analysis.stretches import of_days
from core.changes.kinds import Put
from core.changes.recoding import Recode
from core.definitions.tables import (
    Chart,
    ChartMove,
    Company,
    CompanyAccount,
    CompanyCode,
    Group,
    GroupMember,
    IntercompanyPair,
    Journal as JournalRow,
    JournalLine,
    Mapping,
    Rate,
    SecondChart,
    Structure,
    StructureSegment,
)
from core.faults import Refused
from tests.base import (
    GROUP,
    CommittingTest,
    PineTest,
    Together,
    bring,
    client_of,
    forget,
    person,
    refused,
    run,
    tables_of,
    world,
)
from tests.moved_books import (
    LINES,
    MARCH,
    NEW,
    REPORTS,
    exported,
    group_report,
    must_be_put_right,
    random_books,
    report,
    summed_up,
)
from web.chart_moves.moving import move
from web.definitions import actions
from web.definitions.history import state_at
from web.definitions.snapshot import current
from web.journals.actions import post_keyed, reverse
from web.journals.amount_rows import company_rows_by_day
from web.journals.audit_lines import year_lines
from web.journals.models import Journal, MovedAccount
from web.journals.recoding import recode
from web.journals.revaluation import revalue
from web.journals.year_end import carry


class ChartMoves(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.empty = transaction.savepoint()
        bring(world())
        bring(tables_of(NEW))
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def move(self, on: date = MARCH, chart: str = "n", codes: tuple[str, ...] = ()) -> Any:
        return move("alpha", chart, on, codes, self.mirela)

    def in_an_empty_database(self) -> None:
        """From here on nothing is there."""
        transaction.savepoint_rollback(self.empty)
        forget()

    def page(self, address: str, status: int = 200, client: Any = None) -> str:
        reply = (client or self.client).get(address)
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return " ".join(re.sub(r"<[^>]+>", " ", html.unescape(reply.content.decode())).split())

    def post(self, address: str, client: Any = None, **values: str) -> Any:
        return (client or self.client).post(address, values, headers={"HX-Request": "true"})

    def test_every_figure_is_the_same_before_and_after(self) -> None:
        bring(random_books(Random(3)))
        in_chart = [
            report(*words, *(("--in-chart=n",) if words[0] == "trial-balance" else ())) for words in REPORTS
        ]
        steps = [row for row in group_report("consolidation") if row[0] == "books"]
        group = group_report("statement", "st")
        self.assertEqual(must_be_put_right(), [])
        self.move()
        for words, wanted in zip(REPORTS, in_chart, strict=True):
            with self.subTest(words):
                self.assertEqual(report(*words), wanted)
        one = [[*row[:2], "1010" if row[2] == "1020" else row[2], row[3]] for row in steps]
        own = [row for row in group_report("consolidation") if row[0] == "books"]
        self.assertEqual(summed_up(own), summed_up(one), "1010 and 1020 are one account now")
        self.assertEqual(group_report("statement", "st"), group)
        self.assertEqual(must_be_put_right(), [])
        march = report("trial-balance", "--year=2026", "--period=3", "--from-period=3")
        self.assertEqual({(row[3], row[4]) for row in march[1:]}, {("0.00", "0.00")}, "nothing moves by it")

    def test_a_group_that_cuts_its_periods_by_other_days_counts_the_same(self) -> None:
        bring(random_books(Random(13)))
        bring(
            {
                "calendars": "calendar,name\nodd,Odd\n",
                "periods": (
                    "calendar,fiscal_year,period,name,starts_on,ends_on\n"
                    "odd,2026,1,One,2025-12-16,2026-01-15\nodd,2026,2,Two,2026-01-16,2026-02-15\n"
                    "odd,2026,3,Three,2026-02-16,2026-03-15\n"
                ),
                "groups": GROUP["groups"].replace("chart,", "chart,calendar,").replace(",c,", ",c,odd,"),
            }
        )
        shown = self.page("/companies/alpha/chart-move/groups/?chart=n&on=2026-03-01")
        self.assertIn("The group cuts its periods by other days; look at it after the move.", shown)
        before = group_report("statement", "st")
        self.move()
        self.assertEqual(group_report("statement", "st"), before)

    def test_years_end_and_revalue_and_audit_files_go_on_in_the_new_chart(self) -> None:
        company = current().state.require(Company, "alpha")
        actions.make_change(Put(company._replace(foreign_currencies=True)), None)
        actions.make_change(Put(CompanyAccount("alpha", "1110", "", True)), None)
        actions.make_change(Put(Rate("EUR", "GBP", "closing", date(2026, 3, 31), Decimal("0.9"))), None)
        bring(
            {
                "journals": "company,journal,date,currency,rate\nalpha,F1,2026-02-11,EUR,0.8\n",
                "journal_lines": (f"{LINES}alpha,F1,1,10-1110-002,100.00,\nalpha,F1,2,10-4010-002,,100.00\n"),
            }
        )
        apart = "e Alpha Beta −50.50 −40.00 −90.50 2 lines, 49 days"
        self.assertIn(apart, self.page("/group/g/sides/?year=2026&period=2"))
        self.move()
        self.assertIn(apart, self.page("/group/g/sides/?year=2026&period=2"))
        revalue(["alpha"], 2026, 3, self.mirela)
        rows = {row[0]: row[-1] for row in report("trial-balance", "--year=2026", "--period=3")[1:]}
        self.assertEqual((rows["RE"], rows["EX"]), ("340.50", "-10.00"))
        carry(["alpha"], 2026, self.mirela)
        rows = {row[0]: row[-1] for row in report("trial-balance", "--year=2026", "--period=13")[1:]}
        self.assertEqual((rows["CO"], rows["SH"], rows["SA"]), ("-1290.00", "0.00", "0.00"))
        state = current().state
        lines = list(year_lines(state, state.require(Company, "alpha"), 2026))
        naturals = {line.natural for line in lines}
        self.assertEqual(naturals, {"CA", "CO", "RE", "SH", "SA", "DF", "EX"})
        self.assertEqual(sum(line.amount for line in lines), 0)
        self.assertNotIn("opening", {line.kind for line in lines if line.on == MARCH}, "nothing counts twice")
        self.assertEqual(must_be_put_right(), [])

    def test_a_figure_opens_to_the_lines_that_were_posted(self) -> None:
        bring(random_books(Random(5)))
        number = self.move().journal
        for account, closing in [(row[0], row[-1]) for row in report(*REPORTS[1])[1:]]:
            with self.subTest(account):
                taken = self.client.get(f"/journals/alpha/account/{account}/?year=2026&period=9&file=csv")
                lines = list(csv.DictReader(io.StringIO(taken.content.decode())))
                total = sum(int(row["amount"].replace(".", "")) for row in lines)
                self.assertEqual(f"{total / 100:.2f}", closing)
        shown = self.page("/journals/alpha/account/SH/?year=2026&period=2")
        self.assertIn("Posted in c before 1 March 2026", shown)
        hit = self.client.get("/find/?q=10-4010-001", headers={"HX-Request": "true"}).content.decode()
        self.assertIn("/journals/alpha/account/SH/?string=001.SH", html.unescape(hit))
        leaf = self.page("/statements/n-bs/line/assets/?company=alpha&year=2026&period=2")
        self.assertIn("CA", leaf)
        journal = self.page("/journals/alpha/journal/A2/")
        self.assertIn("10-4010-001 Sales", journal, "a journal shows what was posted")
        self.assertIn("Posted in Chart, which Alpha moved from since", journal)
        self.assertIn("It carried over what stood", self.page(f"/journals/alpha/journal/{number}/"))
        self.assertIn(
            f"c until 1 March 2026, then n; carried over by {number}", self.page("/companies/alpha/")
        )

    def test_it_goes_out_and_comes_in_again(self) -> None:
        bring(random_books(Random(7)))
        lines = "budget,company,fiscal_year,period,account,amount\n"
        plan = {
            "budgets": "budget,name,chart\nplan,Plan,c\n",
            "budget_lines": f"{lines}plan,alpha,2026,1,10-4010-1,-5\n",
        }
        bring(plan)
        shown = self.page("/companies/alpha/chart-move/?chart=n&on=2026-03-01")
        self.assertIn("1 line of budgets is on accounts of Chart (plan)", shown)
        self.move()
        listed = self.page("/budgets/")
        self.assertIn("Alpha , which posts in another chart now 2026", listed)
        out = exported()
        self.assertEqual(out["chart_moves"].count("\n"), 2)
        self.assertEqual(bring(out).sentence(), "nothing new")
        figures = [report(*words) for words in REPORTS]
        self.in_an_empty_database()
        bring(out)
        self.assertEqual(exported(), out)
        self.assertEqual([report(*words) for words in REPORTS], figures)
        self.assertEqual(must_be_put_right(), [])
        self.assertEqual(run("verify")[0], 0)

    def test_what_a_package_must_bring_with_a_move(self) -> None:
        self.move()
        out = exported()
        without = {name: text for name, text in out.items() if name != "moved_accounts"}
        heads = out["journals"].splitlines(keepends=True)
        lines = out["journal_lines"].splitlines(keepends=True)
        no_journal = {
            **out,
            "journals": "".join(row for row in heads if ",AL-00001," not in row),
            "journal_lines": "".join(row for row in lines if ",AL-00001," not in row),
        }
        moved = out["moved_accounts"].splitlines(keepends=True)
        wrong = {**out, "moved_accounts": "".join([*moved[:-1], moved[-1].replace(".", ".X")])}
        altered = {**out, "moved_accounts": "".join([*moved[:-1], moved[-1].replace("SH", "SA")])}
        self.assertEqual(
            refused(altered),
            [
                "moved_accounts, row 6, column target, value '001.SA': 10-4010-001 is read as 001.SH already."
                " Leave it as it is."
            ],
        )
        self.in_an_empty_database()
        self.assertEqual(len(refused(without)), 5)
        self.assertEqual(
            refused(without)[0].partition(": ")[2],
            "Nothing says how 10-1010- of alpha is read in n. Give a row of moved_accounts.",
        )
        self.assertEqual(
            [text.partition(": ")[2] for text in refused(no_journal)],
            [
                "The journal AL-00001 of alpha, which carried it over, is not there."
                " Bring it with the history it belongs to."
            ],
        )
        self.assertIn("there is no code XSH.", refused(wrong)[0])
        self.assertEqual(Journal.objects.count(), 0)

    def test_afterwards_everything_is_posted_in_the_new_chart(self) -> None:
        self.move()
        bring(
            {
                "journals": "company,journal,date\nalpha,N1,2026-03-10\nalpha,N2,2026-01-20\n",
                "journal_lines": (
                    f"{LINES}alpha,N1,1,.CA,5.00,\nalpha,N1,2,001.SH,,5.00\n"
                    "alpha,N2,1,.EX,3.00,\nalpha,N2,2,.CA,,3.00\n"
                ),
            }
        )
        self.assertEqual(
            refused(
                {
                    "journals": "company,journal,date\nalpha,N3,2026-01-20\n",
                    "journal_lines": (f"{LINES}alpha,N3,1,10-1010-,5.00,\nalpha,N3,2,10-4010-001,,5.00\n"),
                }
            )[0][:40],
            "journal_lines, row 2, column account, va",
        )
        by_account = {row[0]: row[-1] for row in report("trial-balance", "--year=2026", "--period=3")[1:]}
        self.assertEqual(
            (by_account["CA"], by_account["SH"], by_account["EX"]), ("1002.00", "-205.00", "3.00")
        )
        reversal = reverse("alpha", "A2", date(2026, 3, 12), "", self.mirela)
        lines = {
            row.account.account
            for row in Journal.objects.get(journal=reversal).lines.select_related("account")
        }
        self.assertEqual(lines, {"001.RE", "001.SH", ".DF"})
        with self.assertRaises(Refused) as told:
            reverse("alpha", "AL-00001", date(2026, 3, 12), "", self.mirela)
        self.assertEqual(
            [fault.what for fault in told.exception.faults],
            ["AL-00001 carried over what stood when alpha moved to another chart."],
        )
        self.assertEqual(must_be_put_right(), [])
        self.client.post("/versions/2/look/")
        before = self.page("/statements/trial-balance/?company=alpha&year=2026&period=2")
        self.client.post("/versions/now/")
        self.assertIn("1110 Debtors", before, "a version from before shows the chart of then")
        self.assertNotIn("Expenses", before)
        then = state_at(2)
        assert then is not None
        stretch = of_days(date(2026, 1, 5), date(2026, 3, 20))
        rows = company_rows_by_day(then, "alpha", stretch, True, texts=False)
        self.assertEqual(set(rows.naturals), {"1010", "1110", "1810", "3010", "4010"})
        self.assertEqual(int(rows.net.sum()), 0)

    def test_the_moment_tells_charts_apart_whatever_clocks_say(self) -> None:
        ahead = timezone.now() + timedelta(hours=1)
        change = self.move()
        with patch("web.journals.posting.timezone.now", return_value=timezone.now() - timedelta(hours=2)):
            bring(
                {
                    "journals": "company,journal,date\nalpha,N1,2026-03-10\n",
                    "journal_lines": f"{LINES}alpha,N1,1,.CA,5.00,\nalpha,N1,2,001.SH,,5.00\n",
                }
            )
        self.assertEqual(Journal.objects.get(journal="N1").posted_at.isoformat(), change.moved_at)
        out = exported()
        self.in_an_empty_database()
        bring(out)
        self.assertEqual(exported(), out)
        self.in_an_empty_database()
        heads = f"company,journal,date,posted_at\nalpha,A1,2026-01-10,{ahead.isoformat()}\n"
        lines = f"{LINES}alpha,A1,1,10-1010-,5.00,\nalpha,A1,2,10-4010-001,,5.00\n"
        bring(world(journals=heads, journal_lines=lines))
        bring(tables_of(NEW))
        with self.assertRaisesRegex(Refused, "which is still to come"):
            self.move()

    def test_a_second_move_reads_the_first_chart_through_both(self) -> None:
        bring(random_books(Random(11)))
        self.move()
        figures = report("trial-balance", "--year=2026", "--period=2")
        further = [
            Structure("plain", "Plain", "/"),
            StructureSegment("plain", 1, "account", "Account", "nat", "natural_account"),
            Chart("p", "Plain", "plain"),
        ]
        bring(tables_of(further))
        bring(
            {
                "journals": "company,journal,date\nalpha,N1,2026-03-10\n",
                "journal_lines": (f"{LINES}alpha,N1,1,.CA,5.00,\nalpha,N1,2,001.SH,,5.00\n"),
            }
        )
        self.move(date(2026, 4, 1), "p")
        self.assertEqual(report("trial-balance", "--year=2026", "--period=2"), figures)
        self.assertEqual(must_be_put_right(), [])
        self.assertEqual(set(MovedAccount.objects.values_list("chart", flat=True)), {"n", "p"})
        with self.assertRaises(Refused) as told:
            self.move(date(2026, 4, 1), "c")
        self.assertIn("posted in c before", str(told.exception.faults[0]))
        out = exported()
        self.in_an_empty_database()
        bring(out)
        self.assertEqual(exported(), out)
        self.assertEqual(report("trial-balance", "--year=2026", "--period=2"), figures)

    def test_codes_spelled_anew_are_so_in_both_charts(self) -> None:
        self.move()
        figures = report("trial-balance", "--year=2026", "--period=2")
        recode(Recode("acc", 5, "behind"), self.mirela)
        recode(Recode("site", 4, "front"), self.mirela)
        self.assertEqual(report("trial-balance", "--year=2026", "--period=2"), figures)
        self.assertEqual(must_be_put_right(), [])
        self.assertEqual(run("verify")[0], 0)
        shown = self.page("/journals/alpha/journal/A2/")
        self.assertIn("10-40100-0001", shown)

    def test_the_page_shows_what_it_does_before_it_does_it(self) -> None:
        self.assertIn("Choose the chart and the period", self.page("/companies/alpha/chart-move/"))
        address = "/companies/alpha/chart-move/?chart=n&on=2026-03-01"
        shown = self.page(address)
        for part in (
            "1,250.50 GBP of debits and as much of credits, in 5 lines of one opening journal, AL-00001, on",
            "All 2 statements agree before and after; those of its groups stand below them.",
            "Asset accounts 1,200.00 1,200.00 the same",
            "Short balance sheet all 4 lines agree",
            "Short income all 3 lines agree",
            "4010 Sales −200.00 SH Sales at home",
            "Changed intercompany pair beta of alpha",
        ):
            self.assertIn(part, shown)
        shown = self.page(address.replace("?", "groups/?"))
        self.assertIn("Balance sheet, Both the same for M2", shown)
        self.assertEqual(current().state.require(Company, "alpha").chart, "c", "looking changes nothing")
        self.assertEqual(
            self.post("/companies/alpha/chart-move/make/", chart="n", on="2026-03-01").status_code, 200
        )
        state = current().state
        self.assertEqual(state.require(Company, "alpha").chart, "n")
        self.assertEqual(
            state.require(IntercompanyPair, "alpha", "beta"), IntercompanyPair("alpha", "beta", "DF", "DT")
        )
        self.assertEqual(list(state.part(CompanyCode, "alpha")), [])
        self.assertEqual(
            [(row.accounts, row.target) for row in sorted(state.part(Mapping, "g").values())],
            [
                *(("CA", "1010"), ("RE", "1110"), ("DF", "1810"), ("PA", "2010"), ("DT", "2810")),
                *(("CO", "3010"), ("SA, SH", "4010"), ("EX", "5010")),
            ],
        )

    def test_groups_are_compared_one_after_another(self) -> None:
        shared = current().state.require(Group, "g")
        bring(tables_of([shared._replace(group="h", name="Only alpha"), GroupMember("h", "alpha")]))
        asked = "?chart=n&on=2026-03-01"
        first, second = "Comparing Both, group 1 of 2", "Comparing Only alpha, group 2 of 2"
        self.assertIn(first, self.page(f"/companies/alpha/chart-move/{asked}"))
        groups = "/companies/alpha/chart-move/groups/"
        shown = self.page(f"{groups}{asked}&at=0")
        self.assertIn("Balance sheet, Both the same for M2", shown)
        self.assertTrue(shown.endswith(f"{second} … Stop S"), shown)
        shown = self.page(f"{groups}{asked}&at=1")
        self.assertTrue(shown.startswith("Balance sheet, Only alpha"), shown)
        self.assertNotIn("Comparing", shown)
        self.assertEqual(self.page(f"{groups}{asked}&at=2"), "")
        self.assertEqual(self.page(f"{groups}{asked}&at=1&stop=yes"), "Stopped not compared: Only alpha")

    def test_what_is_refused(self) -> None:
        bring(tables_of([Chart("q", "Like the short one", "short")]))
        shown = self.page("/companies/alpha/chart-move/?chart=q&on=2026-03-01")
        self.assertIn("1010 Bank has no account in q; 1,000.00 GBP stand on it.", shown)
        self.assertEqual(self.post("/companies/alpha/chart-move/map/", chart="q").status_code, 200)
        self.assertIsNotNone(current().state.get(SecondChart, "alpha", "q"))
        cases = (
            ({"chart": "n", "on": "2026-02-01"}, "alpha has journals until 2026-02-10 already."),
            ({"chart": "n", "on": "2026-03-02"}, "No period of alpha begins on 2026-03-02."),
            ({"chart": "q", "on": "2026-03-01"}, "has no account in q"),
            ({"chart": "none", "on": "2026-03-01"}, "There is no chart none."),
            ({"chart": "n"}, "A chart and a period are needed."),
        )
        for values, wanted in cases:
            with self.subTest(wanted):
                reply = self.post("/companies/alpha/chart-move/make/", **values)
                self.assertIn(reply.status_code, (400, 409, 422), reply.content)
                self.assertIn(wanted, html.unescape(reply.content.decode()))
        self.assertEqual((ChartMove, Journal.objects.filter(company_id="alpha").count())[1], 2)
        ann = client_of(person("ann", "company", ("alpha",)))
        self.page("/companies/alpha/chart-move/", 403, ann)
        self.assertEqual(
            self.post("/companies/alpha/chart-move/make/", ann, chart="n", on="2026-03-01").status_code, 422
        )
        bea = client_of(person("bea", "company", ("beta",)))
        self.assertEqual(self.post("/companies/alpha/chart-move/make/", bea, chart="n").status_code, 404)
        self.assertEqual(current().state.require(Company, "alpha").chart, "c")


class AtOnce(Together, CommittingTest):
    def test_two_moves_and_a_poster(self) -> None:
        """One of two moves is made; what is posted meanwhile is in the chart before or is refused."""
        bring(world())
        bring(tables_of(NEW))
        mirela = person("mirela")

        def moves() -> str:
            move("alpha", "n", MARCH, (), mirela)
            return "moved"

        def posts() -> str:
            head = JournalRow("alpha", "P1", date(2026, 2, 20))
            sides = (("10-1010-", "7.00", ""), ("10-4010-001", "", "7.00"))
            lines = [
                JournalLine("alpha", "P1", number, account=account, debit=debit, credit=credit)
                for number, (account, debit, credit) in enumerate(sides, 1)
            ]
            return ", ".join(post_keyed(head, lines, mirela, ""))

        said = self.together(moves, moves, posts)
        refused_one = "alpha posts in n already."
        self.assertEqual(sorted(map(str, said[:2])), [refused_one, "moved"])
        forget()
        self.assertEqual(Journal.objects.filter(company_id="alpha", kind="opening", date=MARCH).count(), 1)
        self.assertEqual(must_be_put_right(), [])
        posted = Journal.objects.filter(journal="P1").exists()
        self.assertEqual(posted, said[2] == "P1", said)
        by_account = {row[0]: row[-1] for row in report("trial-balance", "--year=2026", "--period=3")[1:]}
        self.assertEqual(by_account["CA"], "1007.00" if posted else "1000.00")
