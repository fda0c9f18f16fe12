"""What is kept of a group's period: its figures by account and column, the rates they took, the shares."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from hashlib import sha256
from typing import Any, NamedTuple

import numpy as np

from core.codes.lists import ListIndex
from core.consolidation.position import Consolidation
from core.group_figures.columns import ELIMINATIONS
from core.group_figures.sum_up import Consolidated, consolidate
from core.statements.amounts import Amounts, StrayAccount


class KeptAmount(NamedTuple):
    """Raw minor units of the group's currency: what the fiscal year brought to the end of the period, and
    everything to then. `account` is a place among accounts and strays, `column` one among the columns."""

    account: int
    column: int
    brought: int
    total: int


class KeptRate(NamedTuple):
    """A rate that the figures took: for which days, by which way, the day of its row, the exact rate."""

    kind: str
    currency: str
    first: str
    last: str
    way: str
    on: str
    rate: str


class KeptShare(NamedTuple):
    """A company's method, the share of it and the minority at the end of the period, as exact fractions."""

    company: str
    method: str
    share: str
    minority: str


@dataclass(frozen=True)
class KeptFigures:
    """Columns are those of companies, adjusting books, ownership and eliminations; the group is their sum."""

    columns: tuple[str, ...]
    accounts: tuple[str, ...]
    strays: tuple[StrayAccount, ...]
    amounts: tuple[KeptAmount, ...]
    rates: tuple[KeptRate, ...]
    shares: tuple[KeptShare, ...]

    def written(self) -> str:
        """As text, the same for the same figures."""
        return json.dumps(asdict(self), separators=(",", ":"), ensure_ascii=False)

    @staticmethod
    def read(text: str) -> KeptFigures:
        content: dict[str, list[Any]] = json.loads(text)
        return KeptFigures(
            tuple(content["columns"]),
            tuple(content["accounts"]),
            tuple(StrayAccount(*row) for row in content["strays"]),
            tuple(KeptAmount(*row) for row in content["amounts"]),
            tuple(KeptRate(*row) for row in content["rates"]),
            tuple(KeptShare(*row) for row in content["shares"]),
        )

    @property
    def balance(self) -> int:
        """Debits less credits of everything kept: 0, or what is kept is not what was."""
        return sum(row.total for row in self.amounts)

    def of_statement(self, index: ListIndex, *, balance_sheet: bool) -> Amounts:
        """For a statement over these accounts; one that its list doesn't have counts as without a place."""
        known = [i for i, code in enumerate(self.accounts) if code in index.position]
        gone = [i for i in range(len(self.accounts)) if i not in set(known)]
        strays = (*(StrayAccount("", self.accounts[i], "", "") for i in gone), *self.strays)
        order = [*known, *gone, *range(len(self.accounts), len(self.accounts) + len(self.strays))]
        row_of = {account: row for row, account in enumerate(order)}
        size = (len(order), len(self.columns) + 1)
        window, total = np.zeros(size, dtype=object), np.zeros(size, dtype=object)
        for amount in self.amounts:
            row = row_of[amount.account]
            window[row, amount.column] = amount.total if balance_sheet else amount.brought
            total[row, amount.column] = amount.total
        for values in (window, total):
            values[:, -1] = values[:, :-1].sum(axis=1)
        places = np.array([index.position[self.accounts[i]] for i in known], dtype=np.int64)
        return Amounts(window, total, strays, places, deciding=-1)


def sealed(head: Sequence[object], text: str) -> str:
    """A digest of what is kept with whose, which period's and whose keeping it is."""
    return sha256("\n".join([*(str(part) for part in head), text]).encode()).hexdigest()


def figures_to_keep(group: Consolidation, start: int, end: int) -> KeptFigures:
    """From the first group ordinal of a fiscal year to that of the period kept.

    `group` is worked out for this alone: what its table of rates was asked for is what the figures took.
    """
    sums = consolidate(group, start, end, balance_sheet=False)
    if group.translations.taken_over:
        raise ValueError("What is kept must be worked out from nothing: it names every rate that was used.")
    accounts = group.books.accounts
    p = group.periods.last_to(end)
    amounts = tuple(_amounts(sums))
    used = sorted({amount.account for amount in amounts})
    place = {target: i for i, target in enumerate(t for t in used if t < len(accounts.codes))}
    strays = [t for t in used if t >= len(accounts.codes)]
    place |= {target: len(place) + i for i, target in enumerate(strays)}
    return KeptFigures(
        (*sums.columns, ELIMINATIONS),
        tuple(accounts.codes[t] for t in used if t < len(accounts.codes)),
        tuple(accounts.strays[t - len(accounts.codes)] for t in strays),
        tuple(amount._replace(account=place[amount.account]) for amount in amounts),
        tuple(_rates(group, p)),
        tuple(
            KeptShare(name, one.method, str(one.share(p)), str(one.minority(p)))
            for name, one in sorted(group.standings.items())
            if one.is_in[p]
        ),
    )


def _amounts(sums: Consolidated) -> list[KeptAmount]:
    """Of all columns but the group's."""
    window, total = (values[:, :-1] for values in (sums.amounts.window, sums.amounts.cumulative))
    rows, columns = np.nonzero((window != 0) | (total != 0))
    return [
        KeptAmount(row, column, int(window[row, column]), int(total[row, column]))
        for row, column in zip(rows.tolist(), columns.tolist(), strict=True)
    ]


def _rates(group: Consolidation, p: int) -> list[KeptRate]:
    rows = []
    for kind, currency, i in sorted(group.rates.known):
        way = next(group.rates.ways(kind, currency, i), None)
        if way is not None and i <= p:
            first, last = group.periods.within(i)
            rows.append(KeptRate(kind, currency, str(first), str(last), way.name, str(way.on), str(way.rate)))
    return rows
