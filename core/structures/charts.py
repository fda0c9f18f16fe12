"""A chart ready for use: segments and dimensions with their codes; a company at its chart."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from core.codes.lists import DaysInUse, list_index, pad, ready_codes
from core.definitions.state import State, derived
from core.definitions.tables import (
    AccountString,
    Chart,
    ChartDimension,
    ChartSegment,
    Code,
    CodeList,
    Company,
    CompanyAccount,
    CompanyCode,
    Dimension,
    Hierarchy,
    HierarchyNode,
    OverlayCode,
    PairingCondition,
    PairingRule,
    Structure,
    StructureSegment,
)
from core.structures.overlays import LocalCodes, local_codes
from core.structures.pairing import RuleBook, compile_rules

ALWAYS_REQUIRED = frozenset({"company", "natural_account"})
"""Roles of segments without which a line is in no books, or on no account."""


@dataclass(frozen=True, slots=True)
class Field:
    """A segment or a dimension of a chart, with the codes that may stand in it."""

    name: str
    title: str
    code_list: str
    role: str
    required: bool
    default: str
    rule: CodeList | None
    codes: dict[str, Code]
    ready: dict[str, DaysInUse]
    """those that take amounts of money"""

    def padded(self, code: str) -> str:
        return pad(self.rule, code) if self.rule and code and code not in self.codes else code


@dataclass(frozen=True, slots=True)
class ChartIndex:
    """A chart ready for use. `fields` are the segments in order, then the dimensions."""

    chart: str
    name: str
    separator: str
    segments: tuple[Field, ...]
    dimensions: tuple[Field, ...]
    natural: int
    company: int
    index: dict[str, int]
    book: RuleBook
    order: tuple[int, ...]
    """places of the segments in the order in which screens show them; kept strings and the package keep the
    structure's"""
    listed: dict[str, AccountString] | None = None
    locals: tuple[LocalCodes, ...] = ()
    """local numbers by segment, where the definitions are seen as an overlay"""

    @property
    def natural_list(self) -> str:
        return self.segments[self.natural].code_list if self.natural >= 0 else ""

    def field(self, name: str) -> Field | None:
        """A segment or dimension; with a level behind it (`site:1`) that of its codes."""
        at = self.index.get(name.partition(":")[0])
        if at is None:
            return None
        return self.segments[at] if at < len(self.segments) else self.dimensions[at - len(self.segments)]

    def split(self, account: str) -> list[str]:
        """Codes by segment, padded to the number of segments; more parts than segments are kept."""
        parts = account.split(self.separator) if self.separator else [account]
        return parts + [""] * (len(self.segments) - len(parts))

    def codes_of(self, account: str) -> list[str]:
        """Codes by segment of a string that was posted, just as many as segments.

        Definitions as of before a segment was added read strings that were given an empty part since.
        """
        return self.split(account)[: len(self.segments)]

    def natural_of(self, account: str) -> str:
        return self.split(account)[self.natural]

    @property
    def shows_as_kept(self) -> bool:
        return not self.locals and self.order == tuple(range(len(self.segments)))

    def shown(self, account: str) -> str:
        """A kept string in the order in which it is shown, with local numbers where it is seen as an
        overlay."""
        if self.shows_as_kept:
            return account
        codes = self.codes_of(account)
        if self.locals:
            codes = [own.spelled.get(code, code) for own, code in zip(self.locals, codes, strict=True)]
        return self.separator.join(codes[place] for place in self.order)

    def kept(self, shown: str) -> str:
        """A string keyed in the order in which it is shown, in the order in which it is kept, local numbers
        turned into codes.

        One without a separator, or with more parts than segments, is left for the checks to speak of.
        """
        parts = shown.split(self.separator)
        whole = 1 < len(parts) <= len(self.segments) or len(self.segments) == 1 == len(parts)
        if self.shows_as_kept or not whole:
            return shown
        codes = [""] * len(self.segments)
        for place, code in zip(self.order, parts, strict=False):
            codes[place] = self.code_of(place, code)
        return self.separator.join(codes)

    def code_of(self, place: int, given: str) -> str:
        """The code of a segment that a local number stands for; what is none stays as it is."""
        return self.locals[place].read.get(given, given) if self.locals else given

    def normal(self, account: str) -> str:
        """The kept form of a string: padded, with defaults, all parts joined. Nothing is checked."""
        parts = self.split(account)
        if len(parts) == len(self.segments):
            for part, segment in zip(parts, self.segments, strict=True):
                if part not in segment.codes:
                    break
            else:
                return account
        for i, segment in enumerate(self.segments):
            parts[i] = segment.padded(parts[i]) or segment.default
        return self.separator.join(parts)


def order_words(chart: ChartIndex) -> str:
    """In which order files write account strings, where screens show another; else nothing."""
    if tuple(chart.order) == tuple(range(len(chart.segments))):
        return ""
    names = [field.title for field in chart.segments]
    shown = [names[place] for place in chart.order]
    return (
        f"In files an account string is {chart.separator.join(names)}, as it is kept; on screens, and pasted"
        f" from there, {chart.separator.join(shown)}."
    )


