"""The matrix of a rollout: things down, companies across, and the one change that it makes.

Kinds of things are worked out one after the other, each on the definitions as the kinds before it leave them:
a string may need a code that comes with it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import groupby
from typing import Any

from core.access.owners import lacking_right, owners_of_row
from core.access.rights import FULL, Access, Right
from core.changes.fixed import Facts
from core.changes.kinds import Change, ChangeSequence, PutRows, apply, examine
from core.changes.of_statements import PlaceAccounts
from core.definitions.state import State
from core.definitions.tables import BY_ROW, Company, CompanyAccount, Rollout, StatementLine
from core.faults import Fault, Key, blocking
from core.rollouts.cells import Outcome, Placing, RolloutCell, cannot
from core.rollouts.fitting import RolloutSource, Target, source_of, target_of
from core.rollouts.of_codes import AccountInChart, account_cell, account_in_chart, code_cell
from core.rollouts.of_rules import place_cell, rule_cell
from core.rollouts.of_strings import StringCells, quick_code_cell
from core.rollouts.things import Thing, ThingKind, things_of
from core.structures.company_choice import chosen_companies

EVERY = "*"
ROUNDS = 4
KEYS = {kind: table.keys for kind, table in BY_ROW.items()}
MOST_CELLS = 1_000_000

Tell = Callable[[str, int], None]


@dataclass(frozen=True, slots=True)
class OursWins:
    """Where what comes wins over what differs there: (key of the thing, company), either of them EVERY; and
    single cells of these in which it doesn't."""

    picked: frozenset[tuple[str, str]] = frozenset()
    kept: frozenset[tuple[str, str]] = frozenset()

    def has(self, thing: Thing, company: str) -> bool:
        key = thing.key
        if (key, company) in self.kept:
            return False
        return bool(self.picked & {(key, company), (key, EVERY), (EVERY, company), (EVERY, EVERY)})

    def taking(self, thing: str, company: str) -> OursWins:
        """What comes wins in a cell, a row (company EVERY), a column (thing EVERY), or everywhere."""
        kept = {
            (own, other) for own, other in self.kept if thing in (own, EVERY) and company in (other, EVERY)
        }
        return OursWins(self.picked | {(thing, company)}, self.kept - kept)

    def keeping(self, thing: str, company: str) -> OursWins:
        """What is there stays in a cell."""
        return OursWins(self.picked - {(thing, company)}, self.kept | {(thing, company)})


@dataclass(frozen=True)
class Matrix:
    """`cells[i][j]`: the i-th thing in the j-th company; `wins[i][j]` where what comes wins. `faults` belong
    to no cell and stand in the way of all; `remarks` are items that say nothing."""

    rollout: Rollout
    things: tuple[Thing, ...]
    companies: tuple[Company, ...]
    cells: list[list[RolloutCell]]
    wins: list[list[bool]]
    remarks: tuple[str, ...]
    faults: tuple[Fault, ...] = ()

    def written(self) -> Iterator[RolloutCell]:
        """Cells that write something."""
        for row, wins in zip(self.cells, self.wins, strict=True):
            for cell, ours in zip(row, wins, strict=True):
                if cell.outcome == "new" or (cell.outcome == "differs" and ours):
                    yield cell

    def rows(self) -> tuple[Any, ...]:
        """All rows that it writes, each once."""
        return _rows(self.written())

    def counts(self) -> Counter[Outcome]:
        return Counter(cell.outcome for row in self.cells for cell in row)

    def changed(self) -> int:
        """Cells that differ and where what comes wins."""
        return sum(
            cell.outcome == "differs" and ours
            for row, wins in zip(self.cells, self.wins, strict=True)
            for cell, ours in zip(row, wins, strict=True)
        )

    def change(self) -> Change:
        """All that it writes, in one act."""
        return _writing(list(self.written()), f"Rolled out {self.told()}")

    def told(self) -> str:
        """What it comes to, without the full stop."""
        counts, changed = self.counts(), self.changed()
        return (
            f"{self.rollout.name} to {len(self.companies):,} companies: {counts['new']:,} made,"
            f" {changed:,} changed, {counts['alike']:,} alike, {counts['differs'] - changed:,} kept,"
            f" {counts['cannot']:,} left out"
        )


def _rows(cells: Iterable[RolloutCell]) -> tuple[Any, ...]:
    """What cells write, each row once, table by table."""
    rows: dict[type[Any], dict[Any, Any]] = {}
    for cell in cells:
        for row in cell.rows:
            own = rows.get(type(row))
            if own is None:  # rows of two tables may be equal as tuples
                own = rows[type(row)] = {}
            own[row] = row
    return tuple(row for own in rows.values() for row in own)


