"""A calendar that changes sorts what was posted anew: figures, proofs, files and other processes agree."""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from datetime import date, timedelta
from urllib.parse import urlencode

from django.db import IntegrityError, connection, transaction

from core.changes.kinds import Change, ChangeSet, Put
from core.definitions.tables import Calendar, Company, Period
from core.faults import Refused
from tests.base import PineTest, bring, client_of, forget, person, run
from tests.moved_books import exported
from tests.naive_books import Books, Column, Line, in_periods, period_of as period_then, table, without_label
from web.definitions import actions, drafting
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.journals.models import Book, JournalLine, ResortedLine
from web.journals.verifying import verify

PeriodOf = Callable[[date, str], tuple[int, int]]


def cut_anew(on: date, kind: str) -> tuple[int, int]:
    """The second period of 2026 ends in the middle of February, the seventh of 2027 in that of July."""
    year, period = period_then(on, kind)
    if (year, period) == (2026, 2) and on > date(2026, 2, 14):
        return 2026, 3
    if (year, period) == (2027, 7) and on > date(2027, 7, 15):
        return 2027, 8
    return year, period


def by_halves(on: date, kind: str) -> tuple[int, int]:
    """Another calendar: two half years that begin in September, as fiscal years 26 and 27."""
    return (2026, 1) if on < date(2026, 9, 1) else (2027, 1)


