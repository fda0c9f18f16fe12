"""What holds of any group, whatever its companies: zero at each step, no order, no difference of cutting."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from itertools import permutations
from random import Random
from typing import Any
from unittest import TestCase

from core.changes.kinds import Put, apply
from core.consolidation.position import Consolidation, Position
from core.consolidation.translations import Translations
from core.definitions.state import State
from core.definitions.tables import Acquisition, Elimination, GroupMember, GroupOpening, Rate
from core.group.ownership import standings
from core.group.rates import rate_table
from core.money import digits_of, round_half_up
from core.tests.group_cases import (
    CLASSES,
    Line,
    company,
    consolidation,
    definitions,
    group_row,
    period,
    unbalanced,
)

NAMES = ("h", "a", "b", "c", "d")
MONTHS = (1, 2, 3)
ENDS = {1: date(2025, 1, 31), 2: date(2025, 2, 28), 3: date(2025, 3, 31)}
WORTH = {"EUR": Decimal(1), "USD": Decimal("0.9"), "JPY": Decimal("0.0065"), "KWD": Decimal(3)}
"""In euros: currencies of two, none and three minor digits."""
DIGITS = {"JPY": 0, "EUR": 2, "USD": 2, "CLP": 0, "KWD": 3, "TND": 3}
WHOLE = {"1010": Decimal(1000), "2030": Decimal(-1000)}
RULES = [
    Elimination("g", "owed", 10, "", "1030, 2030", True, "1010"),
    Elimination("g", "trade", 20, "", "4030, 5030", True, "5010"),
]


@dataclass
class World:
    """A random group: who is in how, in which currency, and what each booked by month."""

    random: Random
    into: str
    currencies: Mapping[str, str]
    members: list[GroupMember]
    booked: dict[str, list[Line]]

    @staticmethod
    def of(seed: int, *, plain: bool = False) -> World:
        random = Random(seed)
        into = "EUR" if plain else random.choice(["EUR", "JPY", "KWD"])
        currencies = {name: into if plain or name == "h" else random.choice([*WORTH]) for name in NAMES}
        members = [GroupMember("g", "h")]
        for name in NAMES[1:]:
            method = "full" if plain else random.choice(["full", "full", "proportionate", "equity"])
            share = Decimal(100) if plain else Decimal(random.choice([100, 80, 51, 35]))
            first = None if plain else random.choice([None, None, date(2025, 2, 1)])
            members.append(GroupMember("g", name, "company", method, share, first))
        booked = {name: _booked(random, name, digits_of(currencies[name])) for name in NAMES}
        return World(random, into, currencies, members, booked)

    def rates(self) -> list[Rate]:
        """Of each currency but the group's, those of dollars last."""
        rates = []
        for currency in sorted({*WORTH} - {self.into}):
            worth = (WORTH[currency] / WORTH[self.into]).quantize(Decimal("1e-9"))
            rates += [Rate(currency, self.into, kind, date(2024, 12, 31), worth) for kind in KINDS]
            for n, on in ENDS.items():
                rates += [Rate(currency, self.into, "closing", on, worth * (100 + 3 * n) / 100)]
                rates += [Rate(currency, self.into, "average", on, worth * (197 + 6 * n) / 200)]
        return rates

    def group(self, **more: Any) -> Consolidation:
        spelt: Mapping[str, str] = more.get("spelt", {})
        periods = more.get("periods") or [period(2025, n, n) for n in MONTHS]
        state = State.of(
            [
                *definitions(),
                *periods,
                *self.rates(),
                *more.get("rates", ()),
                *(company(spelt.get(name, name), currency) for name, currency in self.currencies.items()),
                group_row("g", currency=self.into),
                *(row._replace(member=spelt.get(row.member, row.member)) for row in self.members),
                Acquisition(
                    "g", spelt.get("a", "a"), ENDS[2], spelt.get("h", "h"), Decimal(50), "90", "1310", "1410"
                ),
                *RULES,
            ]
        )
        booked = more.get("booked") or self.booked
        lines = {spelt.get(name, name): [_spelt(line, spelt) for line in own] for name, own in booked.items()}
        return consolidation(state, "g", lines)


def _spelt(line: Line, spelt: Mapping[str, str]) -> Line:
    match line:
        case (year, month, account, amount, partner):
            return year, month, account, amount, spelt.get(partner, partner)
    return line


