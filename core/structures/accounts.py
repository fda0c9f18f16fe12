"""Account strings: split, filled with defaults, checked segment by segment, then by the pairing rules.

The order of the steps is the one of docs/calculation-rules.md; all faults are told together.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from core.codes.lists import list_index, pad
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
    PairingCondition,
    PairingRule,
    Structure,
    StructureSegment,
)
from core.faults import Fault, Location
from core.structures.pairing import RuleBook, compile_rules


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

    @property
    def natural_list(self) -> str:
        return self.segments[self.natural].code_list if self.natural >= 0 else ""

    def field(self, name: str) -> Field | None:
        at = self.index.get(name)
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
        return self.order == tuple(range(len(self.segments)))

    def shown(self, account: str) -> str:
        """A kept string in the order in which it is shown."""
        if self.shows_as_kept:
            return account
        codes = self.codes_of(account)
        return self.separator.join(codes[place] for place in self.order)

    def kept(self, shown: str) -> str:
        """A string keyed in the order in which it is shown, in the order in which it is kept.

        One without a separator, or with more parts than segments, is left for the checks to speak of.
        """
        parts = shown.split(self.separator)
        if self.shows_as_kept or not 1 < len(parts) <= len(self.segments):
            return shown
        codes = [""] * len(self.segments)
        for place, code in zip(self.order, parts, strict=False):
            codes[place] = code
        return self.separator.join(codes)

    def normal(self, account: str) -> str:
        """The kept form of a string: padded, with defaults, all parts joined. Nothing is checked."""
        parts = self.split(account)
        for i, segment in enumerate(self.segments):
            parts[i] = segment.padded(parts[i]) or segment.default
        return self.separator.join(parts)


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
)
def chart_index(state: State, chart: str) -> ChartIndex | None:
    """Indexes a chart; None where the chart or its structure is unknown."""
    head = state.get(Chart, chart)
    structure = state.get(Structure, head.structure) if head else None
    if head is None or structure is None:
        return None
    rows = sorted(state.part(StructureSegment, structure.structure).values(), key=lambda s: s.position)
    segments = []
    for row in rows:
        own = state.get(ChartSegment, chart, row.segment)
        rule = state.get(CodeList, row.code_list)
        default = own.default_code if own else ""
        codes = list_index(state, row.code_list).codes
        if rule and default and default not in codes:
            default = pad(rule, default)
        required = own.required if own else True
        segments.append(Field(row.segment, row.name, row.code_list, row.role, required, default, rule, codes))
    dimensions = []
    for hung in sorted(state.part(ChartDimension, chart).values(), key=lambda d: d.dimension):
        dim = state.get(Dimension, hung.dimension)
        if dim:
            codes = list_index(state, dim.code_list).codes
            rule = state.get(CodeList, dim.code_list)
            dimensions.append(
                Field(dim.dimension, dim.name, dim.code_list, "dimension", hung.required, "", rule, codes)
            )
    index = {field.name: i for i, field in enumerate([*segments, *dimensions])}
    lists = {field.name: field.code_list for field in [*segments, *dimensions]}
    roles = [segment.role for segment in segments]
    made = ChartIndex(
        chart,
        head.name,
        structure.separator,
        tuple(segments),
        tuple(dimensions),
        roles.index("natural_account") if "natural_account" in roles else -1,
        roles.index("company") if "company" in roles else -1,
        index,
        compile_rules(state, chart, index, lists),
        _shown_order(state, chart, rows),
    )
    if head.new_strings != "listed_only":
        return made
    listed = {made.normal(row.account): row for row in state.part(AccountString, chart).values()}
    return replace(made, listed=listed)


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
)
def company_context(state: State, company: str) -> CompanyContext | None:
    head = state.get(Company, company)
    chart = chart_index(state, head.chart) if head else None
    if head is None or chart is None:
        return None
    segment = chart.segments[chart.company] if chart.company >= 0 else None
    rows = state.part(CompanyCode, company).values()
    codes = (
        frozenset(segment.padded(r.code) for r in rows if r.segment == segment.name)
        if segment
        else frozenset()
    )
    accounts = state.part(CompanyAccount, company).values()
    opened = frozenset(a.code for a in accounts if a.enabled) if head.accounts_open == "listed" else None
    shut = frozenset(a.code for a in accounts if not a.enabled)
    kept = chart.segments[chart.natural].codes.values() if chart.natural >= 0 else ()
    currencies = {code.code: code.currency for code in kept if code.currency}
    currencies |= {a.code: a.currency for a in accounts if a.currency}
    return CompanyContext(company, chart, codes, opened, shut, currencies)


@dataclass(frozen=True, slots=True)
class ResolvedAccount:
    """An account string with its dimensions in the kept form, the window of dates it holds for, and all
    faults.

    `values` are the codes by field: segments, then dimensions.
    """

    account: str
    natural: str
    dimensions: str
    values: tuple[str, ...]
    start: date | None
    until: date | None
    faults: tuple[Fault, ...]


def _fault(code: str, what: str, way_out: str, column: str, value: str, subject: str) -> Fault:
    return Fault(code, what, Location(column=column, value=value), way_out, subject)


def code_fault(field: Field, code: str, column: str, value: str) -> Fault | None:
    """Why a code cannot take amounts in this field, dates aside."""
    found = field.codes.get(code)
    subject = f"{field.name}:{code}"
    if found is None:
        return _fault(
            "code-unknown",
            f"{field.title}: there is no code {code}.",
            f"Choose a code of {field.code_list} or add it there.",
            column,
            value,
            subject,
        )
    if found.rollup:
        return _fault(
            "code-rollup",
            f"{field.title}: {code} {found.name} is a rollup code and takes no amounts.",
            "Choose a posting code below it.",
            column,
            value,
            subject,
        )
    if not found.posting:
        return _fault(
            "code-not-posting",
            f"{field.title}: {code} {found.name} is not open for posting.",
            "Choose another code or allow posting to it.",
            column,
            value,
            subject,
        )
    if not found.enabled:
        return _fault(
            "code-disabled",
            f"{field.title}: {code} {found.name} is switched off.",
            "Choose another code or enable it.",
            column,
            value,
            subject,
        )
    return None


def parse_dimensions(text: str) -> tuple[dict[str, str], str]:
    """`season=SP26; project=P104` as a mapping, and a sentence where it cannot be read."""
    found: dict[str, str] = {}
    for part in text.split(";"):
        if not part.strip():
            continue
        name, equals, code = part.partition("=")
        name, code = name.strip(), code.strip()
        if not equals or not name or not code:
            return found, f"'{part.strip()}' is not written as dimension=code."
        if name in found:
            return found, f"The dimension {name} is given twice."
        found[name] = code
    return found, ""


def _read_dimensions(chart: ChartIndex, text: str, values: list[str], faults: list[Fault]) -> None:
    given, bad = parse_dimensions(text)
    if bad:
        faults.append(
            _fault("dimensions-unreadable", bad, "Write season=SP26; project=P104.", "dimensions", text, "")
        )
    for name, code in given.items():
        at = chart.index.get(name, -1)
        if at < len(chart.segments):
            faults.append(
                _fault(
                    "dimension-unknown",
                    f"{chart.name} has no dimension {name}.",
                    "Hang the dimension on the chart or leave it out.",
                    "dimensions",
                    text,
                    name,
                )
            )
            continue
        field = chart.dimensions[at - len(chart.segments)]
        values[at] = code = field.padded(code)
        if fault := code_fault(field, code, "dimensions", text):
            faults.append(fault)


def _rule_faults(
    chart: ChartIndex, values: list[str], speaking: int, account: str, dimensions: str
) -> list[Fault]:
    found = []
    fields = (*chart.segments, *chart.dimensions)
    for broken in chart.book.broken(values, speaking):
        row, field, value = broken.row, fields[broken.field], values[broken.field]
        what = {
            "required": f"{field.title} must be given.",
            "empty": f"{field.title} must be empty, not {value}.",
            "only": f"{field.title}: {value} is not among the codes allowed here.",
            "never": f"{field.title}: {value} is not allowed here.",
        }[row.outcome]
        way_out = {
            "required": f"Give a code for {field.title}",
            "empty": f"Leave {field.title} empty",
            "only": f"Choose one of {row.codes}",
            "never": f"Choose none of {row.codes}",
        }[row.outcome]
        is_dimension = broken.field >= len(chart.segments)
        found.append(
            _fault(
                "pairing",
                f"{row.message or what} {what if row.message else ''}".strip(),
                f"{way_out} (pairing rule {row.rule}).",
                "dimensions" if is_dimension else "account",
                dimensions if is_dimension else account,
                f"rule:{row.rule}",
            )
        )
    return found


def resolve(
    seated: CompanyContext, account: str, dimensions: str, active: int | None = None, *, defaults: bool = True
) -> ResolvedAccount:
    """Works an account string out for a company: defaults, padding, checks, fills, rules. Dates: see
    `date_faults`.

    `active` is the mask of pairing rules in use (RuleBook.active); None means all.
    """
    chart = seated.chart
    segments = chart.segments
    count = len(segments)
    faults: list[Fault] = []
    parts = chart.split(account)
    if len(parts) > count:
        faults.append(
            _fault(
                "too-many-parts",
                f"{account} has {len(parts)} parts and {chart.name} has {count} segments.",
                f"Give at most {count} codes joined by '{chart.separator}'.",
                "account",
                account,
                "",
            )
        )
        parts = parts[:count]
    if (
        count > 1
        and chart.natural > 0
        and account
        and chart.separator not in account
        and _knows_not(segments[0], account)
    ):
        faults.append(
            _fault(
                "string-unknown",
                f"{account} is neither a quick code nor an account string of {chart.name}.",
                f"Join the codes by '{chart.separator}', or add the quick code.",
                "account",
                account,
                account,
            )
        )
        return _finished(chart, [""] * (count + len(chart.dimensions)), account, faults)
    values = parts + [""] * len(chart.dimensions)
    for i, segment in enumerate(segments):
        code = values[i] or (segment.default if defaults else "")
        if code:
            found = segment.codes.get(code)
            if found is None:
                code = segment.padded(code)
                found = segment.codes.get(code)
            if found is None or found.rollup or not found.posting or not found.enabled:
                fault = code_fault(segment, code, "account", account)
                if fault:
                    faults.append(fault)
        values[i] = code
    if dimensions:
        _read_dimensions(chart, dimensions, values, faults)
    book = chart.book
    if book.every:
        before = list(values) if book.fills else values
        speaking = book.fill(values, book.every if active is None else active)
        if book.fills:
            for i, field in enumerate((*segments, *chart.dimensions)):
                if values[i] != before[i] and (fault := code_fault(field, values[i], "account", account)):
                    faults.append(fault)
        if speaking:
            faults += _rule_faults(chart, values, speaking, account, dimensions)
    _required(seated, values, account, faults)
    return _finished(chart, values, account, faults)


def _knows_not(field: Field, code: str) -> bool:
    return code not in field.codes and field.padded(code) not in field.codes


def _required(seated: CompanyContext, values: list[str], account: str, faults: list[Fault]) -> None:
    chart = seated.chart
    for i, segment in enumerate(chart.segments):
        if not values[i] and segment.required:
            faults.append(
                _fault(
                    "segment-missing",
                    f"{segment.title} must be given.",
                    f"Give a code of {segment.code_list}.",
                    "account",
                    account,
                    segment.name,
                )
            )
    for field, value in zip(chart.dimensions, values[len(chart.segments) :], strict=True):
        if field.required and not value:
            faults.append(
                _fault(
                    "dimension-missing",
                    f"{field.title} must be given.",
                    f"Give a code of {field.code_list}.",
                    "dimensions",
                    "",
                    field.name,
                )
            )
    if chart.company >= 0 and (code := values[chart.company]) and code not in seated.codes:
        title = chart.segments[chart.company].title
        if code in chart.segments[chart.company].codes:
            own = ", ".join(sorted(seated.codes)) or "none yet"
            faults.append(
                _fault(
                    "not-own-code",
                    f"{title}: {code} is not a code of company {seated.company}.",
                    f"Its codes are: {own}.",
                    "account",
                    account,
                    code,
                )
            )
    natural = values[chart.natural] if chart.natural >= 0 else ""
    if natural in seated.shut or (seated.open is not None and natural and natural not in seated.open):
        faults.append(
            _fault(
                "account-not-open",
                f"{natural} is not open for company {seated.company}.",
                "Open it for the company or choose another.",
                "account",
                account,
                natural,
            )
        )


def _finished(chart: ChartIndex, values: list[str], account: str, faults: list[Fault]) -> ResolvedAccount:
    count = len(chart.segments)
    kept = chart.separator.join(values[:count])
    start: date | None = None
    until: date | None = None
    for i, segment in enumerate(chart.segments):
        row = segment.codes.get(values[i])
        if row is not None:
            if row.in_use_from and (start is None or row.in_use_from > start):
                start = row.in_use_from
            if row.in_use_until and (until is None or row.in_use_until < until):
                until = row.in_use_until
    pairs = []
    for field, value in zip(chart.dimensions, values[count:], strict=True):
        if not value:
            continue
        pairs.append(f"{field.name}={value}")
        row = field.codes.get(value)
        if row is not None:
            start = max((d for d in (start, row.in_use_from) if d), default=None)
            until = min((d for d in (until, row.in_use_until) if d), default=None)
    if chart.listed is not None:
        entry = chart.listed.get(kept)
        if entry is None or not entry.enabled:
            faults.append(
                _fault(
                    "string-not-listed",
                    f"{kept} is not in the account strings of {chart.name}.",
                    "Add the string to the list first: this chart takes listed strings only.",
                    "account",
                    account,
                    kept,
                )
            )
        else:
            start = max((d for d in (start, entry.in_use_from) if d), default=None)
            until = min((d for d in (until, entry.in_use_until) if d), default=None)
    natural = values[chart.natural] if chart.natural >= 0 else ""
    return ResolvedAccount(kept, natural, "; ".join(pairs), tuple(values), start, until, tuple(faults))


def date_faults(chart: ChartIndex, found: ResolvedAccount, on: date) -> list[Fault]:
    """Codes of a resolved string that are not in use on a date, each named with its dates."""
    if (found.start is None or found.start <= on) and (found.until is None or on <= found.until):
        return []
    faults = []
    for i, field in enumerate((*chart.segments, *chart.dimensions)):
        row = field.codes.get(found.values[i])
        column = "account" if i < len(chart.segments) else "dimensions"
        value = found.account if i < len(chart.segments) else found.dimensions
        if row is None:
            continue
        if row.in_use_from and on < row.in_use_from:
            faults.append(
                _fault(
                    "code-not-yet",
                    f"{field.title}: {row.code} {row.name} is in use from {row.in_use_from}.",
                    f"Choose another code or a date from then on, not {on}.",
                    column,
                    value,
                    row.code,
                )
            )
        if row.in_use_until and on > row.in_use_until:
            faults.append(
                _fault(
                    "code-closed",
                    f"{field.title}: {row.code} {row.name} was in use until {row.in_use_until}.",
                    f"Choose another code or an earlier date than {on}.",
                    column,
                    value,
                    row.code,
                )
            )
    if not faults:
        faults.append(
            _fault(
                "string-not-in-use",
                f"{found.account} is not in use on {on}.",
                "See its dates in the list of account strings.",
                "account",
                found.account,
                "",
            )
        )
    return faults


RESTORED = {
    "code-unknown",
    "code-rollup",
    "too-many-parts",
    "dimensions-unreadable",
    "dimension-unknown",
    "not-own-code",
}


def restored(seated: CompanyContext, account: str, dimensions: str, *, defaults: bool) -> ResolvedAccount:
    """For history and balances kept elsewhere: the codes must exist and take amounts; dates and rules are not
    asked.

    History keeps empty segments empty (`defaults` false): a default of today says nothing about what was
    posted then.
    """
    found = resolve(seated, account, dimensions, active=0, defaults=defaults)
    natural = seated.chart.segments[seated.chart.natural].name if seated.chart.natural >= 0 else ""
    faults = tuple(
        fault
        for fault in found.faults
        if fault.code in RESTORED or (fault.code == "segment-missing" and fault.subject == natural)
    )
    return ResolvedAccount(found.account, found.natural, found.dimensions, found.values, None, None, faults)
