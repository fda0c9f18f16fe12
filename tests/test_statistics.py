"""Statistics from the package to the page: kept beside the books, shown beside money, never posted."""

from __future__ import annotations

import html
from typing import Any

from core.definitions.tables import Budget, Code, Statement, StatementLine
from tests.base import PineTest, bring, client_of, person, refused, run, tables
from web.journals.budgets import budget_cells

HEAD = "company,journal,date,kind,description\n"
LINES = "company,journal,line,account,dimensions,debit,credit\n"
KEPT = "budget,company,fiscal_year,period,account,dimensions,amount\n"
ROWS: list[Any] = [
    Code("acc", "9010", "Staff", account_class="statistic", unit="heads"),
    Code("acc", "9030", "Hours", account_class="statistic", unit="hours", adds_up=True),
    Statement("k", "Key figures", "c", "other"),
    StatementLine("k", "sales", "", 1, "Sales", "accounts", "4010"),
    StatementLine("k", "staff", "", 2, "Staff", "accounts", "9010"),
    StatementLine("k", "hours", "", 3, "Hours", "accounts", "9030"),
    StatementLine("k", "each", "", 4, "Sales per head", "formula", "", "[sales] / [staff]"),
    Budget("kept", "Heads and hours", "c", kind="statistics"),
    Budget("plan", "Plan", "c"),
]


def world(lines: str = "") -> dict[str, str]:
    sales = [(1, 600), (2, 300), (3, 90)]
    journals = "".join(f"alpha,A{m},2026-0{m}-10,general,Sales\n" for m, _ in sales)
    posted = "".join(
        f"alpha,A{m},1,10-1010-001,,{amount},\nalpha,A{m},2,10-4010-002,season=SP26,,{amount}\n"
        for m, amount in sales
    )
    kept = [
        *((1, "9010-001", 10), (1, "9010-002", 2), (2, "9010-001", 15)),
        *((1, "9030-001", 1500), (2, "9030-001", "1600.5")),
    ]
    quantities = "".join(f"kept,alpha,2026,{period},10-{place},,{value}\n" for period, place, value in kept)
    planned = "plan,alpha,2026,3,10-9010-001,,20\nplan,alpha,2026,3,10-4010-002,,-100\n"
    return {
        **tables(*ROWS),
        "journals": f"{HEAD}{journals}",
        "journal_lines": f"{LINES}{posted}",
        "budget_lines": f"{KEPT}{quantities}{planned}{lines}",
    }


class Statistics(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.client = client_of(person("mirela"))

    def shown(self, *words: str) -> dict[str, list[str]]:
        status, out, told = run("statement", "k", "--company=alpha", *words)
        self.assertEqual(status, 0, told)
        return {row.split(",")[0]: row.split(",")[3:] for row in out.splitlines()[1:]}

    def test_figures_of_any_stretch_and_column(self) -> None:
        for words, staff, hours, each in (
            ("--year=2026 --period=2", ["15.00"], ["3100.50"], ["60.00"]),
            ("--year=2026 --period=3", ["0.00"], ["3100.50"], [""]),
            ("--from=2026-01-01 --to=2026-01-31", ["12.00"], ["1500.00"], ["50.00"]),
            ("--from=2026-02-01 --to=2026-03-15", ["15.00"], ["1600.50"], ["26.00"]),
            ("--year=2026 --period=1 --filter=site=002", ["2.00"], ["0.00"], ["300.00"]),
            (
                "--year=2026 --period=2 --periods=months",
                ["12.00", "15.00", "15.00"],
                ["1500.00", "1600.50", "3100.50"],
                ["50.00", "20.00", "60.00"],
            ),
            (
                "--year=2026 --period=1 --by=site",
                ["10.00", "2.00", "12.00"],
                ["1500.00", "0.00", "1500.00"],
                None,
            ),
            (
                "--year=2026 --period=3 --budget=plan",
                ["0.00", "20.00", "-20.00"],
                ["3100.50", "0.00", "3100.50"],
                None,
            ),
            ("--year=2026 --period=2 --forecast=plan", ["0.00"], ["3100.50"], None),
        ):
            with self.subTest(words):
                found = self.shown(*words.split())
                self.assertEqual((found["staff"], found["hours"]), (staff, hours))
                if each is not None:
                    self.assertEqual(found["each"], each)
        months = self.shown("--year=2026", "--period=2", "--forecast=plan", "--periods=months")
        self.assertEqual(months["staff"], ["12.00", "15.00", "20.00", "0.00", "0.00"])

    def test_they_are_in_no_trial_balance_and_no_journal(self) -> None:
        status, out, _ = run("trial-balance", "--company=alpha", "--year=2026", "--period=3")
        self.assertEqual((status, "9010" in out, "4010" in out), (0, False, True))
        statistic = (
            "Account: 9010 Staff is a statistic and takes no amounts. Choose another account; its quantities"
            " are keyed in statistics, under Budgets."
        )
        head = "journals,journal_lines"
        for table, content in (
            ("journal_lines", f"{LINES}alpha,B,1,10-9010-001,,5,\nalpha,B,2,10-4010-002,season=SP26,,5\n"),
            (
                "balances",
                "company,fiscal_year,period,account,amount\nbeta,2026,1,20-9010-001,5\n"
                "beta,2026,1,20-1010-001,-5\n",
            ),
        ):
            package = {table: content} | (
                {"journals": f"{HEAD}alpha,B,2026-01-10,general,x\n"} if "journal" in table else {}
            )
            with self.subTest(table, head=head):
                self.assertTrue(any(told.endswith(statistic) for told in refused(package)), refused(package))
        wrong = refused({"budget_lines": f"{KEPT}kept,alpha,2026,1,10-4010-001,,5\n"})
        self.assertIn("4010 Sales is no statistic, and Heads and hours holds statistics.", wrong[0])
        status, _, told = run(
            "statement", "k", "--company=alpha", "--year=2026", "--period=2", "--budget=kept"
        )
        self.assertEqual(
            (status, told.strip()),
            (2, "Heads and hours holds statistics, which stand among the figures: it is no budget."),
        )

    def test_pages_key_them_and_open_to_where_they_are_kept(self) -> None:
        page = "/budgets/kept/alpha/k/"
        keyed = self.client.post(f"{page}row/?year=2026&key=line:staff", {"seen": 0, "3": "18", "was-3": ""})
        self.assertEqual(keyed.status_code, 200, keyed.content[:300])
        cells = {
            cell: amount for cell, amount in budget_cells("kept", "alpha", 2026).items() if cell.period == 3
        }
        self.assertEqual([(cell.account, amount) for cell, amount in cells.items()], [("10-9010-001", 1800)])
        self.assertEqual(self.shown("--year=2026", "--period=3")["staff"], ["18.00"])
        grid = self.client.get(f"{page}?year=2026").content.decode()
        self.assertIn("line:staff", grid)
        self.assertNotIn("line:sales", grid)
        at = "company=alpha&year=2026&period=3"
        cell = html.unescape(self.client.get(f"/statements/k/figures/cell/?{at}&line=staff").content.decode())
        self.assertIn('<b class="code">18</b> heads,\n      as it stands at the end.', cell)
        self.assertIn(f'href="{page}?year=2026&row=budget%3Aline%3Astaff"', cell)
        self.assertNotIn("/journals/", cell)
        group = self.client.get(f"/statements/k/?{at}").content.decode()
        self.assertIn('<td class="num">18</td>', group)
