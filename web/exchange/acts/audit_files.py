"""The French file of accounting entries."""

from __future__ import annotations

import argparse

from core.definitions.tables import Overlay
from core.faults import WrongCall
from web.definitions import snapshot
from web.exchange.acts.answers import say, written
from web.exchange.audit_file import audit_file_of, content_of


def run_audit_file(given: argparse.Namespace) -> int:
    """Writes the file; standard error says its name and what it comes to."""
    state = snapshot.current().state
    if given.overlay and state.get(Overlay, given.overlay) is None:
        raise WrongCall(f"There is no overlay {given.overlay}.")
    made = audit_file_of(state, given.company, given.year, given.siren, given.overlay)
    content = content_of(made, given.separator, given.encoding)
    if given.output is not None and given.output.is_dir():
        given.output /= made.name
    say(f"{made.name}: {len(made.records):,} records.")
    return written(given, content)
