"""Which statements a pack holds, and making it from one moment of the books."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from django.db import connection, transaction

from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Company, Group, Statement
from core.faults import Fault, Location, Refused, WrongCall
from core.group.membership import group_calendar
from core.structures.second_charts import is_seen_in
from web.definitions import snapshot
from web.packs.files import pack_file
from web.packs.matrices import pack_matrix
from web.packs.statements import PackContents, PackItem, PackPart, pack_figures
from web.statements.made_from import MadeFrom

MOST = 2_000


Names = Iterable[str]


def pack_items(
    state: State,
    statements: Iterable[str],
    companies: Iterable[str],
    groups: Iterable[str],
    year: int,
    period: int,
) -> list[PackItem]:
    """Each statement of each company and group on its chart: companies first, then groups. Raises Refused
    with every reason why there is nothing, or a period that somebody doesn't have."""
    wanted, companies, groups = list(statements), list(companies), list(groups)
    faults = list(_unknown(state, wanted, companies, groups))
    if faults:
        raise Refused(faults)
    items = [
        PackItem(name, company, "")
        for company in companies
        for name in wanted
        if is_seen_in(state, state.require(Company, company), state.require(Statement, name).chart)
    ] + [
        PackItem(name, "", group)
        for group in groups
        for name in wanted
        if state.require(Statement, name).chart == state.require(Group, group).chart
    ]
    if not items or len(items) > MOST:
        what = (
            f"A pack has at most {MOST:,} statements; these are {len(items):,}."
            if items
            else "None of these statements is of a chart of these companies or groups."
        )
        raise Refused(
            [Fault("nothing-chosen", what, way_out="Choose other statements, companies or groups.")]
        )
    if faults := list(_without_period(state, items, year, period)):
        raise Refused(faults)
    return items


def _unknown(
    state: State, statements: Sequence[str], companies: Sequence[str], groups: Sequence[str]
) -> Iterator[Fault]:
    rows: tuple[tuple[type[Any], str, Names], ...] = (
        (Statement, "statement", statements),
        (Company, "company", companies),
        (Group, "group", groups),
    )
    for row, noun, names in rows:
        for name in names:
            if state.get(row, name) is None:
                yield Fault("reference", f"There is no {noun} {name}.", Location(column=noun, value=name))


def _without_period(state: State, items: Sequence[PackItem], year: int, period: int) -> Iterator[Fault]:
    for who in dict.fromkeys((item.company, item.group) for item in items):
        company, group = who
        calendar = group_calendar(state, group) if group else company_calendar(state, company)
        if calendar is None or (year, period) not in calendar.periods:
            what = f"{group or company} has no period {period} in {year}."
            yield Fault(
                "reference",
                what,
                Location(column="period", value=str(period)),
                "Leave it out, or choose another period.",
            )


def make_pack(
    form: str,
    name: str,
    items: Sequence[PackItem],
    at: tuple[int, int],
    with_year_before: bool,
    by: Any,
    tell: Callable[[str, int], None] = lambda what, done: None,
) -> tuple[bytes, str, PackContents]:
    """(content, its SHA-256, what it holds): every figure is of one moment of the books. `by` None: the
    command line. Raises WrongCall where nothing of it can be worked out, and whatever `tell` raises."""
    contents = figures_of_items(items, at, with_year_before, tell, by)
    made = MadeFrom.published(contents.version, by)
    content = pack_file(form, name, contents, made, lambda done: tell("writing pages", done))
    return content, hashlib.sha256(content).hexdigest(), contents


def figures_of_items(
    items: Sequence[PackItem],
    at: tuple[int, int],
    with_year_before: bool,
    tell: Callable[[str, int], None],
    by: Any = None,
) -> PackContents:
    """All figures read in one transaction that sees one moment. What can't be worked out is left out and
    told; raises WrongCall where nothing is left."""
    with transaction.atomic():
        if not _inside_another():
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        now = snapshot.current()
        figures: list[PackPart] = []
        left_out: list[str] = []
        for number, item in enumerate(items, 1):
            tell("working figures out", number)
            try:
                if item.matrix:
                    figures.append(pack_matrix(now.state, item, *at, by))
                else:
                    figures.append(pack_figures(now.state, item, *at, with_year_before))
            except WrongCall as refused:
                why = refused.faults[0].what
                left_out.append(f"{item.statement} of {item.group or item.company} is left out: {why}")
    if not figures:
        raise WrongCall(" ".join(left_out[:5]))
    return PackContents(figures, left_out, now.version)


def _inside_another() -> bool:
    """Whether the transaction began before (in a test, or a larger act), so that its kind is settled."""
    return len(connection.savepoint_ids) > 0
