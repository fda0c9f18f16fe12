"""Two trees over the accounts of one chart: where the accounts of each line stand in the other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from core.statements.plans import Plan, line_title

NOWHERE = ""


class Share(NamedTuple):
    """What of a line stands on one line of the other tree (`line` empty: on none): its accounts, and their
    raw amount."""

    line: str
    title: str
    accounts: tuple[str, ...]
    amount: int


class LineBeside(NamedTuple):
    """A line of accounts with its shares. `alike`: the other line holds the same accounts and no more."""

    line: str
    shares: tuple[Share, ...]
    alike: bool


def beside_other(one: Plan, other: Plan, amounts: Sequence[int]) -> dict[str, LineBeside]:
    """By line of `one` where its accounts stand in `other`; both are of one list of accounts. Raw `amounts`
    by posting account; accounts without an amount count only where a line has none with one."""
    others: dict[int, set[int]] = {}
    for account, line in enumerate(other.homes.tolist()):
        others.setdefault(line, set()).add(account)
    lines: dict[int, list[int]] = {}
    for account, line in enumerate(one.homes.tolist()):
        if line >= 0:
            lines.setdefault(line, []).append(account)
    return {
        one.lines[line].row.line: _beside(one.lines[line].row.line, accounts, other, others, amounts)
        for line, accounts in sorted(lines.items())
    }


def _beside(
    name: str, accounts: list[int], other: Plan, others: dict[int, set[int]], amounts: Sequence[int]
) -> LineBeside:
    told, homes = [account for account in accounts if amounts[account]] or accounts, other.homes
    by_line: dict[int, list[int]] = {}
    for account in told:
        by_line.setdefault(int(homes[account]), []).append(account)
    shares = tuple(
        Share(
            other.lines[line].row.line if line >= 0 else NOWHERE,
            line_title(other.lines[line].row) if line >= 0 else "",
            tuple(other.accounts.posting[account] for account in some),
            sum(amounts[account] for account in some),
        )
        for line, some in sorted(by_line.items(), key=lambda pair: (pair[0] < 0, pair[0]))
    )
    there = others[int(homes[told[0]])] if shares[0].line and len(shares) == 1 else set[int]()
    alike = set(told) <= there and {account for account in there if amounts[account]} <= set(told)
    return LineBeside(name, shares, alike)


def only_in(one: Plan, other: Plan, amounts: Sequence[int]) -> list[tuple[str, int]]:
    """Accounts with an amount that stand on a line of `one` and on none of `other`, with the raw amount."""
    here, there = one.homes, other.homes
    return [
        (one.accounts.posting[i], amounts[i])
        for i in range(len(here))
        if here[i] >= 0 and there[i] < 0 and amounts[i]
    ]
