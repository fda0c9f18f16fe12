"""What changes added, as items of a rollout: codes, strings, rules, quick codes of the source, and where its
new accounts stand on statements."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import groupby

from core.definitions.state import Edit, State
from core.definitions.tables import Arrangement, Code, Company, Rollout, RolloutItem, Statement
from core.statements.plans import plan
from core.structures.charts import ChartIndex, chart_index

Said = tuple[str, str, str, str, str]
"""kind, field, code, account, name of an item."""


def items_added(state: State, rollout: Rollout, edits: Iterable[Edit]) -> list[RolloutItem]:
    """Items behind those the rollout has, for what edits added and is still there; what an item says already
    is not said again."""
    company = state.get(Company, rollout.company)
    index = chart_index(state, company.chart) if company else None
    if index is None:
        return []
    there = list(state.part(RolloutItem, rollout.rollout).values())
    known = {
        (item.kind, item.field, code, item.account, item.name) for item in there for code in _codes(item)
    }
    fresh = [edit for edit in edits if edit.old is None and state.get(type(edit.new), *edit.key) is not None]
    said = [own for own in dict.fromkeys(_said(state, index, rollout.company, fresh)) if own not in known]
    position = max((item.position for item in there), default=0)
    items = []
    for place, ((kind, field, account, name), own) in enumerate(
        groupby(sorted(said), key=lambda s: (s[0], s[1], s[3], s[4])), 1
    ):
        codes = ", ".join(code for _, _, code, _, _ in own if code)
        items.append(RolloutItem(rollout.rollout, position + place * 10, kind, field, codes, account, name))
    return items


def _codes(item: RolloutItem) -> list[str]:
    return [code.strip() for code in item.codes.split(",")]


def _said(state: State, index: ChartIndex, company: str, edits: list[Edit]) -> Iterator[Said]:
    natural = index.natural_list
    lists = {
        field.code_list: field.name
        for field in reversed((*index.segments, *index.dimensions))
        if field.role != "company"
    }
    for edit in edits:
        row = edit.new
        match edit.table:
            case "codes" if row.code_list == natural:
                yield ("account", "", row.code, "", "")
                yield from _places(state, index, row)
            case "codes" if row.code_list in lists:
                yield ("code", lists[row.code_list], row.code, "", "")
            case "company_accounts" if row.company == company:
                yield ("account", "", row.code, "", "")
            case "account_strings" if row.chart == index.chart:
                yield ("string", "", "", row.account, "")
            case "pairing_rules" if row.chart == index.chart:
                yield ("rule", "", "", "", row.rule)
            case "quick_codes" if row.chart == index.chart:
                yield ("quick_code", "", "", "", row.quick_code)


def _places(state: State, index: ChartIndex, row: Code) -> Iterator[Said]:
    """Statements of the chart on a line of which a new account stands."""
    for statement in sorted(state.rows(Statement)):
        is_own = state.get(Arrangement, statement.statement) is not None
        planned = plan(state, statement.statement) if statement.chart == index.chart and not is_own else None
        at = planned.accounts.position.get(row.code) if planned else None
        if planned and at is not None and planned.home_of(at) >= 0:
            yield ("place", statement.statement, row.code, "", "")
