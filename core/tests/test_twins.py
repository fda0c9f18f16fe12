"""Lines that face each other: which agree, which are apart, which stand alone; nothing is lost or doubled."""

from __future__ import annotations

from datetime import date
from random import Random
from typing import Any
from unittest import TestCase

from core.books.twins import FacingLine, OpenAmount, match, open_amounts


def line(company: str, day: int, keyed: int, reference: str = "", currency: str = "GBP") -> FacingLine:
    number = f"{company}{day}{keyed}{reference}"
    return FacingLine(company, company, number, 1, date(2026, 9, day), reference, "", currency, keyed, keyed)


CASES: list[tuple[str, list[tuple[Any, ...]], list[tuple[Any, ...]], tuple[int, list[int], int]]] = [
    ("reference and amount, however far", [(1, 50, "R")], [(28, -50, "R")], (1, [], 0)),
    ("amount and day", [(3, 50)], [(3, -50)], (1, [], 0)),
    ("amount and nearly the day", [(3, 50)], [(13, -50)], (1, [], 0)),
    ("amount and too far", [(3, 50)], [(14, -50)], (0, [], 2)),
    ("the same side", [(3, 50)], [(3, 50)], (0, [], 2)),
    ("reference alone, apart", [(3, 50, "R")], [(4, -47, "R")], (0, [3], 0)),
    ("a reference twice is no pair", [(3, 50, "R"), (4, 1, "R")], [(4, -47, "R")], (0, [], 3)),
    ("the nearest day wins", [(10, 50)], [(2, -50), (9, -50)], (1, [], 1)),
    ("reference before day", [(3, 50, "R"), (3, 50)], [(3, -50), (9, -50, "R")], (2, [], 0)),
]


class TwinLines(TestCase):
    def test_each_way_of_matching(self) -> None:
        for name, ones, others, expected in CASES:
            found = match([line("a", *one) for one in ones], [line("b", *one) for one in others])
            with self.subTest(name):
                told = (len(found.agree), [pair.apart for pair in found.differ], len(found.alone))
                self.assertEqual(told, expected)

    def test_currencies_are_kept_apart(self) -> None:
        found = match([line("a", 3, 50, "R", "EUR")], [line("b", 3, -50, "R", "GBP")])
        self.assertEqual((found.agree, found.differ, len(found.alone)), ([], [], 2))

    def test_nothing_is_lost_and_the_difference_is_what_remains(self) -> None:
        for seed in range(60):
            random = Random(seed)

            def some(company: str, random: Random = random) -> list[FacingLine]:
                return [
                    line(
                        company,
                        random.randint(1, 28),
                        random.choice([-3, -2, -1, 1, 2, 3]),
                        random.choice(["", "R1", "R2"]),
                    )
                    for _ in range(random.randint(0, 25))
                ]

            ones, others = some("a"), some("b")
            found = match(ones, others)
            pairs = [*found.agree, *found.differ]
            with self.subTest(seed=seed):
                told = [x for pair in pairs for x in pair[:2]] + found.alone
                self.assertEqual(sorted(map(id, told)), sorted(map(id, [*ones, *others])))
                total = sum(x.keyed for x in (*ones, *others))
                rest = sum(pair.apart for pair in found.differ) + sum(x.keyed for x in found.alone)
                self.assertEqual(total, rest)
                self.assertTrue(all(pair.one.keyed == -pair.other.keyed for pair in found.agree))
                self.assertEqual(sum(one.keyed for one in open_amounts(found, date(2027, 1, 1))), total)

    def test_what_is_open_by_account_currency_and_age(self) -> None:
        ones = [line("a", 1, 50), line("a", 2, 7), line("a", 25, 9), line("a", 3, 4, "", "EUR")]
        others = [line("b", 20, -30, "R")]
        ones.append(line("a", 20, 33, "R"))
        found = match([one._replace(account="1810") for one in ones], others)
        self.assertEqual(
            open_amounts(found, date(2026, 10, 15)),
            [
                OpenAmount("a", "1810", "EUR", "31 to 60 days", 4, 1),
                OpenAmount("a", "1810", "GBP", "31 to 60 days", 57, 2),
                OpenAmount("a", "1810", "GBP", "0 to 30 days", 12, 2),
            ],
        )
        ages = {one.age for one in open_amounts(found, date(2027, 9, 30))}
        self.assertEqual(ages, {"over 90 days"})
