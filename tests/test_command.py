"""The command line on small packages: exit statuses, columns and figures to the cent."""

import json
import tempfile
from pathlib import Path

import openpyxl

from tests.base import PineTest, bring, package, run, tables, world

ALPHA_BALANCE = """line,label,depth,amount
assets,Assets,0,1200.00
cash,Cash,1,1000.00
debtors,Debtors,1,200.00
owing,Owing,0,1200.00
capital,Capital,1,1000.00
creditors,Creditors,1,0.00
result,Result,1,200.00
"""


class Commands(PineTest):
    def test_trial_balance_of_a_company(self) -> None:
        bring(world())
        status, out, err = run(
            "trial-balance", "--company", "alpha", "--year", "2026", "--period", "2", "--from-period", "2"
        )
        self.assertEqual((status, err), (0, ""))
        self.assertEqual(
            out,
            "account,name,opening,debit,credit,closing\n1010,Bank,1000.00,0.00,0.00,1000.00\n"
            "1110,Debtors,0.00,250.50,0.00,250.50\n"
            "1810,Due"
            " from,0.00,0.00,50.50,-50.50\n3010,Capital,-1000.00,0.00,0.00,-1000.00\n"
            "4010,Sales,0.00,0.00,200.00,-200.00\n",
        )

    def test_statement_in_each_format(self) -> None:
        bring(world())
        words = ("statement", "st", "--company", "alpha", "--year", "2026", "--period", "2")
        self.assertEqual(run(*words), (0, ALPHA_BALANCE, ""))
        rows = json.loads(run(*words, "--format", "json")[1])
        self.assertEqual(rows[1], {"line": "cash", "label": "Cash", "depth": 1, "amount": "1000.00"})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "out.xlsx"
            self.assertEqual(run(*words, "--format", "xlsx", "--output", str(path)), (0, "", ""))
            page = openpyxl.load_workbook(path).active
            self.assertEqual([cell.value for cell in page[3]], ["cash", "Cash", 1, 1000])

    def test_unplaced_is_the_last_line_and_named(self) -> None:
        content = world()
        content["statement_lines"] = content["statement_lines"].replace('"1110, 1810"', "1110")
        bring(content)
        status, out, err = run("statement", "st", "--company", "alpha", "--year", "2026", "--period", "2")
        self.assertEqual(
            (status, out.splitlines()[-1], err),
            (
                0,
                "unplaced,,0,-50.50",
                "Unplaced: 1810 Due from, -50.50 GBP.\n"
                "The two sides differ by 50.50 GBP: Assets 1,250.50, Owing 1,200.00.\n",
            ),
        )

    def test_group_figures_and_disagreements(self) -> None:
        bring(world())
        when = ("--group", "g", "--year", "2026", "--period", "2")
        self.assertEqual(
            run("disagreements", *when)[1], "elimination,company,partner,amount\ne,alpha,beta,-90.50\n"
        )
        status, out, _ = run("statement", "st", *when)
        self.assertIn("creditors,Creditors,1,90.50\n", out)
        self.assertIn("assets,Assets,0,1290.50\n", out)
        self.assertIn("2010,Creditors,0.00,0.00,90.50,-90.50\n", run("trial-balance", *when)[1])
        self.assertEqual(status, 0)

    def test_wrong_calls(self) -> None:
        bring(world())
        when = ("--year", "2026", "--period", "2")
        for words, expected in [
            (("trial-balance", "--company", "nobody", *when), "There is no company nobody.\n"),
            (("trial-balance", "--group", "none", *when), "There is no group none.\n"),
            (("statement", "nothing", "--company", "alpha", *when), "There is no statement nothing.\n"),
            (
                ("trial-balance", "--company", "alpha", "--year", "2020", "--period", "1"),
                "There is no fiscal year 2020 in calendar m.\n",
            ),
            (
                ("trial-balance", "--company", "alpha", "--year", "2026", "--period", "9"),
                "There is no period 9 in fiscal year 2026 of calendar m.\n",
            ),
            (
                ("trial-balance", "--company", "alpha", *when, "--from-period", "3"),
                "Period 3 is after period 2.\n",
            ),
            (("import", "/nowhere/at/all"), "There is nothing at /nowhere/at/all.\n"),
        ]:
            with self.subTest(words=words):
                self.assertEqual(run(*words), (2, "", expected))
        for words in [
            (),
            ("nonsense",),
            ("trial-balance", *when),
            ("trial-balance", "--company", "a", "--group", "g", *when),
            ("statement", "st", "--company", "alpha", "--year", "x", "--period", "1"),
        ]:
            with self.subTest(words=words):
                self.assertEqual(run(*words)[0], 2)

    def test_import_twice_changes_nothing(self) -> None:
        with package(world()) as path:
            self.assertEqual(run("import", str(path))[0], 0)
            self.assertEqual(run("import", str(path)), (0, "", "Imported: nothing new.\n"))

    def test_export_and_import_is_the_identity(self) -> None:
        content = world(
            balances="company,fiscal_year,period,account,amount\n",
            rates="from_currency,to_currency,kind,on,rate\nEUR,GBP,closing,2026-01-31,0.865\n",
            budgets="budget,name,chart\nplan,Plan,c\n",
            budget_lines=(
                "budget,company,fiscal_year,period,account,dimensions,amount\n"
                "plan,alpha,2026,1,10-4010-001,season=SP26,-12.34\n"
            ),
        )
        bring(content)
        with tempfile.TemporaryDirectory() as folder:
            for name in ("one", "one.zip", "one.xlsx"):
                self.assertEqual(run("export", f"{folder}/{name}")[0], 0)
                self.assertEqual(run("import", f"{folder}/{name}"), (0, "", "Imported: nothing new.\n"))

    def test_check_lists_faults_and_looks(self) -> None:
        content = world()
        bring(content)
        status, _, err = run("check")
        self.assertEqual(status, 0, err)
        self.assertIn("0 to be put right", err)
        bring(
            {
                "codes": "code_list,code,name,account_class\nacc,1900,Late,asset\n",
                "journals": "company,journal,date\nalpha,L1,2026-03-01\n",
                "journal_lines": (
                    "company,journal,line,account,debit,credit\nalpha,L1,1,10-1900,7,\n"
                    "alpha,L1,2,10-1010,,7\n"
                ),
            }
        )
        status, _, err = run("check")
        self.assertEqual(status, 1)
        self.assertIn(
            "Must be put right: statements, st, column statement, value 'st': 1900 Late stands on no line of"
            " Balance sheet: alpha 7.00 GBP. A likely line is debtors.",
            err,
        )

    def test_formula_like_text_is_data_and_neutralised_on_the_way_out(self) -> None:
        content = world()
        content["statement_lines"] = content["statement_lines"].replace(",Cash,", ",=1+1,")
        bring(content)
        out = run("statement", "st", "--company", "alpha", "--year", "2026", "--period", "2")[1]
        self.assertIn("cash,'=1+1,1,1000.00", out)
        with tempfile.TemporaryDirectory() as folder:
            run("export", folder)
            self.assertIn(",=1+1,", (Path(folder) / "statement_lines.csv").read_text())

    def test_what_follows_from_an_unread_cell_is_not_told(self) -> None:
        content = world()
        content["journals"] = content["journals"].replace("2026-02-10", "10.02.2026")
        content["journal_lines"] = content["journal_lines"].replace("10-1110-001", "")
        with package(content) as path:
            status, _, err = run("import", str(path))
        self.assertEqual(
            (status, err.splitlines()),
            (
                1,
                [
                    (
                        "journals, row 3, column date, value '10.02.2026': A date is written 2026-09-30."
                        " Correct the cell."
                    ),
                    "journal_lines, row 4, column account: The column account must be given. Fill the cell.",
                    "2 faults; nothing was written.",
                ],
            ),
        )

    def test_journals_or_balances_not_both(self) -> None:
        rows = "beta,2026,1,20-1010,5\nbeta,2026,1,20-3010,-5\n"
        bring({**tables(), "balances": f"company,fiscal_year,period,account,amount\n{rows}"})
        with package(
            {
                "journals": "company,journal,date\nbeta,N1,2026-02-10\n",
                "journal_lines": (
                    "company,journal,line,account,debit,credit\nbeta,N1,1,20-1010,5,\nbeta,N1,2,20-2010,,5\n"
                ),
            }
        ) as path:
            self.assertEqual(
                run("import", str(path)),
                (
                    1,
                    "",
                    (
                        "journals, row 2, column journal, value 'beta': beta has balances kept elsewhere in"
                        " 2026; a fiscal year has journals or balances, not both. Post to another year.\n1"
                        " fault; nothing was written.\n"
                    ),
                ),
            )

    def test_a_company_with_balances_kept_elsewhere(self) -> None:
        rows = (
            "alpha,2026,0,10-1010,,100\nalpha,2026,0,10-3010,,-100\nalpha,2026,1,10-1110,beta,30\n"
            "alpha,2026,1,10-4010-1,,-30\n"
        )
        bring(
            {
                **tables(),
                **GROUPLESS,
                "balances": f"company,fiscal_year,period,account,partner,amount\n{rows}",
            }
        )
        out = run("trial-balance", "--company", "alpha", "--year", "2026", "--period", "1")[1]
        self.assertEqual(
            out.splitlines()[1:],
            [
                "1010,Bank,100.00,0.00,0.00,100.00",
                "1110,Debtors,0.00,30.00,0.00,30.00",
                "3010,Capital,-100.00,0.00,0.00,-100.00",
                "4010,Sales,0.00,0.00,30.00,-30.00",
            ],
        )


GROUPLESS: dict[str, str] = {}
