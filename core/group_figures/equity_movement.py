"""The movement of a group's equity over a year to date: from what it opened with to what it closes with."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from core.consolidation.position import Consolidation, Position
from core.consolidation.translate import Translated
from core.group.ownership import Standing
from core.money import round_half_up

CAUSES = ("result", "dividends", "capital", "ownership", "translation", "other")
RESULT_ROW = -1
"""Stands for all revenue and expense that isn't closed yet."""


class EquityRow(NamedTuple):
    """One equity account (by target; RESULT_ROW for the running result), raised is plus: minor units of the
    group's currency. What is opened with and the causes add up to what is closed with."""

    target: int
    opening: int
    causes: Mapping[str, int]
    closing: int


OPENING, CLOSING = "opening", "closing"
Source = tuple[str, str]
"""A step, and the set of books that it is of (empty: of eliminations)."""


def equity_movement(group: Consolidation, p: int) -> list[EquityRow]:
    """From the end of the year before to the end of p, in order of accounts, the running result last."""
    return list(_Movement(group, group.periods.end_of_year_before(p), p).rows())


def equity_sources(group: Consolidation, p: int, target: int, column: str) -> dict[Source, int]:
    """What one cell of the movement is made of, raised is plus: by step and set of books. `column` is one of
    CAUSES, OPENING or CLOSING. They add up to the cell."""
    movement = _Movement(group, group.periods.end_of_year_before(p), p)
    for row in movement.rows():
        if row.target == target:
            return {source: amount for source, amount in movement.sources(target, column).items() if amount}
    return {}


