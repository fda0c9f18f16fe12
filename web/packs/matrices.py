"""Matrices of a pack: each by the address of its page, worked out for whoever asked for it, at the pack's
period."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import Http404, QueryDict
from django.urls import Resolver404, resolve

from core.definitions.state import State
from core.faults import WrongCall
from web.definitions.viewing import PineRequest
from web.group import matrix as group_matrix
from web.packs.paper import Paper, paper_of_matrix
from web.packs.statements import PackItem
from web.people.rights import need_to_see
from web.shell.tabular import SheetBook, as_csv
from web.statements import matrix
from web.statements.matrix_files import MatrixSheet, write_matrix

OF_STATEMENT, OF_HIERARCHY, OF_GROUP = "matrix", "hierarchy-matrix", "group-matrix"


@dataclass(frozen=True, slots=True)
class PackMatrix:
    """A matrix as a pack holds it: files ask of it what they ask of a statement's figures."""

    item: PackItem
    sheet: MatrixSheet
    unit: str = ""

    @property
    def title(self) -> str:
        return self.sheet.title

    @property
    def whose(self) -> str:
        return self.sheet.whose

    def paper(self, made: str) -> Paper:
        return paper_of_matrix(self.sheet, made, self.unit)

    def csv(self) -> bytes:
        return as_csv(*self.sheet.table())

    def write(self, book: SheetBook, name: str) -> None:
        write_matrix(book, name, self.sheet)


def pack_matrix(state: State, item: PackItem, year: int, period: int, by: Any) -> PackMatrix:
    """Raises WrongCall for what can't be worked out, or isn't `by`'s to see any more."""
    try:
        table, unit = _table(state, item.matrix, by, {"year": str(year), "period": str(period)})
    except Http404:
        raise WrongCall("it isn't there for who asked for it.") from None
    return PackMatrix(item, table.sheet(), unit)


def matrix_item(state: State, address: str, by: Any) -> tuple[PackItem, str]:
    """The item of a page's address, and what the matrix is called. Raises Http404 for an address that is
    none, WrongCall for a matrix that can't be worked out."""
    table, _ = _table(state, address, by, {})
    sheet = table.sheet()
    called = f"{sheet.title}, {sheet.whose}"
    if isinstance(table, group_matrix.GroupMatrix):
        return PackItem("matrix", "", table.at.group.group, address), called
    companies = ",".join(company.company for company in table.of.companies)
    return PackItem("matrix", companies, "", address), called


def _table(
    state: State, address: str, by: Any, at: dict[str, str]
) -> tuple[matrix.MatrixTable | group_matrix.GroupMatrix, str]:
    """The matrix, and its unit on paper."""
    path, _, query = address.partition("?")
    try:
        page = resolve(path)
    except Resolver404:
        raise Http404 from None
    if page.url_name not in (OF_STATEMENT, OF_HIERARCHY, OF_GROUP):
        raise Http404
    request = _asking(by, path, query, at)
    need_to_see(request, page.kwargs, by, state)
    if page.url_name == OF_GROUP:
        of_group = group_matrix.matrix_asked(request, state, page.kwargs["group"])
        return of_group, "exact" if of_group.exact else "whole"
    table = matrix.matrix_asked(
        request, state, page.kwargs.get("statement", ""), page.kwargs.get("hierarchy", "")
    )
    return table, table.address.unit


def _asking(by: Any, path: str, query: str, at: dict[str, str]) -> PineRequest:
    """The page's question as its person asks it, with what the pack says of the period."""
    request = PineRequest()
    request.path, request.user, request.session = path, by, {}  # type: ignore[assignment]
    given = QueryDict(query, mutable=True)
    for name in ("from", "to", "first") if at else ():
        given.pop(name, None)
    given.update(at)
    request.GET = given  # type: ignore[assignment]
    return request
