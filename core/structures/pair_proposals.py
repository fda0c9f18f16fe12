"""Accounts on which two companies most likely book what they owe each other, proposed from other pairs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from core.codes.lists import list_index
from core.definitions.state import State, derived
from core.definitions.tables import Code, Company, IntercompanyPair
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
    asset = list(_named(state, row.chart, words, "asset"))
    debt = list(_named(state, row.chart, words, "liability"))
    if len(asset) == 1 and len(debt) == 1:
        return PairProposal(asset[0], debt[0], "by their names")
    return None


def _named(state: State, chart: str, words: set[str], account_class: str) -> Iterator[str]:
    """Posting accounts of a class that say due, and a word of the partner's name."""
    index = chart_index(state, chart)
    for code in list_index(state, index.natural_list).codes.values() if index else ():
        if code.takes_amounts and code.account_class == account_class and _says(code, words):
            yield code.code


def _says(code: Code, words: set[str]) -> bool:
    said = set(code.name.lower().split())
    return "due" in said and bool(said & words)