KINDS = ("closing", "average", "historical")


def _booked(random: Random, name: str, digits: int) -> list[Line]:
    """Balanced entries of each month, some with a partner, in a currency of so many minor digits."""
    lines: list[Line] = []
    for month in (0, *MONTHS):
        total = Decimal(0)
        for _ in range(6):
            account = random.choice(sorted(CLASSES))
            amount = Decimal(random.randint(-99_999, 99_999)).scaleb(-digits)
            partner = random.choice([n for n in NAMES if n != name]) if account in PARTNERED else ""
            lines.append(
                (2025, month, account, amount, partner) if partner else (2025, month, account, amount)
            )
            total += amount
        lines.append((2025, month, "1010", -total))
    return lines


PARTNERED = ("1030", "2030", "4030", "5030", "1310")


def column(group: Consolidation, p: int) -> dict[str, int]:
    """The group's closing amounts by account, zero left out; minor units."""
    position = group.position(p)
    sums: dict[str, int] = {}
    for entries in (*position.columns.values(), position.eliminated):
        for target, amount in entries.items():
            name = group.books.accounts.name(target)
            sums[name] = sums.get(name, 0) + amount
    return {name: amount for name, amount in sorted(sums.items()) if amount}


class Properties(TestCase):
    def test_each_currency_into_each(self) -> None:
        """1000 whole units at round rates are worth the same whole units, whatever the minor digits."""
        rates = {"0.0065": "6.5", "3": "3000", "0.5": "500", "161.25": "161250"}
        for own, into in permutations(DIGITS, 2):
            for rate, worth in rates.items():
                state = State.of(
                    [
                        *definitions(),
                        period(2025, 1, 1),
                        Rate(own, into, "closing", ENDS[1], Decimal(rate)),
                        company("a", own),
                        group_row("g", currency=into),
                        GroupMember("g", "a"),
                    ]
                )
                booked: list[Line] = [(2025, 1, account, amount) for account, amount in WHOLE.items()]
                group = consolidation(state, "g", {"a": booked})
                minor = round_half_up(Fraction(worth) * 10 ** DIGITS[into])
                with self.subTest(own=own, into=into, rate=rate):
                    self.assertEqual(column(group, 1), {"1010": minor, "2030": -minor})
                    self.assertEqual(group.rates.of("closing", own, 1), Fraction(rate))

    def test_every_step_sums_to_zero(self) -> None:
        for seed in range(40):
            group = World.of(seed).group()
            for p in range(4):
                with self.subTest(seed=seed, p=p):
                    self.assertEqual(unbalanced(group.position(p)), [])
                    self.assertEqual(sum(column(group, p).values()), 0)

    def test_one_currency_and_whole_shares_are_the_plain_sum(self) -> None:
        for seed in range(10):
            world = World.of(seed, plain=True)
            group = world.group()
            position = group.position(3)
            sums: dict[str, int] = {}
            for own in world.booked.values():
                for line in own:
                    sums[line[2]] = sums.get(line[2], 0) + round(line[3] * 100)
            before: dict[str, int] = {}
            for (step, _), entries in position.steps.items():
                for target, amount in entries.items() if step != "acquisition" else ():
                    name = group.books.accounts.name(target)
                    before[name] = before.get(name, 0) + amount
            with self.subTest(seed=seed):
                self.assertEqual(*({k: v for k, v in one.items() if v} for one in (before, sums)))

    def test_translations_taken_over_are_those_made_anew(self) -> None:
        """After every change of rates, of what opens, of shares or of the day a company comes in."""
        for seed in range(20):
            world = World.of(seed)
            known = world.group()
            known.position(3)
            for row in _changes(world):
                state = apply(known.state, row)
                args = state, known.group, known.periods, known.books
                tables = rate_table(state, known.group, known.periods), standings(state, "g", known.periods)
                taken_over = Consolidation(*args, *tables, translations=Translations(known.translations))
                anew = Consolidation(*args, *tables)
                for p in MONTHS:
                    with self.subTest(seed=seed, row=row, p=p):
                        self.assertEqual(_told(taken_over.position(p)), _told(anew.position(p)))
                if isinstance(row.row, Rate):  # costs only the books of its currency
                    for name, sets in taken_over.sets.items():
                        same = sets[0] is known.sets[name][0]
                        touched = row.edits(known.state) and world.currencies[name] == row.row.from_currency
                        self.assertEqual(same, not touched, name)
                known = taken_over

    def test_names_and_their_order_do_not_matter(self) -> None:
        spelt = dict(zip(NAMES, reversed(["m", "n", "o", "p", "q"]), strict=True))
        for seed in range(20):
            world = World.of(seed)
            with self.subTest(seed=seed):
                self.assertEqual(column(world.group(), 3), column(world.group(spelt=spelt), 3))

    def test_cutting_a_period_at_equal_rates_only_moves_roundings(self) -> None:
        """March in two halves of one average rate: no account moves by more than a unit for each amount."""
        halves = [
            *(period(2025, n, n) for n in (1, 2)),
            period(2025, 3, 3)._replace(ends_on=date(2025, 3, 15)),
            period(2025, 3, 3)._replace(period=4, starts_on=date(2025, 3, 16)),
        ]
        for seed in range(20):
            world = World.of(seed)
            middle = [row._replace(on=date(2025, 3, 15)) for row in world.rates() if row.on == ENDS[3]]
            cut = {
                name: [
                    ((line[0], 4, *line[2:]) if line[1] == 3 and n % 2 else line)
                    for n, line in enumerate(_balanced_halves(own))
                ]
                for name, own in world.booked.items()
            }
            whole = world.group(booked={name: _balanced_halves(own) for name, own in world.booked.items()})
            parts = world.group(booked=cut, periods=halves, rates=middle)
            one, other = column(whole, 3), column(parts, 4)
            with self.subTest(seed=seed):
                apart = {n: one.get(n, 0) - other.get(n, 0) for n in {*one, *other}}
                self.assertLess(max(map(abs, apart.values()), default=0), 40, apart)

    def test_a_subgroup_is_the_same_by_its_parts(self) -> None:
        """Of one currency, members of a wholly owned subgroup stand as if they were the group's own."""
        for seed in range(10):
            world = World.of(seed, plain=True)
            nested = State.of(
                [
                    *definitions(),
                    *(period(2025, n, n) for n in MONTHS),
                    *(company(name) for name in NAMES),
                    group_row("g"),
                    group_row("k"),
                    *(GroupMember("g", name) for name in NAMES[:3]),
                    GroupMember("g", "k", "group"),
                    *(GroupMember("k", name) for name in NAMES[3:]),
                    Acquisition("g", "a", ENDS[2], "h", Decimal(50), "90", "1310", "1410"),
                    *RULES,
                ]
            )
            with self.subTest(seed=seed):
                self.assertEqual(
                    column(world.group(), 3), column(consolidation(nested, "g", world.booked), 3)
                )


