"""Import of a package: every table checked before anything is written, all faults told in one go, then one
transaction."""

from __future__ import annotations

import gc
import logging
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from django.db import transaction

from core import checks
from core.books.journals import UNREAD_BY_JOURNALS
from core.changes.fixed import transition_faults
from core.changes.kinds import joined
from core.checks.statements import turned_signs
from core.definitions.parsing import Read, read_table
from core.definitions.state import Edit, State
from core.definitions.tables import BOOKS, DEFINING_TABLES, TABLES, Table
from core.fault_codes import FaultCode
from core.faults import LOOK, MUST, Fault, Refused, blocking
from web.definitions import actions, snapshot
from web.definitions.deciding import decided, keep_definers_out, share
from web.definitions.posted import AskedOfBooks
from web.exchange import balances_in, journals_in, limits, moves_in
from web.exchange.reading import Package, open_package
from web.journals.posting import Progress, silent

log = logging.getLogger(__name__)


@dataclass
class Outcome:
    """What an import did, by table: rows new, changed, the same; and what was only worth a look."""

    new: Counter[str] = field(default_factory=Counter)
    changed: Counter[str] = field(default_factory=Counter)
    same: Counter[str] = field(default_factory=Counter)
    looks: list[Fault] = field(default_factory=list)

    def sentence(self) -> str:
        parts = [
            f"{self.new[name]:,} new"
            + (f" and {self.changed[name]:,} changed" if self.changed[name] else "")
            + f" in {name}"
            for name in TABLES
            if self.new[name] or self.changed[name]
        ]
        return ", ".join(parts) or "nothing new"


def import_package(
    path: Path,
    by: Any = None,
    progress: Progress = silent,
    within: Callable[[Outcome], None] = lambda outcome: None,
) -> Outcome:
    """Imports a package; `within` is called last in its transaction. Raises Refused with all faults; then
    nothing was written."""
    package = open_package(path)
    if package.faults:
        raise Refused(package.faults)
    # Millions of small objects live until the end, none of them in cycles: looking for cycles among them only
    # costs.
    collecting = gc.isenabled()
    gc.disable()
    try:
        return _bring_in(package, by, progress, within)
    finally:
        if collecting:
            gc.enable()


@decided(keep_definers_out)
def _bring_in(package: Package, by: Any, progress: Progress, within: Callable[[Outcome], None]) -> Outcome:
    """Judged outside of every lock; companies are locked from the first line that is written, definitions
    last of all."""
    brought = _Import(package, by, progress)
    brought.judge()
    with transaction.atomic():
        brought.write()
        within(brought.outcome)
    return brought.outcome


