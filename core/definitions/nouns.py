"""What definitions are called in sentences: the noun of each table, and a row in words."""

from __future__ import annotations

from typing import Any

from core.definitions.parsing import write_cell
from core.definitions.tables import BY_ROW

NOUNS = {
    "code_lists": "code list",
    "codes": "code",
    "code_names": "name",
    "list_properties": "property",
    "code_properties": "property",
    "doubts_set_aside": "doubt set aside",
    "hierarchies": "hierarchy",
    "hierarchy_nodes": "place",
    "structures": "structure",
    "structure_segments": "segment",
    "dimensions": "dimension",
    "charts": "chart",
    "chart_segments": "segment rule",
    "chart_dimensions": "dimension",
    "pairing_rules": "pairing rule",
    "pairing_conditions": "condition",
    "account_strings": "account string",
    "quick_codes": "quick code",
    "overlays": "overlay",
    "overlay_codes": "local code",
    "calendars": "calendar",
    "periods": "period",
    "companies": "company",
    "company_codes": "company code",
    "company_accounts": "company account",
    "intercompany_pairs": "intercompany pair",
    "statements": "statement",
    "statement_lines": "line",
    "groups": "group",
    "group_members": "member",
    "mappings": "mapping row",
    "rates": "rate",
    "eliminations": "elimination",
    "budgets": "budget",
}


def named(row: Any) -> str:
    """A row in words: code 11250 Seed stock of accounts."""
    table = BY_ROW[type(row)]
    key = [write_cell(part) for part in table.key(row)]
    label = getattr(row, "name", "") or getattr(row, "label", "")
    own = " ".join(key[1:]) or key[0]
    of = f" of {key[0]}" if len(key) > 1 else ""
    return f"{NOUNS[table.name]} {own}{f' {label}' if label else ''}{of}"


def many(noun: str) -> str:
    """The plural of a definition's noun."""
    if noun.endswith("company"):
        return noun[:-1] + "ies"
    if noun.endswith(("hierarchy", "property")):
        return noun[:-1] + "ies"
    return noun.replace("doubt set", "doubts set") if noun == "doubt set aside" else f"{noun}s"
