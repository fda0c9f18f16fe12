"""Odd values in every address, parameter and field that the URL configuration and the code know: never an
error of ours.

Bounded and seeded: the same requests each time. What is asked: nothing but 2xx, 3xx, 4xx, and nothing changed
by a GET.
"""

from __future__ import annotations

import io
import json
import random
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import URLPattern, URLResolver, get_resolver

from tests.base import InWorld, client_of, person
from tests.serving import ROOT
from web.definitions.models import Version

ODD = (
    "",
    "²",
    "١٢",
    "-1",
    "1e9",
    "99999999999999999999",
    "2026",
    "0",
    "a'b\"c",
    "<script>alert(1)</script>",
    "..",
    "%00",
    "\x00",
    "\r\nX-Evil: 1",
    "＝1+1",
    "under",
    "all",
    "x" * 3000,
    "\u202e",
    "none",
    "true",
    "2026-13-45",
    "1,2,3",
    ",,,",
    "/\\evil",
    "//evil",
    "season=",
    "[gross",
    "10*",
)
KNOWN = {
    "company": "alpha",
    "code_list": "acc",
    "code": "1010",
    "chart": "c",
    "statement": "st",
    "line": "cash",
    "group": "g",
    "hierarchy": "tree",
    "journal": "A2",
    "kind": "csv",
    "way": "up",
    "sheet": "rules",
    "version": "1",
    "number": "1",
    "structure": "s",
    "column": "alpha",
    "table": "codes",
    "partner": "beta",
    "act": "delete",
}
NAMES = re.compile(r"""(?:GET|POST|given)(?:\.get\(|, ?)"(\w+)"|name="([\w-]+)\"""")
SEED = 20261126
MOST_OF_A_ROUTE = 9


def routes(patterns: Any, head: str = "") -> Iterator[tuple[str, str]]:
    """(name, pattern with <names>) of every address."""
    for entry in patterns:
        text = head + str(entry.pattern)
        if isinstance(entry, URLResolver):
            yield from routes(entry.url_patterns, text)
        elif isinstance(entry, URLPattern):
            yield entry.name or text, "/" + re.sub(r"<(?:\w+:)?(\w+)>", r"<\1>", text)


ROUTES = sorted(set(routes(get_resolver().url_patterns)))


def fields() -> list[str]:
    """Every name that a view reads or a template sends."""
    found: set[str] = set()
    for path in sorted(Path(ROOT / "web").rglob("*")):
        if path.suffix in (".py", ".html") and "migrations" not in path.parts:
            found.update(one or other for one, other in NAMES.findall(path.read_text()))
    return sorted(found - {"csrfmiddlewaretoken", "viewport", "htmx-config"})


def address(pattern: str, **odd: str) -> str:
    """The pattern with known names in it, some of them odd."""
    return re.sub(r"<(\w+)>", lambda part: quote(odd.get(part[1], KNOWN.get(part[1], "x")), safe=""), pattern)


class Fuzz(InWorld):
    def setUp(self) -> None:
        super().setUp()
        self.people = [self.group, client_of(person("pene", "company", ("alpha",)))]
        for client in self.people:
            client.raise_request_exception = False
        self.chance = random.Random(SEED)
        self.wrong: list[str] = []

    def look(self, reply: Any, what: str) -> None:
        if reply.status_code >= 500:
            self.wrong.append(f"{reply.status_code} {what[:200]!r}")

    def tearDown(self) -> None:
        self.assertEqual(self.wrong, [])
        super().tearDown()

    def test_every_address(self) -> None:
        self.assertGreater(len(ROUTES), 100)
        for _, pattern in ROUTES:
            names = re.findall(r"<(\w+)>", pattern)
            cases = [{name: value} for name in names for value in self.chance.sample(ODD, 4)] or [{}]
            for odd in cases:
                target = address(pattern, **odd)
                self.look(self.chance.choice(self.people).get(target), target)

    def test_every_parameter(self) -> None:
        before, names = Version.objects.count(), fields()
        self.assertGreater(len(names), 80)
        for _, pattern in ROUTES:
            for _ in range(MOST_OF_A_ROUTE):
                given = {name: self.chance.choice(ODD) for name in self.chance.sample(names, 12)}
                if "\x00" in "".join(given.values()) and self.chance.random() < 0.8:
                    given = {name: value.replace("\x00", "") for name, value in given.items()}
                target = address(pattern)
                self.look(self.chance.choice(self.people).get(target, given), f"{target} {given}")
        self.assertEqual(Version.objects.count(), before)

    def test_every_field(self) -> None:
        names = fields()
        for _, pattern in ROUTES:
            for _ in range(MOST_OF_A_ROUTE):
                given = {
                    name: self.chance.choice(ODD).replace("\x00", "")
                    for name in self.chance.sample(names, 20)
                }
                if self.chance.random() < 0.3:
                    given["decided"] = self.chance.choice(("delete", "along", "up"))
                target = address(pattern)
                headers = {"HX-Request": "true"} if self.chance.random() < 0.5 else {}
                self.look(
                    self.chance.choice(self.people).post(target, given, headers=headers), f"{target} {given}"
                )

    def test_bodies_that_are_no_journal(self) -> None:
        bodies = [
            b"",
            b"[",
            b"[" * 100_000,
            b'{"lines":' + b"[" * 5_000,
            b"null",
            b"[]",
            b'{"lines": 5}',
            b'{"lines": [5]}',
            b"\xff\xfe",
            b'{"lines": []}',
            b'{"lines":[{"account":"20-11010--","debit":1e400}]}',
            b'{"lines":[{"debit": NaN}]}',
            b'{"lines":[{"description":"\\ud800"}]}',
            b'{"lines":[{"description":"\\u0000"}]}',
            json.dumps({"lines": [{"account": "10-1010-", "debit": "9" * 400}] * 501}).encode(),
            b'{"date": {"a": 1}, "lines":[{"account": ["x"]}]}',
        ]
        for client in self.people:
            for act in ("check", "post"):
                for body in bodies:
                    reply = client.post(f"/journals/alpha/{act}/", body, content_type="application/json")
                    self.look(reply, f"{act} {body[:60]!r}")

    def test_files_that_are_no_workbook(self) -> None:
        for name, data in workbooks().items():
            for target in (
                "/exchange/in/",
                "/exchange/journals/alpha/",
                "/codes/acc/bring/",
                "/table/rules/bring/?chart=c",
            ):
                reply = self.group.post(target, {"file": SimpleUploadedFile(name, data)})
                self.look(reply, f"{target} {name}")
                self.assertIn(reply.status_code, (200, 422), f"{target} {name}")


