"""Formulas that name a line's amount of an earlier stretch: each column looks back to its own."""

from __future__ import annotations

import csv
import io
from decimal import Decimal

from core.changes.kinds import ChangeSequence, Put
from core.definitions.tables import Statement, StatementLine
from tests.base import PineTest, bring, client_of, person, run
from tests.naive_books import Books
from web.definitions import actions

LINES = (
    Statement("up", "Growth", "c", "income_statement"),
    StatementLine("up", "sales", "", 1, "Sales", "accounts", "4010"),
    StatementLine("up", "other", "", 2, "Other", "accounts", "4020, 5*", sign="debit"),
    StatementLine("up", "year", "", 3, "On the year before", "formula", "", "[sales] - [sales year before]"),
    StatementLine("up", "step", "", 4, "On the stretch before", "formula", "", "[sales] - [sales before]"),
)


class LookingBack(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(Books(3).package())
        self.mirela = person("mirela")
        actions.make_change(ChangeSequence(tuple(Put(row) for row in LINES), "Growth"), self.mirela)

    def ask(self, *words: str) -> dict[str, dict[str, str]]:
        """By line its figures by column."""
        status, out, told = run("statement", "up", "--company=alpha", *words)
        self.assertEqual(status, 0, told)
        return {row["line"]: row for row in csv.DictReader(io.StringIO(out))}

    def sales(self, *words: str) -> Decimal:
        return Decimal(self.ask(*words)["sales"]["amount"])

    def test_one_column_looks_back_as_long_as_it_is(self) -> None:
        for words, year_before, before in (
            (
                ("--year=2027", "--period=5", "--from-period=5"),
                None,
                ("--year=2027", "--period=4", "--from-period=4"),
            ),
            (
                ("--from=2027-02-01", "--to=2027-02-28"),
                ("--from=2026-02-01", "--to=2026-02-28"),
                ("--from=2027-01-01", "--to=2027-01-31"),
            ),
            (
                ("--from=2027-02-01", "--to=2027-04-30", "--filter=season=SP26, none"),
                ("--from=2026-02-01", "--to=2026-04-30", "--filter=season=SP26, none"),
                ("--from=2026-11-01", "--to=2027-01-31", "--filter=season=SP26, none"),
            ),
        ):
            with self.subTest(words):
                found, own = self.ask(*words), self.sales(*words)
                for line, asked in (("year", year_before), ("step", before)):
                    wanted = f"{own - self.sales(*asked):.2f}" if asked else ""
                    self.assertEqual(found[line]["amount"], wanted)

    def test_each_period_looks_back_to_its_own(self) -> None:
        found = self.ask("--year=2027", "--period=6", "--periods=months")
        months = ["2027-04", "2027-05", "2027-06"]
        by_month = [self.sales("--year=2027", f"--period={p}", f"--from-period={p}") for p in (4, 5, 6)]
        april = self.sales("--year=2026", "--period=4", "--from-period=4")
        self.assertEqual(
            [found["step"][month] for month in months],
            [f"{own - was:.2f}" for own, was in zip(by_month, [april, *by_month], strict=False)],
        )
        self.assertEqual(found["step"]["total"], "")
        years = self.ask("--year=2027", "--period=6", "--periods=years")
        grown = Decimal(years["sales"]["2027"]) - Decimal(years["sales"]["2026"])
        self.assertEqual((years["year"]["2026"], years["year"]["2027"]), ("", f"{grown:.2f}"))

    def test_each_code_looks_back_to_itself(self) -> None:
        days = ("--from=2027-02-01", "--to=2027-04-30")
        found, then = (
            self.ask(*days, "--by=season"),
            self.ask("--from=2026-02-01", "--to=2026-04-30", "--by=season"),
        )
        for season in (name for name in found["sales"] if name not in ("line", "label", "depth")):
            was = Decimal(then["sales"].get(season) or 0)
            self.assertEqual(found["year"][season], f"{Decimal(found['sales'][season]) - was:.2f}")

    def test_the_page_shows_it_and_what_looks_back_twice_is_refused(self) -> None:
        page = client_of(self.mirela).get(
            "/statements/up/figures/?company=alpha&from=2027-02-01&to=2027-02-28"
        )
        self.assertContains(page, "On the year before")
        twice = StatementLine("up", "twice", "", 5, "Twice", "formula", "", "[year before]")
        with self.assertRaisesMessage(
            Exception, "year looks back by itself, so what it was before isn't known."
        ):
            actions.make_change(Put(twice), self.mirela)
