"""Statistics among amounts: quantities of accounts that no journal moves, kept in books beside a company's.

Of an account that adds up (hours, kilograms) each period has its own quantity. Of any other (heads, square
metres) a quantity is what stands at its period's end, and stands in that period alone: what isn't kept for a
period isn't known there.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from core.analysis.amount_rows import AmountRows, together
from core.books.periods import CalendarIndex, ordinal
from core.codes.lists import ListIndex


def standing_statistics(accounts: ListIndex) -> frozenset[str]:
    """Accounts whose quantities stand at a period's end and are never added up."""
    rows = (accounts.codes[code] for code in accounts.posting)
    return frozenset(row.code for row in rows if row.is_statistic and not row.adds_up)


def as_movements(rows: AmountRows, accounts: ListIndex, calendar: CalendarIndex) -> AmountRows:
    """Rows timed by ordinals in which what stands at a period's end leaves with the next regular one, so that
    what all rows come to up to any time is what stands there."""
    standing = standing_statistics(accounts)
    of_standing = np.array([name in standing for name in rows.naturals] or [False])[rows.natural]
    regular = np.array(sorted(ordinal(p.fiscal_year, p.period) for p in calendar.regular), dtype=np.int64)
    leaving = rows.where(of_standing)
    after = np.searchsorted(regular, leaving.time, side="right")
    is_left = after < len(regular)
    leaving = leaving.where(is_left)
    turned = replace(leaving, time=regular[after[is_left]], debit=leaving.credit, credit=leaving.debit)
    return together([rows, turned])


def with_statistics(amounts: AmountRows, quantities: AmountRows) -> AmountRows:
    """A company's amounts with the quantities kept beside them; both with account strings and dimensions."""
    quantities = quantities.renumbered(
        1 + max(amounts.strings, default=0), 1 + max(amounts.combinations, default=0)
    )
    both = together([amounts, quantities]).with_texts(
        {**amounts.strings, **quantities.strings}, {**amounts.combinations, **quantities.combinations}
    )
    return replace(both, has_statistics=True)
