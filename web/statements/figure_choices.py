"""What figures can be narrowed to: codes and rollup codes of a field, those with figures, each with its
amount."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from core.analysis.axes import levels_offered
from core.analysis.filters import NONE, Condition, toggled
from core.codes.hierarchies import main_tree
from core.definitions.state import State
from core.definitions.tables import Company
from core.structures.charts import Field
from web.statements.figure_address import FigureAddress
from web.statements.figure_source import FigureSource
from web.statements.queries import StatementFigures, amounts_by_code
from web.statements.several import companies_of, several_figures

MOST = 60


@dataclass(frozen=True, slots=True)
class CodeChoice:
    """A code, a rollup code or none: what a line shows of it (minor units), and where choosing it leads."""

    code: str
    name: str
    depth: int
    amount: int
    chosen: bool
    address: str


@dataclass(frozen=True, slots=True)
class FieldChoices:
    """`rest`: how many more codes have figures than are listed; they can be typed."""

    field: Field
    choices: tuple[CodeChoice, ...]
    rest: int


def narrowing(address: FigureAddress) -> list[Field]:
    """Fields by which figures are narrowed: dimensions and segments, but for the natural account."""
    segments = [f for f in address.chart.segments if f.role not in ("natural_account", "company")]
    return [*segments, *address.chart.dimensions]


def field_picked(source: FigureSource, fields: Sequence[Field], wanted: str) -> Field | None:
    """The field that is opened for choosing: the wanted, else the last that narrows, else the first."""
    wanted = wanted or (source.conditions[-1].field if source.conditions else "")
    return next((one for one in fields if one.name == wanted), fields[0] if fields else None)


def by_level(state: State, field: Field) -> list[tuple[str, str]]:
    """(name, title) of a field by each level of its rollup codes."""
    levels = levels_offered(state, field)
    return [(f"{field.name}:{level}", f"{field.title}, level {level}") for level in levels]


def field_choices(
    source: FigureSource, address: FigureAddress, field: Field, line: str, companies: Sequence[Company]
) -> FieldChoices:
    """In the order of the list's main hierarchy, then those outside it, then none. `companies`: those that
    stand side by side, if there are several."""
    state, amounts = source.state, _amounts(source, address, field, line, companies)
    offered = _Offered(address, field, next((c for c in source.conditions if c.field == field.name), None))
    found = [offered.code(*one) for one in _ordered(state, field, amounts)]
    if "" in amounts:
        found.append(offered.none(amounts[""] or 0))
    listed = found if len(found) <= MOST else [c for i, c in enumerate(found) if i < MOST or c.chosen]
    return FieldChoices(field, tuple(listed), len(found) - len(listed))


def several_at(state: State, address: FigureAddress) -> StatementFigures:
    """The companies of an address side by side, the one that is looked at saying in which currency."""
    companies = companies_of(state, address.choice, address.several)
    currency = address.company.currency
    return several_figures(state, address.plan, companies, currency, address.asked, address.measure)


def _amounts(
    source: FigureSource, address: FigureAddress, field: Field, line: str, companies: Sequence[Company]
) -> dict[str, int | None]:
    """What a line shows of each code: of all companies together, where several stand side by side."""
    if not companies:
        return amounts_by_code(source, address.plan, line, field.name, address.measure)
    sums: dict[str, int | None] = {}
    for company in companies:
        own = FigureSource(source.state, company, address.asked, with_codes=True)
        if own.chart.field(field.name) is None:
            continue
        for code, amount in amounts_by_code(own, address.plan, line, field.name, address.measure).items():
            sums[code] = (sums.get(code) or 0) + (amount or 0)
    return {code: amount for code, amount in sums.items() if amount}


@dataclass(frozen=True)
class _Offered:
    """Choices of one field, with what the filter says of it."""

    address: FigureAddress
    field: Field
    condition: Condition | None

    def _choice(self, code: str, name: str, depth: int, amount: int, item: str, chosen: bool) -> CodeChoice:
        asked = self.address.asked
        then = replace(asked, filter=toggled(asked.filter, self.field.name, item))
        return CodeChoice(code, name, depth, amount, chosen, self.address.query(then, pick=self.field.name))

    def code(self, code: str, depth: int, amount: int) -> CodeChoice:
        row, condition = self.field.codes.get(code), self.condition
        name = row.name if row else ""
        if row and row.rollup:
            item = f"under {code}"
            items = [piece.strip() for piece in condition.text.split(",")] if condition else []
            return self._choice(code, name, depth, amount, item, item in items)
        return self._choice(code, name, depth, amount, code, bool(condition and condition.fits(code)))

    def none(self, amount: int) -> CodeChoice:
        chosen = bool(self.condition and self.condition.takes_none)
        return self._choice(NONE, f"no {self.field.title.lower()}", 0, amount, NONE, chosen)


def _ordered(state: State, field: Field, amounts: dict[str, int | None]) -> Iterator[tuple[str, int, int]]:
    """(code, depth, amount): rollup codes with what is below them, each code once."""
    tree = main_tree(state, field.code_list)
    for code, depth in tree.order if tree else ():
        below = [amounts.get(one) or 0 for one in (code, *(tree.below(code) if tree else ()))]
        if code in amounts or any(below):
            yield code, depth, sum(below)
    for code in sorted(amounts):
        if code and (tree is None or code not in tree.place):
            yield code, 0, amounts[code] or 0