def _changes(world: World) -> list[Put]:
    usd = [row for row in world.rates() if row.from_currency == "USD"]
    member = world.members[1]
    return [
        Put(usd[-1]._replace(rate=Decimal("1.07"))),
        Put(Rate("GBP", world.into, "closing", ENDS[1], Decimal("1.2"))),
        Put(usd[0]._replace(rate=Decimal("0.8"))),
        Put(GroupOpening("g", member.member, "1310", ENDS[1], "12")),
        Put(member._replace(ownership=Decimal(45))),
        Put(member._replace(in_from=date(2025, 3, 1))),
        Put(usd[-2]),
        Put(usd[-1]),
    ]


def _told(position: Position) -> tuple[Any, ...]:
    """Everything that a position says, in any order."""
    steps = sorted((key, sorted(entries.items())) for key, entries in position.steps.items())
    waiting = sorted((name, str(why)) for name, why in position.waiting.items())
    return steps, sorted(position.eliminated.items()), waiting, position.purchases


def _balanced_halves(own: list[Line]) -> list[Line]:
    """Lines of March in twos that balance, so that either half can go elsewhere."""
    rest: list[Line] = [line for line in own if line[1] != 3]
    if len(rest) % 2:
        rest.append((2025, 1, "1010", Decimal(0)))
    pairs: list[Line] = []
    for line in own:
        if line[1] == 3 and line[2] != "1010":
            counter: Line = (2025, 3, "1010", -line[3])
            pairs += [line, line, counter, counter]
    return [*rest, *pairs]
