"""Overlays: what is written with local numbers can be read back, and nothing of it gets into definitions."""

from __future__ import annotations

import random
import unittest
from datetime import date

from core.audit.fec import COLUMNS, AuditLine, BroughtForward, audit_file
from core.definitions.state import State
from core.definitions.tables import Code, CodeName, Company, Overlay, OverlayCode
from core.structures.charts import chart_index, company_context
from core.structures.offering import accounts_offered
from core.structures.overlays import (
    AS_KEPT,
    SeenAs,
    languages,
    overlay_gaps,
    overlay_lists,
    seen_as,
    shown_account,
)
from core.structures.quick_codes import as_kept
from core.tests.rich_world import rich, rich_state

LOCAL = [
    OverlayCode("fr", "acc", "1010", "512000", "Banque"),
    OverlayCode("fr", "acc", "4010", "701000", "Ventes"),
    OverlayCode("fr", "acc", "5010", "601000", "Achats"),
    OverlayCode("fr", "acc", "5020", "601000", "Achats du groupe"),
    OverlayCode("fr", "acc", "1110", "4010", "Clients"),
    OverlayCode("fr", "site", "001", "NORD", "Nord"),
]


def french(*more: OverlayCode) -> State:
    rows = [*rich(), Overlay("fr", "French", "fr"), *LOCAL, *more]
    return State.of(
        [*rows, CodeName("acc", "1010", "de", "Bankkonto"), CodeName("acc", "2010", "de", "Lieferanten")]
    )


class SeenAsSomething(unittest.TestCase):
    def test_names_and_numbers(self) -> None:
        state = french()
        seen = seen_as(state, SeenAs("fr", "de"))
        self.assertEqual(
            [seen.require(Code, "acc", code).name for code in ("1010", "2010", "5010", "1020")],
            ["512000 Banque", "Lieferanten", "601000 Achats", "Petty cash"],
        )
        self.assertEqual(state.require(Code, "acc", "1010").name, "Bank")
        self.assertEqual(shown_account(seen, "acc", "5020", "x"), ("601000", "Achats du groupe"))
        self.assertEqual(shown_account(state, "acc", "5020", "Group costs"), ("5020", "Group costs"))
        self.assertEqual(languages(state), ["de", "nl"])

    def test_account_strings_are_written_and_read(self) -> None:
        index = chart_index(seen_as(french(), SeenAs("fr")), "c")
        assert index is not None
        for kept, shown in (
            ("10-1010-001", "10-512000-NORD"),
            ("10-4010-", "10-701000-"),
            ("10-5010-002", "10-5010-002"),  # its local number stands twice
            ("10-1110-001", "10-1110-NORD"),  # its local number is the code of another account
            ("10-1020-", "10-1020-"),
        ):
            with self.subTest(kept):
                self.assertEqual((index.shown(kept), index.kept(shown)), (shown, kept))
        self.assertEqual(index.kept("10-4010-NORD"), "10-4010-001")

    def test_whatever_is_shown_is_read_back(self) -> None:
        """For any local numbers, doubled, clashing, with separators in them."""
        for seed in range(60):
            rng = random.Random(seed)
            numbers = ["1010", "10", "9-9", "A", "777", "001", "5010", "B2"]
            more = [
                OverlayCode("x", code_list, code, rng.choice(numbers), "Local")
                for code_list, codes in (("acc", ("1010", "1020", "2010", "5010")), ("site", ("001", "002")))
                for code in codes
                if rng.random() < 0.8
            ]
            seen = seen_as(french(*more), SeenAs("x"))
            for chart, strings in (("c", ("10-1010-001", "20-2010-", "10-5010-002")), ("d", ("BK", "SL"))):
                index = chart_index(seen, chart)
                assert index is not None
                for kept in strings:
                    with self.subTest(seed=seed, kept=kept):
                        self.assertEqual(index.kept(index.shown(kept)), kept)

    def test_entry_takes_local_numbers(self) -> None:
        seen = seen_as(french(), SeenAs("fr"))
        context = company_context(seen, "alpha")
        assert context is not None
        self.assertEqual(as_kept(seen, context, "10-512000-NORD"), "10-1010-001")
        self.assertEqual(as_kept(seen, context, "bank"), "bank")
        offers = accounts_offered(seen, context, "10-5120", date(2026, 5, 1), None)
        self.assertEqual([tuple(offer) for offer in offers], [("10-512000-", "512000", "Banque")])

    def test_gaps_doubles_and_clashes(self) -> None:
        state = french()
        gaps = overlay_gaps(state, "fr", "acc", ["1010", "2010", "1020", "none"])
        self.assertEqual([row.code for row in gaps.without], ["1020", "2010"])
        self.assertEqual(gaps.doubles, (("601000", ("5010", "5020")),))
        self.assertEqual([row.code for row in gaps.clashing], ["1110"])
        self.assertEqual(
            (overlay_lists(state, "fr"), overlay_lists(state, "nl")), (["acc", "site"], ["own", "acc"])
        )

    def test_as_it_is_kept_nothing_is_made(self) -> None:
        seen = seen_as(rich_state(), AS_KEPT)
        self.assertEqual((seen.digest, seen.overlay), (rich_state().digest, ""))


