"""The tables of the exchange package as types: one row class each, its key first, its columns' kinds beside
them.

Everything that reads, writes, checks or stores definitions is derived from these classes
(docs/exchange-format.md).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Annotated, Any, NamedTuple, get_args, get_origin, get_type_hints

from core.definitions.group_rows import (
    AcquiredEquity as AcquiredEquity,
    Acquisition as Acquisition,
    ChartMapping as ChartMapping,
    ChartMove as ChartMove,
    DisagreementNote as DisagreementNote,
    Elimination as Elimination,
    Group as Group,
    GroupMember as GroupMember,
    GroupOpening as GroupOpening,
    Mapping as Mapping,
    MovedAccount as MovedAccount,
    OwnershipChange as OwnershipChange,
    Rate as Rate,
    Rollout as Rollout,
    RolloutItem as RolloutItem,
    Rounding as Rounding,
    SecondChart as SecondChart,
    SecondChartMapping as SecondChartMapping,
    TranslationRule as TranslationRule,
)
from core.definitions.kinds import (
    CASH_FLOWS,
    CLASSES,
    DEBIT_CLASSES,
    LATER,
    MUST,
    OUTCOMES,
    PROPERTY_KINDS,
    ROLES,
    SEPARATORS,
    Amount,
    CalendarId,
    ChartId,
    CodeListId,
    CodeText,
    CompanyId,
    Count,
    Currency,
    Day,
    DimensionId,
    Dimensions,
    Flag,
    HierarchyId,
    Id,
    Kind,
    Language,
    OverlayId,
    Refers,
    Selector,
    StructureId,
    Text,
    choice,
)
from core.definitions.statement_rows import (
    ArrangedLine as ArrangedLine,
    Arrangement as Arrangement,
    Budget as Budget,
    ColumnSet as ColumnSet,
    NonCashPair as NonCashPair,
    Statement as Statement,
    StatementLine as StatementLine,
)


class CodeList(NamedTuple):
    code_list: Id
    name: Annotated[str, Kind("text"), MUST]
    min_length: Annotated[int, Kind("integer", minimum=1), MUST]
    max_length: Annotated[int, Kind("integer", minimum=1), MUST]
    characters: Annotated[str, choice("digits", "letters", "alphanumeric")] = "digits"
    zero_pad: Flag = False
    language: Text = ""


class Code(NamedTuple):
    code_list: CodeListId
    code: CodeText
    name: Annotated[str, Kind("text"), MUST]
    rollup: Flag = False
    posting: Flag = True
    budgeting: Flag = True
    account_class: Annotated[str, choice(*CLASSES)] = ""
    contra: Flag = False
    in_use_from: Day = None
    in_use_until: Day = None
    enabled: Flag = True
    currency: Currency = ""
    revalue: Flag = False
    cash_flow: Annotated[str, choice(*CASH_FLOWS)] = "none"
    notes: Text = ""
    unit: Annotated[str, Kind("text"), LATER] = ""
    adds_up: Annotated[bool, Kind("flag"), LATER] = False

    @property
    def is_statistic(self) -> bool:
        """Whether it takes quantities of its unit, and no amounts of money."""
        return self.account_class == "statistic"

    @property
    def debit_normal(self) -> bool:
        """Asset and expense accounts show as debit, whatever `contra` says."""
        return self.account_class in DEBIT_CLASSES

    @property
    def takes_amounts(self) -> bool:
        return self.posting and not self.rollup


class CodeName(NamedTuple):
    code_list: CodeListId
    code: CodeText
    language: Language
    name: Annotated[str, Kind("text"), MUST]


class ListProperty(NamedTuple):
    code_list: CodeListId
    property: Id
    name: Annotated[str, Kind("text"), MUST]
    kind: Annotated[str, choice(*PROPERTY_KINDS)] = "text"
    choices: Text = ""
    position: Count = None


class CodeProperty(NamedTuple):
    code_list: CodeListId
    code: CodeText
    property: Id
    value: Annotated[str, Kind("text"), MUST]


class SetAside(NamedTuple):
    """A doubt of a code that is in order; without a code, that kind of doubt in the whole list."""

    code_list: CodeListId
    code: CodeText
    doubt: Id
    reason: Annotated[str, Kind("text"), MUST]


class Hierarchy(NamedTuple):
    hierarchy: Id
    code_list: Annotated[CodeListId, MUST]
    name: Annotated[str, Kind("text"), MUST]
    main: Flag = False
    version_of: Id = ""
    holds_from: Day = None


class HierarchyNode(NamedTuple):
    hierarchy: HierarchyId
    code: CodeText
    parent: CodeText = ""
    position: Count = None
    intake: Selector = ""


class Structure(NamedTuple):
    structure: Id
    name: Annotated[str, Kind("text"), MUST]
    separator: Annotated[str, choice(*SEPARATORS), MUST]


class StructureSegment(NamedTuple):
    structure: StructureId
    position: Annotated[int, Kind("integer", minimum=1)]
    segment: Annotated[str, Kind("id"), MUST]
    name: Annotated[str, Kind("text"), MUST]
    code_list: Annotated[CodeListId, MUST]
    role: Annotated[str, choice(*ROLES)] = "other"


class Dimension(NamedTuple):
    dimension: Id
    name: Annotated[str, Kind("text"), MUST]
    code_list: Annotated[CodeListId, MUST]


class Chart(NamedTuple):
    chart: Id
    name: Annotated[str, Kind("text"), MUST]
    structure: Annotated[StructureId, MUST]
    new_strings: Annotated[str, choice("as_keyed", "listed_only")] = "as_keyed"
    approval: Flag = False
    result_account: Annotated[CodeText, LATER] = ""
    exchange_account: Annotated[CodeText, LATER] = ""


class ChartSegment(NamedTuple):
    chart: ChartId
    segment: Id
    required: Flag = True
    default_code: CodeText = ""
    display_position: Count = None


class ChartDimension(NamedTuple):
    chart: ChartId
    dimension: DimensionId
    required: Flag = False


class PairingRule(NamedTuple):
    chart: ChartId
    rule: Id
    position: Annotated[int, Kind("integer"), MUST]
    field: Annotated[str, Kind("id"), MUST]
    outcome: Annotated[str, choice(*OUTCOMES), MUST]
    codes: Selector = ""
    message: Text = ""
    in_use_from: Day = None
    in_use_until: Day = None


class PairingCondition(NamedTuple):
    chart: ChartId
    rule: Id
    field: Id
    codes: Annotated[str, Kind("selector"), MUST]


class AccountString(NamedTuple):
    chart: ChartId
    account: Text
    enabled: Flag = True
    in_use_from: Day = None
    in_use_until: Day = None


class QuickCode(NamedTuple):
    chart: ChartId
    quick_code: Id
    company: CompanyId = ""
    scope: Annotated[str, choice("everyone", "team", "person")] = "everyone"
    owner: Text = ""
    account: Annotated[str, Kind("text"), MUST] = ""
    dimensions: Dimensions = ""


class Overlay(NamedTuple):
    overlay: Id
    name: Annotated[str, Kind("text"), MUST]
    language: Text = ""


class OverlayCode(NamedTuple):
    overlay: OverlayId
    code_list: CodeListId
    code: CodeText
    local_code: Annotated[str, Kind("text"), MUST]
    local_name: Annotated[str, Kind("text"), MUST]


class Calendar(NamedTuple):
    calendar: Id
    name: Annotated[str, Kind("text"), MUST]


class Period(NamedTuple):
    calendar: CalendarId
    fiscal_year: Annotated[int, Kind("integer", minimum=1)]
    period: Annotated[int, Kind("integer")]
    name: Annotated[str, Kind("text"), MUST]
    starts_on: Annotated[date, Kind("date"), MUST]
    ends_on: Annotated[date, Kind("date"), MUST]
    kind: Annotated[str, choice("opening", "regular", "closing")] = "regular"
    status: Annotated[str, choice("open", "restricted", "closed")] = "open"


class Company(NamedTuple):
    company: Id
    name: Annotated[str, Kind("text"), MUST]
    country: Annotated[str, Kind("text"), MUST]
    currency: Annotated[str, Kind("currency"), MUST]
    chart: Annotated[ChartId, MUST]
    calendar: Annotated[CalendarId, MUST]
    overlay: OverlayId = ""
    foreign_currencies: Flag = False
    accounts_open: Annotated[str, choice("all", "listed")] = "all"
    adjusts: Annotated[CompanyId, LATER] = ""


class CompanyCode(NamedTuple):
    company: CompanyId
    segment: Id
    code: CodeText


class CompanyAccount(NamedTuple):
    company: CompanyId
    code: CodeText
    currency: Currency = ""
    revalue: Flag = False
    enabled: Flag = True


class CompanyCurrency(NamedTuple):
    """A foreign currency that a company may key; without any row it may key them all, if it keys any."""

    company: CompanyId
    currency: Annotated[str, Kind("currency")]


class IntercompanyPair(NamedTuple):
    company: CompanyId
    partner: CompanyId
    due_from: Annotated[str, Kind("code"), MUST]
    due_to: Annotated[str, Kind("code"), MUST]


class BudgetLine(NamedTuple):
    budget: Id
    company: Id
    fiscal_year: Annotated[int, Kind("integer", minimum=1)]
    period: Annotated[int, Kind("integer")]
    account: Text
    dimensions: Dimensions = ""
    amount: Annotated[str, Kind("amount"), MUST] = ""


class Journal(NamedTuple):
    company: Id
    journal: Id
    date: Annotated[date, Kind("date"), MUST]
    kind: Annotated[str, choice("opening", "general", "adjusting", "closing")] = "general"
    description: Text = ""
    currency: Currency = ""
    rate: Annotated[Decimal | None, Kind("rate")] = None
    posted_at: Annotated[str, Kind("moment")] = ""
    posted_by: Text = ""
    reverses: Id = ""


class JournalLine(NamedTuple):
    company: Id
    journal: Id
    line: Annotated[int, Kind("integer")]
    line_company: Id = ""
    account: Annotated[str, Kind("text"), MUST] = ""
    dimensions: Dimensions = ""
    debit: Amount = ""
    credit: Amount = ""
    partner: Id = ""
    description: Text = ""
    source_type: Text = ""
    source_number: Text = ""
    source_party: Text = ""
    source_item: Text = ""
    generated: Flag = False


class Balance(NamedTuple):
    company: Id
    fiscal_year: Annotated[int, Kind("integer", minimum=1)]
    period: Annotated[int, Kind("integer")]
    account: Text
    dimensions: Dimensions = ""
    partner: Id = ""
    amount: Annotated[str, Kind("amount"), MUST] = ""


Row = NamedTuple


@dataclass(frozen=True, slots=True)
class Column:
    name: str
    kind: Kind
    key: bool
    must: bool
    default: Any
    refers: str = ""
    """the table whose row it names, if any"""
    later: bool = False
    """not yet in release 0.1.0"""


@dataclass(frozen=True)
class Table:
    """One table of the package: its name, its row class, how many leading columns are its key, and what one
    of its rows is called in sentences."""

    name: str
    row: type[Any]
    keys: int
    noun: str
    optional_keys: frozenset[str] = frozenset()

    @cached_property
    def columns(self) -> tuple[Column, ...]:
        hints = get_type_hints(self.row, include_extras=True)
        rows = []
        for index, name in enumerate(self.row._fields):
            marks = get_args(hints[name])[1:] if get_origin(hints[name]) is Annotated else ()
            kind = next(mark for mark in marks if isinstance(mark, Kind))
            key = index < self.keys
            must = MUST in marks or (key and name not in self.optional_keys)
            refers = next((mark.table for mark in marks if isinstance(mark, Refers)), "")
            default = self.row._field_defaults.get(name)
            rows.append(Column(name, kind, key, must, default, refers, LATER in marks))
        return tuple(rows)

    @cached_property
    def at_first(self) -> tuple[int, tuple[Any, ...]]:
        """How many columns release 0.1.0 had, and what those since hold where nothing is said."""
        later = tuple(column.default for column in self.columns if column.later)
        return len(self.columns) - len(later), later

    @cached_property
    def by_name(self) -> dict[str, Column]:
        return {column.name: column for column in self.columns}

    def key(self, row: Any) -> tuple[Any, ...]:
        return tuple(row[: self.keys])


DEFINING_TABLES: tuple[Table, ...] = (
    Table("code_lists", CodeList, 1, "code list"),
    Table("codes", Code, 2, "code"),
    Table("code_names", CodeName, 3, "name"),
    Table("list_properties", ListProperty, 2, "property"),
    Table("code_properties", CodeProperty, 3, "property"),
    Table("doubts_set_aside", SetAside, 3, "doubt set aside", frozenset({"code"})),
    Table("hierarchies", Hierarchy, 1, "hierarchy"),
    Table("hierarchy_nodes", HierarchyNode, 2, "place"),
    Table("structures", Structure, 1, "structure"),
    Table("structure_segments", StructureSegment, 2, "segment"),
    Table("dimensions", Dimension, 1, "dimension"),
    Table("charts", Chart, 1, "chart"),
    Table("chart_segments", ChartSegment, 2, "segment rule"),
    Table("chart_dimensions", ChartDimension, 2, "dimension"),
    Table("pairing_rules", PairingRule, 2, "pairing rule"),
    Table("pairing_conditions", PairingCondition, 3, "condition"),
    Table("account_strings", AccountString, 2, "account string"),
    Table("quick_codes", QuickCode, 2, "quick code"),
    Table("overlays", Overlay, 1, "overlay"),
    Table("overlay_codes", OverlayCode, 3, "local code"),
    Table("calendars", Calendar, 1, "calendar"),
    Table("periods", Period, 3, "period"),
    Table("companies", Company, 1, "company"),
    Table("company_codes", CompanyCode, 3, "company code"),
    Table("company_accounts", CompanyAccount, 2, "company account"),
    Table("company_currencies", CompanyCurrency, 2, "currency of a company"),
    Table("intercompany_pairs", IntercompanyPair, 2, "intercompany pair"),
    Table("statements", Statement, 1, "statement"),
    Table("statement_lines", StatementLine, 2, "line"),
    Table("non_cash_pairs", NonCashPair, 2, "non-cash pair"),
    Table("groups", Group, 1, "group"),
    Table("group_members", GroupMember, 2, "member"),
    Table("mappings", Mapping, 3, "mapping row"),
    Table("rates", Rate, 4, "rate"),
    Table("roundings", Rounding, 3, "rounding"),
    Table("eliminations", Elimination, 2, "elimination"),
    Table("ownership_changes", OwnershipChange, 3, "ownership"),
    Table("translation_rules", TranslationRule, 2, "translation rule"),
    Table("group_openings", GroupOpening, 4, "opening amount"),
    Table("acquisitions", Acquisition, 3, "acquisition"),
    Table("acquired_equity", AcquiredEquity, 4, "acquired equity"),
    Table("chart_mappings", ChartMapping, 3, "mapping row of a chart"),
    Table("disagreement_notes", DisagreementNote, 4, "note", frozenset({"partner"})),
    Table("budgets", Budget, 1, "budget"),
    Table("column_sets", ColumnSet, 1, "set of columns"),
    Table("arrangements", Arrangement, 1, "arrangement"),
    Table("arranged_lines", ArrangedLine, 2, "inherited line"),
    Table("rollouts", Rollout, 1, "rollout"),
    Table("rollout_items", RolloutItem, 2, "item of a rollout"),
    Table("second_charts", SecondChart, 2, "second chart"),
    Table("second_chart_mappings", SecondChartMapping, 3, "mapping row of a second chart"),
    Table("chart_moves", ChartMove, 2, "chart move"),
)
"""Tables that hold definitions, in the order in which each needs only those before it."""

BOOKS: tuple[Table, ...] = (
    Table("journals", Journal, 2, "journal"),
    Table("journal_lines", JournalLine, 3, "journal line"),
    Table("balances", Balance, 6, "balance", frozenset({"dimensions", "partner"})),
    Table("budget_lines", BudgetLine, 6, "budget line", frozenset({"dimensions"})),
    Table("moved_accounts", MovedAccount, 4, "moved account"),
)
"""Tables that hold amounts; too long to keep in a snapshot."""

TABLES: dict[str, Table] = {table.name: table for table in (*DEFINING_TABLES, *BOOKS)}
BY_ROW: dict[type[Any], Table] = {table.row: table for table in TABLES.values()}
