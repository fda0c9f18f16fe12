"""Packs and pages of paper: every figure is the statement's, of one moment, kept with its hash; nobody gets
what
they may not see."""

from __future__ import annotations

import csv
import hashlib
import io
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.db import DatabaseError, transaction
from openpyxl import load_workbook
from pypdf import PdfReader

from core.definitions.tables import Statement, StatementLine
from core.money import show_amount
from tests.base import CommittingTest, PineTest, bring, client_of, person, run, tables, world
from web.packs import job
from web.packs.models import Pack, PackFile
from web.packs.paper import Paper, PaperRow
from web.packs.pdf import as_pdf

INCOME = (
    Statement("inc", "Income", "c", "income_statement"),
    StatementLine("inc", "sales", "", 1, "Sales", "accounts", "4*"),
)
AT = {"year": 2026, "period": 2}


def texts(pdf: bytes) -> list[str]:
    """The words of each page, parted by single spaces."""
    return [" ".join(page.extract_text().split()) for page in PdfReader(io.BytesIO(pdf)).pages]


def amounts(text: str) -> list[str]:
    return re.findall(r"[−]?\d[\d,]*\.\d\d", text)


def packed_world() -> dict[str, str]:
    return {
        **world(),
        **{name: text for name, text in tables(*INCOME).items() if name.startswith("statement")},
    }


