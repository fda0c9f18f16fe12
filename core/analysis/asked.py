"""What may be asked of a company's figures together. Source: docs/exchange-format.md, "Columns, filters,
stretches of time"."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date

from core.analysis.period_columns import STEPS, Step
from core.faults import WrongCall

DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", re.ASCII)


def read_day(text: str) -> date:
    """`2026-09-30`. Raises WrongCall for anything else."""
    try:
        if DAY.fullmatch(text):
            return date.fromisoformat(text)
    except ValueError:
        pass
    raise WrongCall(f"'{text}' is not a day written as 2026-09-30.")


@dataclass(frozen=True, slots=True)
class Asked:
    """A stretch (year and period, or days), a filter, what stands across. Empty or None: not asked for."""

    year: int | None = None
    period: int | None = None
    first: int | None = None
    start: date | None = None
    end: date | None = None
    filter: str = ""
    by: str = ""
    periods: str = ""
    budget: str = ""
    forecast: str = ""
    """a budget whose amounts follow the actual ones after the period, to the end of its year"""

    @property
    def by_day(self) -> bool:
        return self.end is not None

    @property
    def step(self) -> Step | None:
        return next((step for step in STEPS if step == self.periods), None)

    @property
    def is_plain(self) -> bool:
        """Nothing but periods: what a group can be asked for too."""
        across = (self.filter, self.by, self.periods, self.budget, self.forecast)
        return not (any(across) or self.start or self.end)

    @property
    def needs_codes(self) -> bool:
        """Whether account strings and dimensions are looked at."""
        return bool(self.filter or self.by)

    def check(self) -> None:
        """Raises WrongCall for what is missing or can't be asked for together."""
        self._check_stretch()
        self._check_columns()

    def _check_stretch(self) -> None:
        by_period = [self.year, self.period, self.first]
        if self.start is not None and self.end is None:
            raise WrongCall("A stretch of days needs its last day.")
        if self.by_day and by_period != [None] * 3:
            raise WrongCall("Figures are asked for by days or by periods, not by both.")
        if not self.by_day and None in by_period[:2]:
            raise WrongCall("Figures need a year and a period, or days.")

    def _check_columns(self) -> None:
        if self.periods and self.step is None:
            raise WrongCall(f"There are no columns by {self.periods}; there are months, quarters and years.")
        across = [name for name in WORDS if getattr(self, name)]
        if len(across) > 1:
            raise WrongCall(f"Columns are by {WORDS[across[0]]} or by {WORDS[across[1]]}, not by both.")
        if self.by_day and (self.periods or self.budget):
            raise WrongCall(f"Columns by {WORDS[across[0]]} are of periods, not of days.")
        if self.by_day and self.forecast:
            raise WrongCall("A forecast is of periods, not of days.")
        if self.periods and self.first is not None:
            raise WrongCall("Columns by periods begin where their periods begin.")


WORDS = {"by": "codes", "periods": "periods", "budget": "a budget"}