SHEET = (
    "<worksheet"
    ' xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'
)
PARTS = {
    "[Content_Types].xml": (
        '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default'
        ' Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override'
        ' PartName="/xl/workbook.xml"'
        ' ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>'
    ),
    "_rels/.rels": (
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship'
        ' Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument"'
        ' Target="xl/workbook.xml"/></Relationships>'
    ),
    "xl/_rels/workbook.xml.rels": (
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship'
        ' Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet"'
        ' Target="worksheets/sheet1.xml"/></Relationships>'
    ),
    "xl/workbook.xml": (
        '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
        ' xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet'
        ' name="codes" sheetId="1" r:id="r1"/></sheets></workbook>'
    ),
}


def workbook(sheet: str, head: str = "") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in PARTS.items():
            archive.writestr(name, text)
        archive.writestr("xl/worksheets/sheet1.xml", head + sheet)
    return out.getvalue()


def cell(place: str, text: str) -> str:
    return (
        f'<row r="{re.sub(r"[A-Z]", "", place)}"><c r="{place}"'
        f' t="inlineStr"><is><t>{text}</t></is></c></row>'
    )


def workbooks() -> dict[str, bytes]:
    """Files called workbooks that no reader may die of."""
    entity = '<!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]>'
    bomb = (
        '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c'
        ' "&b;&b;&b;&b;&b;&b;&b;&b;">]>'
    )
    return {
        "far.xlsx": workbook(SHEET.format(cell("A1", "code") + cell("XFD1048576", "x"))),
        "wide.xlsx": workbook(SHEET.format(cell("A1", "code") + cell("XFD20000", "x"))),
        "entity.xlsx": workbook(SHEET.format(cell("A1", "&e;")), entity),
        "bomb.xlsx": workbook(SHEET.format(cell("A1", "&c;")), bomb),
        "broken.xlsx": workbook("<worksheet><sheetData><row>"),
        "empty.xlsx": workbook(SHEET.format("")),
        "text.xlsx": b"not a workbook",
        "zip.xlsx": workbook(SHEET.format(cell("A1", "code")))[:200],
    }


class Bounds(InWorld):
    """What no reader may fill with memory is told as what it is."""

    def test_a_sheet_that_reaches_far_is_told(self) -> None:
        far = SimpleUploadedFile("far.xlsx", workbooks()["far.xlsx"])
        reply = self.group.post("/codes/acc/bring/", {"file": far}, headers={"HX-Request": "true"})
        self.assertContains(
            reply,
            "a sheet reaches over 1,048,576 rows and 16,384 columns, though it fills 2 cells",
            status_code=422,
        )
        entity = SimpleUploadedFile("codes.xlsx", workbooks()["entity.xlsx"])
        reply = self.group.post("/exchange/in/", {"file": entity})
        self.assertContains(reply, "it holds a document type, which no workbook needs", status_code=422)

    def test_sums_past_64_bits_are_refused_before_they_could_wrap(self) -> None:
        huge = "999999999999999.99"
        lines = [
            {"account": account, side: huge}
            for account, side in (("10-1010-", "debit"), ("10-3010-", "credit"))
        ]
        for number in range(1, 6):
            body = {"journal": f"H{number}", "date": "2026-02-20", "kind": "general", "lines": lines * 10}
            reply = self.group.post(
                "/journals/alpha/post/", json.dumps(body), content_type="application/json"
            )
            if reply.status_code == 422:
                break
        self.assertEqual(
            reply.json()["faults"][0]["what"],
            "The debits of alpha in 2026 would come to more than is kept exactly.",
        )
        self.assertEqual(number, 4)
        page = self.group.get("/statements/trial-balance/?company=alpha&year=2026&period=2").content.decode()
        self.assertIn("30,000,000,000,000,999.70", page)
