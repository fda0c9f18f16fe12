"""A kept period beside what it would be now, line by line, and by which causes it moved."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Any, NamedTuple

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.safestring import SafeString

from core.changes.kinds import edit_sentence
from core.consolidation.position import Consolidation
from core.definitions.state import State
from core.definitions.statement_rows import FLOW_STATEMENTS
from core.definitions.tables import Group, Statement
from core.group_figures.columns import FIXED_TITLES, GROUP
from core.keeping.kept import KeptFigures, figures_to_keep
from core.keeping.moved import JOURNALS, PROGRAM, MovedLine, moved_lines, states_between
from core.money import digits_of, show_amount, show_whole
from core.statements.figures import Figures, compute
from core.statements.plans import Plan, plan
from core.statements.printing import PrintedLine, printed
from web.definitions.history import state_at
from web.definitions.viewing import PineRequest
from web.group import kept, queries
from web.group.addresses import GroupAddress, group_address, statements_of
from web.group.models import KeptPeriod
from web.group.parts import known_group
from web.group.statement import company_names
from web.group.steps import group_context, share_text
from web.journals.models import Book
from web.journals.since import PostedSince, posted_since
from web.people.rights import SIGNED_IN, needs
from web.process_cache import ProcessCache
from web.shell.asked import number
from web.shell.table_rows import Cell, TableRow, indent, table_rows
from web.shell.tabular import download
from web.shell.templatetags.pine import as_rate
from web.statements.made_from import MadeFrom
from web.statements.outline import statement_workbook
from web.statements.queries import StatementFigures

MOST_TOLD = 50
EVERYTHING = "everything"
TITLES = {
    JOURNALS: "Journals",
    PROGRAM: "Computation",
    "rates": "Rates",
    "shares": "Shares",
    "rules": "Rules",
    "mapping": "Mapping",
    "definitions": "Accounts",
    EVERYTHING: "All causes",
}


class Stage(NamedTuple):
    """The figures after a cause, and what it was in sentences (journals apart)."""

    cause: str
    state: State
    figures: KeptFigures
    says: tuple[str, ...]


_stages: ProcessCache[Any, tuple[State, Consolidation, tuple[Stage, ...]]] = ProcessCache(4)
_read: ProcessCache[Any, KeptFigures] = ProcessCache(24)
_now: ProcessCache[Any, tuple[Consolidation, KeptFigures]] = ProcessCache(24)


def figures_kept(row: KeptPeriod) -> KeptFigures:
    """Read once in a process: what is kept never changes."""
    known = _read.get((row.pk, row.digest))
    if known is None:
        known = KeptFigures.read(row.figures)
        _read.put((row.pk, row.digest), known)
    return known


def kept_of(at: GroupAddress, number: int | None = None) -> KeptPeriod | None:
    """The last keeping of an address's period, or one by its number."""
    rows = KeptPeriod.objects.filter(group=at.group.group, fiscal_year=at.year, period=at.period)
    rows = rows.select_related("by", "released").order_by("-number")
    return (rows.filter(number=number) if number is not None else rows).first()


def figures_now(state: State, row: KeptPeriod) -> KeptFigures | None:
    """What would be kept now; None where the calendar has no such period any more."""
    _, calendar = known_group(state, row.group)
    if (row.fiscal_year, row.period) not in calendar.periods:
        return None
    work = queries.consolidation_of(state, row.group)
    key = (row.group, row.fiscal_year, row.period)
    known = _now.get(key)
    if known is None or known[0] is not work:
        known = work, _figures(kept.worked_afresh(work), state, row)
        _now.put(key, known)
    return known[1]


def _figures(work: Consolidation, state: State, row: KeptPeriod) -> KeptFigures:
    at = queries.group_window(state, row.group, row.fiscal_year, row.period)
    return figures_to_keep(work, at.start, at.end)


def amounts_moved(state: State, row: KeptPeriod) -> int:
    """How many amounts of accounts and columns are others now than they were kept."""
    now, then = figures_now(state, row), figures_kept(row)
    was, will_be = _by_name(then), _by_name(now) if now else {}
    return sum(was.get(name) != will_be.get(name) for name in {**was, **will_be})


def _by_name(figures: KeptFigures) -> dict[tuple[str, str], tuple[int, int]]:
    names = (*figures.accounts, *(f"{stray.company} {stray.account}" for stray in figures.strays))
    return {
        (names[row.account], figures.columns[row.column]): (row.brought, row.total) for row in figures.amounts
    }


def books_moved(row: KeptPeriod) -> bool:
    stood = {(company, year): sequence for company, year, sequence in row.books}
    rows = Book.objects.filter(company_id__in={company for company, _ in stood})
    return any(stood.get((book.company_id, book.fiscal_year), 0) != book.sequence for book in rows)


