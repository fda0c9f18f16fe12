"""A group's period kept: it stays as it was, holds its rates, and says what moved since by its cause."""

import html
import io
import re
from datetime import date
from decimal import Decimal
from typing import Any

from django.db import DatabaseError, connection, transaction
from openpyxl import load_workbook

from core.changes.kinds import Amend, Drop, Put
from core.changes.of_statements import PlaceAccounts
from core.definitions.tables import (
    Code,
    Company,
    CompanyCode,
    DisagreementNote,
    Group,
    GroupMember,
    OwnershipChange,
    Rate,
)
from core.faults import Refused
from core.keeping.kept import KeptFigures
from tests.base import PineTest, bring, client_of, forget, person, refused, tables, world
from web.definitions import actions
from web.definitions.posted import posted_facts
from web.definitions.snapshot import current
from web.group import kept, moved
from web.group.models import KeptPeriod

GBP = "GBP"
ROWS = (
    Code("acc", "3040", "Reserve", account_class="equity"),
    Code("acc", "3050", "Minority", account_class="equity"),
    Code("co", "30", "Delta"),
    Company("delta", "Delta", "NL", "EUR", "c", "m"),
    CompanyCode("delta", "company", "30"),
    Group("g", "Both", GBP, "c", "m", "3040", "3010", "3050", "5020"),
    GroupMember("g", "alpha"),
    GroupMember("g", "beta"),
    GroupMember("g", "delta", "company", "full", Decimal(80)),
    *(
        Rate("EUR", GBP, kind, on, Decimal(rate))
        for kind, on, rate in (
            ("closing", date(2026, 1, 31), "0.80"),
            ("closing", date(2026, 2, 28), "0.90"),
            ("average", date(2026, 1, 31), "0.80"),
            ("average", date(2026, 2, 28), "0.85"),
            ("historical", date(2026, 1, 1), "0.80"),
        )
    ),
)
JOURNALS = """company,journal,date,kind,description
alpha,A1,2026-01-10,opening,Brought forward
alpha,A2,2026-02-10,general,Sales
beta,B1,2026-01-10,general,Start
delta,D1,2026-01-10,general,Start
delta,D2,2026-02-10,general,Sales
"""
LINES = """company,journal,line,account,debit,credit,partner
alpha,A1,1,10-1010,1000.00,,
alpha,A1,2,10-3010,,1000.00,
alpha,A2,1,10-1110-001,250.50,,
alpha,A2,2,10-4010-1,,200.00,
alpha,A2,3,10-1810,,50.50,beta
beta,B1,1,20-1010,40,,
beta,B1,2,20-2810,,40,alpha
delta,D1,1,30-1010,500,,
delta,D1,2,30-3010,,500,
delta,D2,1,30-1010,100,,
delta,D2,2,30-4010,,100,
"""
FURTHER = {
    "journals": "company,journal,date,kind,description\nalpha,A3,2026-02-20,general,Late\n",
    "journal_lines": (
        "company,journal,line,account,debit,credit\nalpha,A3,1,10-1020,7.00,\nalpha,A3,2,10-4010-1,,7.00\n"
    ),
}
AT = "year=2026&period=2"
ELIMINATION = 'group,elimination,position,accounts,difference_account\ng,e,10,"1810, 2810",2010\n'


