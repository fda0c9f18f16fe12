"""The figures of one statement of a pack: of a company or a group, alone or beside the year before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from core.analysis.asked import Asked
from core.analysis.time_steps import before
from core.analysis.variances import CHANGE, beside, beside_one_another, judged_columns
from core.definitions.state import State
from core.definitions.tables import Company, Group
from core.faults import WrongCall
from core.group.membership import group_calendar
from web.group.queries import group_statement
from web.packs.paper import Paper, paper_of
from web.shell.tabular import Cell, Money, SheetBook, as_csv
from web.statements.figure_source import FigureSource
from web.statements.outline import write_statement
from web.statements.queries import StatementFigures, company_plan, figures_of
from web.statements.remarks import Note, RemarksAt


@dataclass(frozen=True, slots=True)
class PackItem:
    """A statement of a company, or of a group; the other is empty. A matrix is the address of its page, of
    all the companies that it is of, parted by commas."""

    statement: str
    company: str = ""
    group: str = ""
    matrix: str = ""


class PackPart(Protocol):
    """What files ask of anything that a pack holds."""

    @property
    def item(self) -> PackItem: ...
    @property
    def title(self) -> str: ...
    @property
    def whose(self) -> str: ...
    def paper(self, made: str) -> Paper: ...
    def csv(self) -> bytes: ...
    def write(self, book: SheetBook, name: str) -> None: ...


@dataclass(frozen=True, slots=True)
class PackContents:
    """What a pack holds at one moment of the books: figures, sentences about items that can't be worked out,
    and the version of the definitions."""

    figures: Sequence[PackPart]
    left_out: list[str]
    version: int


@dataclass(frozen=True, slots=True)
class PackFigures:
    """What an item comes to; `waiting` says who is not in a group's figures."""

    item: PackItem
    whose: str
    found: StatementFigures
    waiting: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()

    @property
    def title(self) -> str:
        return self.found.plan.statement.name

    def csv(self) -> bytes:
        found = self.found
        rows: list[list[Cell]] = [
            [
                figure.line.row.line,
                figure.line.row.label,
                figure.line.depth,
                *(Money(value, found.digits) for value in figure.shown),
            ]
            for figure in found.figures.lines
        ]
        return as_csv(("line", "label", "depth", *found.columns), rows)

    def write(self, book: SheetBook, name: str) -> None:
        titles = [self.found.currency if title == "amount" else title for title in self.found.columns]
        notes = [note.sentence() for note in self.notes]
        write_statement(book, name, self.found, titles, f"{self.title}, {self.whose}", notes)

    def paper(self, made: str, unit: str = "") -> Paper:
        is_balance = self.found.plan.statement.kind == "balance_sheet"
        stretch = self.found.window.title(is_balance)
        paper = paper_of(self.found, self.whose, stretch, made, unit, (), self.notes)
        return replace(paper, notes=(*self.waiting, *paper.notes))


def pack_figures(state: State, item: PackItem, year: int, period: int, with_year_before: bool) -> PackFigures:
    """Raises WrongCall for what there isn't."""
    of_whom = _of_group if item.group else _of_company
    figures = of_whom(state, item, year, period, with_year_before)
    remarks = RemarksAt(item.statement, item.company, item.group, year, period)
    return replace(figures, notes=tuple(remarks.notes(figures.found.plan)))


def _of_company(state: State, item: PackItem, year: int, period: int, with_year_before: bool) -> PackFigures:
    company = state.get(Company, item.company)
    if company is None:
        raise WrongCall(f"There is no company {item.company}.")
    planned = company_plan(state, item.statement, company)
    source = FigureSource(state, company, Asked(year, period))
    shown = figures_of(source, planned)
    earlier = before(source.calendar, source.asked, "year") if with_year_before else None
    if earlier is not None:
        then = figures_of(FigureSource(state, company, earlier), planned)
        shown = _beside(shown, then)
    return PackFigures(item, company.name, shown)


def _of_group(state: State, item: PackItem, year: int, period: int, with_year_before: bool) -> PackFigures:
    consolidated = group_statement(state, item.statement, item.group, year, period)
    shown = _last_column(consolidated.statement)
    calendar = group_calendar(state, item.group)
    if with_year_before and calendar and (year - 1, period) in calendar.periods:
        then = group_statement(state, item.statement, item.group, year - 1, period)
        shown = _beside(shown, _last_column(then.statement))
    group = state.require(Group, item.group)
    return PackFigures(item, f"{group.name}, consolidated", shown, tuple(consolidated.told))


def _last_column(shown: StatementFigures) -> StatementFigures:
    """A group's own column alone."""
    return replace(shown, figures=beside_one_another([(shown.figures, -1)]), columns=("amount",))


def _beside(shown: StatementFigures, then: StatementFigures) -> StatementFigures:
    is_balance = shown.plan.statement.kind == "balance_sheet"
    titles = (shown.window.title(is_balance), then.window.title(is_balance), CHANGE)
    judged = () if is_balance else judged_columns(titles)
    return replace(shown, figures=beside(shown.figures, then.figures), columns=titles, judged=judged)
