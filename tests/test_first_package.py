"""docs/first-package.md, walked: two companies of one's own from a workbook to the consolidated balance
sheet."""

import io
import re
from datetime import date
from pathlib import Path
from typing import Any

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile

from core.definitions.tables import TABLES
from tests.base import PineTest, client_of, person, run
from web.definitions.snapshot import current

DOC = Path(__file__).resolve().parent.parent / "docs" / "first-package.md"
MONTHS = [
    ("January", 31),
    ("February", 28),
    ("March", 31),
    ("April", 30),
    ("May", 31),
    ("June", 30),
    ("July", 31),
    ("August", 31),
    ("September", 30),
    ("October", 31),
    ("November", 30),
    ("December", 31),
]
SHEETS: dict[str, list[list[Any]]] = {
    "code_lists": [["code_list", "name", "min_length", "max_length"], ["accounts", "Accounts", "4", "4"]],
    "codes": [
        ["code_list", "code", "name", "account_class"],
        ["accounts", "1000", "Bank", "asset"],
        ["accounts", "1800", "Due from two", "asset"],
        ["accounts", "2800", "Due to one", "liability"],
        ["accounts", "3000", "Capital", "equity"],
        ["accounts", "4000", "Sales", "revenue"],
        ["accounts", "5000", "Costs", "expense"],
        ["accounts", "2990", "Differences", "liability"],
    ],
    "structures": [["structure", "name", "separator"], ["main", "Main", "-"]],
    "structure_segments": [
        ["structure", "position", "segment", "name", "code_list", "role"],
        ["main", "1", "account", "Account", "accounts", "natural_account"],
    ],
    "charts": [["chart", "name", "structure"], ["main", "Our chart", "main"]],
    "calendars": [["calendar", "name"], ["months", "Months"]],
    "periods": [
        ["calendar", "fiscal_year", "period", "name", "starts_on", "ends_on"],
        *(
            ["months", "2026", str(n), name, f"2026-{n:02}-01", f"2026-{n:02}-{days}"]
            for n, (name, days) in enumerate(MONTHS, 1)
        ),
    ],
    "companies": [
        ["company", "name", "country", "currency", "chart", "calendar"],
        ["one", "One", "GB", "GBP", "main", "months"],
        ["two", "Two", "GB", "GBP", "main", "months"],
    ],
    "journals": [
        ["company", "journal", "date"],
        ["one", "J1", "2026-01-31"],
        ["two", "J1", "2026-01-31"],
        ["two", "J2", "2026-02-15"],
    ],
    "journal_lines": [
        ["company", "journal", "line", "account", "debit", "credit", "partner"],
        ["one", "J1", "1", "1000", "900.00", "", ""],
        ["one", "J1", "2", "1800", "100.00", "", "two"],
        ["one", "J1", "3", "3000", "", "1000.00", ""],
        ["two", "J1", "1", "1000", "100.00", "", ""],
        ["two", "J1", "2", "2800", "", "100.00", "one"],
        ["two", "J2", "1", "1000", "40.25", "", ""],
        ["two", "J2", "2", "4000", "", "40.25", ""],
    ],
    "groups": [["group", "name", "currency", "chart"], ["us", "Us", "GBP", "main"]],
    "group_members": [["group", "member"], ["us", "one"], ["us", "two"]],
    "eliminations": [
        ["group", "elimination", "position", "accounts", "difference_account"],
        ["us", "due", "10", "1800, 2800", "2990"],
    ],
}


def workbook(sheets: dict[str, list[list[Any]]]) -> SimpleUploadedFile:
    book = openpyxl.Workbook()
    book.remove(book.active)
    for name, rows in sheets.items():
        page = book.create_sheet(name)
        for row in rows:
            page.append(row)
    out = io.BytesIO()
    book.save(out)
    return SimpleUploadedFile("mine.xlsx", out.getvalue())