class _Import:
    def __init__(self, package: Package, by: Any, progress: Progress) -> None:
        self.package, self.by, self.progress = package, by, progress
        self.before = snapshot.current()
        self.asked = AskedOfBooks(self.before.state)
        self.faults: list[Fault] = []
        self.outcome = Outcome()
        self.reads: dict[str, Read] = {}
        self.edits: list[Edit] = self._definitions()
        self.after = self.before.state.edited(self.edits)
        sources = {
            table.name: self.package.sources[table.name]
            for table in BOOKS
            if table.name in self.package.sources
        }
        self.only_journals = sources.keys() <= {"journals", "journal_lines"}
        self.journals = journals_in.JournalImport(self.after, sources, self.faults, self.progress)
        self.balances = balances_in.BalanceImport(self.after, sources, self.faults, self.progress)
        self.moved = moves_in.MovesImport(self.after, sources, self.faults, self.before.state)

    def judge(self) -> None:
        """Checks everything. Raises Refused with all faults."""
        self._check(self.after, self.edits)
        # The rest is checked even where definitions have faults, so that all are told in one go.
        self.journals.check()
        self.balances.check(self.journals.years())
        self.moved.check(self.journals.posted_before(), self.journals.names())
        self._tell()

    def write(self) -> None:
        """Inside the caller's transaction. Raises Moved where what was judged against stands no more."""
        if self.edits:
            self.asked.posts()
            sentence = f"Imported a package: {self.outcome.sentence()}"
            actions.write_version(
                self.before,
                self.edits,
                sentence,
                self.by,
                self.asked,
                after=self.after,
                beside=self._write_books,
            )
            return
        self._write_books()
        share(self.before, UNREAD_BY_JOURNALS if self.only_journals else ())

    def _write_books(self) -> None:
        self.journals.write(self.by, self.outcome)
        self.balances.write(self.outcome)
        self.moved.write(self.outcome)
        self.progress("finishing", 0)

    def _tell(self) -> None:
        unread = {_cell(fault) for fault in self.faults if fault.code in UNREAD}
        # A cell that could not be read has a stand-in; what is wrong with that is not the user's.
        self.faults = [fault for fault in self.faults if fault.code in UNREAD or _cell(fault) not in unread]
        if blocking(self.faults):
            raise Refused(sorted(blocking(self.faults), key=_by_place)[: limits.MOST_FAULTS])
        self.outcome.looks = [fault for fault in self.faults if fault.severity == LOOK]

    def _definitions(self) -> list[Edit]:
        edits: list[Edit] = []
        for table in DEFINING_TABLES:
            source = self.package.sources.get(table.name)
            if source is None:
                continue
            self.progress(table.name, 0)
            read = self._read(table, source)
            self.reads[table.name] = read
            self.faults += read.faults
            for key, row in read.rows.items():
                old = self.before.state.get(table.row, *key)
                if old == row:
                    self.outcome.same[table.name] += 1
                    continue
                (self.outcome.new if old is None else self.outcome.changed)[table.name] += 1
                edits.append(Edit(table.name, key, old, row))
        return joined(edits)

    def _read(self, table: Table, source: Any) -> Read:
        records = source.records(self.faults)
        header = next(records, None)
        if header is None:
            if not any(f.where.table == table.name for f in self.faults):
                self.faults.append(
                    Fault("no-header", f"The table {table.name} is empty.", way_out="Give a header row.")
                )
            return Read(table)
        state = self.before.state
        return read_table(table, header[1], records, lambda key: state.get(table.row, *key))

    def _check(self, after: State, edits: list[Edit]) -> None:
        """Checks everything as it would be; a fault that was there before, outside the package's rows, is not
        its doing."""
        self.progress("checks", 0)
        self.faults += self._placed(transition_faults(self.before.state, after, edits, self.asked.facts))
        faults = list(dict.fromkeys(self._placed(checks.of_everything(after) if edits else [])))
        self.faults += self._own_doing(faults)
        if edits and not blocking(self.faults):
            self.faults += self._placed(turned_signs(self.before.state, after))

    def _own_doing(self, faults: list[Fault]) -> list[Fault]:
        """Without faults outside the package's rows where its own have some, or that were there before."""
        inside = [fault for fault in faults if fault.where.row is not None]
        if len(inside) == len(faults):
            return faults
        if any(fault.severity == MUST for fault in [*self.faults, *inside] if fault.where.row is not None):
            return inside  # what follows elsewhere would only hide them
        old = {(f.where, f.what) for f in checks.of_everything(self.before.state)}
        return [f for f in faults if f.where.row is not None or (f.where, f.what) not in old]

    def _placed(self, faults: Any) -> Any:
        for fault in faults:
            read = self.reads.get(fault.where.table)
            number = read.numbers.get(fault.where.key) if read else None
            yield fault.at(row=number) if number else fault


UNREAD: tuple[FaultCode, ...] = ("cell-empty", "cell-unreadable")


def _cell(fault: Fault) -> tuple[str, int | None, str]:
    return fault.where.table, fault.where.row, fault.where.column


def _by_place(fault: Fault) -> tuple[int, int, str]:
    names = list(TABLES)
    place = fault.where
    return (names.index(place.table) if place.table in names else -1, place.row or 0, place.column)
