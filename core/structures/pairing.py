"""Pairing rules: which codes go, must go or may not go together. Compiled to bit masks, one bit a rule."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import PairingCondition, PairingRule


@dataclass(frozen=True, slots=True)
class CompiledRule:
    """A pairing rule with the place of the field it speaks of and the codes it names."""

    row: PairingRule
    field: int
    codes: frozenset[str]


@dataclass(frozen=True, slots=True)
class RuleBook:
    """Rules of one chart by position. `holds[f][code]` are the rules whose condition on field f that code
    meets."""

    rules: tuple[CompiledRule, ...]
    fills: tuple[int, ...]
    holds: tuple[tuple[int, int, dict[str, int]], ...]
    every: int
    breaks: tuple[date, ...]

    def active(self, on: date | None) -> int:
        """The rules in use on a date, as a mask; without a date all of them."""
        if on is None:
            return self.every
        mask = 0
        for bit, rule in enumerate(self.rules):
            start, until = rule.row.in_use_from, rule.row.in_use_until
            if (start is None or start <= on) and (until is None or on <= until):
                mask |= 1 << bit
        return mask

    def speaking(self, values: list[str], active: int) -> int:
        """The rules all of whose conditions hold. An empty field fits no selector."""
        for field, unconditioned, holding in self.holds:
            value = values[field]
            active &= unconditioned | (holding.get(value, 0) if value else 0)
        return active

    def fill(self, values: list[str], active: int) -> int:
        """Fills empty fields in place, by position; returns the rules that speak afterwards."""
        speaking = self.speaking(values, active)
        for bit in self.fills:
            rule = self.rules[bit]
            if speaking >> bit & 1 and not values[rule.field]:
                values[rule.field] = rule.row.codes.strip()
                speaking = self.speaking(values, active)
        return speaking

    def broken(self, values: list[str], speaking: int) -> list[CompiledRule]:
        """The rules that speak and are not kept."""
        rows = []
        while speaking:
            bit = (speaking & -speaking).bit_length() - 1
            speaking &= speaking - 1
            rule = self.rules[bit]
            value = values[rule.field]
            match rule.row.outcome:
                case "required":
                    bad = not value
                case "empty":
                    bad = bool(value)
                case "only":
                    bad = bool(value) and value not in rule.codes
                case "never":
                    bad = bool(value) and value in rule.codes
                case _:
                    bad = False
            if bad:
                rows.append(rule)
        return rows


def _known_rules(
    state: State, chart: str, fields: dict[str, int]
) -> tuple[list[PairingRule], dict[str, list[PairingCondition]]]:
    """Rules all of whose fields are known, and conditions by rule."""
    conditions: dict[str, list[PairingCondition]] = {}
    for condition in state.part(PairingCondition, chart).values():
        conditions.setdefault(condition.rule, []).append(condition)
    rules = [
        row
        for row in state.part(PairingRule, chart).values()
        if row.field in fields and all(c.field in fields for c in conditions.get(row.rule, []))
    ]
    return rules, conditions


def compile_rules(state: State, chart: str, fields: dict[str, int], lists: dict[str, str]) -> RuleBook:
    """Compiles a chart's rules. `fields` gives each segment and dimension its index, `lists` its code list.

    Rules that name an unknown field are left out here; the checks tell of them.
    """
    known, conditions = _known_rules(state, chart, fields)
    rules: list[CompiledRule] = []
    holding: dict[int, dict[str, int]] = {}
    conditioned: dict[int, int] = {}
    for bit, row in enumerate(sorted(known, key=lambda r: (r.position, r.rule))):
        picks = row.outcome in ("only", "never")
        codes = pick(state, lists[row.field], row.codes).codes if picks else frozenset()
        rules.append(CompiledRule(row, fields[row.field], codes))
        for condition in conditions.get(row.rule, []):
            index = fields[condition.field]
            conditioned[index] = conditioned.get(index, 0) | 1 << bit
            by_code = holding.setdefault(index, {})
            for code in pick(state, lists[condition.field], condition.codes).codes:
                by_code[code] = by_code.get(code, 0) | 1 << bit
    every = (1 << len(rules)) - 1
    holds = tuple((i, every & ~mask, holding.get(i, {})) for i, mask in sorted(conditioned.items()))
    fills = tuple(bit for bit, rule in enumerate(rules) if rule.row.outcome == "fill")
    days = {rule.row.in_use_from for rule in rules} | {rule.row.in_use_until for rule in rules}
    return RuleBook(tuple(rules), fills, holds, every, tuple(sorted(day for day in days if day)))
