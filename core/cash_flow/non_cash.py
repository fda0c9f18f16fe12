"""What an indirect cash flow leaves out because no cash moved: journals between the two sides of a named
pair."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Arrangement, NonCashPair, Statement
from core.money import show_amount


class NonCashAccounts(NamedTuple):
    """A non-cash pair worked out: natural accounts of the statement's chart on either side."""

    pair: NonCashPair
    accounts: frozenset[str]
    against: frozenset[str]


class LeftOutPair(NamedTuple):
    """What a cash flow leaves out of a stretch for a pair: how many journals, and what they moved on the
    accounts of its first side, raw minor units. `own` are the company's accounts of that side that they
    touch."""

    pair: NonCashPair
    journals: int
    amount: int
    own: tuple[str, ...] = ()

    @property
    def lines(self) -> str:
        """Those accounts as the address of their lines names them."""
        return ",".join(self.own)

    def sentence(self, digits: int) -> str:
        """As it is printed below a statement."""
        journals = "1 journal" if self.journals == 1 else f"{self.journals} journals"
        side = "debit" if self.amount >= 0 else "credit"
        amount = show_amount(abs(self.amount), digits)
        return f"Left out, for no cash moved: {self.pair.name}, {journals}, {amount} {side}."


def joined_pairs(several: Iterable[Sequence[LeftOutPair]]) -> tuple[LeftOutPair, ...]:
    """What several companies or stretches leave out, pair by pair."""
    together: dict[NonCashPair, LeftOutPair] = {}
    for pair, journals, amount, own in (one for pairs in several for one in pairs):
        known = together.get(pair, LeftOutPair(pair, 0, 0))
        accounts = tuple(sorted({*known.own, *own}))
        together[pair] = LeftOutPair(pair, known.journals + journals, known.amount + amount, accounts)
    return tuple(together.values())


def non_cash_accounts(state: State, statement: Statement, code_list: str) -> tuple[NonCashAccounts, ...]:
    """The pairs of an indirect cash flow in the order of their ids; a journal that fits several belongs to
    the first. An arrangement has those of what it is over too, but for ids of its own."""
    if statement.kind != "cash_flow":
        return ()
    return tuple(
        NonCashAccounts(row, *(pick(state, code_list, text).codes for text in (row.accounts, row.against)))
        for _, row in sorted(_pairs(state, statement.statement).items())
    )


def _pairs(state: State, statement: str) -> dict[str, NonCashPair]:
    arrangement = state.get(Arrangement, statement)
    names = (arrangement.over, statement) if arrangement else (statement,)
    return {row.pair: row for name in names for row in state.part(NonCashPair, name).values()}