def stages_of(state: State, row: KeptPeriod) -> tuple[Stage, ...]:
    """The figures kept, then after each cause in turn, the last those of now."""
    then = figures_kept(row)
    now = figures_now(state, row)
    before = state_at(row.version)
    work = queries.consolidation_of(state, row.group)
    cached = _stages.get(row.pk)
    if cached is not None and cached[0] is state and cached[1] is work:
        return cached[2]
    if before is None or now is None:
        stages: tuple[Stage, ...] = (Stage("", state, then, ()),)
        if now is not None:
            stages += (Stage(EVERYTHING, state, now, ()),)
    else:
        stages = tuple(_told_apart(before, state, row, then))
    _stages.put(row.pk, (state, work, stages))
    return stages


def _told_apart(before: State, state: State, row: KeptPeriod, then: KeptFigures) -> Iterator[Stage]:
    yield Stage("", before, then, ())
    figures = _figures(queries.worked_apart(before, row.group), before, row)
    if _by_name(figures) != _by_name(then):
        yield Stage(JOURNALS if books_moved(row) else PROGRAM, before, figures, ())
    for cause, after, edits in states_between(before, state):
        says = tuple(edit_sentence(edit) for edit in edits[:MOST_TOLD])
        yield Stage(cause, after, _figures(queries.worked_apart(after, row.group), after, row), says)


def _statement_figures(stage: Stage, statement: Statement, digits: int, other: State) -> Figures:
    planned = plan_kept(stage.state, other, statement.statement)
    amounts = stage.figures.of_statement(
        planned.accounts, balance_sheet=planned.statement.kind == "balance_sheet"
    )
    return compute(planned, amounts, digits)


def plan_kept(then: State, now: State, statement: str) -> Plan:
    """The statement as it was then; one that was not there, or asked for codes, is taken as it is now. Raises
    WrongCall where neither is made from amounts by account."""
    known = [planned for state in (then, now) if (planned := plan(state, statement))]
    by_account = [planned for planned in known if not planned.needs_rows]
    return queries.by_account_alone((by_account or known)[0])


def _is_laid_out_anew(before: State, now: State, statement: Statement) -> bool:
    return plan(before, statement.statement) is not plan(now, statement.statement)


def line_rows(lines: Sequence[MovedLine], causes: Sequence[str], digits: int) -> SafeString:
    """A line a row; of causes those columns that moved anything."""

    def row(line: MovedLine) -> TableRow:
        moved = [Cell(show_amount(line.by.get(cause) or None, digits), "num") for cause in causes]
        css = "num look" if line.difference else "num"
        return TableRow(
            line.line,
            [
                Cell(line.title, f"d{min(line.depth, 8)}"),
                Cell(show_amount(line.kept, digits), "num"),
                *moved,
                Cell(show_amount(line.difference, digits) if line.has_moved else "—", css),
                Cell(show_amount(line.now, digits), "num total"),
            ],
            css="heading" if line.is_heading else "",
        )

    return table_rows(row(line) for line in lines)


def _columns_kept(state: State, row: KeptPeriod, statement: Statement | None, group: Group) -> dict[str, Any]:
    """All columns of a statement as they were kept, in whole units."""
    if statement is None:
        return {}
    found, titles = _found_kept(state, row, statement, group)
    last, digits = len(titles) - 1, found.digits

    def cells(line: PrintedLine) -> Iterator[Cell]:
        figure = line.figure
        taken_off = line.part != "head" and found.plan.is_taken_off(figure.line)
        words = f"less {line.label}" if taken_off else line.label
        yield Cell(words, f"{indent(figure.line.depth)} stays")
        for i in range(len(titles)):
            value, css = figure.seen(i), "num total stays-end" if i == last else "num"
            written = show_amount(value, digits) if figure.is_ratio else show_whole(value, digits)
            exact = "" if value is None else show_amount(value, digits)
            yield Cell(written, css, title=exact) if line.has_figures else Cell("", css)

    lines = printed(found.figures.lines, found.plan.statement.totals)
    rows = (
        TableRow(
            f"{line.figure.line.row.line}{'/head' if line.part == 'head' else ''}",
            list(cells(line)),
            css="heading" if line.figure.line.row.kind == "heading" else "",
        )
        for line in lines
    )
    return {"column_heads": titles, "column_rows": table_rows(rows)}


