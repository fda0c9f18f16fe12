"""What the address of a group's page says: statement, period, columns, unit, what it is compared with."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from core.analysis.period_columns import STEPS
from core.books.periods import CalendarIndex
from core.definitions.state import State
from core.definitions.tables import Group, Period, Statement
from core.money import UNITS
from core.statements.plans import plan
from web.definitions.viewing import PineRequest
from web.group import queries
from web.group.parts import known_group
from web.shell import asked
from web.statements.addresses import asked_period
from web.statements.remarks import RemarksAt

BEFORE, YEAR_BEFORE, PUBLISHED = "before", "year", "published"


@dataclass(frozen=True)
class GroupAddress:
    """`opened` are subgroups whose companies have columns of their own, `hidden` columns; `than` the period
    compared with, as (year, period)."""

    group: Group
    calendar: CalendarIndex
    statement: Statement | None
    year: int
    period: int
    first: int | None
    opened: tuple[str, ...] = ()
    hidden: tuple[str, ...] = ()
    by_size: bool = False
    unit: str = ""
    compared: str = ""
    across: str = ""
    """months, quarters or years side by side; empty: companies and steps"""
    formulas: str = ""
    """columns worked out of those"""
    accounts: bool = False
    """each line has its accounts under it"""

    @property
    def than(self) -> tuple[int, int] | None:
        """The period compared with, where the calendar has it; the same one beside what is published."""
        if self.compared == PUBLISHED:
            wanted = (self.year, self.period)
        elif self.compared == YEAR_BEFORE:
            wanted = (self.year - 1, self.period)
        elif self.compared == BEFORE:
            earlier = [key for key in self.calendar.periods if key < (self.year, self.period)]
            regular = [key for key in earlier if self.calendar.periods[key].kind == "regular"]
            wanted = max(regular, default=(0, 0))
        else:
            year, _, period = self.compared.partition("-")
            wanted = (int(year), int(period)) if year.isdigit() and period.isdigit() else (0, 0)
        return wanted if wanted in self.calendar.periods else None

    @property
    def period_row(self) -> Period | None:
        return self.calendar.periods.get((self.year, self.period))

    @property
    def remarks(self) -> RemarksAt | None:
        if self.statement is None:
            return None
        return RemarksAt(self.statement.statement, "", self.group.group, self.year, self.period)

    @property
    def query(self) -> str:
        """The state as the address has it, what is usual left out."""
        values = {
            "statement": self.statement.statement if self.statement else "",
            "year": self.year,
            "period": self.period,
            "first": self.first,
            "open": ",".join(self.opened),
            "hide": ",".join(self.hidden),
            "sort": "size" if self.by_size else "",
            "in": self.unit,
            "than": self.compared,
            "periods": self.across,
            "columns": self.formulas,
            "accounts": "1" if self.accounts else "",
        }
        return urlencode({name: value for name, value in values.items() if value not in (None, "")})


def statements_of(state: State, group: Group) -> list[Statement]:
    """Statements of the group's chart that are made from amounts by account, or from journals that touch
    cash."""
    plans = (plan(state, row.statement) for row in state.rows(Statement) if row.chart == group.chart)
    rows = (one.statement for one in plans if one and not one.has_conditions)
    return sorted(rows, key=lambda row: row.name)


def group_address(request: PineRequest, state: State, group: str) -> GroupAddress:
    """Raises WrongCall for a group that isn't there."""
    row, calendar = known_group(state, group)
    statements = statements_of(state, row)
    wanted = request.GET.get("statement", "")
    if asked_for := plan(state, wanted):
        queries.by_account_alone(asked_for)
    chosen = next(
        (one for one in statements if one.statement == wanted), statements[0] if statements else None
    )
    year, period, first = asked_period(request, state, calendar.calendar)
    unit = request.GET.get("in", "")
    return GroupAddress(
        row,
        calendar,
        chosen,
        year,
        period,
        first,
        _names(request, "open"),
        _names(request, "hide"),
        request.GET.get("sort") == "size",
        unit if unit in UNITS else "",
        asked.text(request.GET, "than", 20),
        periods if (periods := asked.text(request.GET, "periods", 10)) in STEPS else "",
        asked.text(request.GET, "columns", 400),
        request.GET.get("accounts") == "1",
    )


def _names(request: PineRequest, name: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(part for part in asked.text(request.GET, name, 2000).split(",") if part))
