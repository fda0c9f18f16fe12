"""Acts at random over every table of definitions: rows put, dropped, given other values; and the changes
screens make."""

from __future__ import annotations

import random
from datetime import date
from decimal import Decimal
from typing import Any

from core.changes.kinds import (
    Add,
    AddCode,
    Amend,
    Change,
    ChangeSequence,
    ChangeSet,
    CloseCode,
    Delete,
    DeleteCode,
    Drop,
    MoveNode,
    Put,
)
from core.changes.of_arrangements import Arrange, EndArrangement, SetBack, SettleUpstream, TakeUpstream
from core.changes.of_codes import AmendCodes, BringCodes, MoveNodes, by_beginnings, copied
from core.changes.of_statements import (
    DeleteLine,
    DeleteLines,
    MapAccounts,
    MoveLine,
    MoveLines,
    PlaceAccounts,
)
from core.chart_moves.of_company import MoveToChart
from core.definitions.parsing import write_cell
from core.definitions.state import State
from core.definitions.tables import (
    BY_ROW,
    DEFINING_TABLES,
    Arrangement,
    Code,
    CodeProperty,
    Column,
    Hierarchy,
    PairingRule,
    StatementLine,
    Table,
)

WORDS = {
    "moment": ("2026-01-03T09:00:00+00:00", "2026-03-01T09:00:00+00:00"),
    "amount": ("0", "12.50", "-3.00", "1000.00"),
    "id": (
        "c",
        "d",
        "s",
        "o",
        "acc",
        "own",
        "site",
        "season",
        "tree",
        "other",
        "alpha",
        "beta",
        "gamma",
        "g",
        "sub",
        "m",
        "new",
        "company",
        "account",
        "owner",
        "limit",
        "nl",
        "bank",
        "ic",
        "site-must",
        "sales",
        "costs",
        "cash",
        "assets",
    ),
    "code": (
        "1010",
        "1020",
        "1030",
        "1110",
        "2010",
        "5010",
        "1",
        "10",
        "11",
        "12",
        "001",
        "002",
        "SP26",
        "BK",
        "IC",
        "ZZ",
        "ab",
        "10001",
        "",
    ),
    "selector": (
        "1010",
        "10*",
        "under 1",
        "under 10",
        "1010 to 1999",
        "all",
        "4010, 5010",
        "1020 except 1020",
        "BK",
        "under 11 in other",
        "9*",
        "SP26",
        "[",
        "",
    ),
    "text": (
        "A name",
        "10-1010-",
        "10-1010-001",
        "20-5010",
        "BK",
        "[sales] - [costs]",
        "[gone]",
        "Treasury",
        "500",
        "x",
        "",
    ),
    "dimensions": ("season=SP26", "season=ZZ26", "site=001", "season", ""),
    "currency": ("GBP", "EUR", "XXL", ""),
}


SIDES = ("any", "debit", "credit")


