"""Rows that come as text: what parts their cells; and text that goes out, which no spreadsheet runs."""

from __future__ import annotations

import csv
import io
from unittest import TestCase

from web.sheets.records import _delimited
from web.shell.tabular import RISKY, as_csv, harmless


class Parting(TestCase):
    def test_what_parts_the_cells(self) -> None:
        cases = [
            ("code,name\n100,Seeds\n", [["code", "name"], ["100", "Seeds"]]),
            ("code;name\n100;Seeds, bulbs\n", [["code", "name"], ["100", "Seeds, bulbs"]]),
            (
                "account;amount\n5000;12,50\n6000;-12,50\n",
                [["account", "amount"], ["5000", "12,50"], ["6000", "-12,50"]],
            ),
            (
                "code,name\n100,Seeds; bulbs\n200,Trees; pots\n",
                [["code", "name"], ["100", "Seeds; bulbs"], ["200", "Trees; pots"]],
            ),
            ("code\tname, long\n100\tSeeds; a, b\n", [["code", "name, long"], ["100", "Seeds; a, b"]]),
            ("code|name\n100|Seeds, bulbs\n", [["code", "name"], ["100", "Seeds, bulbs"]]),
            ('"code","name; other"\n"100","a; b"\n', [["code", "name; other"], ["100", "a; b"]]),
            ('a;b\n1;"line one\nline, two"\n2;x\n', [["a", "b"], ["1", "line one\nline, two"], ["2", "x"]]),
            (
                "on;text;amount\n2026-01-01;Rent, paid;1.200,00\n2026-01-02;Rent;3,00\n",
                [
                    ["on", "text", "amount"],
                    ["2026-01-01", "Rent, paid", "1.200,00"],
                    ["2026-01-02", "Rent", "3,00"],
                ],
            ),
            ("code\n100\n200\n", [["code"], ["100"], ["200"]]),
            ("100", [["100"]]),
            ("", []),
        ]
        for text, wanted in cases:
            for end in ("\n", "\r\n"):
                with self.subTest(text, end=end):
                    given = _delimited(text.replace("\n", end))
                    self.assertEqual([[cell.replace("\r\n", "\n") for cell in row] for row in given], wanted)

    def test_a_long_text_is_parted_by_its_first_lines(self) -> None:
        rows = [[f"{number}", f"Name {number}, and more", f"{number},50"] for number in range(5_000)]
        text = "\n".join(";".join(row) for row in rows)
        self.assertEqual(_delimited(text), rows)


class Harmless(TestCase):
    def test_no_text_runs_in_a_spreadsheet(self) -> None:
        for mark in (*RISKY, "\t", "\r"):
            for text in (f"{mark}1+1", f"{mark} 1+1", f" {mark}cmd|' /C calc'!A0", f"{mark}"):
                with self.subTest(text):
                    kept = harmless(text)
                    runs = kept.lstrip(" ").startswith((*RISKY, "\t", "\r"))
                    self.assertFalse(runs and not kept.startswith("'"), kept)
        for text in ("", "Rent - March", "100", "a=b", "'=1"):
            self.assertEqual(harmless(text), text)
        row = next(csv.reader(io.StringIO(as_csv(["name"], [["- 1+1"]]).decode().split("\r\n", 1)[1])))
        self.assertEqual(row, ["'- 1+1"])