class Packs(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(packed_world())
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def make(self, form: str, **given: Any) -> Pack:
        """A pack made at once, as the worker makes it."""
        wanted = {"name": "February", "statement": ["st", "inc"], "company": ["*"], "group": ["g"]}
        reply = self.client.post("/packs/make/new/", {**wanted, **AT, "form": form, **given})
        self.assertEqual(reply.status_code, 200, reply.content[:400])
        pack = Pack.objects.order_by("-pk")[0]
        job.run(pack.pk)
        pack.refresh_from_db()
        return pack

    def content(self, pack: Pack) -> bytes:
        self.assertEqual(pack.outcome, f"{len(pack.items)} statements")
        data: bytes = self.client.get(f"/packs/{pack.pk}/file/").content
        self.assertEqual(hashlib.sha256(data).hexdigest(), pack.made.digest)
        return data

    def shown(self, *words: str) -> list[str]:
        """The amounts of a statement on the command line, as paper writes them."""
        _, out, _ = run("statement", *words, "--year=2026", "--period=2")
        cells = [row["amount"] for row in csv.DictReader(io.StringIO(out))]
        return [show_amount(round(float(cell) * 100), 2) for cell in cells if cell and float(cell)]

    def test_one_pdf_holds_every_statement_under_its_name(self) -> None:
        content = self.content(self.make("pdf"))
        pages, read = texts(content), PdfReader(io.BytesIO(content))
        outline: list[Any] = read.outline
        annotations: Any = read.pages[0]["/Annots"]
        names = [
            f"{what}, {who}"
            for who in ("Alpha", "Beta", "Both, consolidated")
            for what in ("Balance sheet", "Income")
        ]
        self.assertEqual(len(pages), 1 + len(names))
        numbers = range(1, len(pages))
        self.assertEqual(
            [(entry.title, read.get_destination_page_number(entry)) for entry in outline],
            list(zip(names, numbers, strict=True)),
        )
        links = [annotation.get_object()["/Dest"][0] for annotation in annotations]
        self.assertEqual([read.get_page_number(link.get_object()) for link in links], list(numbers))
        self.assertIn(" ".join(str(number + 1) for number in numbers), pages[0])
        for number, (name, page) in enumerate(zip(names, pages[1:], strict=True), 2):
            self.assertIn(name, pages[0])
            self.assertIn("Made by Mirela, ", page)
            self.assertTrue(page.endswith(f"page {number} of {len(pages)}"), page)
            statement, whose = ("st" if name.startswith("B") else "inc"), name.split(", ")[1].lower()
            asked = "--group=g" if whose == "both" else f"--company={whose}"
            wanted = self.shown(statement, asked)
            self.assertEqual([a for a in amounts(page) if a in wanted], wanted)

    def test_a_workbook_leads_to_each_statement(self) -> None:
        book = load_workbook(io.BytesIO(self.content(self.make("xlsx", beside="year"))))
        self.assertEqual(book.sheetnames[0], "Contents")
        self.assertEqual(book.sheetnames[-1], "Made from")
        self.assertEqual(book["Contents"]["A3"].value, "Balance sheet, Alpha")
        self.assertEqual(book.sheetnames[1], "1 Balance sheet")
        self.assertEqual(book["Contents"]["A3"].hyperlink.location, "'1 Balance sheet'!A1")
        self.assertEqual(
            dict(row[:2] for row in book["Made from"].iter_rows(values_only=True))["Pack"], "February"
        )

    def test_a_folder_lists_its_files_with_their_hashes(self) -> None:
        with zipfile.ZipFile(
            io.BytesIO(self.content(self.make("zip", company=["alpha"], group=[])))
        ) as archive:
            listed = list(csv.DictReader(io.StringIO(archive.read("contents.csv").decode())))
            self.assertEqual({row["file"] for row in listed} | {"contents.csv"}, set(archive.namelist()))
            for row in listed:
                self.assertEqual(hashlib.sha256(archive.read(row["file"])).hexdigest(), row["sha256"])
            _, out, _ = run("statement", "st", "--company=alpha", "--year=2026", "--period=2")
            self.assertEqual(archive.read("001-st-alpha.csv").decode().splitlines(), out.splitlines())

    def test_the_command_makes_the_same(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.pdf"
            wanted = ("--statements=st,inc", "--companies=all", "--groups=all", "--year=2026", "--period=2")
            status, _, told = run("pack", str(path), *wanted)
            self.assertEqual(status, 0, told)
            self.assertIn(hashlib.sha256(path.read_bytes()).hexdigest(), told)
            made = [re.sub(r"Made by.*", "", page) for page in texts(path.read_bytes())]
            kept = [re.sub(r"Made by.*", "", page) for page in texts(self.content(self.make("pdf")))]
            self.assertEqual(made[1:], kept[1:])
            self.assertEqual(run("pack", str(Path(folder) / "all"), *wanted)[0], 0)
            self.assertEqual(len(list((Path(folder) / "all").iterdir())), 13)

    def test_what_can_t_be_made_is_told_before_anything_is(self) -> None:
        for given, status, words in (
            ({"name": ""}, 422, "The pack needs a name."),
            ({"statement": []}, 422, "None of these statements is of a chart of these companies or groups."),
            ({"period": 9}, 422, "alpha has no period 9 in 2026."),
            ({"group": ["nope"]}, 404, ""),
            ({"company": ["nope"]}, 404, ""),
            ({"form": "doc"}, 404, ""),
        ):
            wanted = {"name": "x", "statement": ["st"], "company": ["*"], "form": "pdf", **AT, **given}
            with self.subTest(given=given):
                reply = self.client.post("/packs/make/new/", wanted, headers={"HX-Request": "true"})
                self.assertEqual(reply.status_code, status)
                self.assertIn(words, reply.content.decode())
        self.assertFalse(Pack.objects.exists())

    def test_a_company_accountant_packs_and_gets_their_own(self) -> None:
        theirs = self.make("pdf")
        tom = person("tom", "company", ("beta",))
        self.client = client_of(tom)
        self.assertEqual(self.client.get(f"/packs/{theirs.pk}/file/").status_code, 404)
        self.assertEqual(self.client.post(f"/packs/{theirs.pk}/stop/").status_code, 404)
        self.assertNotIn("February", self.client.get("/packs/").content.decode())
        pack = self.make("pdf", name="Mine", group=["*"])
        self.assertEqual(pack.items, [["st", "beta", "", ""], ["inc", "beta", "", ""]])
        self.assertIn("Mine", self.client.get("/packs/").content.decode())
        tom.companies.clear()
        self.assertEqual(self.client.get(f"/packs/{pack.pk}/file/").status_code, 404)

    def test_what_was_kept_is_never_altered(self) -> None:
        made = self.make("pdf").made
        for act in (lambda: PackFile.objects.filter(pk=made.pk).update(digest="x"), made.delete):
            with (
                self.subTest(act=act),
                self.assertRaisesRegex(DatabaseError, "never altered"),
                transaction.atomic(),
            ):
                act()

    def test_figures_on_paper_are_those_of_the_page(self) -> None:
        query = "company=alpha&year=2026&period=2&filter=site%3D001"
        reply = self.client.get(f"/statements/st/figures/pdf/?{query}")
        self.assertEqual(reply["Content-Type"], "application/pdf")
        (page,) = texts(reply.content)
        self.assertIn("Only site=001", page)
        self.assertIn("250.50", page)
        for odd in ("unit=x", "filter=x", "by=season", "hierarchy=x", "periods=months&forecast=x"):
            status = self.client.get(
                f"/statements/st/figures/pdf/?company=alpha&year=2026&period=2&{odd}"
            ).status_code
            self.assertIn(status, (200, 404), odd)


class Stopped(CommittingTest):
    def test_a_stopped_pack_keeps_nothing(self) -> None:
        bring(packed_world())
        by = person("mirela")
        asked = {"by": by, "name": "x", "form": "pdf", "fiscal_year": 2026, "period": 2}
        pack = Pack.objects.create(**asked, items=[["st", "alpha", ""]], stop=True)
        job.run(pack.pk)
        pack.refresh_from_db()
        self.assertEqual(pack.outcome, "Stopped; nothing was kept.")
        self.assertFalse(PackFile.objects.exists())
        again = Pack.objects.create(**asked, items=[["gone", "alpha", ""]])
        job.run(again.pk)
        again.refresh_from_db()
        self.assertEqual(again.outcome, "gone of alpha is left out: There is no statement gone.")
        self.assertIsNotNone(again.ended_at)
        part = Pack.objects.create(**asked, items=[["gone", "alpha", ""], ["st", "alpha", ""]])
        job.run(part.pk)
        part.refresh_from_db()
        self.assertEqual(part.outcome, "1 statement. gone of alpha is left out: There is no statement gone.")
        content = bytes(PackFile.objects.get(pack=part).content)
        self.assertEqual(
            len(PdfReader(io.BytesIO(content)).pages), 2, "contents that tell it, and one statement"
        )


class Paged(PineTest):
    def test_a_long_statement_says_on_each_page_what_goes_on(self) -> None:
        rows = tuple(PaperRow(f"Line {i}", i % 4, "accounts", (f"{i}.00", "—")) for i in range(150))
        paper = Paper(
            "Balance sheet",
            "Łąka & Søns <plc>",
            "March",
            "In PLN",
            ("PLN", "2025"),
            rows,
            ("A note.",),
            "Made",
        )
        pages = texts(as_pdf([paper], paper.name))
        self.assertEqual(len(pages), 4)
        self.assertIn("Łąka & Søns <plc> · March", pages[0])
        self.assertNotIn("continued", pages[0])
        for number, page in enumerate(pages[1:], 2):
            self.assertIn("Balance sheet, Łąka & Søns <plc>, continued", page)
            self.assertTrue(page.endswith(f"Made page {number} of 4"), page[-80:])
        self.assertEqual(sum(len(re.findall(r"Line \d", page)) for page in pages), 150)

    def test_columns_that_don_t_fit_follow_below(self) -> None:
        heads = tuple(f"2026-{i:02d}" for i in range(1, 25))
        row = PaperRow("Sales", 0, "accounts", tuple(f"{i},000" for i in range(1, 25)))
        (page,) = texts(as_pdf([Paper("Income", "Alpha", "2026", "In GBP", heads, (row,))], "x"))
        for i, head in enumerate(heads, 1):
            self.assertIn(head, page)
            self.assertIn(f"{i},000", page)