class Acts:
    """Draws changes against a state; the same seed draws the same ones."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)

    def draw(self, state: State) -> Change:
        kind = self.chance.random()
        if kind < 0.3:
            return self._other_values(state)
        if kind < 0.45:
            return Drop(self._row(state))
        if kind < 0.6:
            return self._new_row(state)
        if kind < 0.7:
            parts = tuple(self.draw(state) for _ in range(self.chance.randint(2, 3)))
            return (
                ChangeSequence(parts) if self.chance.random() < 0.5 else ChangeSet(parts, "Several at once")
            )
        return self._of_screens(state)

    def _row(self, state: State, *tables: Table) -> Any:
        filled = [table for table in tables or DEFINING_TABLES if state.count(table.row)]
        table = self.chance.choice(filled)
        return self.chance.choice(sorted(state.rows(table.row), key=lambda row: tuple(map(write_cell, row))))

    def _value(self, column: Column) -> Any:
        name = column.kind.name
        if column.kind.choices:
            return self.chance.choice(column.kind.choices)
        if name == "flag":
            return self.chance.random() < 0.5
        if name == "date":
            return self.chance.choice(
                (
                    date(2026, 2, 1),
                    date(2026, 2, 28),
                    date(2025, 1, 1),
                    date(2026, 4, 30),
                    *([] if column.must else [None]),
                )
            )
        if name == "integer":
            return self.chance.choice((1, 2, 3, 4, 10, 20, 2026, *([] if column.must else [None])))
        if name in ("number", "rate"):
            return Decimal(self.chance.choice((1, 50, 100, 150)))
        return self.chance.choice(WORDS.get(name, WORDS["text"]))

    def _other_values(self, state: State) -> Change:
        row = self._row(state)
        table = BY_ROW[type(row)]
        free = [column for column in table.columns if not column.key]
        if not free:
            return Drop(row)
        chosen = self.chance.sample(free, min(len(free), self.chance.choice((1, 1, 2))))
        values = {column.name: self._value(column) for column in chosen}
        if (
            self.chance.random() < 0.3 and "XXL" not in values.values()
        ):  # a draft keeps only what could be read
            cells = tuple((name, write_cell(value)) for name, value in values.items())
            return Amend(table.name, tuple(write_cell(part) for part in table.key(row)), cells)
        return Put(row._replace(**values))

    def _new_row(self, state: State) -> Change:
        row = self._row(state)
        table = BY_ROW[type(row)]
        keys = [column for column in table.columns if column.key]
        chosen = self.chance.sample(keys, self.chance.randint(1, len(keys)))
        return Put(row._replace(**{column.name: self._value(column) for column in chosen}))

    def _of_screens(self, state: State) -> Change:
        pick = self.chance.choice
        codes = sorted(row.code for row in state.rows(Code) if row.code_list == "acc")
        some = tuple(self.chance.sample(codes, min(len(codes), 2)))
        trees = sorted(row.hierarchy for row in state.rows(Hierarchy)) or ["tree"]
        lines = sorted(state.rows(StatementLine), key=str) or [StatementLine("st", "cash")]
        rules = sorted(state.rows(PairingRule), key=str) or [PairingRule("c", "r", 1, "site", "required")]
        line, new = (
            pick(lines),
            Code(
                pick(("acc", "site", "own")),
                pick(WORDS["code"]),
                "New",
                account_class=pick(("", "asset", "expense", "statistic")),
                unit=pick(("", "", "heads")),
            ),
        )
        return pick(
            (
                lambda: AddCode(new, pick(("", "10", "1", "1010"))),
                lambda: AddCode(new._replace(rollup=True, account_class="")),
                lambda: CloseCode("acc", pick(codes), pick((None, date(2026, 1, 31)))),
                lambda: DeleteCode("acc", pick(codes)),
                lambda: MoveNode(pick(trees), pick(codes), pick((*codes, "")), pick((*codes, ""))),
                lambda: MoveNodes(pick(trees), some, pick((*codes, ""))),
                lambda: MoveLine(line, pick(lines).line),
                lambda: DeleteLine(line.statement, line.line),
                lambda: PlaceAccounts(line.statement, line.line, some),
                lambda: MoveLines(line.statement, (line.line, pick(lines).line), pick(lines).line),
                lambda: DeleteLines(line.statement, (line.line, pick(lines).line)),
                lambda: Put(
                    line._replace(
                        field=pick(("season", "site", "")), codes=pick(("SP26", "001", "")), side=pick(SIDES)
                    )
                ),
                lambda: Arrange(
                    Arrangement(pick(("own-a", "own-b")), line.statement, pick(("alpha", "gamma"))), "Own"
                ),
                lambda: TakeUpstream(line.statement, line.line),
                lambda: SettleUpstream(line.statement, line.line, pick(("", "Said"))),
                lambda: SetBack(line.statement, pick((line.line, ""))),
                lambda: EndArrangement(line.statement),
                lambda: MapAccounts("g", "gamma", ("OW",), pick(codes)),
                lambda: MoveToChart(
                    pick(("alpha", "gamma", "gamma2")),
                    pick(("c", "d")),
                    date(2026, 2, 1),
                    WORDS["moment"][1],
                    pick(("", "M-1")),
                    pick(((), ("10",), ("30",))),
                ),
                lambda: Delete(pick(rules)),
                lambda: Delete(self._row(state)),
                lambda: Add(self._row(state)),
                lambda: AmendCodes(
                    "acc", some, ((pick(("posting", "enabled", "budgeting")), pick(("true", "false"))),)
                ),
                lambda: BringCodes(
                    (new,),
                    (pick((None, "10", "1010")),),
                    (CodeProperty(new.code_list, new.code, "limit", pick(("5", "big", ""))),),
                ),
                lambda: copied(state, pick(trees), Hierarchy(pick(("copy", "other")), "acc", "Copy")),
                lambda: by_beginnings(state, Hierarchy("begun", "acc", "Begun"), 1),
            )
        )()
