"""Trial balances, statements, and what groups are asked."""

from __future__ import annotations

import argparse

from core.analysis.asked import Asked, read_day
from core.definitions.state import State
from core.definitions.tables import Overlay
from core.faults import WrongCall
from core.structures.overlays import SeenAs, seen_as
from web.definitions import snapshot
from web.exchange import reports
from web.exchange.acts.answers import say, written
from web.shell import tabular


def asked_of(given: argparse.Namespace) -> Asked:
    """Raises WrongCall for a day that is none."""
    start, end = (read_day(text) if text is not None else None for text in (given.start, given.end))
    across = {name: getattr(given, name, "") for name in ("periods", "budget", "forecast")}
    return Asked(given.year, given.period, given.from_period, start, end, given.filter, given.by, **across)


def statement_report(state: State, given: argparse.Namespace, whose: reports.Whose) -> reports.Report:
    if bool(given.statement) == bool(given.tree):
        raise WrongCall("Name a statement, or a hierarchy with --tree.")
    if given.tree:
        return reports.hierarchy(state, given.tree, given.level, whose, asked_of(given), given.columns)
    if given.level is not None:
        raise WrongCall("Only a hierarchy is cut at a level.")
    asked = asked_of(given)
    return reports.statement(state, given.statement, whose, asked, given.columns, accounts=given.accounts)


OF_GROUPS = {
    "disagreements": reports.disagreements,
    "consolidation": reports.consolidation,
    "translation": reports.translation,
}


def run_report(given: argparse.Namespace) -> int:
    state = snapshot.current().state
    if overlay := getattr(given, "seen_as", ""):
        if state.get(Overlay, overlay) is None:
            raise WrongCall(f"There is no overlay {overlay}.")
        state = seen_as(state, SeenAs(overlay))
    if given.act in OF_GROUPS:
        report = OF_GROUPS[given.act](state, given.group, given.year, given.period)
    elif given.act == "cash-proof":
        at = given.group, given.year, given.period, given.from_period
        report = reports.cash_proof(state, given.statement, *at)
    else:
        whose = reports.Whose(given.company or "", given.group or "", getattr(given, "companies", "") or "")
        of_statement = given.act == "statement"
        report = (
            statement_report(state, given, whose)
            if of_statement
            else reports.trial_balance(state, whose, asked_of(given), given.in_chart)
        )
    for message in report.messages:
        say(message)
    return written(given, tabular.WRITERS[given.format](report.header, report.rows))
