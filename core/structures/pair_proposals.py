"""Accounts on which two companies most likely book what they owe each other, proposed from other pairs."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from core.codes.lists import list_index
from core.definitions.state import State, derived
from core.definitions.tables import (
    AccountString,
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    Company,
    Dimension,
    Hierarchy,
    HierarchyNode,
    IntercompanyPair,
    OverlayCode,
    PairingCondition,
    PairingRule,
    Structure,
    StructureSegment,
)
from core.structures.charts import chart_index

NOISE = frozenset({"plc", "ltd", "limited", "group", "company", "holding", "the", "and", "of"})


class PairProposal(NamedTuple):
    """Two accounts for a company's side of a pair, and why just these."""

    due_from: str
    due_to: str
    ground: str


def proposed_pair(state: State, company: str, partner: str) -> PairProposal | None:
    """For what `company` books of `partner`: the accounts on which others of its chart book that partner,
    else the one pair of accounts that it uses with all, else accounts named after the partner."""
    row = state.get(Company, company)
    if row is None or state.get(Company, partner) is None or company == partner:
        return None
    return _as_others(state, row, partner) or _as_with_others(state, company) or _by_name(state, row, partner)


@derived(IntercompanyPair, Company)
def _by_chart_and_partner(state: State) -> dict[tuple[str, str], Counter[tuple[str, str]]]:
    """How often accounts face a partner, by chart and partner."""
    charts = {row.company: row.chart for row in state.rows(Company)}
    counts: dict[tuple[str, str], Counter[tuple[str, str]]] = {}
    for pair in state.rows(IntercompanyPair):
        key = (charts.get(pair.company, ""), pair.partner)
        counts.setdefault(key, Counter())[pair.due_from, pair.due_to] += 1
    return counts


def _as_others(state: State, row: Company, partner: str) -> PairProposal | None:
    counts = _by_chart_and_partner(state).get((row.chart, partner))
    if not counts:
        return None
    accounts, count = counts.most_common(1)[0]
    others = "another company" if count == 1 else f"{count} other companies"
    return PairProposal(*accounts, f"as {others} of its chart")


def _as_with_others(state: State, company: str) -> PairProposal | None:
    pairs = {(pair.due_from, pair.due_to) for pair in state.part(IntercompanyPair, company).values()}
    used = len(state.part(IntercompanyPair, company))
    return PairProposal(*pairs.pop(), "as with all its partners") if len(pairs) == 1 and used > 1 else None


def _by_name(state: State, row: Company, partner: str) -> PairProposal | None:
    other = state.require(Company, partner)
    words = {word for word in other.name.lower().split() if word not in NOISE}
    found = {
        kind: [code.code for code in _due_accounts(state, row.chart) if _says(code, words, kind)]
        for kind in ("asset", "liability")
    }
    if all(len(codes) == 1 for codes in found.values()):
        return PairProposal(found["asset"][0], found["liability"][0], "by their names")
    return None


@derived(
    *(Chart, Structure, StructureSegment, ChartSegment, ChartDimension, Dimension, CodeList, Code),
    *(Hierarchy, HierarchyNode, PairingRule, PairingCondition, AccountString, OverlayCode),
)
def _due_accounts(state: State, chart: str) -> list[Code]:
    """Posting accounts of a chart whose name says due."""
    index = chart_index(state, chart)
    codes = list_index(state, index.natural_list).codes.values() if index else ()
    return [code for code in codes if code.takes_amounts and "due" in code.name.lower().split()]


def _says(code: Code, words: set[str], account_class: str) -> bool:
    return code.account_class == account_class and bool(words & set(code.name.lower().split()))