class FirstPackage(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.client_ = client_of(person("mirela"))

    def test_the_document_names_the_sheets_that_it_takes(self) -> None:
        named = {
            name
            for line in DOC.read_text().splitlines()
            if line.startswith("| ")
            for name in re.findall(r"[a-z_]+", line.split("|")[1])
        }
        self.assertEqual(named - {"sheet"}, set(SHEETS))
        self.assertLess(set(SHEETS), set(TABLES))

    def test_from_a_workbook_to_the_group(self) -> None:
        for empty in ("/codes/", "/structures/", "/companies/", "/journals/", "/statements/", "/group/"):
            page = self.client_.get(empty, follow=True)
            self.assertEqual(page.status_code, 200, empty)
        wrong = {
            **SHEETS,
            "journal_lines": [*SHEETS["journal_lines"][:-1], ["two", "J2", "2", "4001", "", "40.25", ""]],
        }
        page = self.client_.post("/exchange/in/", {"file": workbook(wrong)})
        self.assertIn("there is no code 4001", page.content.decode())
        self.assertEqual(current().version, 0)
        page = self.client_.post("/exchange/in/", {"file": workbook(SHEETS)}, follow=True)
        self.assertEqual(page.status_code, 200)
        self.assertEqual(current().version, 1)
        for kind in ("balance_sheet", "income_statement"):
            self.client_.post(
                "/statements/propose/",
                {"chart": "main", "kind": kind},
                headers={"HX-Request": "true", "HX-Current-URL": "http://t/"},
            )
        group = self.client_.get("/group/us/?year=2026&period=2").content.decode()
        self.assertIn('after every step: <b class="code">0</b>', group)
        self.assertIn("All balances between the companies cancel.", group)
        status, text, told = run("statement", "bs", "--group", "us", "--year", "2026", "--period", "2")
        self.assertEqual((status, told), (0, ""))
        amounts = [row.split(",")[-1] for row in text.strip().split("\n")[1:]]
        self.assertEqual({"1040.25", "1000.00", "40.25"} - set(amounts), set())
        self.assertNotIn("unplaced", text)
        self.assertEqual(
            run("disagreements", "--group", "us", "--year", "2026", "--period", "2")[1],
            "elimination,company,partner,amount\n",
        )
        self.assertEqual(
            run("trial-balance", "--group", "us", "--year", "2026", "--period", "2")[1],
            "account,name,opening,debit,credit,closing\n1000,Bank,0.00,1040.25,0.00,1040.25\n1800,Due from"
            " two,0.00,0.00,0.00,0.00\n"
            "2800,Due to"
            " one,0.00,0.00,0.00,0.00\n3000,Capital,0.00,0.00,1000.00,-1000.00\n"
            "4000,Sales,0.00,0.00,40.25,-40.25\n",
        )

    def test_numbers_and_dates_of_a_spreadsheet_come_in_as_they_are_meant(self) -> None:
        """A person edits cells: some become numbers, dates, truth values."""
        loose = {name: [list(row) for row in rows] for name, rows in SHEETS.items()}
        loose["code_lists"][1][2:] = [4, 4]
        for row in loose["periods"][1:]:
            row[1:3] = [int(row[1]), int(row[2])]
            row[4:6] = [date.fromisoformat(row[4]), date.fromisoformat(row[5])]
        for row in loose["codes"][1:]:
            row[1] = int(row[1])
        for row in loose["journal_lines"][1:]:
            row[2:6] = [
                int(row[2]),
                int(row[3]),
                float(row[4]) if row[4] else None,
                float(row[5]) if row[5] else None,
            ]
        loose["group_members"][0].append("ownership")
        loose["group_members"][1].append(100)
        self.assertEqual(
            self.client_.post("/exchange/in/", {"file": workbook(loose)}, follow=True).status_code, 200
        )
        self.assertEqual(current().version, 1)
        _, text, _ = run("trial-balance", "--company", "two", "--year", "2026", "--period", "2")
        self.assertEqual(text.split("\n")[1], "1000,Bank,0.00,140.25,0.00,140.25")
