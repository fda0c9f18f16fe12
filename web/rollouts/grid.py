"""The matrix of a rollout as rows and cells of HTML, and one cell in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import NamedTuple, cast

from django.utils.safestring import SafeString

from core.definitions.state import State
from core.definitions.tables import Company, PairingRule, Statement
from core.rollouts.cells import RolloutCell
from core.rollouts.matrix import Matrix
from core.rollouts.things import Thing, ThingKind
from core.structures.charts import ChartIndex, chart_index
from web.shell.cell_grid import GridCell, GridColumn, MatrixRow, grid_rows, short_names

CHUNK = 80
ACROSS = 24
MARKS = {"new": "", "alike": "", "differs": "≠", "cannot": "■"}
SAYS = {"new": "will be made", "alike": "alike", "differs": "differs", "cannot": "cannot"}
SHOWS = ("all", "to do", "differs", "cannot")
BY_LETTER = {
    "n": GridCell("new", "", "made"),
    "c": GridCell("ours", "≠", "changed"),
    "a": GridCell("alike", "", "was there and alike"),
    "k": GridCell("differs", "≠", "kept as it was there"),
    "x": GridCell("cannot", "■", "not made"),
}
NOUNS = {
    "code": "code",
    "account": "account",
    "rule": "rule",
    "quick_code": "quick code",
    "place": "place of",
    "string": "",
}


class ThingWords(NamedTuple):
    """A thing as rows name it: its code, and what it is."""

    code: str
    text: str


def thing_words(state: State, matrix: Matrix, thing: Thing) -> ThingWords:
    source = state.get(Company, matrix.rollout.company)
    index = chart_index(state, source.chart) if source else None
    return _words(state, index, matrix, thing) if index else ThingWords(thing.name, NOUNS[thing.kind])


def _words(state: State, index: ChartIndex, matrix: Matrix, thing: Thing) -> ThingWords:
    match thing.kind:
        case "account" | "place" | "code":
            return _code_words(state, index, matrix, thing)
        case "string":
            codes = index.codes_of(thing.name)
            place = index.index.get(matrix.rollout.swap_field, -1)
            if 0 <= place < len(codes) and codes[place] == matrix.rollout.swap_from:
                codes[place] = matrix.rollout.swap_to
            row = index.segments[index.natural].codes.get(index.natural_of(thing.name))
            return ThingWords(index.shown(index.separator.join(codes)), row.name if row else "")
        case "rule":
            rule = state.get(PairingRule, index.chart, thing.name)
            return ThingWords(thing.name, f"rule: {rule.message}" if rule and rule.message else "rule")
        case _:
            return ThingWords(thing.name, NOUNS[thing.kind])


def _code_words(state: State, index: ChartIndex, matrix: Matrix, thing: Thing) -> ThingWords:
    """A code by the code and name under which it comes."""
    rollout = matrix.rollout
    natural = index.segments[index.natural]
    field = natural if thing.kind != "code" else index.field(thing.field) or natural
    swapped = bool(rollout.swap_to) and (field.name, thing.name) == (rollout.swap_field, rollout.swap_from)
    row = field.codes.get(thing.name)
    name = (rollout.swap_name if swapped else "") or (row.name if row else "")
    code = rollout.swap_to if swapped else thing.name
    if thing.kind == "code":
        return ThingWords(code, f"{name}, {field.title}")
    statement = state.get(Statement, thing.field) if thing.kind == "place" else None
    return ThingWords(code, f"{name}, on {statement.name}" if statement else name)


def grid_cell(cell: RolloutCell, wins: bool) -> GridCell:
    if cell.outcome == "differs" and wins:
        return GridCell("ours", "≠", "differs: what comes wins")
    reason = f": {cell.fault.what}" if cell.fault else ""
    return GridCell(cell.outcome, MARKS[cell.outcome], f"{SAYS[cell.outcome]}{reason}")


def fits(show: str, row: Iterable[RolloutCell]) -> bool:
    """Whether a thing's cells have what is asked for."""
    outcomes = {cell.outcome for cell in row}
    return {
        "all": True,
        "to do": bool(outcomes - {"alike"}),
        "differs": "differs" in outcomes,
        "cannot": "cannot" in outcomes,
    }[show]


class MatrixPart(NamedTuple):
    """A stretch of a matrix: `next` is the thing from which it goes on, if it does."""

    rows: SafeString
    columns: list[GridColumn]
    next: int | None
    total: int


def matrix_part(state: State, matrix: Matrix, show: str, start: int, left: int) -> MatrixPart:
    heads = short_names([(row.company, row.name) for row in matrix.companies])[left : left + ACROSS]
    fitting = [i for i, row in enumerate(matrix.cells) if fits(show, row)]
    rows = []
    for i in fitting[start : start + CHUNK]:
        words = thing_words(state, matrix, matrix.things[i])
        cells = zip(matrix.cells[i][left : left + ACROSS], matrix.wins[i][left : left + ACROSS], strict=True)
        rows.append(
            MatrixRow(
                matrix.things[i].key,
                words.text,
                [grid_cell(cell, wins) for cell, wins in cells],
                code=words.code,
            )
        )
    stop = start + CHUNK
    return MatrixPart(grid_rows(rows, heads), heads, stop if stop < len(fitting) else None, len(fitting))


class Reason(NamedTuple):
    """Why cells can't be made: the sentence, and how many of which companies it stands in."""

    what: str
    way_out: str
    companies: tuple[str, ...]
    cells: int


def reasons(matrix: Matrix, most: int = 8) -> list[Reason]:
    """The reasons that most cells have, first."""
    counts: Counter[tuple[str, str]] = Counter()
    who: dict[tuple[str, str], dict[str, None]] = {}
    for row in matrix.cells:
        for cell, company in zip(row, matrix.companies, strict=True):
            if cell.fault:
                said = (cell.fault.what, cell.fault.way_out)
                counts[said] += 1
                who.setdefault(said, {})[company.name] = None
    return [Reason(*said, tuple(who[said]), count) for said, count in counts.most_common(most)]


def run_rows(
    things: Sequence[Sequence[str]], heads: Sequence[GridColumn], outcomes: Sequence[str]
) -> SafeString:
    """A run of the log: each cell as it came out."""
    rows = []
    for thing, text in zip(things, outcomes, strict=True):
        kind, field, name = thing
        key = Thing(cast(ThingKind, kind), field, name).key
        rows.append(MatrixRow(key, NOUNS[kind], [BY_LETTER[own] for own in text], code=name))
    return grid_rows(rows, heads)
