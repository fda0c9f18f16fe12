"""Journals that repeat and are taken back, posted in one act; a line of the group's statement adjusted."""

from __future__ import annotations

import csv
import html
import io
import json
from typing import Any

from core.changes.kinds import Amend
from core.definitions.tables import Code, Company, CompanyCode
from tests.base import InWorld, bring, forget, run, tables
from web.definitions import actions
from web.journals.models import Journal

LINES = [{"account": "10-1010", "debit": "7.00"}, {"account": "10-4010", "credit": "7.00"}]


class Series(InWorld):
    def send(self, what: str, **more: Any) -> Any:
        content = {
            "journal": "A3",
            "proposed": "A3",
            "date": "2026-02-28",
            "kind": "adjusting",
            "description": "Accrual",
            "lines": LINES,
            **more,
        }
        return self.group.post(f"/journals/alpha/{what}/", json.dumps(content), "application/json")

    def test_all_are_told_before_and_posted_in_one_act(self) -> None:
        asked = {"then": "reverses", "repeat_until": "2026-03-31"}
        self.assertEqual(
            self.send("check", **asked).json()["further"],
            [
                "2026-03-01: Reversal of Accrual, 1 of 2",
                "2026-03-31: Accrual, 2 of 2",
                "2026-04-01: Reversal of Accrual, 2 of 2",
            ],
        )
        before = Journal.objects.count()
        self.assertEqual(self.send("post", **asked).status_code, 200)
        rows = list(Journal.objects.filter(company_id="alpha").order_by("pk").select_related("reverses"))[-4:]
        self.assertEqual(Journal.objects.count(), before + 4)
        told = [(row.journal, str(row.date), row.reverses.journal if row.reverses else "") for row in rows]
        numbers = [row.journal for row in rows]
        self.assertEqual(
            told,
            [
                (numbers[0], "2026-02-28", ""),
                (numbers[1], "2026-03-01", numbers[0]),
                (numbers[2], "2026-03-31", ""),
                (numbers[3], "2026-04-01", numbers[2]),
            ],
        )
        forget()
        amounts = []
        for period in ("2", "3", "4"):
            text = run("trial-balance", "--company", "alpha", "--year", "2026", "--period", period)[1]
            rows_of = {row["account"]: row for row in csv.DictReader(io.StringIO(text))}
            amounts.append(rows_of["4010"]["closing"])
        self.assertEqual(amounts, ["-207.00", "-207.00", "-200.00"])

    def test_what_stands_in_the_way_of_one_stops_all(self) -> None:
        actions.make_change(Amend("periods", ("m", "2026", "3"), (("status", "closed"),)), self.mirela)
        before = Journal.objects.count()
        told = self.send("check", then="reverses").json()
        self.assertEqual(
            [f["what"] for f in told["faults"]], ["On 2026-03-01: M3 is closed for company alpha."]
        )
        self.assertFalse(told["ready"])
        reply = self.send("post", then="reverses")
        self.assertEqual(reply.status_code, 422)
        for odd in ({"repeat_until": "soon"}, {"repeat_until": "2030-01-01"}, {"repeat_until": "2025-01-01"}):
            self.assertEqual(self.send("post", **odd).status_code, 422)
            self.assertFalse(self.send("check", **odd).json()["ready"])
        self.assertEqual(Journal.objects.count(), before)

    def test_a_line_of_the_group_is_adjusted_in_the_books_that_correct_a_company(self) -> None:
        page = "/group/g/cell/cash/alpha/?statement=st&year=2026&period=2"
        self.assertIn("No books adjust Alpha yet", self.group.get(page).content.decode())
        bring(
            tables(
                Code("co", "11", "Alpha, to group rules"),
                Company("alpha2", "Alpha, to group rules", "GB", "GBP", "c", "m", adjusts="alpha"),
                CompanyCode("alpha2", "company", "11"),
            )
        )
        forget()
        told = html.unescape(self.group.get(page).content.decode())
        address = "/journals/alpha2/new/?account=1010&on=2026-02-28&words=Adjustment+of+Cash"
        self.assertIn(f'href="{address}"', told)
        begun = self.group.get(address).content.decode()
        kept = begun.split('id="entry-kept" type="application/json">')[1].split("</script>")[0]
        self.assertEqual(
            json.loads(kept),
            {
                "date": "2026-02-28",
                "kind": "adjusting",
                "description": "Adjustment of Cash",
                "lines": [{"account": "11-1010"}],
            },
        )
