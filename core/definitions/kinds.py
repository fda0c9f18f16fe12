"""What a cell may hold: kinds of values, choices, and names of rows of other tables."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated


@dataclass(frozen=True, slots=True)
class Kind:
    """How a cell is read: a kind of value, for choices what may stand there, and what an empty cell means."""

    name: str
    choices: tuple[str, ...] = ()
    minimum: int = 0


@dataclass(frozen=True, slots=True)
class Refers:
    """A cell that names a row of another table, one with a single key."""

    table: str


MUST = "must"
LATER = "later"
"""A column that release 0.1.0 did not have; where it holds its default, a row is the one it was then."""

Id = Annotated[str, Kind("id")]
Text = Annotated[str, Kind("text")]
CodeText = Annotated[str, Kind("code")]
Selector = Annotated[str, Kind("selector")]
Dimensions = Annotated[str, Kind("dimensions")]
Language = Annotated[str, Kind("language")]
Currency = Annotated[str, Kind("currency")]
Flag = Annotated[bool, Kind("flag")]
Day = Annotated[date | None, Kind("date")]
Count = Annotated[int | None, Kind("integer")]
Number = Annotated[Decimal | None, Kind("number")]
Amount = Annotated[str, Kind("amount")]

# Names of rows of another table, by the table.
CodeListId = Annotated[str, Kind("id"), Refers("code_lists")]
HierarchyId = Annotated[str, Kind("id"), Refers("hierarchies")]
StructureId = Annotated[str, Kind("id"), Refers("structures")]
ChartId = Annotated[str, Kind("id"), Refers("charts")]
DimensionId = Annotated[str, Kind("id"), Refers("dimensions")]
CompanyId = Annotated[str, Kind("id"), Refers("companies")]
OverlayId = Annotated[str, Kind("id"), Refers("overlays")]
CalendarId = Annotated[str, Kind("id"), Refers("calendars")]
StatementId = Annotated[str, Kind("id"), Refers("statements")]
BudgetId = Annotated[str, Kind("id"), Refers("budgets")]
RolloutId = Annotated[str, Kind("id"), Refers("rollouts")]
GroupId = Annotated[str, Kind("id"), Refers("groups")]

MONEY_CLASSES = ("asset", "liability", "equity", "revenue", "expense")
CLASSES = (*MONEY_CLASSES, "statistic")
CASH_FLOWS = ("none", "operating", "investing", "financing", "cash")
PROPERTY_KINDS = ("text", "number", "date", "choice")
DEBIT_CLASSES = ("asset", "expense", "statistic")
SEPARATORS = ("-", ".", "/", ":", "_", "|")
ROLES = ("company", "natural_account", "cost_centre", "intercompany", "other")
ROLLED_OUT = ("account", "code", "string", "strings", "rule", "quick_code", "place")
OUTCOMES = ("required", "empty", "only", "never", "fill")


def choice(*choices: str) -> Kind:
    return Kind("choice", choices)
