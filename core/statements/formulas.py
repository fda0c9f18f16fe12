"""Formulas of statement lines: text → tree → names checked → worked out on shown amounts, exactly.

`[gross] - [overheads]` with + - * /, parentheses and numbers; `[gross before]` is the line's amount of the
stretch before, as long as this one, `[gross year before]` that of the year before. Positions stand in every
fault.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

TOKEN = re.compile(
    r"\s*(?:\[\s*([A-Za-z0-9_-]{1,40}(?:\s+year)?(?:\s+before)?)\s*\]|(\d+(?:\.\d+)?)|([-+*/()]))", re.ASCII
)
BEFORE, YEAR_BEFORE = "before", "year before"
"""Earlier stretches of which a formula may name a line's amount."""
BINDS = {"+": 1, "-": 1, "*": 2, "/": 2, "neg": 3}
DEPTH = 200


@dataclass(frozen=True, slots=True)
class Formula:
    """In postfix order: ('line', operand), ('number', Fraction) or ('op', sign); an operand is the id of a
    line, with `before` or `year before` behind it for an earlier stretch. `lines` are all ids, `needs` those
    of the same stretch, `earlier` the earlier stretches. `fault` is a sentence, empty if sound."""

    steps: tuple[tuple[str, str | Fraction], ...]
    lines: tuple[str, ...]
    fault: str
    needs: tuple[str, ...] = ()
    earlier: frozenset[str] = frozenset()

    @property
    def is_ratio(self) -> bool:
        """Whether it divides by a line, so that what comes of it is no amount of money."""
        named: list[bool] = []
        for kind, value in self.steps:
            if kind != "op":
                named.append(kind == "line")
            elif value != "neg":
                right = named.pop()
                if value == "/" and right:
                    return True
                named.append(named.pop() or right)
        return False


def _tokens(text: str) -> list[tuple[str, str, int]]:
    pairs = []
    at = 0
    text = text.rstrip()
    while at < len(text):
        match = TOKEN.match(text, at)
        if not match:
            at += len(text[at:]) - len(text[at:].lstrip())
            raise ValueError(f"'{text[at]}' at character {at + 1} is not understood.")
        line, number, op = match.groups()
        if line and len(line.split()) == 2 and line.split()[1] == "year":
            raise ValueError(f"'year' at character {match.start(1) + 1} wants 'before' behind it.")
        line = " ".join(line.split()) if line else line
        kind = "line" if line else "number" if number else "op"
        pairs.append((kind, line or number or op, match.start(match.lastindex or 0) + 1))
        at = match.end()
    return pairs


def _postfix(text: str) -> list[tuple[str, str | Fraction]]:
    """Operators wait on a stack until one that binds no tighter comes: no recursion, so no depth to break."""
    output: list[tuple[str, str | Fraction]] = []
    waiting: list[tuple[str, int]] = []
    operand_next = True
    for kind, value, at in _tokens(text):
        _in_its_place(kind, value, at, operand_next)
        if kind != "op":
            output.append((kind, Fraction(value) if kind == "number" else value))
            operand_next = False
        elif value == "(":
            waiting.append(("(", at))
        elif value == ")":
            _close(output, waiting, at)
        elif operand_next:
            waiting += [("neg", at)] if value == "-" else []
        else:
            _pop_while(output, waiting, BINDS[value])
            waiting.append((value, at))
            operand_next = True
        if len(waiting) > DEPTH:
            raise ValueError(f"More than {DEPTH} brackets are open at character {at}.")
    if operand_next:
        raise ValueError("A value is missing at the end." if output else "The formula is empty.")
    _pop_while(output, waiting, 0)
    if waiting:
        raise ValueError(f"The opening bracket at character {waiting[-1][1]} is not closed.")
    return output


def _in_its_place(kind: str, value: str, at: int, operand_next: bool) -> None:
    begins = kind != "op" or value == "("
    if begins and not operand_next:
        raise ValueError(f"An operator is missing before character {at}.")
    if operand_next and not begins and (value == ")" or value not in "+-"):
        raise ValueError(f"A value is missing before character {at}.")


def _pop_while(output: list[tuple[str, str | Fraction]], waiting: list[tuple[str, int]], least: int) -> None:
    """Operators that bind at least so tight leave the stack, down to an opening bracket."""
    while waiting and waiting[-1][0] != "(" and BINDS[waiting[-1][0]] >= least:
        output.append(("op", waiting.pop()[0]))


def _close(output: list[tuple[str, str | Fraction]], waiting: list[tuple[str, int]], at: int) -> None:
    _pop_while(output, waiting, 0)
    if not waiting:
        raise ValueError(f"The closing bracket at character {at} has no opening one.")
    waiting.pop()


@lru_cache(maxsize=4096)
def parse(text: str) -> Formula:
    try:
        steps = _postfix(text)
    except ValueError as fault:
        return Formula((), (), str(fault))
    operands = [operand(str(value)) for kind, value in steps if kind == "line"]
    return Formula(
        tuple(steps),
        tuple(dict.fromkeys(line for line, _ in operands)),
        "",
        tuple(dict.fromkeys(line for line, stretch in operands if not stretch)),
        frozenset(stretch for _, stretch in operands if stretch),
    )


def operand(text: str) -> tuple[str, str]:
    """The line of an operand, and of which earlier stretch (empty: the same)."""
    line, _, stretch = text.partition(" ")
    return line, stretch


def evaluate(formula: Formula, shown: Callable[[str], Fraction | None]) -> Fraction | None:
    """The exact value; None (an empty amount) for an empty operand or a division by zero."""
    stack: list[Fraction] = []
    for kind, value in formula.steps:
        if kind == "number" and isinstance(value, Fraction):
            stack.append(value)
        elif kind == "line":
            operand = shown(str(value))
            if operand is None:
                return None
            stack.append(operand)
        elif value == "neg":
            stack.append(-stack.pop())
        else:
            right, left = stack.pop(), stack.pop()
            if value == "/" and right == 0:
                return None
            stack.append(
                left + right
                if value == "+"
                else left - right
                if value == "-"
                else left * right
                if value == "*"
                else left / right
            )
    return stack.pop() if stack else None