class Kept(PineTest):
    def setUp(self) -> None:
        super().setUp()
        content = {**world(), **tables(*ROWS), "journals": JOURNALS, "journal_lines": LINES}
        bring(
            {**content, "eliminations": ELIMINATION.replace("difference_account\n", "difference_account\n")}
        )
        self.mirela = person("mirela")
        self.group = client_of(self.mirela)

    def change(self, *changes: Any) -> None:
        for one in changes:
            actions.make_change(one, self.mirela)
        forget()

    def keep(self, why: str = "Sent to the board") -> KeptPeriod:
        reply = self.group.post(f"/group/g/period-end/keep/?{AT}", {"why": why})
        self.assertEqual(reply.status_code, 200, reply.content)
        return KeptPeriod.objects.order_by("-number")[0]

    def page(self, address: str) -> str:
        reply = self.group.get(address)
        self.assertEqual(reply.status_code, 200)
        return html.unescape(reply.content.decode())

    def refusal(self, change: Any) -> list[str]:
        with self.assertRaises(Refused) as told:
            actions.make_change(change, self.mirela)
        return [str(fault) for fault in told.exception.faults]

    def test_what_is_kept_comes_back_and_sums_to_zero(self) -> None:
        row = self.keep()
        figures = KeptFigures.read(row.figures)
        self.assertEqual(KeptFigures.read(figures.written()), figures)
        self.assertEqual(figures.balance, 0)
        self.assertTrue(kept.is_sealed(row))
        self.assertEqual(
            [(one.company, one.share) for one in figures.shares],
            [("alpha", "1"), ("beta", "1"), ("delta", "4/5")],
        )
        self.assertEqual(moved.amounts_moved(current().state, row), 0)
        self.assertEqual(len(moved.stages_of(current().state, row)), 1)
        self.assertIn("nothing moved since", self.page(f"/group/g/period-end/?{AT}"))
        self.assertEqual(
            row.still_open,
            [
                "Alpha, periods: M2 open.",
                "Alpha, sides: 1 open.",
                "Beta, periods: M2 open.",
                "Beta, sides: 1 open.",
                "Delta, periods: M2 open.",
            ],
        )

    def test_it_goes_out_as_it_stood(self) -> None:
        self.keep("For the auditors")
        before = self.workbook()
        bring(FURTHER)
        self.assertEqual(self.workbook(), before, "what was posted since moves nothing")
        self.assertEqual(before[2][1:], ["Alpha", "Beta", "Delta", "Ownership", "Eliminate", "Group"])
        for row in before[3:]:
            if row[:1] == ["Assets"]:
                self.assertAlmostEqual(sum(row[1:-1]), row[-1], 2)
        page = self.group.get("/group/g/kept/?statement=st&year=2026&period=2&show=all").content.decode()
        heads = re.findall(r'<th scope="col" class="num[^"]*">([^<]*)</th>', page)
        self.assertEqual(heads, before[2][1:])
        (assets,) = re.findall(r'<tr [^>]*data-row="assets".*?</tr>', page, re.S)
        exact = [
            text.replace(",", "").replace("\u2212", "-") for text in re.findall(r'title="([^"]*)"', assets)
        ]
        (row,) = [row for row in before if row[:1] == ["Assets"]]
        self.assertEqual([float(text) for text in exact if text[-3:-2] == "." or text == "0"], row[1:])

    def workbook(self) -> list[list[Any]]:
        reply = self.group.get("/group/g/kept/workbook/?statement=st&year=2026&period=2")
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        sheets = load_workbook(io.BytesIO(reply.content), data_only=True)
        self.assertIn("For the auditors", [row[1] for row in sheets["Made from"].iter_rows(values_only=True)])
        rows = sheets.worksheets[0].iter_rows(values_only=True)
        return [[cell for cell in row if cell is not None] for row in rows]

    def test_each_cause_is_told_apart_and_they_sum_to_the_difference(self) -> None:
        row = self.keep()
        self.change(
            Put(OwnershipChange("g", "delta", date(2026, 2, 1), Decimal(90))),
            Amend("eliminations", ("g", "e"), (("difference_account", "3010"),)),
        )
        bring(FURTHER)
        forget()
        state = current().state
        stages = moved.stages_of(state, row)
        self.assertEqual([stage.cause for stage in stages], ["", "journals", "shares", "rules"])
        now = moved.figures_now(state, row)
        self.assertEqual(stages[-1].figures.amounts, now.amounts if now else None)
        page = self.page(f"/group/g/kept/causes/?statement=st&{AT}")
        self.assertEqual(
            re.findall(r'<th scope="col"[^>]*>([^<]+)</th>', page),
            ["Balance sheet", "Kept", "Journals", "Shares", "Rules", "Moved", "Now"],
        )
        cells = re.findall(r'data-row="cash".*?</tr>', page, re.S)[0]
        self.assertEqual(
            re.findall(r">([^<>]+)</td>", cells)[1:], ["1,580.00", "7.00", "—", "—", "7.00", "1,587.00"]
        )
        self.assertIn("Late", page)
        self.assertIn("Added ownership delta 2026-02-01 of g", page)
        whole = self.page(f"/group/g/kept/?statement=st&{AT}")
        self.assertIn("As it was sealed; debits equal credits", whole)
        for odd in ("number=9", "period=99", "number=x&period=2", "statement=none"):
            self.assertIn(self.group.get(f"/group/g/kept/?year=2026&period=2&{odd}").status_code, (200, 404))

    def test_a_statement_laid_out_anew_is_a_cause_and_now_is_now(self) -> None:
        self.keep()
        self.change(PlaceAccounts("st", "cash", ("1110",)))
        self.assertIn("Telling the causes apart", self.page(f"/group/g/kept/?statement=st&{AT}"))
        bring(FURTHER)
        forget()
        page = self.page(f"/group/g/kept/causes/?statement=st&{AT}")
        cells = re.findall(r'data-row="cash".*?</tr>', page, re.S)[0]
        self.assertEqual(
            re.findall(r">([^<>]+)</td>", cells)[1:],
            ["1,580.00", "7.00", "250.50", "257.50", "1,837.50"],
        )

    def test_its_rates_are_held_until_it_is_released(self) -> None:
        self.keep()
        way_out = "Release that period first, with the reason, and keep it again afterwards."
        cases = [
            (
                Amend("rates", ("EUR", GBP, "closing", "2026-02-28"), (("rate", "0.95"),)),
                "closing, 2026-02-28",
            ),
            (Drop(Rate("EUR", GBP, "average", date(2026, 2, 28), Decimal("0.85"))), "average, 2026-02-28"),
            (Put(Rate("EUR", GBP, "historical", date(2026, 1, 20), Decimal(1))), "historical, 2026-01-20"),
        ]
        for change, which in cases:
            with self.subTest(which):
                [told] = self.refusal(change)
                self.assertIn(
                    f"EUR to GBP, {which}: M2 of g is kept with its rates, by Mirela. {way_out}", told
                )
        self.change(  # neither is what was taken
            Put(Rate("EUR", GBP, "closing", date(2026, 2, 14), Decimal("0.7"))),
            Put(Rate(GBP, "EUR", "closing", date(2026, 2, 28), Decimal("1.1"))),
            Put(Rate("EUR", GBP, "closing", date(2026, 3, 31), Decimal("0.7"))),
        )
        rates = {"rates": "from_currency,to_currency,kind,on,rate\nEUR,GBP,closing,2026-02-28,0.95\n"}
        self.assertIn("is kept with its rates", refused(rates)[0])
        self.assertEqual(self.group.post(f"/group/g/period-end/release/?{AT}", {"why": ""}).status_code, 422)
        self.group.post(f"/group/g/period-end/release/?{AT}", {"why": "The bank corrected it"})
        bring(rates)
        forget()
        row = KeptPeriod.objects.get()
        state = current().state
        self.assertEqual([stage.cause for stage in moved.stages_of(state, row)], ["", "rates"])
        self.assertEqual(self.group.post(f"/group/g/period-end/keep/?{AT}", {"why": ""}).status_code, 422)
        self.keep("The rate is the bank's")
        bank_rate = current().state.require(Rate, "EUR", GBP, "closing", date(2026, 2, 28))
        self.assertEqual([one.number for one in KeptPeriod.objects.order_by("number")], [1, 2])
        self.assertIn("is kept with its rates", self.refusal(Drop(bank_rate))[0])
        self.assertIn("The bank corrected it", self.page(f"/group/g/kept/?number=1&{AT}"))

    def test_what_would_be_kept_now_takes_nothing_over(self) -> None:
        """Rates that no kept period takes change while its pages are looked at."""
        self.keep()
        for rate in ("2", "3", "4"):
            actions.make_change(
                Put(Rate("DKK", "GBP", "closing", date(2026, 3, 31), Decimal(rate))), self.mirela
            )
            self.assertEqual(self.group.get("/group/g/?statement=st&year=2026&period=2").status_code, 200)
            self.assertIn("nothing moved since", self.page(f"/group/g/period-end/?{AT}"))
            self.assertEqual(moved.amounts_moved(current().state, KeptPeriod.objects.get()), 0)

    def test_nothing_kept_is_altered_and_its_group_stays(self) -> None:
        self.keep()
        for sql in ("UPDATE group_keptperiod SET why = 'x'", "DELETE FROM group_keptperiod"):
            with self.assertRaisesMessage(DatabaseError, "never altered"), transaction.atomic():
                connection.cursor().execute(sql)
        self.assertEqual(posted_facts(current().state).tie(Group, "g"), "periods of it are kept")

    def test_who_waits_is_not_kept(self) -> None:
        self.change(Drop(Rate("EUR", GBP, "closing", date(2026, 2, 28), Decimal("0.90"))))
        reply = self.group.post(f"/group/g/period-end/keep/?{AT}", {"why": "All the same"})
        self.assertEqual(reply.status_code, 422)
        self.assertIn(
            "delta is not in these figures: it waits for the closing rate of EUR", reply.content.decode()
        )
        self.assertEqual(KeptPeriod.objects.count(), 0)

    def test_a_note_on_sides_lasts_over_periods(self) -> None:
        sides = f"/group/g/sides/?{AT}"
        self.assertIn("open", self.page(sides))
        note = "/group/g/sides/e/alpha/beta/note/"
        refused_one = self.group.post(f"{note}?{AT}", {"state": "accepted", "up_to": "", "note": ""})
        self.assertEqual(refused_one.status_code, 422)
        self.assertEqual(
            self.group.post(
                f"{note}?{AT}", {"state": "accepted", "up_to": "90.50", "note": "On its way"}
            ).status_code,
            200,
        )
        self.assertEqual(
            current().state.get(DisagreementNote, "g", "e", "alpha", "beta"),
            DisagreementNote("g", "e", "alpha", "beta", "accepted", "On its way", "90.5"),
        )
        self.assertIn(">accepted<", self.page(sides))
        self.group.post(f"{note}?{AT}", {"state": "accepted", "up_to": "90.49", "note": "On its way"})
        self.assertIn(">more than was accepted<", self.page(sides))