def line(entry: int, natural: str, amount: int, **more: object) -> AuditLine:
    given = AuditLine(
        entry,
        f"A{entry}",
        "general",
        date(2026, 2, entry),
        date(2026, 2, 20),
        natural,
        "",
        "Sale",
        "",
        amount,
        amount,
        "GBP",
    )
    return given._replace(**more)  # type: ignore[arg-type]


class FrenchFile(unittest.TestCase):
    YEAR = (date(2026, 1, 1), date(2026, 12, 31))

    def test_records_are_as_the_law_has_them(self) -> None:
        state = french()
        company = state.require(Company, "alpha")
        lines = [
            line(3, "1010", 12050),
            line(3, "4010", -12050, partner="beta", description="Tab\there | and\nthere", source="INV 7"),
            line(4, "5010", 5, kind="closing", currency="EUR", keyed=7),
            line(4, "1010", -5, kind="closing"),
        ]
        made = audit_file(
            state, company, "fr", "123456789", self.YEAR, [BroughtForward("1010", "", 90)], lines
        )
        self.assertEqual(
            [str(fault.what) for fault in made.faults], ["Entry AN of 2026-01-01 is off by 90 minor units."]
        )
        self.assertEqual(made.name, "123456789FEC20261231.txt")
        rows = made.written("pipe", "utf-8").decode().split("\r\n")
        self.assertEqual(rows[0], "|".join(COLUMNS))
        self.assertEqual(
            rows[1:],
            [
                "AN|À nouveaux|1|20260101|512000|Banque|||AN|20260101|À nouveau|0,90|0,00|||20260101||",
                "OD|Opérations diverses|2|20260203|512000|Banque|||A3|20260203|Sale|120,50|0,00|||20260220||",
                "OD|Opérations diverses|2|20260203|701000|Ventes|beta|Beta|INV 7|20260203|Tab here and there"
                "|0,00|120,50|||20260220||",
                "CL|Clôture|3|20260204|601000|Achats|||A4|20260204|Sale|0,05|0,00|||20260220|0,07|EUR",
                "CL|Clôture|3|20260204|512000|Banque|||A4|20260204|Sale|0,00|0,05|||20260220||",
                "",
            ],
        )
        self.assertEqual((made.debit, made.credit), (12145, 12055))

    def test_what_stands_in_the_way(self) -> None:
        state = french(OverlayCode("fr", "acc", "2010", "F1", "Fournisseurs"))
        company = state.require(Company, "alpha")
        forward = [BroughtForward("4010", "", -50), BroughtForward("2010", "", 50)]
        made = audit_file(
            state, company, "fr", "12345", self.YEAR, forward, [line(1, "1020", 5), line(1, "2010", -5)]
        )
        self.assertEqual(
            [f"{fault.what} {fault.way_out}" for fault in made.faults],
            [
                "A SIREN has nine digits. Give the company's own.",
                "1020 Petty cash has no local number. Give it one in the overlay.",
                "2010 Creditors: F1 doesn't begin with three digits. Give it a number of the law's chart.",
                "Results of years before 2026 are not carried to equity: 4010. Close those years first, on"
                " the page of the year's end.",
            ],
        )
        empty = audit_file(state, company, "", "123456789", self.YEAR, [], [])
        self.assertEqual(
            [fault.what for fault in empty.faults],
            ["No local numbers are chosen.", "Alpha has no journals in the year that ends on 2026-12-31."],
        )
