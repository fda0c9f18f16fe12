"""Statements of Fernhollow's shared chart: their lines, in order."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.tables import Statement, StatementLine

BALANCE_SHEET = [
    # line, parent, label, kind, accounts
    ("assets", "", "Assets", "heading", ""),
    ("current", "assets", "Current assets", "heading", ""),
    ("cash", "current", "Cash and bank", "accounts", "11010 to 11099"),
    ("receivables", "current", "Trade receivables", "accounts", "11210, 11220, 11230, 11290"),
    ("advances", "current", "Grower advances", "accounts", "11240"),
    ("biological", "current", "Biological assets", "accounts", "under 113"),
    ("prepaid", "current", "Prepayments", "accounts", "11410 to 11449"),
    ("stocks", "current", "Stocks", "accounts", "under 115"),
    ("due-from", "current", "Due from group companies", "accounts", "under 118"),
    ("fixed", "assets", "Non-current assets", "heading", ""),
    ("land", "fixed", "Glasshouses and land", "accounts", "under 121"),
    ("plant", "fixed", "Plant and vehicles", "accounts", "under 122"),
    ("rights", "fixed", "Plant breeders' rights", "accounts", "12510 to 12599"),
    ("goodwill", "fixed", "Goodwill", "accounts", "under 126"),
    ("shares", "fixed", "Shares and loans in the group", "accounts", "12810, 12820"),
    ("associates", "fixed", "Shares in associates", "accounts", "12830"),
    ("funding", "", "Equity and liabilities", "heading", ""),
    ("liabilities", "funding", "Liabilities", "heading", ""),
    ("payables", "liabilities", "Trade payables", "accounts", "under 211"),
    ("accruals", "liabilities", "Accruals", "accounts", "under 212"),
    ("taxes", "liabilities", "Taxes and social charges", "accounts", "under 213"),
    ("other-payables", "liabilities", "Other payables", "accounts", "under 214"),
    ("due-to", "liabilities", "Due to group companies", "accounts", "under 218"),
    ("loans", "liabilities", "Loans and leases", "accounts", "under 221"),
    ("group-loans", "liabilities", "Loans from the group", "accounts", "under 228"),
    ("equity", "funding", "Equity", "heading", ""),
    ("capital", "equity", "Share capital", "accounts", "31010, 31020"),
    ("reserves", "equity", "Retained earnings and reserves", "accounts", "31110, 31120"),
    ("translation", "equity", "Translation reserve", "accounts", "31130"),
    ("result", "equity", "Result", "result", ""),
    ("minority", "equity", "Minority", "accounts", "31210"),
]
INCOME = [
    ("owners", "", "Result for the owners", "heading", ""),
    ("result", "owners", "Result after tax", "heading", ""),
    ("before-tax", "result", "Result before tax", "heading", ""),
    ("gross", "before-tax", "Gross margin", "heading", ""),
    ("sales", "gross", "Sales", "accounts", "under 41"),
    ("group-sales", "gross", "Sales within the group", "accounts", "under 418"),
    ("growing", "gross", "Cost of growing", "accounts", "under 51"),
    ("group-purchases", "gross", "Purchases within the group", "accounts", "under 518"),
    ("write-offs", "gross", "Trial write-offs", "accounts", "51990"),
    ("other-income", "before-tax", "Other income", "accounts", "under 48"),
    ("overheads", "before-tax", "Overheads", "heading", ""),
    ("sites", "overheads", "Sites", "accounts", "under 61"),
    ("people", "overheads", "People", "accounts", "under 62"),
    ("selling", "overheads", "Selling and distribution", "accounts", "under 63"),
    ("office", "overheads", "Group office", "accounts", "under 64"),
    ("depreciation", "overheads", "Depreciation", "accounts", "under 65"),
    ("finance", "before-tax", "Finance", "accounts", "under 71"),
    ("held", "before-tax", "Companies held", "accounts", "under 49"),
    ("tax", "result", "Tax", "accounts", "under 72"),
    ("minority", "owners", "Minority's share", "accounts", "under 73"),
    ("gap", "", "", "gap", ""),
    ("margin", "", "Gross margin, share of all sales", "formula", "[gross] / ([sales] + [group-sales])"),
]
PEOPLE = [
    ("heads", "", "Staff, heads", "accounts", "91010"),
    ("hours", "", "Hours worked", "accounts", "91020"),
    ("glass", "", "Area under glass, m2", "accounts", "91030"),
    ("gap", "", "", "gap", ""),
    ("sales", "", "Sales", "accounts", "under 41"),
    ("labour", "", "Labour and people", "accounts", "under 513, under 62"),
    ("per-head", "", "Sales per head", "formula", "[sales] / [heads]"),
    ("per-hour", "", "Labour per hour", "formula", "[labour] / [hours]"),
    ("per-metre", "", "Sales per m2", "formula", "[sales] / [glass]"),
]
CHANNEL_LINES = [
    ("public", "To the public", "RET, WEB"),
    ("trade", "To the trade", "AUC, WHO"),
    ("without", "Without a channel", ""),
]
EQUITY = [
    ("equity", "", "Movement of equity", "heading", ""),
    ("capital", "equity", "Share capital", "accounts", "31010, 31020"),
    ("reserves", "equity", "Retained earnings and reserves", "accounts", "31110, 31120"),
    ("translation", "equity", "Translation reserve", "accounts", "31130"),
    ("result", "equity", "Result", "result", ""),
    ("minority", "equity", "Minority", "accounts", "31210"),
]


def statements() -> Iterator[Any]:
    yield Statement("bs", "Balance sheet", "shared", "balance_sheet")
    yield Statement("is", "Income statement", "shared", "income_statement")
    yield Statement("equity", "Movement of equity", "shared", "other")
    yield Statement("people", "Staff and glass", "shared", "other")
    yield Statement("channels", "Sales by channel", "shared", "other")
    yield StatementLine("channels", "sales", "", 10, "Sales", "heading")
    for position, (line, label, codes) in enumerate(CHANNEL_LINES, 2):
        of_line = ("channels", line, "sales", position * 10, label, "accounts", "under 41")
        yield StatementLine(*of_line, field="channel", codes=codes)
    for name, lines in (("bs", BALANCE_SHEET), ("is", INCOME), ("equity", EQUITY), ("people", PEOPLE)):
        for position, (line, parent, label, kind, text) in enumerate(lines, 1):
            accounts, formula = ("", text) if kind == "formula" else (text, "")
            yield StatementLine(name, line, parent, position * 10, label, kind, accounts, formula)
