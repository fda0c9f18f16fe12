"""Fernhollow's definitions as rows of the exchange package."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from core.changes.kinds import Add
from core.changes.proposing import new_statement
from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    Budget,
    Calendar,
    Chart,
    ChartDimension,
    ChartMapping,
    ChartSegment,
    Code,
    CodeList,
    ColumnSet,
    Company,
    CompanyAccount,
    CompanyCode,
    CompanyCurrency,
    Dimension,
    Elimination,
    Group,
    GroupMember,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    NonCashPair,
    OwnershipChange,
    PairingCondition,
    PairingRule,
    Period,
    QuickCode,
    Rate,
    SecondChart,
    SecondChartMapping,
    Structure,
    StructureSegment,
    TranslationRule,
)
from demo import chart, statements
from demo.overlays import overlays
from demo.rollouts import rollouts

START = date(2019, 1, 1)
COMPANIES = [
    # id, name, country, currency, chart, company code, pair suffix
    ("fernhollow", "Fernhollow Group plc", "GB", "GBP", "shared", "10", "10"),
    ("nurseries", "Fernhollow Nurseries", "GB", "GBP", "shared", "20", "15"),
    ("veenbol", "Veenbol", "NL", "EUR", "shared", "30", "20"),
    ("skovlund", "Skovlund Seed", "DK", "DKK", "shared", "40", "25"),
    ("trials", "Skovlund Trials", "DK", "DKK", "shared", "41", "30"),
    ("zielnik", "Zielnik Logistics", "PL", "PLN", "shared", "50", "35"),
    ("hoshino", "Hoshino Ferns", "JP", "JPY", "shared", "43", "55"),
    ("sahra", "Sahra Irrigation", "KW", "KWD", "shared", "51", "60"),
    ("alder", "Alder Licensing", "US", "USD", "alder", "", "40"),
    ("corran", "Corran Cut Flowers", "KE", "KES", "corran", "", "45"),
    ("hexley", "Hexley Garden Centres", "GB", "GBP", "hexley", "", "50"),
]
ADJUSTING = ("skovlund-rules", "Skovlund Seed, to group rules", "DK", "DKK", "shared", "42")
"""Books that correct those of Skovlund Seed."""

MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]


def month_end(year: int, month: int) -> date:
    return date(year + month // 12, month % 12 + 1, 1) - timedelta(days=1)


def codes() -> Iterator[Any]:
    yield CodeList("accounts", "Accounts", 5, 5)
    yield CodeList("company", "Company", 2, 2)
    yield CodeList("sites", "Site", 3, 3, "digits", True)
    yield CodeList("crops", "Crop line", 2, 2, "digits", True)
    yield CodeList("projects", "Trial project", 4, 4, "alphanumeric")
    yield CodeList("seasons", "Season", 4, 4, "alphanumeric")
    yield CodeList("channels", "Channel", 3, 3, "letters")
    for name, title, width in (
        ("hexley-nominal", "Hexley nominal", 4),
        ("corran-accounts", "Corran accounts", 4),
        ("alder-accounts", "Alder accounts", 3),
    ):
        yield CodeList(name, title, width, width)
    yield CodeList("hexley-shops", "Hexley shop", 2, 2)
    yield CodeList("corran-blocks", "Corran block", 2, 2)
    yield Hierarchy("accounts-tree", "accounts", "Main hierarchy", True)
    yield Hierarchy("sites-country", "sites", "Sites by country", True)
    yield Hierarchy("crops-kind", "crops", "Crop lines by kind", True)
    for code, name, parent in chart.rollups():
        yield Code("accounts", code, name, True, False)
        yield HierarchyNode("accounts-tree", code, parent)
    for code, name, kind, contra, rollup in chart.accounts():
        start = date(2021, 4, 1) if code == "11220" else date(2026, 9, 1) if code == "11240" else START
        until = date(2025, 12, 31) if code == "11390" else None
        flow = "cash" if rollup == "110" else "none"
        yield Code("accounts", code, name, False, True, True, kind, contra, start, until, cash_flow=flow)
        yield HierarchyNode("accounts-tree", code, rollup)
    for code, name, unit, adds_up in chart.STATISTICS:
        yield Code("accounts", code, name, account_class="statistic", unit=unit, adds_up=adds_up)
        yield HierarchyNode("accounts-tree", code, "9")
    for code, name, kind in chart.FORGOTTEN:
        yield Code("accounts", code, name, account_class=kind, in_use_from=date(2026, 1, 1))
    for row in COMPANIES:
        if row[5]:
            yield Code("company", row[5], row[1])
    yield Code("company", ADJUSTING[5], ADJUSTING[1])
    yield from _small_lists()


def _small_lists() -> Iterator[Any]:
    countries = [
        ("1", "United Kingdom", "1"),
        ("2", "Netherlands", "2"),
        ("3", "Denmark", "3"),
        ("4", "Poland", "4"),
    ]
    kinds = [("1", "Bulbs"), ("2", "Plants"), ("3", "Seed"), ("4", "Cut flowers"), ("9", "Licences")]
    for code, name, _ in countries:
        yield Code("sites", code, name, True, False)
        yield HierarchyNode("sites-country", code)
    for code, name in chart.pairs(chart.SITES):
        yield Code("sites", code, name)
        if code != "000":
            yield HierarchyNode("sites-country", code, code[0])
    for code, name in kinds:
        yield Code("crops", code, name, True, False)
        yield HierarchyNode("crops-kind", code)
    for code, name in chart.pairs(chart.CROPS):
        yield Code("crops", code, name)
        yield HierarchyNode("crops-kind", code, code[0])
    for name, text in (
        ("projects", chart.PROJECTS),
        ("seasons", chart.SEASONS),
        ("channels", chart.CHANNELS),
    ):
        for code, label in chart.pairs(text):
            yield Code(name, code, label)
    for name, text in (
        ("hexley-nominal", chart.HEXLEY),
        ("corran-accounts", chart.CORRAN),
        ("alder-accounts", chart.ALDER),
    ):
        for code, label, kind in chart.own_chart(text):
            is_cash = kind == "asset" and label.startswith(("Bank", "Till"))
            yield Code(name, code, label, account_class=kind, cash_flow="cash" if is_cash else "none")
    for code, label in (("01", "Hexley"), ("02", "Bewdley"), ("03", "Tenbury")):
        yield Code("hexley-shops", code, label)
    for code, label in (("01", "Rose block"), ("02", "Carnation block"), ("70", "Seed block")):
        yield Code("corran-blocks", code, label)


def structures() -> Iterator[Any]:
    yield Structure("fern4", "Fernhollow account string", "-")
    for position, (segment, name, code_list, role) in enumerate(
        [
            ("company", "Company", "company", "company"),
            ("account", "Account", "accounts", "natural_account"),
            ("site", "Site", "sites", "other"),
            ("crop", "Crop line", "crops", "other"),
        ],
        1,
    ):
        yield StructureSegment("fern4", position, segment, name, code_list, role)
    yield Structure("hexley2", "Hexley account", ".")
    yield StructureSegment("hexley2", 1, "nominal", "Nominal", "hexley-nominal", "natural_account")
    yield StructureSegment("hexley2", 2, "shop", "Shop", "hexley-shops", "cost_centre")
    yield Structure("corran2", "Corran account", "/")
    yield StructureSegment("corran2", 1, "block", "Block", "corran-blocks", "cost_centre")
    yield StructureSegment("corran2", 2, "account", "Account", "corran-accounts", "natural_account")
    yield Structure("alder1", "Alder account", "-")
    yield StructureSegment("alder1", 1, "account", "Account", "alder-accounts", "natural_account")
    for dimension, name, code_list in (
        ("project", "Trial project", "projects"),
        ("season", "Season", "seasons"),
        ("channel", "Channel", "channels"),
    ):
        yield Dimension(dimension, name, code_list)
    yield from charts()


def charts() -> Iterator[Any]:
    yield Chart("shared", "Fernhollow shared", "fern4", result_account="31110", exchange_account="71130")
    yield Chart("hexley", "Hexley's own", "hexley2", result_account="3100")
    yield Chart("corran", "Corran's own", "corran2", result_account="3100")
    yield Chart("alder", "Alder's own", "alder1")
    yield ChartSegment("shared", "site", False)
    yield ChartSegment("shared", "crop", False)
    yield ChartSegment("hexley", "shop", False)
    yield ChartSegment("corran", "block", False)
    for dimension in ("project", "season", "channel"):
        yield ChartDimension("shared", dimension)
    yield PairingRule("shared", "sales-crop", 10, "crop", "required", "", "Sales name their crop line.")
    yield PairingCondition("shared", "sales-crop", "account", "41110 to 41499")
    yield PairingRule("shared", "bank-crop", 20, "crop", "empty", "", "Bank accounts have no crop line.")
    yield PairingCondition("shared", "bank-crop", "account", "under 110")
    yield PairingRule(
        "shared", "growing-site", 30, "site", "required", "", "Costs of growing name their site."
    )
    yield PairingCondition("shared", "growing-site", "account", "under 512, under 513")
    yield PairingRule("shared", "office-site", 40, "site", "fill", "100")
    yield PairingCondition("shared", "office-site", "account", "under 64")
    yield PairingRule(
        "shared", "advances-crop", 50, "crop", "required", "", "Advances name their crop.", date(2026, 9, 1)
    )
    yield PairingCondition("shared", "advances-crop", "account", "11240")
    yield QuickCode("shared", "gasledbury", "nurseries", "everyone", "", "20-51210-110", "season=AU26")
    yield QuickCode("shared", "audit", "", "everyone", "", "10-64110")
    yield from overlays()
    yield AccountString("shared", "10-64110-100-")


def calendar() -> Iterator[Any]:
    yield Calendar("months", "Calendar months")
    first = date(2025, 1, 1)
    yield Period("months", 2025, 0, "Opening 2025", first, first, "opening", "closed")
    for year in (2025, 2026):
        for month in range(1, 13):
            when = (year, month)
            status = "closed" if when < (2026, 8) else "restricted" if when == (2026, 8) else "open"
            name, first = f"{MONTHS[month - 1]} {year}", date(year, month, 1)
            yield Period("months", year, month, name, first, month_end(year, month), "regular", status)
        last, status = date(year, 12, 31), "closed" if year == 2025 else "open"
        yield Period("months", year, 13, f"Closing {year}", last, last, "closing", status)


DUE = {"hexley": ("1810", "2810"), "corran": ("1810", "2810"), "alder": ("180", "280")}
"""Accounts for what group companies owe and are owed, by charts that keep one for all of them."""


LISTED = ("trials", "zielnik")
"""Companies that have only those accounts open that they use."""


def companies() -> Iterator[Any]:
    yield from calendar()
    for company, name, country, currency, own, code, _ in COMPANIES:
        seen_as, opens = "nl" if company == "veenbol" else "", "listed" if company in LISTED else "all"
        keys = company == "fernhollow"
        yield Company(company, name, country, currency, own, "months", seen_as, keys, opens)
        if code:
            yield CompanyCode(company, "company", code)
    for company, _, _, _, own, _, _ in COMPANIES:
        for partner, _, _, _, _, _, suffix in COMPANIES:
            if company != partner:
                due_from, due_to = DUE.get(own, (f"118{suffix}", f"218{suffix}"))
                yield IntercompanyPair(company, partner, due_from, due_to)
    name, title, country, currency, chart, code = ADJUSTING
    yield Company(name, title, country, currency, chart, "months", adjusts="skovlund")
    yield CompanyCode(name, "company", code)
    yield CompanyCurrency("fernhollow", "EUR")
    yield CompanyCurrency("fernhollow", "JPY")
    yield CompanyAccount("fernhollow", "11020", "EUR", revalue=True)
    yield from rates()
    yield Budget("plan-2026", "Plan 2026", "shared")
    yield Budget("statistics", "Staff and glass", "shared", kind="statistics")
    yield ColumnSet("seasons", "Seasons side by side", "shared", "season")
    yield ColumnSet("year-before", "Beside the year before", "shared", beside="year")


CLOSING = {
    "EUR": "0.8654",
    "DKK": "0.1160",
    "PLN": "0.2031",
    "USD": "0.7442",
    "KES": "0.00575",
    "JPY": "0.0052",
    "KWD": "2.4310",
}
"""What a unit is worth in pounds in May 2026; the other months drift around it."""
OPENED = date(2024, 12, 31)


def rate_at(currency: str, month: int) -> Decimal:
    """The closing rate of a currency to GBP so many months after December 2024."""
    drift = Decimal(1) + Decimal(month - 17) / 400
    return (Decimal(CLOSING[currency]) * drift).quantize(Decimal("0.000001"))


def rates() -> Iterator[Any]:
    """Closing and average of every month, and what equity was brought forward at."""
    for currency in CLOSING:
        for kind in ("closing", "historical"):
            yield Rate(currency, "GBP", kind, OPENED, rate_at(currency, 0))
        for month in range(1, 22):
            ends = month_end(2025 + (month - 1) // 12, (month - 1) % 12 + 1)
            yield Rate(currency, "GBP", "closing", ends, rate_at(currency, month))
            average = (rate_at(currency, month) + rate_at(currency, month - 1)) / 2
            yield Rate(currency, "GBP", "average", ends, average.quantize(Decimal("0.000001")))


HEXLEY_MAP = [
    ("1010, 1020", "11010"),
    ("1100", "11210"),
    ("1200, 1210", "11520"),
    ("1300", "11420"),
    ("1500", "12210"),
    ("1590", "12290"),
    ("1810", "11815"),
    ("2000", "21110"),
    ("2100", "21310"),
    ("2200", "21210"),
    ("2810", "21815"),
    ("2900", "22110"),
    ("3000", "31010"),
    ("3100", "31110"),
    ("4010", "41220"),
    ("4100", "48010"),
    ("5000, 5010", "51130"),
    ("5100", "51810"),
    ("6000", "62110"),
    ("6100", "61110"),
    ("6200", "51220"),
    ("6300, 6400", "63140"),
    ("6500", "65120"),
    ("6600", "64180"),
]
CORRAN_MAP = [
    ("1000", "11010"),
    ("1200", "11210"),
    ("1300", "11330"),
    ("1600", "12120"),
    ("1810", "11815"),
    ("2000", "21110"),
    ("2810", "21815"),
    ("3000", "31010"),
    ("3100", "31110"),
    ("5000 to 5200", "51310"),
    ("6000", "61110"),
]


ALDER_MAP = [
    ("100", "11010"),
    ("120", "11210"),
    ("180", "11825"),
    ("200", "21110"),
    ("280", "21825"),
    ("300", "31010"),
    ("310", "31110"),
    ("400", "41330"),
    ("500", "51990"),
    ("600", "64120"),
]


def groups() -> Iterator[Any]:
    entries = ("31130", "31110", "31210", "73110", "12830", "49110", "49210")
    yield Group("fernhollow", "Fernhollow Group", "GBP", "shared", "", *entries)
    yield Group("skovlund", "Skovlund", "DKK", "shared", "", *entries, "GBP")
    for member, share in (("fernhollow", 100), ("nurseries", 100), ("veenbol", 100), ("hexley", 100)):
        yield GroupMember("fernhollow", member, "company", "full", Decimal(share))
    yield GroupMember("fernhollow", "corran", "company", "full", Decimal(60), date(2026, 4, 1))
    yield GroupMember("fernhollow", "sahra", "company", "full", Decimal(70))
    yield GroupMember("fernhollow", "zielnik", "company", "equity", Decimal(35))
    yield GroupMember("fernhollow", "skovlund", "group", "full", Decimal(80))
    for member, share in (("skovlund", 100), ("trials", 100), ("hoshino", 100), ("alder", 51)):
        yield GroupMember("skovlund", member, "company", "full", Decimal(share))
    for position, (accounts, target) in enumerate(HEXLEY_MAP, 1):
        yield Mapping("fernhollow", "hexley", position * 10, accounts, "", "", target)
    yield Mapping("fernhollow", "hexley", 500, "4000", "shop", "02", "41230")
    yield Mapping("fernhollow", "hexley", 510, "4000", "", "", "41210")
    yield from second_charts()
    for position, (accounts, target) in enumerate(CORRAN_MAP, 1):
        yield Mapping("fernhollow", "corran", position * 10, accounts, "", "", target)
    yield Mapping("fernhollow", "corran", 500, "4000 to 4100", "block", "70", "41320")
    yield Mapping("fernhollow", "corran", 510, "4000 to 4100", "", "", "41420")
    for group in ("fernhollow", "skovlund"):
        yield Elimination(
            group, "balances", 10, "Balances within the group", "under 118, under 218", True, "21230"
        )
        yield Elimination(
            group,
            "trade",
            20,
            "Sales and purchases within the group",
            "under 418, under 518, 64180",
            True,
            "51990",
        )
        yield Elimination(group, "interest", 30, "Interest within the group", "48110, 71180", True, "71110")
        yield Elimination(group, "loans", 40, "Loans within the group", "12820, 22810", True, "21230")
        yield TranslationRule(group, 10, "12810", "historical")
        for position, (own, target) in enumerate(ALDER_MAP, 1):
            yield ChartMapping(group, "alder", position * 10, own, "", "", target)
    yield OwnershipChange("fernhollow", "skovlund", date(2026, 7, 1), Decimal(90))


def second_charts() -> Iterator[Any]:
    """Hexley's shops, seen in Fernhollow's chart as the board reads it: nursery stock apart from the rest."""
    yield SecondChart("hexley", "shared", "For the board")
    for position, (accounts, target) in enumerate(HEXLEY_MAP, 1):
        yield SecondChartMapping("hexley", "shared", position * 10, accounts, "", "", target)
    yield SecondChartMapping("hexley", "shared", 500, "4000", "shop", "02", "41230")
    yield SecondChartMapping("hexley", "shared", 510, "4000", "", "", "41210")


def rows() -> Iterator[Any]:
    made = [
        row
        for part in (codes, structures, companies, statements.statements, groups, rollouts)
        for row in part()
    ]
    yield from made
    for name, kind in (("Cash flow", "cash_flow"), ("Cash received and paid", "direct_cash_flow")):
        flow = new_statement(State.of(made), name, "shared", kind, "classes")
        yield from (part.row for part in flow.changes if isinstance(part, Add))
        if kind == "cash_flow":
            line = next(part.row for part in flow.changes if isinstance(part, Add))
            yield NonCashPair(line.statement, "leases", "Leases of glasshouses begun", "under 121", "22120")
