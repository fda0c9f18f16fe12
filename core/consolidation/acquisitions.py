"""Fifth step: what a company paid for another, against the equity it acquired; goodwill is the rest."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from fractions import Fraction
from typing import NamedTuple

from core.codes.selectors import pick
from core.consolidation.shares import TakenShare
from core.consolidation.translate import Translated
from core.definitions.state import State
from core.definitions.tables import AcquiredEquity, Acquisition
from core.group.cells import Accounts
from core.group.map_accounts import group_list
from core.group.ownership import Standing
from core.group.periods import GroupPeriods
from core.group.rates import RateTable
from core.group.translation_rules import CLOSING
from core.money import digits_of, parse_amount, round_half_up


@dataclass(frozen=True, slots=True)
class Named:
    """The targets of the accounts a group names; -1 for one it doesn't."""

    translation: int
    retained: int
    minority: int
    minority_result: int
    equity_investment: int
    equity_result: int
    disposal: int


class Goodwill(NamedTuple):
    """What was paid for a member beyond the equity acquired (less: negative), on a target: when it was
    bought, and what stands of it now; minor units of the group's currency."""

    target: int
    bought: int
    now: int


@dataclass(frozen=True)
class Purchase:
    """The rows of one member, oldest first, with the entries that stand in the holder's column: target and
    amount. `unexplained` is what the holder booked and no row explains; where it keeps another currency than
    the group's that is exchange, and nothing is unexplained."""

    member: str
    holder: str
    entries: tuple[tuple[int, int], ...]
    unexplained: int
    goodwill: Goodwill

    @property
    def bargain(self) -> int:
        """What it cost less than the equity acquired, negative; 0 where it cost more."""
        return min(self.goodwill.bought, 0)


def equity_at(
    sets: list[Translated], accounts: Accounts, named: Named, p: int, *, results: bool
) -> dict[int, int]:
    """A company's equity by target at the end of p: cells, what moved to retained, the reserve; with
    `results` its revenue and expense to then on retained."""
    by_target: dict[int, int] = {}

    def add(target: int, amount: int) -> None:
        if amount:
            by_target[target] = by_target.get(target, 0) + amount

    for one in sets:
        values = one.standing(p)
        for c, target in enumerate(one.target.tolist()):
            if accounts.is_equity(target):
                add(target, int(values[c]))
            elif results and accounts.is_result(target):
                add(named.retained, int(values[c]))
        add(named.retained, one.retained(p))
        add(named.translation, one.reserve(p))
    return by_target


