"""Workbooks that are taken out come, recalculated by a spreadsheet program, to the figures they are of."""

from __future__ import annotations

import csv
import io
import os
import re
import subprocess
import tempfile
import zipfile
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from openpyxl import load_workbook
from pypdf import PdfReader
from python_calamine import CalamineWorkbook

from core.changes.kinds import Put
from core.definitions.tables import Statement
from core.money import show_amount
from tests.base import PineTest, bring, client_of, person, run
from tests.naive_books import Books
from web.definitions import actions
from web.definitions.snapshot import current
from web.statements.outline import TOP

FORMULA_CELL = re.compile(rb"<table:table-cell [^>]*table:formula=[^>]*>")
VALUE = re.compile(rb'office:value="[^"]*"')


def without_values(document: bytes) -> bytes:
    """An open document with nought kept beside each formula."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(document)) as kept, zipfile.ZipFile(out, "w") as bare:
        for item in kept.infolist():
            content = kept.read(item)
            if item.filename == "content.xml":
                cells = re.compile(rb"<table:table-cell [^>]*table:formula=[^>]*>")
                content = cells.sub(
                    lambda m: re.sub(rb'office:value="[^"]*"', b'office:value="0"', m[0]), content
                )
            bare.writestr(item, content)
    return out.getvalue()


def recalculated(workbook: bytes, kind: str = "xlsx") -> list[list[str]]:
    """The cells of the first sheet after every formula was worked out anew: what was kept beside formulas is
    thrown away first."""
    with tempfile.TemporaryDirectory() as folder:
        kept, bare, out = (Path(folder) / name for name in (f"kept.{kind}", f"bare.{kind}", "out.txt"))
        if kind == "ods":
            bare.write_bytes(without_values(workbook))
            sheet = CalamineWorkbook.from_path(str(bare)).sheet_names[0]
        else:
            kept.write_bytes(workbook)
            book = load_workbook(kept)
            book.save(bare)  # formulas without their values
            sheet = book.sheetnames[0]
        options = f'sheet="{sheet}" format=raw'
        command = [
            "ssconvert",
            "--recalc",
            "-O",
            options,
            "-T",
            "Gnumeric_stf:stf_assistant",
            str(bare),
            str(out),
        ]
        done = subprocess.run(command, capture_output=True, text=True, env={**os.environ, "HOME": folder})
        if done.returncode or not out.exists():
            raise AssertionError(done.stderr)
        return list(csv.reader(out.read_text().splitlines()))


def rounded(value: Decimal | None) -> Decimal | None:
    """To the minor unit; what is nothing on paper may be an empty cell or a zero."""
    return None if not value else value.quantize(Decimal("0.01"), ROUND_HALF_UP)


class Workbooks(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(11).package())
        self.client = client_of(person("mirela"))

    def told(self, statement: str, query: dict[str, Any]) -> list[list[Decimal | None]]:
        """The command line's figures, line by line."""
        options = [f"--{name}={value}" for name, value in query.items()]
        status, out, error = run("statement", statement, *options)
        self.assertEqual(status, 0, error)
        rows = [row for row in csv.reader(out.splitlines()[1:]) if row[0] != "unplaced"]
        return [[Decimal(cell) if cell else None for cell in row[3:]] for row in rows]

    def test_totals_below_recalculate_too(self) -> None:
        row = current().state.require(Statement, "st")
        actions.make_change(Put(row._replace(totals="below")), None)
        query = {"company": "alpha", "year": 2027, "period": 9}
        reply = self.client.get(f"/statements/st/figures/workbook/?{urlencode(query)}")
        rows = {cells[0].strip(): cells[1] for cells in recalculated(reply.content)[TOP:] if len(cells) > 1}
        _, out, _ = run("statement", "st", *(f"--{name}={value}" for name, value in query.items()))
        plan_lines = {row[0]: row for row in csv.reader(out.splitlines()[1:])}
        for line, cells in plan_lines.items():
            if line in ("assets", "owing"):
                label = f"Total {cells[1]}"
                self.assertEqual(rounded(Decimal(rows[label])), rounded(Decimal(cells[3])), label)
                self.assertEqual(rows[cells[1]], "")
        page = self.client.get(f"/statements/st/figures/?{urlencode(query)}").content.decode()
        self.assertLess(page.index('data-row="assets/head"'), page.index('data-row="cash"'))
        self.assertLess(page.index('data-row="cash"'), page.index('data-row="assets"'))
        self.assertIn("Total Assets", page)

    def test_per_cents_stand_behind_and_recalculate(self) -> None:
        at = {"company": "alpha", "year": 2027, "period": 9}
        reply = self.client.get(f"/statements/inc/figures/workbook/?{urlencode({**at, 'of': 'costs'})}")
        heads, *rows = recalculated(reply.content)[TOP - 1 :][:6]
        self.assertEqual(heads[1:3], ["GBP", "% of Costs: GBP"])
        costs = Decimal(rows[2][1])
        for row in (rows[0], rows[1], rows[2]):
            self.assertEqual(round(Decimal(row[2]), 6), round(Decimal(row[1]) / costs, 6))
        self.assertEqual(rows[3][2:3], [""], "a ratio is no part of anything")
        page = self.client.get(
            f"/statements/inc/figures/?{urlencode({**at, 'of': 'costs'})}"
        ).content.decode()
        self.assertIn(f'<td class="per-cent">{show_amount(round(Decimal(rows[1][2]) * 1000), 1)}</td>', page)
        pages = self.client.get(f"/statements/inc/figures/pdf/?{urlencode({**at, 'of': 'costs'})}")
        words = " ".join(
            "".join(part.extract_text() for part in PdfReader(io.BytesIO(pages.content)).pages).split()
        )
        self.assertIn("% of Costs", words)

    def test_every_cell_comes_to_the_figure(self) -> None:
        at = {"company": "alpha", "year": 2027, "period": 9}
        for statement, query in (
            ("inc", {}),
            ("st", {}),
            ("inc", {"by": "site,channel"}),
            ("st", {"by": "season", "filter": "site=001, none"}),
            ("inc", {"periods": "quarters"}),
            ("inc", {"budget": "plan"}),
            ("inc", {"periods": "months", "forecast": "plan"}),
        ):
            for kind in ("xlsx", "ods"):
                address = f"/statements/{statement}/figures/workbook/"
                reply = self.client.get(f"{address}?{urlencode({**at, **query, 'file': kind})}")
                expected = self.told(statement, {**at, **query})
                rows = recalculated(reply.content, kind)[TOP:][: len(expected)]
                found = [
                    [Decimal(cell) if cell else None for cell in row[1 : 1 + len(figures)]]
                    for row, figures in zip(rows, expected, strict=True)
                ]
                words = {row[-1] for row in rows if "budget" in query}
                self.assertLessEqual(words, {"", "favourable", "unfavourable"}, "recalculated too")
                with self.subTest(statement=statement, query=query, kind=kind):
                    self.assertEqual(
                        [
                            [rounded(cell) for cell in cells[: len(figures)]]
                            for cells, figures in zip(found, expected, strict=True)
                        ],
                        [[rounded(figure) for figure in figures] for figures in expected],
                    )

    def test_rows_fold_and_titles_stay_in_both_kinds(self) -> None:
        at = {"company": "alpha", "year": 2027, "period": 9}
        address = "/statements/st/figures/workbook/"
        content = [
            self.client.get(f"{address}?{urlencode({**at, 'file': kind})}").content
            for kind in ("xlsx", "ods")
        ]
        sheet = load_workbook(io.BytesIO(content[0])).worksheets[0]
        levels = [sheet.row_dimensions[row].outlineLevel for row in range(1, sheet.max_row + 1)]
        self.assertGreater(max(levels), 0)
        self.assertEqual(folded(content[1])[: len(levels)], levels)
        with tempfile.TemporaryDirectory() as folder:
            document, read = Path(folder) / "one.ods", Path(folder) / "one.xlsx"
            document.write_bytes(content[1])
            subprocess.run(["ssconvert", str(document), str(read)], capture_output=True, check=True)
            panes = [
                load_workbook(path).worksheets[0].freeze_panes for path in (read, io.BytesIO(content[0]))
            ]
        self.assertEqual(panes, [f"B{TOP + 1}"] * 2)


def folded(document: bytes) -> list[int]:
    """How deep each row of an open document's first sheet folds."""
    with zipfile.ZipFile(io.BytesIO(document)) as archive:
        text = archive.read("content.xml").decode()
    first = text[text.index("<table:table ") : text.index("</table:table>")]
    levels, depth = [], 0
    for mark in re.findall(r"</?table:table-row(?:-group)?(?=[ >/])", first):
        if mark.endswith("-group"):
            depth += -1 if mark.startswith("</") else 1
        elif not mark.startswith("</"):
            levels.append(depth)
    return levels