def _writing(cells: list[RolloutCell], told: str) -> Change:
    places = sorted({cell.placing for cell in cells if cell.placing})
    if not places:
        return PutRows(_rows(cells), told)
    lines = groupby(places, key=lambda place: (place.statement, place.line))
    return ChangeSequence(
        (
            PutRows(_rows(cells), ""),
            *(PlaceAccounts(*line, tuple(place.code for place in placed)) for line, placed in lines),
        ),
        told,
    )


def matrix_of(
    state: State,
    rollout: Rollout,
    strings: Iterable[str],
    today: date,
    facts: Facts,
    ours: OursWins,
    tell: Tell = lambda what, done: None,
    access: Access = FULL,
) -> Matrix:
    """Works a rollout out. `strings`: account strings that its source has posted to. `tell` is told how far
    it is and may raise to stop. `access`: of whom it is made for; what they may not do can't be made."""
    source = source_of(state, rollout, today)
    things = things_of(state, rollout, strings)
    choice = chosen_companies(state, rollout.companies)
    remarks = (*things.faults, *choice.faults)
    if source is None:
        return Matrix(rollout, (), (), [], [], remarks)
    companies = tuple(row for row in choice.companies if source.swap or row.company != source.company.company)
    seen = access.names(Right.SEE, "company")
    if seen is not None and (unseen := sum(row.company not in seen for row in companies)):
        companies = tuple(row for row in companies if row.company in seen)
        remarks = (*remarks, f"{unseen:,} of the companies it names are not shown: you don't see them.")
    if len(things.things) * len(companies) > MOST_CELLS:
        remarks = (*remarks, f"A rollout has at most {MOST_CELLS:,} cells. Choose fewer things or companies.")
        return Matrix(rollout, things.things, (), [[] for _ in things.things], [], remarks)
    matrix = _worked_out(state, source, rollout, things.things, companies, ours, remarks, tell, access)
    return _judged(state, matrix, facts)


class _Allowed:
    """Cells that write what isn't somebody's to define can't be made; said before the act, not after it."""

    def __init__(self, state: State, access: Access) -> None:
        self.state, self.access = state, access
        self.known: dict[tuple[str, Any], Fault | None] = {}
        self.everywhere = Right.DEFINE in access.everywhere

    def cell(self, cell: RolloutCell) -> RolloutCell:
        if cell.outcome not in ("new", "differs"):
            return cell
        rows = [*cell.rows, *(_line(self.state, cell.placing) if cell.placing else ())]
        fault = next((fault for row in rows if (fault := self._fault(row))), None)
        return cannot(fault) if fault else cell

    def _fault(self, row: Any) -> Fault | None:
        table = BY_ROW[type(row)].name
        if (key := (table, row[0])) not in self.known:
            owners = owners_of_row(self.state, table, row)
            self.known[key] = lacking_right(self.access, Right.DEFINE, owners, row)
        return self.known[key]


def _line(state: State, placing: Placing) -> list[StatementLine]:
    row = state.get(StatementLine, placing.statement, placing.line)
    return [row] if row else []


def _worked_out(
    state: State,
    source: RolloutSource,
    rollout: Rollout,
    things: tuple[Thing, ...],
    companies: tuple[Company, ...],
    ours: OursWins,
    remarks: tuple[str, ...],
    tell: Tell,
    access: Access,
) -> Matrix:
    state = state.detached()
    allowed = _Allowed(state, access)
    cells: list[list[RolloutCell]] = []
    wins: list[list[bool]] = []
    for kind, group in groupby(things, key=lambda thing: thing.kind):
        targets = [target for row in companies if (target := target_of(state, source, row))]
        known = _KnownCells(state, source)
        start = len(cells)
        for thing in group:
            tell("working cells out", len(cells))
            row = known.row(kind, targets, thing)
            row = row if allowed.everywhere else [allowed.cell(cell) for cell in row]
            _one_key_once(row, companies, source.company)
            cells.append(row)
            wins.append(_wins(row, thing, companies, ours))
        if kind != things[-1].kind:
            written = Matrix(rollout, (), companies, cells[start:], wins[start:], ()).written()
            state = apply(state, PutRows(_rows(written), ""))
    return Matrix(rollout, things, companies, cells, wins, remarks)