@dataclass(frozen=True)
class Acquirer:
    """What acquisitions are worked out from, for one group and period."""

    state: State
    group: str
    currency: str
    periods: GroupPeriods
    accounts: Accounts
    rates: RateTable
    named: Named
    partners: tuple[str, ...]

    def purchases(
        self,
        p: int,
        standings: dict[str, Standing],
        translated: dict[str, list[Translated]],
        held: dict[str, list[TakenShare]],
    ) -> Iterator[Purchase]:
        """Of all members with a row up to p, where member and holder are in by full."""
        for member, own in sorted(self.rows_to(p).items()):
            holder = own[0].holder
            if all(name in held and standings[name].method == "full" for name in (member, holder)):
                yield self._purchase(own, p, standings[member], translated[member], held[holder])

    def wait_for_rates(self, rows: list[Acquisition], member: Standing, sets: list[Translated]) -> None:
        """Raises NotReady where a rate is missing that these rows of one member need."""
        at = self._equity_period(rows[0], member)
        for one in sets:
            if len(one.books.own):
                if not self._given(rows[0]):
                    one.ask_closing(at)
                for row in rows[1:]:
                    one.ask_closing(self.periods.holding(row.on) - 1)
        currency = sets[0].books.currency
        if rows[0].goodwill_in == "member" and currency != self.currency:
            self.rates.of(CLOSING, currency, at)

    def rows_to(self, p: int) -> dict[str, list[Acquisition]]:
        """Rows up to the end of p by member, oldest first."""
        rows: dict[str, list[Acquisition]] = {}
        for row in sorted(self.state.part(Acquisition, self.group).values(), key=lambda row: row.on):
            if row.on <= self.periods.ends_on(p):
                rows.setdefault(row.member, []).append(row)
        return rows

    def _purchase(
        self,
        rows: list[Acquisition],
        p: int,
        member: Standing,
        sets: list[Translated],
        holder: list[TakenShare],
    ) -> Purchase:
        entries: list[tuple[int, int]] = []
        taken_away = self._investment(rows, holder, entries)
        goodwill = self._first(rows[0], p, member, sets, entries)
        for row in rows[1:]:
            self._later(row, sets, entries)
        beyond = taken_away - sum(self._cost(row) for row in rows)
        foreign = holder[0].books.books.currency != self.currency
        if beyond:
            entries.append((self.named.translation if foreign else self.named.retained, beyond))
        unexplained = 0 if foreign else beyond
        return Purchase(rows[0].member, rows[0].holder, tuple(entries), unexplained, goodwill)

    def _cost(self, row: Acquisition) -> int:
        minor = parse_amount(row.cost, digits_of(self.currency))
        assert isinstance(minor, int)  # a checked row
        return minor

    def _investment(
        self, rows: list[Acquisition], holder: list[TakenShare], entries: list[tuple[int, int]]
    ) -> int:
        """What the holder has on investment accounts with the member as partner is taken away."""
        accounts = group_list(self.state, self.group)
        partner = self.partners.index(rows[0].member)
        chosen = {
            self.accounts.place[code]
            for row in rows
            for code in (pick(self.state, accounts.code_list, row.investment).codes if accounts else ())
        }
        total = 0
        for one in holder:
            for c, target in enumerate(one.books.target.tolist()):
                if target in chosen and one.books.partner[c] == partner and one.cells[c]:
                    entries.append((target, -int(one.cells[c])))
                    total += int(one.cells[c])
        return total

    def _first(
        self,
        row: Acquisition,
        p: int,
        member: Standing,
        sets: list[Translated],
        entries: list[tuple[int, int]],
    ) -> Goodwill:
        """Equity acquired against the cost; goodwill in the member's currency follows its rate."""
        percent = Fraction(row.percent) / 100
        at = self._equity_period(row, member)
        if given := self._given(row):
            equity = {self.accounts.place[r.account]: self._minor(r.amount) for r in given}
        else:
            equity = equity_at(sets, self.accounts, self.named, at, results=True)
        acquired = [(target, -round_half_up(percent * amount)) for target, amount in sorted(equity.items())]
        entries += acquired
        goodwill = self._cost(row) - sum(amount for _, amount in acquired)
        place = self.accounts.place[row.goodwill_account]
        currency = sets[0].books.currency
        if row.goodwill_in == "member" and currency != self.currency and goodwill:
            now = self.rates.of(CLOSING, currency, p) / self.rates.of(CLOSING, currency, at)
            translated = round_half_up(goodwill * now)
            entries += [(place, translated), (self.named.translation, goodwill - translated)]
            return Goodwill(place, goodwill, translated)
        entries.append((place, goodwill))
        return Goodwill(place, goodwill, goodwill)

    def _given(self, row: Acquisition) -> list[AcquiredEquity]:
        return [
            given
            for given in self.state.part(AcquiredEquity, self.group).values()
            if (given.member, given.on) == (row.member, row.on)
        ]

    def _minor(self, text: str) -> int:
        minor = parse_amount(text, digits_of(self.currency))
        assert isinstance(minor, int)  # a checked row
        return minor

    def _equity_period(self, row: Acquisition, member: Standing) -> int:
        if row.equity_at is not None:
            return self.periods.holding(row.equity_at)
        if member.base is not None:
            return member.base
        return self.periods.holding(row.on - timedelta(days=1))

    def _later(self, row: Acquisition, sets: list[Translated], entries: list[tuple[int, int]]) -> None:
        """Bought from the minority, control being there: the cost and what was bought meet on retained."""
        percent = Fraction(row.percent) / 100
        equity = equity_at(sets, self.accounts, self.named, self.periods.holding(row.on) - 1, results=False)
        bought = [
            (target, -round_half_up(percent * amount))
            for target, amount in sorted(equity.items())
            if target != self.named.translation
        ]
        entries += bought
        entries.append((self.named.retained, self._cost(row) - sum(amount for _, amount in bought)))