@dataclass
class _Movement:
    group: Consolidation
    before: int
    end: int
    moved: dict[int, dict[str, int]] = field(default_factory=dict)
    parts: dict[tuple[int, str], dict[Source, int]] = field(default_factory=dict)
    """by target and cause what each step of each set of books brought; raw"""
    source: Source = ("", "")
    """whose amounts are being added"""

    @cached_property
    def was(self) -> Position:
        return self.group.opening(self.before + 1)

    @cached_property
    def now(self) -> Position:
        return self.group.position(self.end)

    def sources(self, target: int, column: str) -> dict[Source, int]:
        """Of a cell, raised is plus, once the rows were gone through."""
        opening, closing = self._parts_of(self.was, target), self._parts_of(self.now, target)
        if column in (OPENING, CLOSING):
            return {source: -raw for source, raw in (opening if column == OPENING else closing).items()}
        parts = dict(self.parts.get((target, column), {}))
        if column == ("result" if target == RESULT_ROW else "other"):  # what no cause took
            for source in {*opening, *closing, *self._known(target)}:
                known = sum(self.parts.get((target, cause), {}).get(source, 0) for cause in CAUSES)
                rest = closing.get(source, 0) - opening.get(source, 0) - known
                parts[source] = parts.get(source, 0) + rest
        return {source: -raw for source, raw in parts.items()}

    def _known(self, target: int) -> set[Source]:
        return {source for cause in CAUSES for source in self.parts.get((target, cause), {})}

    def _parts_of(self, position: Position, target: int) -> dict[Source, int]:
        accounts = self.group.books.accounts
        parts: dict[Source, int] = {}
        for source, entries in (*position.steps.items(), (("elimination", ""), position.eliminated)):
            for at, amount in entries.items():
                if at == target or (target == RESULT_ROW and accounts.is_result(at)):
                    parts[source] = parts.get(source, 0) + amount
        return parts

    def rows(self) -> Iterator[EquityRow]:
        was, now = self.was, self.now
        opening, closing = self._stands(was), self._stands(now)
        for name in {name for at in (was, now) for _, name in at.steps}:
            self._of_books(name, was, now)
        self._eliminated(was, now)
        for target in sorted({*opening, *closing}, key=lambda t: (t == RESULT_ROW, t)):
            causes = dict.fromkeys(CAUSES, 0) | self.moved.get(target, {})
            rest = closing.get(target, 0) - opening.get(target, 0) - sum(causes.values())
            causes["result" if target == RESULT_ROW else "other"] += rest
            raised = {cause: -amount for cause, amount in causes.items()}
            yield EquityRow(target, -opening.get(target, 0), raised, -closing.get(target, 0))

    def _stands(self, position: Position) -> dict[int, int]:
        """Raw amounts of the group by equity target, revenue and expense together."""
        accounts = self.group.books.accounts
        sums: dict[int, int] = {}
        for entries in (*position.steps.values(), position.eliminated):
            for target, amount in entries.items():
                if accounts.is_equity(target):
                    sums[target] = sums.get(target, 0) + amount
                elif accounts.is_result(target):
                    sums[RESULT_ROW] = sums.get(RESULT_ROW, 0) + amount
        return {target: amount for target, amount in sums.items() if amount}

    def _add(self, target: int, cause: str, amount: int) -> None:
        if amount:
            causes = self.moved.setdefault(target, {})
            causes[cause] = causes.get(cause, 0) + amount
            parts = self.parts.setdefault((target, cause), {})
            parts[self.source] = parts.get(self.source, 0) + amount

    def _of_books(self, name: str, was: Position, now: Position) -> None:
        """Everything that stands for one set of books, step by step."""
        accounts, named = self.group.books.accounts, self.group.named
        company = next(one.company for one in self.group.books.sets if one.name == name)
        standing = self.group.standings[company]
        own = self._own_causes(name, company, standing, now)
        for (step, of), target, change in _changes(was, now):
            if of != name:
                continue
            self.source = (step, name)
            if step == "minority" and accounts.is_result(target):
                self._add(named.minority, "result", -change)
            elif step == "minority" and accounts.is_equity(target) and target != named.minority:
                self._minority(target, change, own.get(target, {}), standing)
            elif accounts.is_equity(target) and target != named.minority:
                self._step(step, target, change, own.get(target, {}), standing)

    def _step(
        self, step: str, target: int, change: int, known: Mapping[str, int], standing: Standing
    ) -> None:
        """What a step other than minority changed of an equity account."""
        if target == self.group.named.translation:
            self._add(target, "translation", change)
        elif step in ("acquisition", "disposal") or not standing.is_in[self.end]:
            self._add(target, "ownership", change)
        elif standing.method == "equity":
            self._add(target, "result", change)
        elif step == "books":
            for cause, amount in known.items():
                self._add(target, cause, amount)
            self._add(target, self._otherwise(target), change - sum(known.values()))

    def _otherwise(self, target: int) -> str:
        return "dividends" if target == self.group.named.retained else "capital"

    def _own_causes(
        self, name: str, company: str, standing: Standing, now: Position
    ) -> dict[int, dict[str, int]]:
        """What came in with a company, and what closing journals brought, by equity target."""
        sets = self.group.sets.get(company, [])
        one = next((one for one in sets if one.books.name == name), None)
        if one is None or company in now.waiting or not standing.is_in[self.end]:
            return {}
        base = standing.base if standing.base is not None and standing.base > self.before else None
        causes: dict[int, dict[str, int]] = {}
        for target, amount in _closed(one, base or self.before, self.end, self.group.named.retained).items():
            causes.setdefault(target, {})["result"] = amount
        if base is not None:
            for target in {int(t) for t in one.target if self.group.books.accounts.is_equity(int(t))}:
                came = int(one.standing(base)[one.target == target].sum())
                causes.setdefault(target, {})["ownership"] = came
            retained = causes.setdefault(self.group.named.retained, {})
            retained["ownership"] = retained.get("ownership", 0) + one.retained(base)
        return causes

    def _minority(self, target: int, change: int, own: Mapping[str, int], standing: Standing) -> None:
        """The minority's part of each cause; what is left of it came by a change of ownership."""
        named, m = self.group.named, standing.minority(self.end)
        if target == named.translation:
            parts = {"translation": change}
        else:
            parts = {cause: -round_half_up(m * amount) for cause, amount in own.items()}
            parts["ownership"] = parts.get("ownership", 0) + change - sum(parts.values())
        for cause, amount in parts.items():
            self._add(target, cause, amount)
            self._add(named.minority, cause, -amount)

    def _eliminated(self, was: Position, now: Position) -> None:
        accounts, self.source = self.group.books.accounts, ("elimination", "")
        for target in {*was.eliminated, *now.eliminated}:
            if accounts.is_equity(target):
                change = now.eliminated.get(target, 0) - was.eliminated.get(target, 0)
                self._add(target, "dividends" if target == self.group.named.retained else "other", change)


def _changes(was: Position, now: Position) -> Iterator[tuple[tuple[str, str], int, int]]:
    for key in {*was.steps, *now.steps}:
        before, after = was.steps.get(key, {}), now.steps.get(key, {})
        for target in {*before, *after}:
            yield key, target, after.get(target, 0) - before.get(target, 0)


def _closed(one: Translated, before: int, end: int, retained: int) -> dict[int, int]:
    """What closing journals after `before` brought to equity, and what then moved to retained."""
    sums: dict[int, int] = {}
    for i, period in one.periods.items():
        if not before < i <= end:
            continue
        for c in np.flatnonzero((period.closing != 0) & ~one.result & ~one.at_closing).tolist():
            target = int(one.target[c])
            sums[target] = sums.get(target, 0) + int(period.closing[c])
        moved = sum(period.retained.values())
        if moved:
            sums[retained] = sums.get(retained, 0) + moved
    return sums
