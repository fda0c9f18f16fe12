"""Many journals judged at once say the same as each by itself; the chain of hashes by an independent hand."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta, timezone
from decimal import Decimal
from random import Random
from unittest import TestCase

import numpy as np

from core.books.chain import BEGINNING, Sealed, line_text, link, moment, rate_text
from core.books.journal_batch import Accepted, Batch, head_of
from core.books.journals import PostingContext, check_journal
from core.books.line_columns import Coded, Digits, LineColumns, paired
from core.definitions.state import State
from core.definitions.tables import (
    Chart,
    ChartMove,
    Code,
    CompanyAccount,
    Journal,
    JournalLine,
    PairingCondition,
    PairingRule,
    QuickCode,
    Structure,
    StructureSegment,
)
from core.tests.builders import state

NUMBERS = {"alpha": 1, "beta": 2}
WORLD = (
    Code("acc", "1030", "Shut", account_class="asset", in_use_until=date(2026, 1, 31)),
    Code("acc", "1040", "Foreign", account_class="asset", currency="EUR"),
    QuickCode("c", "till", "", "everyone", "", "10-1020", "season=SP26"),
    PairingRule("c", "site", 10, "site", "required", "", "", date(2026, 2, 15)),
    PairingCondition("c", "site", "account", "4010"),
    CompanyAccount("alpha", "1020"),
)
MOVED_AT = "2026-02-05T00:00:00+00:00"
MOVED = (
    Structure("old", "Old", "."),
    StructureSegment("old", 1, "account", "Account", "acc", "natural_account"),
    StructureSegment("old", 2, "site", "Site", "site"),
    Chart("old", "Old", "old"),
    ChartMove("alpha", date(2026, 1, 1), "old", "c", MOVED_AT),
)
"""Alpha came from another chart: what was posted before is resolved there."""
ACCOUNTS = (
    "10-1010",
    "10-1110-001",
    "10-4010-002",
    "10-4010",
    "till",
    "10-1030",
    "10-1040",
    "10-9999",
    "20-1010",
    "",
)
AMOUNTS = ("5", "5.00", "12.34", "0", "", "1.999", "x", "99999999999999999")


def coded(texts: Sequence[str]) -> Coded:
    known = sorted(set(texts))
    return Coded(known, np.array([known.index(text) for text in texts], dtype=np.int64))


def digits(texts: Sequence[str]) -> Digits:
    values, places = [], []
    for text in texts:
        whole, _, part = text.partition(".")
        sound = not text or ((whole + part).isdigit() and len(whole + part) < 19)
        values.append(int(whole + part or 0) if sound else -1)
        places.append(len(part))
    return Digits(np.array(values, dtype=np.int64), np.array(places, dtype=np.int64))


def columns(lines: Sequence[JournalLine]) -> LineColumns:
    def texts(name: str) -> Coded:
        return coded([str(getattr(line, name)) for line in lines])

    return LineColumns(
        texts("company"),
        texts("journal"),
        texts("line"),
        texts("line_company"),
        texts("account"),
        texts("dimensions"),
        texts("partner"),
        coded(["true" if line.generated else "" for line in lines]),
        digits([line.debit for line in lines]),
        digits([line.credit for line in lines]),
        np.zeros(len(lines), dtype=bool),
        np.arange(2, len(lines) + 2),
    )


def random_journal(chance: Random, number: int, moved: bool) -> tuple[Journal, list[JournalLine]]:
    """Mostly in order, so that enough is waved through; odd cells here and there."""
    name, on = f"J{number}", date(2026, 1, 5) + timedelta(days=chance.randrange(70))
    odd = chance.random() < 0.5
    before = moved and chance.random() < 0.5
    posted_at = "2026-02-10T00:00:00+00:00" if chance.random() < 0.2 else ""
    if before:
        posted_at = f"2026-02-0{chance.randint(1, 6)}T00:00:00+00:00"
    amount = chance.choice(AMOUNTS[:3])
    lines = []
    for i in range(chance.randint(2, 4) // 2 * 2):
        account = chance.choice(ACCOUNTS if odd and chance.random() < 0.3 else ACCOUNTS[:3])
        if before and chance.random() < 0.9:
            account = chance.choice(("1010.001", "1010.", "4010.002"))
        sides = (amount, "") if i % 2 == 0 else ("", amount)
        if odd and chance.random() < 0.15:
            sides = (chance.choice(AMOUNTS), chance.choice(AMOUNTS))
        partner = chance.choice(("beta", "nobody", "")) if odd and chance.random() < 0.2 else ""
        line = JournalLine(
            "alpha", name, i + 1, account=account, debit=sides[0], credit=sides[1], partner=partner
        )
        lines.append(line)
    return Journal("alpha", name, on, posted_at=posted_at), lines


class Batches(TestCase):
    def judged(
        self, world: State, journals: Sequence[tuple[Journal, list[JournalLine]]]
    ) -> tuple[Batch, Accepted]:
        batch = Batch(world, [head_of(world, head, NUMBERS) for head, _ in journals], NUMBERS)
        every = [line for _, lines in journals for line in lines]
        for start in range(0, len(every), 7):  # in chunks, as a file is read
            batch.feed(columns(every[start : start + 7]))
        return batch, batch.finish(PostingContext())

    def test_what_is_waved_through_is_what_the_one_judge_lets_pass(self) -> None:
        waved = before = 0
        for seed in range(50):
            chance, moved = Random(seed), seed % 2 == 1
            world = state(*WORLD, *(MOVED if moved else ()))
            journals = [random_journal(chance, number, moved) for number in range(12)]
            batch, accepted = self.judged(world, journals)
            for i, (head, lines) in enumerate(journals):
                if accepted.unusual[i]:
                    continue
                waved += 1
                alone = check_journal(world, head, lines, PostingContext())
                self.assertEqual([str(fault) for fault in alone.faults], [], (seed, head))
                rows = np.flatnonzero(accepted.journal == i).tolist()
                resolved = [batch.combinations[accepted.combination[row]] for row in rows]
                self.assertEqual(
                    [
                        (one.chart, one.found.account, one.found.dimensions, int(accepted.amount[row]))
                        for one, row in zip(resolved, rows, strict=True)
                        if one.found
                    ],
                    [(line.chart, line.account, line.dimensions, line.amount) for line in alone.lines],
                )
                in_old = head.posted_at and head.posted_at < MOVED_AT and moved
                self.assertEqual({line.chart for line in alone.lines}, {"old" if in_old else "c"})
                before += bool(in_old)
        self.assertGreater(waved, 160)
        self.assertGreater(before, 30)

    def test_numbers_that_would_be_taken_for_others_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "The columns hold numbers below -1."):
            paired(np.array([0, 1]), np.array([3, -2]))

    def test_plain_journals_are_never_unusual(self) -> None:
        world = state()
        journals = [random_journal(Random(1), 0, False) for _ in range(1)]
        journals = [
            (
                Journal("alpha", f"J{i}", date(2026, 2, 10)),
                [
                    JournalLine("alpha", f"J{i}", 1, account="10-1010", debit=f"{i + 1}"),
                    JournalLine("alpha", f"J{i}", 2, account="10-4010-001", credit=f"{i + 1}.00"),
                ],
            )
            for i in range(20)
        ]
        _, accepted = self.judged(world, journals)
        self.assertFalse(accepted.unusual.any())
        self.assertEqual(int(accepted.amount.sum()), 0)

    def test_what_makes_a_journal_unusual(self) -> None:
        world = state(*WORLD)
        bank, sales = ("10-1010", "5", ""), ("10-4010-001", "", "5")
        on = date(2026, 2, 10)
        for lines, head, twice in (
            ((bank, sales), {"currency": "EUR"}, 0),
            ((bank,), {}, 0),
            ((bank, ("10-4010-001", "", "6")), {}, 0),
            ((bank, ("10-1030", "", "5")), {}, 0),
            ((bank, ("10-1040", "", "5")), {}, 0),
            ((bank, ("20-1010", "", "5")), {}, 0),
            ((bank, ("10-4010-001", "5", "5")), {}, 0),
            ((bank, ("10-4010-001", "", "99999999999999999999")), {}, 0),
            ((bank, sales), {"date": date(2027, 1, 1)}, 0),
            ((bank, sales, sales), {"lines": (1, 2, 2)}, 1),
        ):
            with self.subTest(lines=lines, head=head):
                cells = dict(head)
                numbers = cells.pop("lines", (1, 2, 3))
                journal = Journal("alpha", "J", **{"date": on, **cells})  # type: ignore[arg-type]
                rows = [
                    JournalLine("alpha", "J", n, account=a, debit=d, credit=k)
                    for n, (a, d, k) in zip(numbers, lines, strict=False)  # type: ignore[call-overload]
                ]
                _, accepted = self.judged(world, [(journal, rows)])
                self.assertTrue(accepted.unusual[0])
                self.assertEqual(len(accepted.twice), twice)

    def test_lines_of_journals_that_nobody_named(self) -> None:
        world = state()
        batch = Batch(world, [], NUMBERS)
        batch.feed(columns([JournalLine("alpha", "J", 1, account="10-1010", debit="5")]))
        accepted = batch.finish(PostingContext())
        self.assertEqual((batch.unknown_rows, len(accepted.line)), ([2], 0))
        self.assertEqual(len(Batch(world, [], NUMBERS).finish(PostingContext()).line), 0)

    def test_amounts_as_columns(self) -> None:
        told = digits(["12.3", "7", "", "x", "1.234", "99999999999999999"]).minor(np.array([2] * 6), 10**17)
        self.assertEqual(told.tolist(), [1230, 700, 0, -1, -1, -1])


class Chain(TestCase):
    def test_a_link_is_what_the_document_says(self) -> None:
        when = datetime(2026, 9, 30, 16, 5, 7, 9, timezone(timedelta(hours=2)))
        seal = Sealed("alpha", "A1", "2026-09-30", "general", "Sales", "GBP", "", moment(when), "mirela", "")
        lines = [line_text(["1", "alpha", "2026"]), line_text(["2", "alpha", "2026"])]
        text = "\x1e".join(
            [
                "pine-journal-1",
                "0" * 64,
                "alpha\x1fA1\x1f2026-09-30\x1fgeneral\x1fSales\x1fGBP\x1f\x1f"
                "2026-09-30T14:05:07.000009Z\x1fmirela\x1f",
                "1\x1falpha\x1f2026",
                "2\x1falpha\x1f2026",
            ]
        )
        self.assertEqual(link(BEGINNING, seal, lines), hashlib.sha256(text.encode()).hexdigest())
        self.assertNotEqual(link(BEGINNING, seal, lines[::-1]), link(BEGINNING, seal, lines))
        self.assertEqual((rate_text(None), rate_text(Decimal("1.10"))), ("", "1.1"))
        self.assertEqual(moment(datetime(2026, 1, 1, tzinfo=UTC)), "2026-01-01T00:00:00.000000Z")
