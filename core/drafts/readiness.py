"""Before a draft can be published: what must be put right (■), what is worth a look (◆), what is in order
(●)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from core import checks
from core.changes.fixed import Facts, transition_faults
from core.codes.hierarchies import standing_under_none
from core.codes.lists import natural_lists
from core.definitions.state import State
from core.definitions.tables import (
    TABLES,
    Budget,
    Chart,
    Code,
    ColumnSet,
    Company,
    CompanyAccount,
    Group,
    Hierarchy,
    Statement,
)
from core.drafts.replaying import Collision, Replayed
from core.faults import LOOK, MUST
from core.references import uses
from core.statements.plans import natural_list, plan

OK = "ok"


class ReadinessItem(NamedTuple):
    """One thing said before publishing. `kind` and `name` tell where to go: a code of a list, a statement, a
    change."""

    severity: str
    sentence: str
    kind: str = ""
    of: str = ""
    name: str = ""


def items(made: Replayed, found: Iterable[Collision], facts: Facts) -> list[ReadinessItem]:
    """The whole list, what must be put right first."""
    edits = made.edits()
    to_do = [ReadinessItem(MUST, c.sentence, "collision", c.table, " ".join(map(str, c.key))) for c in found]
    faults = [
        *transition_faults(made.base, made.state, edits, facts),
        *checks.of_change(made.base, made.state, edits),
    ]
    for fault in faults:
        to_do.append(
            ReadinessItem(
                fault.severity,
                f"{fault.what} {fault.way_out}".strip(),
                fault.where.table,
                *_place(fault.where.key),
            )
        )
    to_do += [
        ReadinessItem(
            MUST, f"This change does nothing any more: {step.sentence}.", "change", "", str(step.number)
        )
        for step in made.steps
        if not step.edits
    ]
    to_do += _unplaced(made.base, made.state)
    to_do += _under_none(made.base, made.state)
    to_do += _not_opened(made)
    to_do += _closed(made)
    to_do = list({item.sentence: item for item in reversed(to_do)}.values())[::-1]
    order = {MUST: 0, LOOK: 1, OK: 2}
    return sorted(to_do, key=lambda item: order[item.severity])


def _place(key: tuple[object, ...]) -> tuple[str, str]:
    texts = [str(part) for part in key]
    return texts[0] if texts else "", " ".join(texts[1:])


def _missed(state: State, statement: str) -> set[str]:
    planned = plan(state, statement)
    return {planned.accounts.posting[i] for i in planned.missed().tolist()} if planned is not None else set()


def _unplaced(before: State, after: State) -> Iterator[ReadinessItem]:
    """Accounts that the draft leaves on no line of a statement they belong on."""
    clean = True
    for row in sorted(after.rows(Statement), key=lambda row: row.statement):
        if plan(before, row.statement) is plan(after, row.statement):
            continue
        code_list = natural_list(after, row.chart)
        new = sorted(_missed(after, row.statement) - _missed(before, row.statement))
        clean = clean and not new
        for code in new[:50]:
            account = after.get(Code, code_list, code)
            yield ReadinessItem(
                MUST,
                f"{code} {account.name if account else ''} is on no line of {row.name}.",
                "statement",
                row.statement,
                code,
            )
        if len(new) > 50:
            yield ReadinessItem(
                MUST,
                f"{len(new) - 50:,} more accounts are on no line of {row.name}.",
                "statement",
                row.statement,
            )
    if clean:
        yield ReadinessItem(OK, "Every account the draft touches keeps its line")


def _under_none(before: State, after: State) -> Iterator[ReadinessItem]:
    clean = True
    for code_list in sorted(natural_lists(after)):
        new = sorted(set(standing_under_none(after, code_list)) - set(standing_under_none(before, code_list)))
        clean = clean and not new
        for code in new[:20]:
            yield ReadinessItem(LOOK, f"{code} stands under no rollup code.", "code", code_list, code)
        if len(new) > 20:
            yield ReadinessItem(
                LOOK, f"{len(new) - 20:,} more codes stand under no rollup code.", "codes", code_list
            )
    if clean:
        yield ReadinessItem(OK, "Every new posting code sits under a rollup code")


def _not_opened(made: Replayed) -> Iterator[ReadinessItem]:
    """New accounts that companies with a list of open accounts have not opened."""
    added = [
        (step_edit.new.code_list, step_edit.new.code)
        for step_edit in made.edits()
        if step_edit.table == "codes" and step_edit.old is None and step_edit.new.takes_amounts
    ]
    if not added:
        return
    charts = {chart.chart: natural_list(made.state, chart.chart) for chart in made.state.rows(Chart)}
    listed = [row for row in made.state.rows(Company) if row.accounts_open == "listed"]
    for code_list, code in added[:50]:
        closed = [
            row.name
            for row in listed
            if charts.get(row.chart) == code_list
            and made.state.get(CompanyAccount, row.company, code) is None
        ]
        if closed:
            count = f"{len(closed)} companies have" if len(closed) > 1 else f"{closed[0]} has"
            yield ReadinessItem(LOOK, f"{count} not opened {code}.", "code", code_list, code)


def _closed(made: Replayed) -> Iterator[ReadinessItem]:
    """Codes the draft closes that definitions still name."""
    for edit in made.edits():
        if edit.table != "codes" or edit.new is None or edit.old is None:
            continue
        if edit.new.in_use_until and edit.new.in_use_until != edit.old.in_use_until:
            still = list(uses.of_code(made.state, edit.new.code_list, edit.new.code))
            if still:
                more = f", and {len(still) - 1} more" if len(still) > 1 else ""
                yield ReadinessItem(
                    LOOK,
                    f"{edit.new.code} is closed but still named: {still[0].sentence}{more}.",
                    "code",
                    edit.new.code_list,
                    edit.new.code,
                )


def charts_touched(
    before: State, after: State, tables: Iterable[tuple[str, tuple[object, ...]]]
) -> list[str]:
    """Charts whose definitions these rows belong to, by their ids."""
    names: set[str] = set()
    for table, key in tables:
        for state in (before, after):
            names |= _charts_of(state, table, str(key[0]))
    return sorted(names)


OF_A_CHART = frozenset(
    (
        *("charts", "chart_segments", "chart_dimensions", "pairing_rules", "pairing_conditions"),
        *("account_strings", "quick_codes"),
    )
)
"""Tables whose first key is the chart."""
NAMING_A_CHART: dict[str, type[Any]] = {
    **dict.fromkeys(("statements", "statement_lines"), Statement),
    **dict.fromkeys(("companies", "company_codes", "company_accounts", "intercompany_pairs"), Company),
    "budgets": Budget,
    "column_sets": ColumnSet,
}
"""Tables whose first key is a row that names its chart."""


def _charts_of(state: State, table: str, first: str) -> set[str]:
    if table in OF_A_CHART:
        return {first}
    if table in ("code_lists", "codes"):
        return set(uses.charts_of_list(state, first))
    if table in ("hierarchies", "hierarchy_nodes"):
        hierarchy_row = state.get(Hierarchy, first)
        return set(uses.charts_of_list(state, hierarchy_row.code_list)) if hierarchy_row else set()
    if table in ("structures", "structure_segments"):
        return {row.chart for row in state.rows(Chart) if row.structure == first}
    owner = NAMING_A_CHART.get(table)
    if owner is None and (table == "groups" or TABLES[table].by_name.get("group")):
        owner = Group
    row = state.get(owner, first) if owner else None
    return {row.chart} if row else set()
