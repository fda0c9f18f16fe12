"""Second step: the books of each company by (own account, group account, partner) and period of the group."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from core.books.balances import exact
from core.definitions.state import State
from core.group.collect import Member, collect
from core.group.map_accounts import group_list, targets_of
from core.group.periods import GroupPeriods
from core.group.translation_rules import BY_CLASS, rates_by_account
from core.statements.amounts import StrayAccount
from core.statements.plans import RESULT_CLASSES

NOBODY = -1
"""The partner of a cell that names no company."""


@dataclass(frozen=True)
class Accounts:
    """The targets of a group: its posting accounts in order, then what has none (a stray, by its own class).

    `rate` is what each is translated at; strays of equity are no equity of the group's."""

    codes: tuple[str, ...]
    classes: tuple[str, ...]
    strays: tuple[StrayAccount, ...]
    rate: tuple[str, ...]
    place: Mapping[str, int]

    @property
    def size(self) -> int:
        return len(self.codes) + len(self.strays)

    @cached_property
    def results(self) -> NDArray[np.bool_]:
        """By target, whether it is revenue or expense."""
        return np.array([self.class_of(t) in RESULT_CLASSES for t in range(self.size)], dtype=bool)

    @cached_property
    def equities(self) -> NDArray[np.bool_]:
        """By target, whether it is equity of the group."""
        return np.array([self.is_equity(t) for t in range(self.size)], dtype=bool)

    @cached_property
    def equity_targets(self) -> frozenset[int]:
        """The targets that are equity of the group."""
        return frozenset(np.flatnonzero(self.equities).tolist())

    @cached_property
    def kinds(self) -> NDArray[Any]:
        """By target, the kind of rate it is translated at."""
        return np.array(self.rate, dtype=object)

    def is_result(self, target: int) -> bool:
        return self._is_result[target]

    @cached_property
    def _is_result(self) -> list[bool]:
        """Asked of each amount, so looked up and not worked out."""
        return list(map(bool, self.results))

    def is_equity(self, target: int) -> bool:
        return target < len(self.codes) and self.classes[target] == "equity"

    def class_of(self, target: int) -> str:
        if target < len(self.codes):
            return self.classes[target]
        return self.strays[target - len(self.codes)].account_class

    def name(self, target: int) -> str:
        return self.codes[target] if target < len(self.codes) else "unplaced"


@dataclass(frozen=True)
class BookSet:
    """One set of books: a company's own, or those that adjust it (`company` is whose figures they are).

    A cell is (own natural account, target, partner); `moved[:, i]` is what it moved in period i without
    closing journals, `closed[:, i]` those: raw minor units of the books' currency."""

    name: str
    company: str
    currency: str
    own: tuple[str, ...]
    target: NDArray[np.int64]
    partner: NDArray[np.int64]
    moved: NDArray[Any]
    closed: NDArray[Any]
    books_to: NDArray[Any] = field(repr=False)
    """Everything to the end of each period, closing journals too."""


@dataclass(frozen=True)
class GroupBooks:
    """All sets of books of a group. `partners` are its companies and whoever else their amounts name, in
    order of name; the partner of a cell is a place among them."""

    accounts: Accounts
    partners: tuple[str, ...]
    sets: tuple[BookSet, ...]

    def of(self, company: str) -> list[BookSet]:
        """A company's own books, then those that adjust them."""
        return self._of_company.get(company, [])

    @cached_property
    def _of_company(self) -> dict[str, list[BookSet]]:
        of_company: dict[str, list[BookSet]] = {}
        for one in self.sets:
            of_company.setdefault(one.company, []).append(one)
        return of_company


