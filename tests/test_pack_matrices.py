"""Matrices in packs: what their page shows at the pack's period, in each form, and nobody else's."""

from __future__ import annotations

import csv
import io
import zipfile
from urllib.parse import urlencode

from openpyxl import load_workbook

from tests.base import PineTest, bring, client_of, person
from tests.test_packs import packed_world, texts
from web.packs import job
from web.packs.models import Pack

OF_COMPANY = "/statements/st/matrix/?" + urlencode(
    {"company": "alpha", "year": 2026, "period": 1, "line": "all", "down": "accounts", "across": "site"}
)
OF_SEVERAL = "/statements/st/matrix/?" + urlencode(
    {"companies": "alpha, beta", "year": 2026, "period": 1, "down": "accounts", "across": "companies"}
)
OF_GROUP = "/group/g/matrix/?" + urlencode(
    {"statement": "st", "year": 2026, "period": 1, "down": "accounts", "across": "columns"}
)
EACH = (OF_COMPANY, OF_SEVERAL, OF_GROUP)


class PackMatrices(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(packed_world())
        self.mirela = person("mirela")
        self.client = client_of(self.mirela)

    def put(self, address: str, status: int = 200, **more: str) -> None:
        reply = self.client.post("/packs/make/matrix/", {"matrix": address, **more})
        self.assertEqual(reply.status_code, status, reply.content[:400])

    def made(self, form: str) -> Pack:
        for address in EACH:
            self.put(address)
        given = {"name": "Matrices", "form": form, "year": 2026, "period": 2, "matrix": EACH}
        reply = self.client.post("/packs/make/new/", given)
        self.assertEqual(reply.status_code, 200, reply.content[:400])
        pack = Pack.objects.latest("pk")
        job.run(pack.pk)
        pack.refresh_from_db()
        self.assertEqual(pack.outcome, "3 statements")
        return pack

    def rows_of(self, address: str) -> list[list[str]]:
        """What the page's own file says at the pack's period."""
        at = address.replace("period=1", "period=2").replace("/matrix/?", "/matrix/as/csv/?")
        return list(csv.reader(io.StringIO(self.client.get(at).content.decode("utf-8-sig"))))

    def test_a_folder_has_what_each_page_shows_at_the_pack_s_period(self) -> None:
        data = self.client.get(f"/packs/{self.made('zip').pk}/file/").content
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = [name for name in archive.namelist() if name.endswith(".csv") and name != "contents.csv"]
            self.assertEqual(len(names), 3)
            for name, address in zip(names, EACH, strict=True):
                rows = list(csv.reader(io.StringIO(archive.read(name).decode("utf-8-sig"))))
                self.assertEqual(rows, self.rows_of(address), address)
                self.assertGreater(len(rows), 2)

    def test_a_workbook_has_a_sheet_for_each_with_live_totals(self) -> None:
        data = self.client.get(f"/packs/{self.made('xlsx').pk}/file/").content
        book = load_workbook(io.BytesIO(data))
        self.assertEqual(len(book.sheetnames), 5)
        for sheet in book.worksheets[1:-1]:
            formulas = [cell.value for row in sheet.iter_rows() for cell in row if str(cell.value)[:1] == "="]
            self.assertTrue(formulas, sheet.title)

    def test_paper_has_them_and_they_are_used_up(self) -> None:
        pack = self.made("pdf")
        pages = texts(self.client.get(f"/packs/{pack.pk}/file/").content)
        self.assertEqual(len(pages), 4)
        self.assertIn("Accounts by Site", pages[0])
        self.assertNotIn("Matrices</legend>", self.client.get("/packs/").content.decode())

    def test_what_waits_is_shown_and_dropped(self) -> None:
        self.put(OF_COMPANY)
        self.put(OF_COMPANY)
        page = self.client.get("/packs/").content.decode()
        self.assertEqual(page.count('name="matrix"'), 1)
        self.put(OF_COMPANY, drop="1")
        self.assertNotIn('name="matrix"', self.client.get("/packs/").content.decode())

    def test_what_is_no_matrix_or_not_theirs_is_not_found(self) -> None:
        for address in (
            "",
            "/",
            "/statements/st/",
            "/nothing/",
            "https://else.example/",
            "/statements/no/matrix/",
        ):
            self.put(address, 404)
        self.client = client_of(person("tamsin", "company", ("beta",)))
        self.put(OF_COMPANY, 404)
        self.put(OF_GROUP, 404)

    def test_who_lost_a_company_gets_no_matrix_of_it(self) -> None:
        tamsin = person("tamsin", "company", ("alpha", "beta"))
        self.client = client_of(tamsin)
        self.put(OF_COMPANY)
        given = {"name": "Mine", "form": "pdf", "year": 2026, "period": 2, "matrix": OF_COMPANY}
        self.client.post("/packs/make/new/", given)
        tamsin.companies.remove(tamsin.companies.get(company="alpha"))
        pack = Pack.objects.latest("pk")
        job.run(pack.pk)
        pack.refresh_from_db()
        self.assertEqual(pack.outcome, "matrix of alpha is left out: it isn't there for who asked for it.")
        self.assertEqual(self.client.get(f"/packs/{pack.pk}/file/").status_code, 404)
