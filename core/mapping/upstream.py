"""What became of the accounts of a list since a mapping was last looked at."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from core.definitions.state import Edit
from core.definitions.tables import Code

NEW, RENAMED, CLASS, CLOSED, GONE, OPENED = "new", "renamed", "other class", "closed", "gone", "open again"


class AccountChange(NamedTuple):
    """What became of an account, in the order of weight; `was` and `now` in words."""

    account: str
    kind: str
    was: str
    now: str


def _is_open(row: Code) -> bool:
    return row.enabled and row.in_use_until is None


def account_changes(edits: Iterable[Edit]) -> list[AccountChange]:
    """Of posting codes, by account: from the first edit's row before to the last one's after, so that what
    was taken back doesn't count."""
    first: dict[str, Code | None] = {}
    last: dict[str, Code | None] = {}
    for edit in edits:
        account = edit.key[1]
        first.setdefault(account, edit.old)
        last[account] = edit.new
    rows = (_change(account, first[account], last[account]) for account in sorted(last))
    return [row for row in rows if row is not None]


def _change(account: str, was: Code | None, now: Code | None) -> AccountChange | None:
    if now is None or not now.takes_amounts:
        return AccountChange(account, GONE, was.name, "") if was and was.takes_amounts else None
    if was is None or not was.takes_amounts:
        return AccountChange(account, NEW, "", now.name)
    if was.account_class != now.account_class:
        return AccountChange(account, CLASS, was.account_class, now.account_class)
    if _is_open(was) != _is_open(now):
        until = f"in use until {now.in_use_until}" if now.in_use_until else "switched off"
        return AccountChange(account, OPENED if _is_open(now) else CLOSED, was.name, until)
    if was.name != now.name:
        return AccountChange(account, RENAMED, was.name, now.name)
    return None
