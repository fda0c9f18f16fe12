"""How account strings of companies that moved to another chart are read, from a package: with the history
that it is of."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from core.definitions.parsing import Read, read_table
from core.definitions.state import State
from core.definitions.tables import TABLES, ChartMove, MovedAccount
from core.faults import Fault, Location
from core.structures.accounts import restored
from core.structures.charts import context_in
from core.structures.second_charts import moves_of
from web.journals.moved_accounts import restore, stored

PostedBefore = Collection[tuple[str, str, str]]
"""(company, chart, account string) of history in charts that companies were on before they moved."""


class MovesImport:
    """Rows of `moved_accounts`, against a state of the definitions (`before`: as it is without the
    package)."""

    def __init__(self, state: State, sources: dict[str, Any], faults: list[Fault], before: State) -> None:
        self.state, self.before, self.faults = state, before, faults
        self.source = sources.get("moved_accounts")
        self.new: list[tuple[MovedAccount, str, str]] = []
        self.same = 0

    def check(self, posted: PostedBefore, journals: Collection[tuple[str, str]]) -> None:
        """Every string of a chart before is read as one of each chart that the company moved to since, and
        what carried it over is there."""
        read = self._read()
        rows = read.rows.values() if read else ()
        known = stored({row.company for row in self.state.rows(ChartMove)})
        for key, row in read.rows.items() if read else ():
            self._check_row(read, key, row, known)
        given = {tuple(row[:4]) for row in rows} | set(known)
        for move in sorted(self.state.rows(ChartMove)):
            if self.before.get(ChartMove, move.company, move.on) is None:
                self._check_move(move, given, posted, journals)

    def _read(self) -> Read | None:
        records = self.source.records(self.faults) if self.source else iter([])
        header = next(records, None)
        if header is None:
            return None
        read = read_table(TABLES["moved_accounts"], header[1], records)
        self.faults += read.faults
        return read

    def _check_row(
        self, read: Read | None, key: Any, row: MovedAccount, known: dict[tuple[str, str, str, str], str]
    ) -> None:
        number = read.numbers[key] if read else None

        def tell(column: str, what: str, way_out: str) -> None:
            place = Location("moved_accounts", key, column, str(getattr(row, column)), number)
            self.faults.append(Fault("chart-move", what, place, way_out))

        there = known.get((row.company, row.chart_before, row.account, row.chart))
        if there is not None:
            if there != row.target:
                tell("target", f"{row.account} is read as {there} already.", "Leave it as it is.")
            self.same += 1
            return
        naturals = []
        for column, chart, account in (
            ("account", row.chart_before, row.account),
            ("target", row.chart, row.target),
        ):
            seated = context_in(self.state, row.company, chart)
            if seated is None:
                tell(column, f"There is no chart {chart} of company {row.company}.", "Correct the name.")
                return
            resolved = restored(seated, account, "", defaults=False)
            for fault in resolved.faults:
                tell(column, fault.what, fault.way_out)
            naturals.append(resolved.natural)
        if not self._leads(row):
            what = f"{row.company} didn't move from {row.chart_before} to {row.chart}."
            tell("chart", what, "Bring its moves in the table chart_moves.")
        self.new.append((row, naturals[0], naturals[1]))

    def _leads(self, row: MovedAccount) -> bool:
        """Whether a company came from one chart to the other, by one move or more."""
        moves = moves_of(self.state, row.company)
        begins = [i for i, move in enumerate(moves) if move.chart_before == row.chart_before]
        ends = [i for i, move in enumerate(moves) if move.chart == row.chart]
        return bool(begins and ends and begins[0] <= ends[-1])

    def _check_move(
        self,
        move: ChartMove,
        given: Collection[Any],
        posted: PostedBefore,
        journals: Collection[tuple[str, str]],
    ) -> None:
        place = Location("chart_moves", (move.company, move.on), "journal", move.journal)
        if move.journal and (move.company, move.journal) not in journals:
            what = f"The journal {move.journal} of {move.company}, which carried it over, is not there."
            self.faults.append(Fault("chart-move", what, place, "Bring it with the history it belongs to."))
        leads_here = {one.chart_before for one in moves_of(self.state, move.company) if one.on <= move.on}
        for company, chart, account in sorted(posted):
            row = (company, chart, account, move.chart)
            if company == move.company and chart in leads_here and row not in given:
                what = f"Nothing says how {account} of {company} is read in {move.chart}."
                way_out = "Give a row of moved_accounts."
                self.faults.append(Fault("chart-move", what, place, way_out))

    def write(self, outcome: Any) -> None:
        outcome.same["moved_accounts"] += self.same
        outcome.new["moved_accounts"] += len(self.new)
        if self.new:
            restore(self.new)