@needs(SIGNED_IN, published=True)
def kept_period(request: PineRequest, state: State, group: str) -> HttpResponse:
    """What was kept beside what is now; the causes come after, as they take longer."""
    at, row, statement = _asked(request, state, group)
    context = group_context(state, at)
    if row is None:
        raise Http404
    then, now = figures_kept(row), figures_now(state, row)
    stages = [Stage("", state_at(row.version) or state, then, ())]
    if now is not None:
        stages.append(Stage(EVERYTHING, state, now, ()))
    names = company_names(state)
    keepings = KeptPeriod.objects.filter(group=group, fiscal_year=row.fiscal_year, period=row.period)
    context |= _lines(stages, statement, state, at.group) | {
        "kept": row,
        "is_sealed": kept.is_sealed(row),
        "is_released": kept.is_released(row),
        "balance": then.balance,
        "keepings": keepings.select_related("by").order_by("-number").defer("figures"),
        "shares": [
            (names.get(one.company, one.company), share_text(Fraction(one.share), one.method))
            for one in then.shares
        ],
        "rates": [(rate, as_rate(Fraction(rate.rate))) for rate in then.rates],
        "statement": statement,
        "statements": _statements_kept(state, at.group),
        "has_moved": now is None
        or _by_name(now) != _by_name(then)
        or (statement is not None and _is_laid_out_anew(stages[0].state, state, statement)),
    }
    if request.GET.get("show") == "all":
        context |= _columns_kept(state, row, statement, at.group)
    return render(request, "group/kept.html", context)


def _found_kept(
    state: State, row: KeptPeriod, statement: Statement, group: Group
) -> tuple[StatementFigures, list[str]]:
    """A statement of what was kept by the definitions of then, and what its columns are called."""
    stage = Stage("", state_at(row.version) or state, figures_kept(row), ())
    digits, names = digits_of(group.currency), company_names(stage.state)
    figures = _statement_figures(stage, statement, digits, state)
    planned = plan_kept(stage.state, state, statement.statement)
    columns = (*stage.figures.columns, GROUP)
    titles = [FIXED_TITLES.get(column) or names.get(column, column) for column in columns]
    window = queries.group_window(state, group.group, row.fiscal_year, row.period)
    return (
        StatementFigures(planned, figures, tuple(titles), group.currency, digits, window, figures.amounts),
        titles,
    )


@needs(SIGNED_IN, published=True)
def kept_workbook(request: PineRequest, state: State, group: str) -> HttpResponse:
    """A statement of what was kept, all columns as they stood, by the definitions of then."""
    at, row, statement = _asked(request, state, group)
    if row is None or statement is None:
        raise Http404
    found, titles = _found_kept(state, row, statement, at.group)
    name = f"{statement.name}, {at.group.name}, {row.name}, as kept, no. {row.number}"
    by = row.by.shown_name() if row.by else "the command line"
    of_keeping = [
        ("Kept", f"{row.at:%Y-%m-%d %H:%M} UTC by {by}, version {row.version}"),
        ("Why", row.why),
        ("Sealed", row.digest),
    ]
    made_from = MadeFrom.of_request(request).rows(found, ("Group", f"{at.group.group} {at.group.name}"))
    content = statement_workbook(found, titles, name, [*of_keeping, *made_from])
    return download(content, f"{statement.statement}-{group}-kept-{row.number}", "xlsx")


@needs(SIGNED_IN, published=True)
def causes(request: PineRequest, state: State, group: str) -> HttpResponse:
    at, row, statement = _asked(request, state, group)
    if row is None:
        raise Http404
    stages = stages_of(state, row)
    context = group_context(state, at) | _lines(stages, statement, state, at.group)
    companies = sorted({company for company, _, _ in row.books})
    ends_on = at.calendar.periods[(row.fiscal_year, row.period)].ends_on if at.period_row else None
    journals: list[PostedSince] = []
    if ends_on is not None and any(stage.cause in (JOURNALS, EVERYTHING) for stage in stages):
        journals = posted_since([tuple(book) for book in row.books], companies, ends_on, MOST_TOLD)
    context |= {
        "kept": row,
        "statement": statement,
        "journals": [
            (posted, reverse("journal", args=[posted.company, posted.journal])) for posted in journals
        ],
        "told": [(TITLES[stage.cause], stage.says) for stage in stages[1:] if stage.says],
    }
    return render(request, "group/moved.html", context)


def _asked(
    request: PineRequest, state: State, group: str
) -> tuple[GroupAddress, KeptPeriod | None, Statement | None]:
    at = group_address(request, state, group)
    own = _statements_kept(state, at.group)
    statement = at.statement if at.statement in own else next(iter(own), None)
    return at, kept_of(at, number(request.GET, "number", None, 10**6)), statement


def _statements_kept(state: State, group: Group) -> list[Statement]:
    """Those that are worked out from what is kept: amounts by account, and not what flowed."""
    return [row for row in statements_of(state, group) if row.kind not in FLOW_STATEMENTS]


def _lines(
    stages: Sequence[Stage], statement: Statement | None, state: State, group: Group
) -> dict[str, Any]:
    digits = digits_of(group.currency)
    if statement is None:
        return {"causes": [], "rows": ""}
    lines = moved_lines(
        [(stage.cause, _statement_figures(stage, statement, digits, state)) for stage in stages]
    )
    names = dict.fromkeys(stage.cause for stage in stages[1:])
    shown = [name for name in names if name != EVERYTHING and any(line.by[name] for line in lines)]
    return {"causes": [TITLES[name] for name in shown], "rows": line_rows(lines, shown, digits)}