class Resorting(PineTest):
    def setUp(self) -> None:
        super().setUp()
        self.empty = transaction.savepoint()
        self.books = Books(23)
        bring(self.books.package())
        self.mirela = person("mirela")

    def change(self, *changes: Change) -> None:
        actions.make_change(ChangeSet(changes, "Cut anew"), self.mirela)

    def row(self, year: int, period: int) -> Period:
        return current().state.require(Period, "m", year, period)

    def recut(self) -> tuple[Change, ...]:
        return (
            Put(self.row(2026, 2)._replace(ends_on=date(2026, 2, 14))),
            Put(self.row(2026, 3)._replace(starts_on=date(2026, 2, 15))),
            Put(self.row(2027, 7)._replace(ends_on=date(2027, 7, 15))),
            Put(self.row(2027, 8)._replace(starts_on=date(2027, 7, 16))),
        )

    def lines(self, period_of: PeriodOf) -> list[Line]:
        kinds = {row.split(",")[1]: row.split(",")[3] for row in self.books.journals[1:]}
        lines = []
        for line in self.books.of["alpha"]:
            year, period = period_of(line.day, kinds[line.journal.split()[1]])
            lines.append(line._replace(year=year, period=period))
        return lines

    def agree(self, period_of: PeriodOf, at: tuple[tuple[int, int, int], ...]) -> None:
        """Statements of each stretch (year, first, last) are as a bookkeeper would add them up; nothing
        posted is broken; every balance is what its lines come to."""
        lines = self.lines(period_of)
        for year, first, last in at:
            moves, stands = in_periods(year, first, last)
            column = Column("amount", [x for x in lines if moves(x)], [x for x in lines if stands(x)])
            words = ("--company=alpha", f"--year={year}", f"--period={last}", f"--from-period={first}")
            for name in ("inc", "st", "whole"):
                for _ in range(2):  # one worker, then the other
                    with self.subTest(name=name, year=year, last=last):
                        status, out, told = run("statement", name, *words)
                        self.assertEqual(status, 0, told)
                        self.assertEqual(without_label(out), table(name, [column]))
        self.assertEqual([str(fault) for fault in verify().faults], [])

    STRETCHES = ((2026, 1, 2), (2026, 3, 3), (2026, 1, 4), (2027, 4, 7), (2027, 8, 8), (2027, 4, 11))

    def test_days_go_to_the_periods_that_hold_them_now_and_back(self) -> None:
        self.agree(period_then, self.STRETCHES)
        moved = {
            x.journal for x, y in zip(self.lines(period_then), self.lines(cut_anew), strict=True) if x != y
        }
        self.change(*self.recut())
        self.agree(cut_anew, self.STRETCHES)
        version = Version.objects.order_by("-version")[0]
        self.assertIn("; ", version.sentence)
        self.assertRegex(version.sentence, r"stands? in another period now$")
        kept = ResortedLine.objects.values_list("journal__journal", flat=True)
        self.assertLessEqual({name.split()[1] for name in moved}, set(kept))
        before = ResortedLine.objects.count()
        self.change(
            Put(self.row(2026, 2)._replace(ends_on=date(2026, 2, 28))),
            Put(self.row(2026, 3)._replace(starts_on=date(2026, 3, 1))),
            Put(self.row(2027, 7)._replace(ends_on=date(2027, 7, 31))),
            Put(self.row(2027, 8)._replace(starts_on=date(2027, 8, 1))),
        )
        self.agree(period_then, self.STRETCHES)
        self.assertEqual(ResortedLine.objects.count(), before, "where they were sealed stays as it was kept")

    def test_nothing_is_said_or_touched_where_no_day_moves(self) -> None:
        sequences = list(Book.objects.order_by("pk").values_list("sequence", flat=True))
        self.change(Put(self.row(2026, 2)._replace(name="Second")))
        far = date(2027, 12, 1)
        self.change(Put(Period("m", 2027, 12, "12/27", far, far + timedelta(30))))
        self.assertNotIn("another period", " ".join(Version.objects.values_list("sentence", flat=True)))
        self.assertEqual(list(Book.objects.order_by("pk").values_list("sequence", flat=True)), sequences)
        self.assertFalse(ResortedLine.objects.exists())

    def test_a_company_goes_to_another_calendar(self) -> None:
        first, last = date(2026, 1, 1), date(2027, 12, 31)
        autumn = date(2026, 9, 1)
        self.change(
            Put(Calendar("h", "Halves")),
            Put(Period("h", 2026, 1, "To August", first, autumn - timedelta(1))),
            Put(Period("h", 2027, 1, "From September", autumn, last)),
        )
        alpha = current().state.require(Company, "alpha")
        self.change(Put(alpha._replace(calendar="h")))
        self.agree(by_halves, ((2026, 1, 1), (2027, 1, 1)))
        self.change(Put(current().state.require(Company, "alpha")._replace(calendar="m")))
        self.agree(period_then, self.STRETCHES)

    def test_what_can_t_be_sorted_anew_is_refused_whole(self) -> None:
        beta = current().state.require(Company, "beta")
        self.change(Put(Calendar("h", "Halves")))
        self.change(
            Put(self.row(2026, 1)._replace(status="closed")), Put(self.row(2026, 2)._replace(status="closed"))
        )
        places = list(JournalLine.objects.order_by("journal_id", "line").values_list("book_id", "period"))
        cases: list[tuple[tuple[Change, ...], str]] = [
            (self.recut(), "would go from M2 to M3, and M2 is closed."),
            ((Put(self.row(2027, 11)._replace(ends_on=date(2027, 11, 20))),), "would fall into no period."),
            (
                (Put(beta._replace(calendar="h")),),
                "because its books are kept as balances, which say a period",
            ),
        ]
        for changes, words in cases:
            with self.subTest(words), self.assertRaises(Refused) as caught:
                self.change(*changes)
            self.assertIn(words, " ".join(fault.what for fault in caught.exception.faults))
        self.assertEqual(
            list(JournalLine.objects.order_by("journal_id", "line").values_list("book_id", "period")), places
        )

    def test_a_row_of_periods_asks_and_brings_its_neighbours_along(self) -> None:
        client = client_of(self.mirela)
        row = self.row(2026, 2)
        cells = {
            name: str(getattr(row, name)) for name in ("fiscal_year", "period", "name", "kind", "status")
        }
        cells |= {"starts_on": "2026-02-01", "ends_on": "2026-02-14"}
        query = urlencode({"calendar": "m", "company": "alpha", "key": "2026 2"})

        def send(**more: str) -> str:
            reply = client.post(
                f"/table/periods/row/?{query}", {**cells, **more}, headers={"HX-Request": "true"}
            )
            return " ".join(html.unescape(re.sub(r"<[^>]+>", " ", reply.content.decode())).split())

        lines = zip(self.lines(period_then), self.lines(cut_anew), strict=True)
        moved = {x.journal for x, y in lines if x != y and x.day < date(2027, 1, 1)}
        asked = send()
        says = f"{len(moved)} journals of 1 company fall into another period then: amounts are sorted anew"
        self.assertIn(says, asked)
        self.assertEqual(self.row(2026, 2), row, "nothing is done before the answer")
        send(decided="sort")
        self.assertEqual(self.row(2026, 3).starts_on, date(2026, 2, 15))
        self.agree(cut_anew, ((2026, 1, 2), (2026, 3, 3)))
        cells["ends_on"] = "2026-02-28"
        send(decided="sort")
        self.agree(period_then, ((2026, 1, 2), (2026, 3, 3)))
        cells["name"] = "February"
        self.assertNotIn("another period", send())
        self.assertEqual(self.row(2026, 2).name, "February")

    def test_lines_stay_with_their_company_and_are_altered_by_nobody_else(self) -> None:
        line = JournalLine.objects.filter(book__company__company="alpha").order_by("journal_id")[0]
        other = Book.objects.filter(company__company="beta")[0]
        for sql, says in (
            (
                f"SELECT pine_resort('{{{line.journal_id}}}', '{{{line.book_id}}}', '{{{other.pk}}}',"
                " '{1}', '{9}')",
                "lines stay with their company",
            ),
            (
                f"UPDATE journals_journalline SET period = 9 WHERE journal_id = {line.journal_id}",
                "never altered",
            ),
            ("DELETE FROM journals_resortedline", "never altered"),
        ):
            with (
                self.assertRaisesRegex(IntegrityError, says),
                transaction.atomic(),
                connection.cursor() as cursor,
            ):
                cursor.execute(sql)

    def test_a_draft_says_it_and_sorts_when_it_is_published(self) -> None:
        draft = drafting.start("Recut", self.mirela, list(self.recut()))
        page = client_of(self.mirela).get(f"/drafts/{draft.pk}/").content.decode()
        self.assertIn("Until it is published figures stand in the periods of now.", page)
        self.agree(period_then, self.STRETCHES)
        drafting.publish(draft.pk, self.mirela, reason="Weeks", today=date(2026, 11, 28))
        self.agree(cut_anew, self.STRETCHES)

    def test_what_goes_out_comes_in_sorted_the_same(self) -> None:
        self.change(*self.recut())
        out = exported()
        self.assertEqual(bring(out).sentence(), "nothing new")
        transaction.savepoint_rollback(self.empty)
        forget()
        bring(out)
        self.agree(cut_anew, self.STRETCHES)
        self.assertEqual(exported(), out)
        self.assertFalse(ResortedLine.objects.exists())
