"""A member whose periods span the group's: journals count by their date, balances by their period's end."""

from __future__ import annotations

from typing import Any

from tests.base import PineTest, bring, refused, run, world

PERIODS = """calendar,fiscal_year,period,name,starts_on,ends_on,kind,status
odd,2026,1,One,2025-12-16,2026-01-15,regular,open
odd,2026,2,Two,2026-01-16,2026-02-15,regular,open
odd,2026,3,Three,2026-02-16,2026-03-15,regular,open
m,2026,1,M1,2026-01-01,2026-01-31,regular,open
m,2026,2,M2,2026-02-01,2026-02-28,regular,open
m,2026,3,M3,2026-03-01,2026-03-31,regular,open
"""
JOURNALS = """company,journal,date,kind,description
beta,B0,2025-12-20,general,Before the group's first period
beta,B1,2026-01-31,general,Last of January
beta,B2,2026-02-01,general,First of February
beta,B3,2026-02-20,general,In the third of its own
"""
LINES = """company,journal,line,line_company,account,debit,credit,partner,description
beta,B0,1,,20-1010,7.00,,,
beta,B0,2,,20-3010,,7.00,,
beta,B1,1,,20-1010,10.00,,,
beta,B1,2,,20-4010-1,,10.00,,
beta,B2,1,,20-1010,200.00,,,
beta,B2,2,,20-4010-1,,200.00,,
beta,B3,1,,20-1010,3000.00,,,
beta,B3,2,,20-4010-1,,3000.00,,
"""


def cut() -> dict[str, Any]:
    tables = world(journals=JOURNALS, journal_lines=LINES, periods=PERIODS)
    tables["companies"] = "\n".join(
        line.replace(",m", ",odd") if line.startswith("beta,") else line
        for line in tables["companies"].splitlines()
    )
    tables["calendars"] += "odd,Odd\n"
    tables["groups"] = "group,name,currency,chart,calendar\ng,Both,GBP,c,m\n"
    return tables


class OtherCalendars(PineTest):
    def test_journals_count_by_their_date(self) -> None:
        bring(cut())
        for period, expected in [
            ("1", ["7.00,10.00,0.00,17.00", "0.00,0.00,10.00,-10.00"]),
            ("2", ["17.00,3200.00,0.00,3217.00", "-10.00,0.00,3200.00,-3210.00"]),
            ("3", ["3217.00,0.00,0.00,3217.00", "-3210.00,0.00,0.00,-3210.00"]),
        ]:
            words = ("--group", "g", "--year", "2026", "--period", period, "--from-period", period)
            status, out, told = run("trial-balance", *words)
            rows = {row.split(",")[0]: row.split(",", 2)[2] for row in out.splitlines()}
            with self.subTest(period=period):
                self.assertEqual((status, told), (0, ""))
                self.assertEqual([rows["1010"], rows["4010"]], expected)
                self.assertEqual(rows["3010"], "-7.00,0.00,0.00,-7.00")

    def test_balances_that_span_two_periods_are_refused(self) -> None:
        tables = cut()
        del tables["journals"], tables["journal_lines"]
        tables["balances"] = (
            "company,fiscal_year,period,account,dimensions,partner,amount\n"
            "beta,2026,1,20-1010,,,5.00\nbeta,2026,1,20-3010,,,-5.00\n"
        )
        self.assertEqual(
            refused(tables),
            [
                f"balances, row {row}, column period, value '1': Period 1 of 2026 of beta spans two periods"
                " of g. Give balances by shorter periods, or give the group that calendar."
                for row in (2, 3)
            ],
        )