@derived(
    Chart,
    Structure,
    StructureSegment,
    ChartSegment,
    ChartDimension,
    Dimension,
    CodeList,
    Code,
    Hierarchy,
    HierarchyNode,
    PairingRule,
    PairingCondition,
    AccountString,
    OverlayCode,
)
def chart_index(state: State, chart: str) -> ChartIndex | None:
    """Indexes a chart; None where the chart or its structure is unknown."""
    chart_row = state.get(Chart, chart)
    structure = state.get(Structure, chart_row.structure) if chart_row else None
    if chart_row is None or structure is None:
        return None
    rows = sorted(state.part(StructureSegment, structure.structure).values(), key=lambda s: s.position)
    segments = tuple(_segment(state, chart, row) for row in rows)
    dimensions = tuple(_dimensions(state, chart))
    index = {field.name: i for i, field in enumerate([*segments, *dimensions])}
    lists = {field.name: field.code_list for field in [*segments, *dimensions]}
    roles = [segment.role for segment in segments]
    whole = ChartIndex(
        chart,
        chart_row.name,
        structure.separator,
        segments,
        dimensions,
        roles.index("natural_account") if "natural_account" in roles else -1,
        roles.index("company") if "company" in roles else -1,
        index,
        compile_rules(state, chart, index, lists),
        _shown_order(state, chart, rows),
        locals=_locals(state, segments, structure.separator),
    )
    if chart_row.new_strings != "listed_only":
        return whole
    listed = {whole.normal(row.account): row for row in state.part(AccountString, chart).values()}
    return replace(whole, listed=listed)


def _locals(state: State, segments: tuple[Field, ...], separator: str) -> tuple[LocalCodes, ...]:
    """Local numbers that an account string can hold, by segment."""
    if not state.overlay:
        return ()
    known = [local_codes(state, state.overlay, segment.code_list) for segment in segments]
    return tuple(own.without(separator) for own in known)


def _segment(state: State, chart: str, row: StructureSegment) -> Field:
    own = state.get(ChartSegment, chart, row.segment) or ChartSegment(chart, row.segment)
    rule = state.get(CodeList, row.code_list)
    codes, ready = list_index(state, row.code_list).codes, ready_codes(state, row.code_list)
    default = own.default_code
    if rule and default and default not in codes:
        default = pad(rule, default)
    required = own.required or row.role in ALWAYS_REQUIRED
    return Field(row.segment, row.name, row.code_list, row.role, required, default, rule, codes, ready)


def _dimensions(state: State, chart: str) -> Iterator[Field]:
    for hung in sorted(state.part(ChartDimension, chart).values(), key=lambda d: d.dimension):
        row = state.get(Dimension, hung.dimension)
        if row:
            rule, codes = state.get(CodeList, row.code_list), list_index(state, row.code_list).codes
            ready = ready_codes(state, row.code_list)
            yield Field(
                row.dimension, row.name, row.code_list, "dimension", hung.required, "", rule, codes, ready
            )


def _shown_order(state: State, chart: str, segments: list[StructureSegment]) -> tuple[int, ...]:
    """Segments with a display position by it; those without one stay where they are among the rest."""
    wanted = [
        own.display_position if (own := state.get(ChartSegment, chart, row.segment)) else None
        for row in segments
    ]
    if not any(wanted):
        return tuple(range(len(segments)))
    places = range(len(segments))
    return tuple(sorted(places, key=lambda i: (wanted[i] or i + 1, wanted[i] is None, i)))


@dataclass(frozen=True, slots=True)
class CompanyContext:
    """A company at its chart: which codes of the company segment are its own, which accounts it has open."""

    company: str
    chart: ChartIndex
    codes: frozenset[str]
    open: frozenset[str] | None
    shut: frozenset[str]
    currencies: dict[str, str]

    def own_code(self) -> str:
        """The code for the company segment of lines that the product adds: the first of the company's own."""
        return min(self.codes, default="")


@derived(
    Company,
    CompanyCode,
    CompanyAccount,
    Chart,
    Structure,
    StructureSegment,
    ChartSegment,
    ChartDimension,
    Dimension,
    CodeList,
    Code,
    Hierarchy,
    HierarchyNode,
    PairingRule,
    PairingCondition,
    AccountString,
    OverlayCode,
)
def context_in(state: State, company: str, chart: str) -> CompanyContext | None:
    """A company at a chart: the one that it is on, or one that it posted in before, where any code may have
    been its own."""
    company_row = state.get(Company, company)
    index = chart_index(state, chart)
    if company_row is None or index is None:
        return None
    codes = frozenset(_own_codes(state, company, index))
    if company_row.chart != chart and index.company >= 0:
        codes = frozenset(index.segments[index.company].codes)
    accounts = state.part(CompanyAccount, company).values()
    opened = frozenset(a.code for a in accounts if a.enabled)
    shut = frozenset(a.code for a in accounts if not a.enabled)
    currencies = dict(_code_currencies(state, index.natural_list))
    currencies |= {a.code: a.currency for a in accounts if a.currency}
    listed = company_row.accounts_open == "listed"
    return CompanyContext(company, index, codes, opened if listed else None, shut, currencies)


def company_context(state: State, company: str) -> CompanyContext | None:
    """A company at the chart that it is on."""
    company_row = state.get(Company, company)
    return context_in(state, company, company_row.chart) if company_row else None


@derived(Code)
def _code_currencies(state: State, code_list: str) -> dict[str, str]:
    """Codes of a list that are kept in one currency."""
    return {code.code: code.currency for code in state.part(Code, code_list).values() if code.currency}


def _own_codes(state: State, company: str, chart: ChartIndex) -> Iterator[str]:
    """A company's codes of the company segment, as they are kept."""
    if chart.company >= 0:
        segment = chart.segments[chart.company]
        rows = state.part(CompanyCode, company).values()
        yield from (segment.padded(row.code) for row in rows if row.segment == segment.name)