def group_books(
    state: State,
    group: str,
    periods: GroupPeriods,
    members: Sequence[Member],
    adjusts: Mapping[str, str],
    currencies: Mapping[str, str],
    numbers: Mapping[str, int],
) -> GroupBooks:
    """`members` are the companies and their adjusting books; `adjusts` says whose books each of those
    corrects; `numbers` are those of all companies, by which rows name a partner."""
    chart = group_list(state, group)
    posting = chart.posting if chart else []
    places = {code: i for i, code in enumerate(posting)}
    partners = _partners(members, adjusts, numbers)
    strays: dict[StrayAccount, int] = {}
    parts: dict[str, list[_Rows]] = {member.company: [] for member in members}
    partner_of = np.full(max(numbers.values(), default=0) + 1, NOBODY, dtype=np.int64)
    for place, name in enumerate(partners):
        partner_of[numbers[name]] = place
    for part in collect(members):
        book = part.book.rows[part.counts]
        targets = targets_of(part.member, part.book, places, strays)[part.counts]
        ordinals = part.ordinal[part.counts]
        known, inverse = np.unique(ordinals, return_inverse=True)
        period = np.array([periods.at(int(one)) for one in known], dtype=np.int64)[inverse]
        closing = np.array([periods.is_closing(i) for i in range(periods.last + 1)])[period]
        parts[part.member.company].append(
            _Rows(
                np.array(part.book.naturals, dtype=object)[book["natural"]],
                targets,
                partner_of[book["partner"]],
                period,
                closing | (book["closing"] != 0),
                part.amount[part.counts],
            )
        )
    accounts = _accounts(state, group, tuple(posting), tuple(strays))
    sets = tuple(
        _book_set(name, adjusts.get(name, name), currencies[name], rows, periods.last)
        for name, rows in parts.items()
    )
    return GroupBooks(accounts, partners, sets)


@dataclass(frozen=True, slots=True)
class _Rows:
    own: NDArray[Any]
    target: NDArray[np.int64]
    partner: NDArray[np.int64]
    period: NDArray[np.int64]
    closing: NDArray[np.bool_]
    amount: NDArray[Any]


def _partners(
    members: Sequence[Member], adjusts: Mapping[str, str], numbers: Mapping[str, int]
) -> tuple[str, ...]:
    """The group's companies and whoever else amounts name as a partner, in order of name."""
    own = {member.company for member in members} - set(adjusts)
    named = {
        n for member in members for book in member.books for n in np.unique(book.rows["partner"]).tolist()
    }
    return tuple(sorted(own | {name for name, n in numbers.items() if n in named}))


def _accounts(
    state: State, group: str, posting: tuple[str, ...], strays: tuple[StrayAccount, ...]
) -> Accounts:
    chart, by_account = group_list(state, group), rates_by_account(state, group)
    codes = chart.codes if chart else {}
    return Accounts(
        posting,
        tuple(codes[code].account_class for code in posting),
        strays,
        (
            *(by_account[code] for code in posting),
            *(BY_CLASS.get(s.account_class, "closing") for s in strays),
        ),
        {code: i for i, code in enumerate(posting)},
    )


def _book_set(name: str, company: str, currency: str, parts: list[_Rows], last: int) -> BookSet:
    """Rows added up by cell and period, in the order of own account, target, partner (none first)."""
    if not parts:
        nothing = np.zeros((0, last + 1), dtype=np.int64)
        none = np.zeros(0, dtype=np.int64)
        return BookSet(name, company, currency, (), none, none, nothing, nothing, nothing)
    own = np.concatenate([part.own for part in parts])
    target, partner, period, closing, amount = (
        np.concatenate([getattr(part, column) for part in parts])
        for column in ("target", "partner", "period", "closing", "amount")
    )
    names, own_place = np.unique(own.astype(str), return_inverse=True)
    key = (
        (own_place.astype(np.int64) * (int(target.max()) + 1) + target) * (int(partner.max()) + 2)
        + partner
        + 1
    )
    _, first, cell = np.unique(key, return_index=True, return_inverse=True)
    amount = exact(amount)
    moved = np.zeros((len(first), last + 1), dtype=amount.dtype)
    closed = moved.copy()
    np.add.at(moved, (cell[~closing], period[~closing]), amount[~closing])
    np.add.at(closed, (cell[closing], period[closing]), amount[closing])
    return BookSet(
        name,
        company,
        currency,
        tuple(str(names[i]) for i in own_place[first]),
        target[first],
        partner[first],
        moved,
        closed,
        np.cumsum(moved + closed, axis=1),
    )
