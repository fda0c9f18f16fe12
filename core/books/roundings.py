"""How amounts in other currencies are rounded to a company's own: by currency, purpose and day."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from fractions import Fraction
from typing import Literal

from core.definitions.state import State
from core.definitions.tables import Rounding
from core.money import ROUNDS, round_half_up

Purpose = Literal["keyed", "revaluation"]


def rounding(state: State, currency: str, purpose: Purpose, on: date) -> Callable[[Fraction], int]:
    """The newest that holds on a day; where there is none to the nearest, halves away from zero."""
    rows = (row for row in state.part(Rounding, currency).values() if row.purpose == purpose)
    held = max((row for row in rows if row.in_use_from <= on), key=lambda row: row.in_use_from, default=None)
    return ROUNDS[held.way] if held is not None else round_half_up
