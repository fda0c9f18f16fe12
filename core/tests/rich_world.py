"""A small world in which every table of definitions has rows that hang on one another, sound as a whole."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any

from core.definitions.state import State
from core.definitions.tables import (
    AccountString,
    AcquiredEquity,
    Acquisition,
    ArrangedLine,
    Arrangement,
    Budget,
    Chart,
    ChartMapping,
    ChartMove,
    ChartSegment,
    Code,
    CodeList,
    CodeName,
    CodeProperty,
    ColumnSet,
    Company,
    CompanyAccount,
    CompanyCode,
    CompanyCurrency,
    DisagreementNote,
    Elimination,
    Group,
    GroupMember,
    GroupOpening,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    ListProperty,
    Mapping,
    NonCashPair,
    Overlay,
    OverlayCode,
    OwnershipChange,
    PairingCondition,
    PairingRule,
    Period,
    QuickCode,
    Rate,
    Rollout,
    RolloutItem,
    Rounding,
    SecondChart,
    SecondChartMapping,
    SetAside,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
    TranslationRule,
)
from core.tests.builders import definitions
from core.tests.test_figures import BALANCE


def rich() -> list[Any]:
    """Rows of all tables of definitions: no check has anything that must be put right."""
    rows: list[Any] = [row for row in (*definitions(), *BALANCE) if not isinstance(row, Chart)]
    rows += [
        CodeName("acc", "1010", "nl", "Bank NL"),
        ListProperty("acc", "owner", "Owner", "choice", "Treasury, Sales", 10),
        ListProperty("acc", "limit", "Limit", "number"),
        CodeProperty("acc", "1010", "owner", "Treasury"),
        CodeProperty("acc", "1020", "limit", "500"),
        SetAside("acc", "11", "thin-rollup", "More to come"),
    ]
    rows += [
        Hierarchy("other", "acc", "Other"),
        HierarchyNode("other", "1", "", None, "10*"),
        HierarchyNode("other", "11", "1", 5, "18*"),
        HierarchyNode("other", "2010", "11", 7),
        Hierarchy("tree-then", "acc", "Tree then", False, "tree", date(2025, 1, 1)),
        HierarchyNode("tree-then", "1"),
        HierarchyNode("tree-then", "1010", "1"),
    ]
    rows += [
        PairingRule("c", "site-must", 10, "site", "required", "", "Costs name a site"),
        PairingCondition("c", "site-must", "account", "5*"),
        PairingRule("c", "sales-site", 20, "site", "only", "001"),
        PairingCondition("c", "sales-site", "account", "under 11 except 1110"),
        PairingCondition("c", "sales-site", "season", "SP26"),
        PairingRule("c", "fill-season", 30, "season", "fill", "AU26"),
        PairingCondition("c", "fill-season", "account", "4010"),
    ]
    rows += [
        AccountString("c", "10-1010-"),
        AccountString("c", "20-5010-001", True, date(2026, 1, 1), date(2026, 12, 31)),
        QuickCode("c", "bank", account="10-1010-"),
        QuickCode("c", "sp", "alpha", "person", "mirela", "10-4010-001", "season=SP26"),
    ]
    rows += [
        Overlay("nl", "Dutch", "nl"),
        OverlayCode("nl", "acc", "1010", "100", "Bank"),
        ChartSegment("c", "company", True, "10"),
        Chart("c", "Chart", "s", result_account="3020", exchange_account="5020"),
    ]
    rows += [
        CodeList("own", "Own accounts", 2, 2, "letters"),
        Structure("o", "Own", "."),
        StructureSegment("o", 1, "account", "Account", "own", "natural_account"),
        Chart("d", "Own chart", "o", "listed_only"),
        AccountString("d", "BK"),
    ]
    rows += [
        Code("own", code, name, account_class=kind)
        for code, name, kind in (
            ("BK", "Bank", "asset"),
            ("IC", "Owed", "asset"),
            ("OW", "Owing", "liability"),
            ("SL", "Sales", "revenue"),
        )
    ]
    rows += [
        Company("gamma", "Gamma", "NL", "EUR", "d", "m", "nl"),
        IntercompanyPair("gamma", "alpha", "IC", "OW"),
        CompanyAccount("gamma", "SL", "EUR"),
        CompanyAccount("beta", "1020", enabled=False),
    ]
    rows += [
        Statement("is", "Income", "c", "income_statement"),
        StatementLine("is", "sales", "", 10, "Sales", "accounts", "4*"),
        StatementLine("is", "costs", "", 20, "Costs", "accounts", "5010 to 5999"),
        StatementLine("is", "margin", "", 30, "Margin", "formula", formula="[sales] - [costs]"),
        StatementLine("is", "note", "", 40, "A note", "text"),
        Statement("parts", "Parts of accounts", "c"),
        StatementLine("parts", "spring", "", 10, "Spring", "accounts", "4*", field="season", codes="SP26"),
        StatementLine("parts", "north", "", 20, "North", "accounts", "4*", field="site", codes="001"),
        StatementLine("parts", "sales", "", 30, "Other sales", "accounts", "4*"),
        StatementLine("parts", "bank", "", 40, "Bank", "accounts", "10*", side="debit"),
        StatementLine("parts", "overdrawn", "", 50, "Overdrawn", "accounts", "10*", side="credit"),
        StatementLine("parts", "hire", "", 60, "Hire", "accounts", "5020", shown_when="with_amount"),
        Statement("is-beta", "Income of Beta", "c", "income_statement"),
        StatementLine("is-beta", "sales", "", 10, "Turnover", "accounts", "4*"),
        StatementLine("is-beta", "margin", "", 30, "Margin", "formula", formula="[sales]"),
        Arrangement("is-beta", "is", "beta"),
        ArrangedLine("is-beta", "sales", "0123456789ab", "Known as turnover here"),
        Statement("own-bs", "Own", "d", "balance_sheet"),
        StatementLine("own-bs", "all", "", 10, "All", "accounts", "BK, IC", sign="debit"),
    ]
    rows += [
        Code("acc", "3020", "Retained", account_class="equity"),
        Code("acc", "3040", "Translation", account_class="equity"),
        Code("acc", "3050", "Minority", account_class="equity"),
        Code("acc", "5050", "Minority's result", account_class="expense"),
        Code("acc", "1410", "Goodwill", account_class="asset"),
        Group("g", "Group", "GBP", "c", "m", "3040", "3020", "3050", "5050"),
        Group("sub", "Subgroup", "GBP", "c"),
        GroupMember("g", "alpha"),
        GroupMember("g", "sub", "group"),
        GroupMember("sub", "beta"),
        GroupMember("g", "gamma", "company", "full", Decimal("60"), date(2026, 1, 1)),
        Mapping("g", "gamma", 10, "BK", target="1010"),
        Mapping("g", "gamma", 20, "IC", target="1810"),
        Mapping("g", "gamma", 30, "all", target="4010"),
        Elimination("g", "ic", 10, "Between", "1810, 2810", True, "2010"),
    ]
    rows += [
        OwnershipChange("g", "gamma", date(2026, 3, 1), Decimal("70")),
        TranslationRule("g", 10, "1410", "historical"),
        GroupOpening("g", "gamma", "3010", date(2026, 1, 31), "-100.00"),
        Acquisition("g", "gamma", date(2026, 1, 1), "alpha", Decimal("60"), "90.00", "1110", "1410"),
        AcquiredEquity("g", "gamma", date(2026, 1, 1), "3010", "-150.00"),
        DisagreementNote("g", "ic", "alpha", "beta", "accepted", "Goods on their way", "20.00"),
        ChartMapping("g", "d", 10, "OW", target="2010"),
        Company("gamma2", "Gamma adjusted", "NL", "EUR", "d", "m", adjusts="gamma"),
        Rate("EUR", "GBP", "closing", date(2026, 1, 31), Decimal("0.85")),
        Budget("b", "Budget", "c"),
        Budget("kept", "Heads", "c", kind="statistics"),
        Code("acc", "9010", "Staff", account_class="statistic", unit="heads"),
        Code("acc", "9020", "Hours", account_class="statistic", unit="hours", adds_up=True),
        Statement("paid", "Received and paid", "c", "direct_cash_flow"),
        StatementLine("paid", "heads", "", 10, "Staff", "accounts", "9010"),
        StatementLine("paid", "sold", "", 20, "Sold", "accounts", "4010"),
        StatementLine("paid", "each", "", 30, "For each", "formula", "", "[sold] / [heads]"),
        Statement("flow", "Flow", "c", "cash_flow"),
        StatementLine("flow", "all", "", 10, "All", "accounts", "1*, 2*, 3010", sign="debit"),
        NonCashPair("flow", "debts", "Debts for capital", "1110", "2010, 3010"),
        ColumnSet("cs", "Beside the budget", "c", budget="b"),
        ColumnSet("seasons", "Seasons by site", "c", "season, site"),
        ColumnSet("sites", "Sites by quarter", "c", "site", within="quarters", part_of="4010"),
        ColumnSet("both", "Two", "c", companies="alpha, beta", formulas="Rest = [total] - [1]"),
        CompanyCode("beta", "company", "10"),
        Rollout(
            "south", "A site more", "alpha", "chart=c except gamma", date(2026, 3, 1), "site", "001", "003"
        ),
        RolloutItem("south", 10, "strings", "site", "001"),
        RolloutItem("south", 20, "account", codes="1020, under 11"),
        RolloutItem("south", 30, "string", account="10-1010-001"),
        RolloutItem("south", 40, "rule", name="site-must"),
        RolloutItem("south", 50, "quick_code", name="bank"),
        RolloutItem("south", 60, "place", "is", "4010"),
        SecondChart("gamma", "c", "For the board"),
        CompanyCurrency("gamma", "USD"),
        Rounding("EUR", "revaluation", date(2026, 1, 1), "down"),
        SecondChartMapping("d", "c", 10, "BK", target="1010"),
        SecondChartMapping("d", "c", 20, "all", "", "", "4010"),
        ChartMove("beta", date(2026, 1, 1), "d", "c", "2026-01-03T09:00:00+00:00"),
        Period("m", 2025, 12, "December 2025", date(2025, 12, 1), date(2025, 12, 31)),
    ]
    return rows


def rich_state() -> State:
    return State.of(rich())