class _KnownCells:
    """Cells of one state; what doesn't hang on the company is worked out once a chart."""

    def __init__(self, state: State, source: RolloutSource) -> None:
        self.state, self.source = state, source
        self.by_chart: dict[tuple[str, Thing], RolloutCell] = {}
        self.own = state.part(CompanyAccount, source.company.company)
        self.strings = StringCells(state, source)

    def row(self, kind: ThingKind, targets: Sequence[Target], thing: Thing) -> list[RolloutCell]:
        """The cells of a thing in every company."""
        state, source = self.state, self.source
        match kind:
            case "code":
                return [self._of_chart(target, thing, code_cell) for target in targets]
            case "account":
                own = self.own.get((source.company.company, thing.name))
                accounts = self._accounts(targets, thing)
                return [account_cell(state, one, accounts[one.chart.chart], own) for one in targets]
            case "rule":
                return [self._of_chart(target, thing, rule_cell) for target in targets]
            case "place":
                return [self._of_chart(target, thing, place_cell) for target in targets]
            case "string":
                return [self.strings.cell(target, thing) for target in targets]
            case "quick_code":
                return [quick_code_cell(state, source, target, thing) for target in targets]

    def _accounts(self, targets: Sequence[Target], thing: Thing) -> dict[str, AccountInChart]:
        """By chart of any of the companies."""
        accounts: dict[str, AccountInChart] = {}
        for target in targets:
            if (chart := target.chart.chart) not in accounts:
                shared = self._of_chart(target, thing, code_cell)
                accounts[chart] = account_in_chart(self.source, target, thing, shared)
        return accounts

    def _of_chart(
        self,
        target: Target,
        thing: Thing,
        work_out: Callable[[State, RolloutSource, Target, Thing], RolloutCell],
    ) -> RolloutCell:
        key = (target.chart.chart, thing)
        if (cell := self.by_chart.get(key)) is None:
            cell = self.by_chart[key] = work_out(self.state, self.source, target, thing)
        return cell


def _one_key_once(row: list[RolloutCell], companies: tuple[Company, ...], source: Company) -> None:
    """Where two companies would each write another row under one key, only the first can: the source itself,
    else the one whose name comes first."""
    first: dict[tuple[type[Any], Key], tuple[Any, int]] = {}
    own = companies.index(source) if source in companies else -1
    for place in (*((own,) if own >= 0 else ()), *(at for at in range(len(row)) if at != own)):
        if row[place].outcome not in ("new", "differs"):
            continue
        for written in row[place].rows:
            kind = type(written)
            key = written[: KEYS[kind]]
            there, at = first.setdefault((kind, key), (written, place))
            if there is not written and there != written:
                what = f"{companies[at].name} gets another {BY_ROW[kind].noun} {key[-1]} in this act."
                way_out = "Bring it in a rollout of its own, under another name."
                row[place] = cannot(Fault("taken", what, way_out=way_out))


def _wins(row: list[RolloutCell], thing: Thing, companies: tuple[Company, ...], ours: OursWins) -> list[bool]:
    """Where what comes wins, as picked; what is one row for a chart or list is decided for all on it."""
    if not any(cell.outcome == "differs" for cell in row):
        return [False] * len(row)
    shared = [cell.outcome == "differs" and cell.scope != "company" for cell in row]
    picked = [
        cell.outcome == "differs" and ours.has(thing, company.company)
        for cell, company in zip(row, companies, strict=True)
    ]
    kept = {
        company.chart
        for company, own in zip(companies, shared, strict=True)
        if own and (thing.key, company.company) in ours.kept
    }
    taken = {
        company.chart for company, own, win in zip(companies, shared, picked, strict=True) if own and win
    } - kept
    return [
        company.chart in taken if own else win
        for company, own, win in zip(companies, shared, picked, strict=True)
    ]


def _judged(state: State, matrix: Matrix, facts: Facts) -> Matrix:
    """Cells whose rows the checks refuse can't be made; what the checks say of other rows stands in the way
    of all."""
    state = state.detached()
    for _ in range(ROUNDS):
        faults = blocking(examine(state, matrix.change(), facts).faults)
        if not faults:
            return matrix
        at = {(fault.where.table, fault.where.key): fault for fault in faults}
        cells = [[_refused(cell, at) for cell in row] for row in matrix.cells]
        if all(
            new is old
            for row, own in zip(cells, matrix.cells, strict=True)
            for new, old in zip(row, own, strict=True)
        ):
            return replace(matrix, faults=tuple(faults))
        matrix = replace(matrix, cells=cells)
    return replace(matrix, faults=tuple(blocking(examine(state, matrix.change(), facts).faults)))


def _refused(cell: RolloutCell, at: dict[tuple[str, Key], Fault]) -> RolloutCell:
    if cell.outcome not in ("new", "differs"):
        return cell
    for row in cell.rows:
        table = BY_ROW[type(row)]
        if fault := at.get((table.name, table.key(row))):
            return cannot(fault)
    if cell.placing and (fault := at.get(("statement_lines", (cell.placing.statement, cell.placing.line)))):
        return cannot(fault)
    return cell
