"""Row classes of many companies: groups (who is in one, how accounts are mapped, translated, acquired and
eliminated), and what companies share beyond their chart."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Annotated, NamedTuple

from core.definitions.kinds import (
    LATER,
    MUST,
    ROLLED_OUT,
    Amount,
    CalendarId,
    ChartId,
    CodeText,
    CompanyId,
    Currency,
    Day,
    Flag,
    GroupId,
    Id,
    Kind,
    Number,
    RolloutId,
    Selector,
    Text,
    choice,
)


class Group(NamedTuple):
    """Companies (or groups) consolidated in one currency and chart; the accounts it names are those its
    members need."""

    group: Id
    name: Annotated[str, Kind("text"), MUST]
    currency: Annotated[str, Kind("currency"), MUST]
    chart: Annotated[ChartId, MUST]
    calendar: CalendarId = ""
    translation_account: Annotated[CodeText, LATER] = ""
    retained_account: Annotated[CodeText, LATER] = ""
    minority_account: Annotated[CodeText, LATER] = ""
    minority_result_account: Annotated[CodeText, LATER] = ""
    equity_investment_account: Annotated[CodeText, LATER] = ""
    equity_result_account: Annotated[CodeText, LATER] = ""
    disposal_account: Annotated[CodeText, LATER] = ""
    rates_through: Annotated[Currency, LATER] = ""


class GroupMember(NamedTuple):
    """A company or group in a group: by which method, at what share, from when until when."""

    group: GroupId
    member: Id
    member_kind: Annotated[str, choice("company", "group")] = "company"
    method: Annotated[str, choice("full", "proportionate", "equity", "none")] = "full"
    ownership: Number = Decimal(100)
    in_from: Day = None
    in_until: Day = None


class Mapping(NamedTuple):
    """Where own accounts of a company go in the chart of a group; the first row that fits wins."""

    group: GroupId
    company: CompanyId
    position: Annotated[int, Kind("integer")]
    accounts: Annotated[str, Kind("selector"), MUST]
    field: Id = ""
    codes: Selector = ""
    target: Annotated[str, Kind("code"), MUST] = ""


class Rate(NamedTuple):
    """What one unit of a currency is worth in another, of a kind and a day."""

    from_currency: Annotated[str, Kind("currency")]
    to_currency: Annotated[str, Kind("currency")]
    kind: Annotated[str, choice("closing", "average", "historical")]
    on: Annotated[date, Kind("date")]
    rate: Annotated[Decimal, Kind("rate"), MUST]


class Rounding(NamedTuple):
    """How amounts in other currencies come to whole minor units of a currency, from a day on: lines that are
    keyed, and revaluations."""

    currency: Annotated[str, Kind("currency")]
    purpose: Annotated[str, choice("keyed", "revaluation")]
    in_use_from: Annotated[date, Kind("date")]
    way: Annotated[str, choice("nearest", "up", "down"), MUST] = "nearest"


class Elimination(NamedTuple):
    """What companies have among themselves on some accounts is taken out; what is left goes to the
    difference."""

    group: GroupId
    elimination: Id
    position: Annotated[int, Kind("integer"), MUST]
    name: Text = ""
    accounts: Annotated[str, Kind("selector"), MUST] = ""
    partners_only: Flag = True
    difference_account: Annotated[str, Kind("code"), MUST] = ""
    partners: Annotated[str, choice("consolidated", "associates"), LATER] = "consolidated"
    tolerance: Annotated[Amount, LATER] = "0"


class OwnershipChange(NamedTuple):
    """From a day on a member is owned at another share."""

    group: GroupId
    member: Id
    on: Annotated[date, Kind("date")]
    ownership: Annotated[Decimal, Kind("number"), MUST]


class TranslationRule(NamedTuple):
    """Which rate some accounts of a group are translated at; the first that fits wins."""

    group: GroupId
    position: Annotated[int, Kind("integer")]
    accounts: Annotated[str, Kind("selector"), MUST]
    rate: Annotated[str, choice("closing", "average", "historical"), MUST]


class GroupOpening(NamedTuple):
    """What the historical cells of an account come to at the end of the period that holds the day."""

    group: GroupId
    company: CompanyId
    account: CodeText
    on: Annotated[date, Kind("date")]
    amount: Annotated[Amount, MUST]


class Acquisition(NamedTuple):
    """What a company of the group paid for how much of another."""

    group: GroupId
    member: CompanyId
    on: Annotated[date, Kind("date")]
    holder: Annotated[CompanyId, MUST]
    percent: Annotated[Decimal, Kind("number"), MUST]
    cost: Annotated[Amount, MUST]
    investment: Annotated[str, Kind("selector"), MUST]
    goodwill_account: Annotated[CodeText, MUST]
    goodwill_in: Annotated[str, choice("member", "group")] = "member"
    equity_at: Day = None


class AcquiredEquity(NamedTuple):
    """Equity acquired, where it isn't what the member's books show."""

    group: GroupId
    member: CompanyId
    on: Annotated[date, Kind("date")]
    account: CodeText
    amount: Annotated[Amount, MUST]


class ChartMapping(NamedTuple):
    """Where accounts of a chart go, for every company on it, after its own rows."""

    group: GroupId
    chart: ChartId
    position: Annotated[int, Kind("integer")]
    accounts: Annotated[str, Kind("selector"), MUST]
    field: Id = ""
    codes: Selector = ""
    target: Annotated[str, Kind("code"), MUST] = ""


class DisagreementNote(NamedTuple):
    """What is known of two companies' sides that disagree under a rule, over all periods: the rule is an
    elimination or `acquisition`, `up_to` how far apart they may be, where that is accepted."""

    group: GroupId
    rule: Id
    company: CompanyId
    partner: Id
    state: Annotated[str, choice("open", "explained", "accepted"), MUST] = "open"
    note: Text = ""
    up_to: Amount = ""


class Rollout(NamedTuple):
    """Whose things are brought to which companies (core/structures/company_choice.py reads that); with a
    segment swap they are made again with another code of one field."""

    rollout: Id
    name: Annotated[str, Kind("text"), MUST]
    company: Annotated[CompanyId, MUST]
    companies: Text = "all"
    in_use_from: Day = None
    swap_field: Id = ""
    swap_from: CodeText = ""
    swap_to: CodeText = ""
    swap_name: Text = ""


class RolloutItem(NamedTuple):
    """Something to bring; core/rollouts/things.py reads what each kind says in which column."""

    rollout: RolloutId
    position: Annotated[int, Kind("integer")]
    kind: Annotated[str, choice(*ROLLED_OUT), MUST]
    field: Id = ""
    codes: Selector = ""
    account: Text = ""
    name: Id = ""


class SecondChart(NamedTuple):
    """The books of a company are seen in this chart too, through the mapping of the chart it posts in."""

    company: CompanyId
    chart: ChartId
    purpose: Text = ""


class ChartMove(NamedTuple):
    """From a day on a company posts in another chart: what was posted before `moved_at` is in `chart_before`,
    and `journal` carried over what stood there (empty: nothing did)."""

    company: CompanyId
    on: Annotated[date, Kind("date")]
    chart_before: Annotated[ChartId, MUST]
    chart: Annotated[ChartId, MUST]
    moved_at: Annotated[str, Kind("moment"), MUST]
    journal: Id = ""


class MovedAccount(NamedTuple):
    """How an account string that a company posted to in a chart before is read in the chart it moved to."""

    company: Id
    chart_before: Id
    account: Text
    chart: Id
    target: Annotated[str, Kind("text"), MUST] = ""


class SecondChartMapping(NamedTuple):
    """Where accounts of a chart go in a second one; the first row that fits wins."""

    chart: ChartId
    second_chart: ChartId
    position: Annotated[int, Kind("integer")]
    accounts: Annotated[str, Kind("selector"), MUST]
    field: Id = ""
    codes: Selector = ""
    target: Annotated[str, Kind("code"), MUST] = ""
