"""What the scripts decide without a page: each module is loaded by the browser that runs it for users."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from tests.browser.base import BrowserTest

SCRIPTS = Path(__file__).parents[2] / "web/static/js"
YEAR = "new Date().getFullYear()"
CASES: dict[str, list[tuple[str, Any]]] = {
    "sections": [
        ("parentsOf([0, 1, 2, 2, 1, 0, 3, 1])", [-1, 0, 1, 1, 0, -1, 5, 5]),
        ("parentsOf([])", []),
        ("hiddenBy([-1, 0, 1, 1, 0, -1], [false, true])", [False, False, True, True, False, False]),
        ("hiddenBy([-1, 0, 1, 1, 0, -1], [true, true])", [False, True, True, True, True, False]),
        ("sectionFrom([true, false, true, false], 0, 1)", 2),
        ("sectionFrom([true, false, true, false], 3, -1)", 2),
        ("sectionFrom([true, false, true, false], 2, 1)", 2),
        ('named(["Non-current assets", "Current assets", "Equity"], "current")', 1),
        ('named(["Non-current assets", "Current assets", "Equity"], " EQUITY ")', 2),
        ('named(["Non-current assets", "Current assets", "Equity"], "assets")', 0),
        ('named(["Assets"], "")', -1),
        ('named(["Assets"], "cash")', -1),
    ],
    "dates": [
        ('readDay("2026-09-30")', "2026-09-30"),
        ('readDay(" 2026/9/3 ")', "2026-09-03"),
        ('readDay("20260930")', "2026-09-30"),
        ('readDay("30.9.26")', "2026-09-30"),
        ('readDay("30 9 2026")', "2026-09-30"),
        ('readDay("03/04/2026")', "2026-04-03"),
        ('readDay("30 Sept 2026")', "2026-09-30"),
        ('readDay("1st March, 2027")', "2027-03-01"),
        ('readDay("29feb24")', "2024-02-29"),
        ('readDay("29 Feb 2025")', ""),
        ('readDay("31.4.2026")', ""),
        ('readDay("30 Septober 2026")', ""),
        ('readDay("4 ma 2026")', ""),
        ('readDay("soon")', ""),
        ('readDay("")', ""),
        (f'readDay("30.9.") === `${{{YEAR}}}-09-30`', True),
        (f'readDay("30 sep") === `${{{YEAR}}}-09-30`', True),
        ('dayByKey("ArrowLeft", "2026-03-01")', "2026-02-28"),
        ('dayByKey("ArrowDown", "2026-12-28")', "2027-01-04"),
        ('dayByKey("ArrowUp", "2026-01-03")', "2025-12-27"),
        ('dayByKey("PageDown", "2026-01-31")', "2026-02-28"),
        ('dayByKey("PageUp", "2026-01-31")', "2025-12-31"),
        ("daysOfMonth(2028, 2)", 29),
        ("writtenDay(2026, 2, 30)", ""),
    ],
    "keyname": [
        ('keyName({ key: "a", altKey: false })', "a"),
        ('keyName({ key: "A", altKey: false })', "Shift+A"),
        ('keyName({ key: "ArrowUp", altKey: true })', "Alt+ArrowUp"),
        ('keyName({ key: "?", altKey: false })', "?"),
        ('keyName({ key: "]", altKey: false })', "]"),
    ],
    "rows": [
        ('placeByKey("ArrowDown", 2, 4)', 3),
        ('placeByKey("ArrowDown", 3, 4)', 3),
        ('placeByKey("ArrowUp", 0, 4)', 0),
        ('placeByKey("PageDown", 2, 40)', 17),
        ('placeByKey("PageDown", 30, 40)', 39),
        ('placeByKey("PageUp", 4, 40)', 0),
        ('placeByKey("Home", 9, 40)', 0),
        ('placeByKey("End", 9, 40)', 39),
        ('placeByKey("a", 9, 40)', None),
        ("span(7, 3)", [3, 7]),
        ("span(3, 7)", [3, 7]),
    ],
    "options": [
        ('placeOfOption("ArrowDown", -1, 3)', 0),
        ('placeOfOption("ArrowUp", -1, 3)', 0),
        ('placeOfOption("ArrowDown", 2, 3)', 2),
        ('placeOfOption("ArrowUp", 2, 3)', 1),
    ],
    "nearest": [
        ('nearestAlong("ArrowRight", { x: 0, y: 0 }, [{ x: 9, y: 0 }, { x: 5, y: 0 }])', 1),
        ('nearestAlong("ArrowRight", { x: 0, y: 0 }, [{ x: 9, y: 0 }, { x: 5, y: 2 }])', 0),
        ('nearestAlong("ArrowLeft", { x: 0, y: 0 }, [{ x: 9, y: 0 }])', -1),
        ('nearestAlong("ArrowUp", { x: 0, y: 0 }, [{ x: 1, y: 8 }, { x: 3, y: -8 }])', 1),
        ('nearestAlong("ArrowDown", { x: 0, y: 0 }, [])', -1),
    ],
    "formula": [
        ('begunName("[gross] - [ov", 13)', {"from": 11, "text": "ov"}),
        ('begunName("[gross] - ", 10)', None),
        ('begunName("gross", 5)', None),
        (
            'fittingNames([["sales", "Sales"], ["gross", "Gross sales"], ["tax", "Tax"]], "sa")',
            [["sales", "Sales"], ["gross", "Gross sales"]],
        ),
        ('withName("[gro] - [tax]", 4, 1, "gross")', {"text": "[gross] - [tax]", "caret": 7}),
        ('withName("[gro - [tax]", 4, 1, "gross")', {"text": "[gross]- [tax]", "caret": 7}),
    ],
    "requests": [
        ("verdict(200, true)", "read"),
        ("verdict(422, true)", "read"),
        ("verdict(401, true)", "sign-in"),
        ("verdict(401, false)", "sign-in"),
        (
            "verdict(403, false)",
            "This page was open while somebody signed in or out. Load it again to go on.",
        ),
        (
            "verdict(500, false)",
            "Something went wrong on our side. What you keyed stays here; try again, or tell who runs this.",
        ),
        ("verdict(503, true) === verdict(200, false)", True),
    ],
    "entry/pasted": [
        ('isOfSpreadsheet("1130\\t50.00")', True),
        ('isOfSpreadsheet("1130\\r\\n1140")', True),
        ('isOfSpreadsheet("1130\\n")', False),
        ('cellsOf("1130\\t 50.00 \\r\\n1140\\t\\t50.00\\r\\n")', [["1130", "50.00"], ["1140", "", "50.00"]]),
        ('cellsOf("\\t50.00")', [["", "50.00"]]),
    ],
    "entry/judgement": [
        ("shownFaults([{ line: 1 }, { line: 2 }, {}], (line) => line === 2).map((f) => f.line || 0)", [2, 0]),
        ("shownFaults([{ line: 1 }, { line: 2 }], () => false, true).length", 2),
        (
            'faultText({ line: 3, what: "No such account.", way_out: "Choose one." })',
            "Line 3: No such account. Choose one.",
        ),
        ('faultText({ what: "Nothing is keyed.", way_out: "" })', "Nothing is keyed. "),
        (
            'sumText({ company: "nurseries", debit: "5.00", credit: "4.00", difference: "1.00" })',
            "nurseries: debit 5.00, credit 4.00, difference 1.00",
        ),
        (
            'addedText({ company: "alder", account: "2190", name: "Due", credit: "5.00", partner: "cor" })',
            "alder 2190 Due: credit 5.00, partner cor",
        ),
    ],
}


class ScriptsTest(BrowserTest):
    with_demo = False

    def test_what_modules_decide(self) -> None:
        self.go("/sign-in/")
        for module, cases in CASES.items():
            for expression, expected in cases:
                with self.subTest(module, expression=expression):
                    self.assertEqual(self.page.evaluate(told_by(module, expression)), expected)


def told_by(module: str, expression: str) -> str:
    """A script that loads a module and gives what an expression over its exports is."""
    names = re.findall(r"^export const (\w+)", (SCRIPTS / f"{module}.js").read_text(), re.M)
    return f"import('/static/js/{module}.js').then(({{ {', '.join(names)} }}) => {expression})"
