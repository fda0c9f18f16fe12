"""Account strings: split, filled with defaults, checked segment by segment, then by the pairing rules.

The order of the steps is the one of docs/calculation-rules.md; all faults are told together.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from core.codes.lists import ALWAYS, DaysInUse
from core.definitions.tables import AccountString, Code
from core.fault_codes import FaultCode
from core.faults import Fault, Location
from core.structures.charts import ChartIndex, CompanyContext, Field


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


def _fault(code: FaultCode, what: str, way_out: str, column: str, value: str, subject: str) -> Fault:
    return Fault(code, what, Location(column=column, value=value), way_out, subject)


def code_fault(field: Field, code: str, column: str, value: str, *, quantities: bool = False) -> Fault | None:
    """Why a code cannot take amounts in this field, dates aside. `quantities`: those of statistics too."""
    row = field.codes.get(code)
    subject = f"{field.name}:{code}"
    if row is None:
        what = f"{field.title}: there is no code {code}."
        way_out = f"Choose a code of {field.code_list} or add it there."
        return _fault("code-unknown", what, way_out, column, value, subject)
    if row.rollup:
        what = f"{field.title}: {code} {row.name} is a rollup code and takes no amounts."
        return _fault("code-rollup", what, "Choose a posting code below it.", column, value, subject)
    if not row.posting:
        what = f"{field.title}: {code} {row.name} is not open for posting."
        way_out = "Choose another code or allow posting to it."
        return _fault("code-not-posting", what, way_out, column, value, subject)
    if row.is_statistic and not quantities:
        what = f"{field.title}: {code} {row.name} is a statistic and takes no amounts."
        way_out = "Choose another account; its quantities are keyed in statistics, under Budgets."
        return _fault("code-statistic", what, way_out, column, value, subject)
    if not row.enabled:
        what = f"{field.title}: {code} {row.name} is switched off."
        return _fault("code-disabled", what, "Choose another code or enable it.", column, value, subject)
    return None


def parse_dimensions(text: str) -> tuple[dict[str, str], str]:
    """`season=SP26; project=P104` as a mapping, and a sentence where it cannot be read."""
    by_name: dict[str, str] = {}
    for part in text.split(";"):
        if not part.strip():
            continue
        name, equals, code = part.partition("=")
        name, code = name.strip(), code.strip()
        if not equals or not name or not code:
            return by_name, f"'{part.strip()}' is not written as dimension=code."
        if name in by_name:
            return by_name, f"The dimension {name} is given twice."
        by_name[name] = code
    return by_name, ""


def _read_dimensions(chart: ChartIndex, text: str, values: list[str], faults: list[Fault]) -> None:
    given, bad = parse_dimensions(text)
    if bad:
        faults.append(
            _fault("dimensions-unreadable", bad, "Write season=SP26; project=P104.", "dimensions", text, "")
        )
    for name, code in given.items():
        at = chart.index.get(name, -1)
        if at < len(chart.segments):
            what = f"{chart.name} has no dimension {name}."
            way_out = "Hang the dimension on the chart or leave it out."
            faults.append(_fault("dimension-unknown", what, way_out, "dimensions", text, name))
            continue
        field = chart.dimensions[at - len(chart.segments)]
        values[at] = code = field.padded(code)
        if fault := code_fault(field, code, "dimensions", text):
            faults.append(fault)


def _rule_faults(
    chart: ChartIndex, values: list[str], speaking: int, account: str, dimensions: str
) -> list[Fault]:
    rows = []
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
        rows.append(
            _fault(
                "pairing",
                f"{row.message or what} {what if row.message else ''}".strip(),
                f"{way_out} (pairing rule {row.rule}).",
                "dimensions" if is_dimension else "account",
                dimensions if is_dimension else account,
                f"rule:{row.rule}",
            )
        )
    return rows


def resolve(
    seated: CompanyContext,
    account: str,
    dimensions: str,
    active: int | None = None,
    *,
    defaults: bool = True,
    quantities: bool = False,
) -> ResolvedAccount:
    """Works an account string out for a company: defaults, padding, checks, fills, rules. Dates: see
    `date_faults`.

    `active` is the mask of pairing rules in use (RuleBook.active); None means all. `quantities`: accounts
    that are statistics are taken too.
    """
    chart, faults = seated.chart, list[Fault]()
    if not dimensions and (resolved := _as_it_stands(seated, account, active)):
        return resolved
    values = [""] * (len(chart.segments) + len(chart.dimensions))
    parts = _parts(chart, account, faults)
    if parts is None:
        return _finished(chart, values, account, faults)
    values[: len(parts)] = parts
    _fill_codes(chart, values, account, faults, defaults=defaults, quantities=quantities)
    if dimensions:
        _read_dimensions(chart, dimensions, values, faults)
    if chart.book.every:
        _pair(chart, values, active, account, dimensions, faults)
    _required(seated, values, account, faults)
    return _finished(chart, values, account, faults)


def _as_it_stands(seated: CompanyContext, account: str, active: int | None) -> ResolvedAccount | None:
    """A string in its kept form that nothing is wrong with and no rule speaks of, as most are; None for any
    other, for `resolve` to say more."""
    chart = seated.chart
    codes = account.split(chart.separator) if chart.separator else [account]
    if (
        len(codes) != len(chart.segments)
        or chart.listed is not None
        or any(d.required for d in chart.dimensions)
    ):
        return None
    days = _days_in_use(chart, codes)
    if days is None or (chart.company >= 0 and codes[chart.company] not in seated.codes):
        return None
    natural = codes[chart.natural] if chart.natural >= 0 else ""
    if _is_shut(seated, natural):
        return None
    values = [*codes, *[""] * len(chart.dimensions)]
    if chart.book.every and chart.book.speaking(values, chart.book.every if active is None else active):
        return None
    return ResolvedAccount(account, natural, "", tuple(values), *days, ())


def _is_shut(seated: CompanyContext, natural: str) -> bool:
    return natural in seated.shut or (seated.open is not None and natural not in seated.open)


def _days_in_use(chart: ChartIndex, codes: list[str]) -> DaysInUse | None:
    """When all of some codes by segment are in use; None where one takes no amounts of money."""
    days = ALWAYS
    for segment, code in zip(chart.segments, codes, strict=True):
        own = segment.ready.get(code)
        if own is None:
            return None
        if own is not ALWAYS:
            start = max(filter(None, (days.start, own.start)), default=None)
            days = DaysInUse(start, min(filter(None, (days.until, own.until)), default=None))
    return days


def _parts(chart: ChartIndex, account: str, faults: list[Fault]) -> list[str] | None:
    """The codes by segment; None where the text is no account string at all."""
    count = len(chart.segments)
    parts = chart.split(account)
    if len(parts) > count:
        what = f"{account} has {len(parts)} parts and {chart.name} has {count} segments."
        way_out = f"Give at most {count} codes joined by '{chart.separator}'."
        faults.append(_fault("too-many-parts", what, way_out, "account", account, ""))
        return parts[:count]
    alone = count > 1 and chart.natural > 0 and account and chart.separator not in account
    if alone and _knows_not(chart.segments[0], account):
        what = f"{account} is neither a quick code nor an account string of {chart.name}."
        way_out = f"Join the codes by '{chart.separator}', or add the quick code."
        faults.append(_fault("string-unknown", what, way_out, "account", account, account))
        return None
    return parts


def _fill_codes(
    chart: ChartIndex,
    values: list[str],
    account: str,
    faults: list[Fault],
    *,
    defaults: bool,
    quantities: bool,
) -> None:
    """Pads each code, or takes the default, and checks that it takes amounts."""
    for i, segment in enumerate(chart.segments):
        code = values[i] or (segment.default if defaults else "")
        if code:
            row = segment.codes.get(code)
            if row is None:
                code = segment.padded(code)
                row = segment.codes.get(code)
            if row is None or not row.takes_amounts or not row.enabled or row.is_statistic:
                fault = code_fault(segment, code, "account", account, quantities=quantities)
                if fault:
                    faults.append(fault)
        values[i] = code


def _pair(
    chart: ChartIndex,
    values: list[str],
    active: int | None,
    account: str,
    dimensions: str,
    faults: list[Fault],
) -> None:
    """What pairing rules fill in, and what they are broken by."""
    book = chart.book
    before = list(values) if book.fills else values
    speaking = book.fill(values, book.every if active is None else active)
    if book.fills:
        for i, field in enumerate((*chart.segments, *chart.dimensions)):
            if values[i] != before[i] and (fault := code_fault(field, values[i], "account", account)):
                faults.append(fault)
    if speaking:
        faults += _rule_faults(chart, values, speaking, account, dimensions)


def _knows_not(field: Field, code: str) -> bool:
    return code not in field.codes and field.padded(code) not in field.codes


def _required(seated: CompanyContext, values: list[str], account: str, faults: list[Fault]) -> None:
    chart = seated.chart
    for i, segment in enumerate(chart.segments):
        if not values[i] and segment.required:
            what = f"{segment.title} must be given."
            way_out = f"Give a code of {segment.code_list}."
            faults.append(_fault("segment-missing", what, way_out, "account", account, segment.name))
    _required_dimensions(chart, values, faults)
    _belongs(seated, values, account, faults)


def _required_dimensions(chart: ChartIndex, values: list[str], faults: list[Fault]) -> None:
    for field, value in zip(chart.dimensions, values[len(chart.segments) :], strict=True):
        if field.required and not value:
            what = f"{field.title} must be given."
            way_out = f"Give a code of {field.code_list}."
            faults.append(_fault("dimension-missing", what, way_out, "dimensions", "", field.name))


def _belongs(seated: CompanyContext, values: list[str], account: str, faults: list[Fault]) -> None:
    """The company's own code, and an account that is open for it."""
    chart = seated.chart
    if chart.company >= 0 and (code := values[chart.company]) and code not in seated.codes:
        title = chart.segments[chart.company].title
        if code in chart.segments[chart.company].codes:
            own = ", ".join(sorted(seated.codes)) or "none yet"
            what = f"{title}: {code} is not a code of company {seated.company}."
            faults.append(_fault("not-own-code", what, f"Its codes are: {own}.", "account", account, code))
    natural = values[chart.natural] if chart.natural >= 0 else ""
    if natural and _is_shut(seated, natural):
        what = f"{natural} is not open for company {seated.company}."
        way_out = "Open it for the company or choose another."
        faults.append(_fault("account-not-open", what, way_out, "account", account, natural))


def _codes_used(chart: ChartIndex, values: list[str]) -> Iterator[Code]:
    for field, value in zip((*chart.segments, *chart.dimensions), values, strict=True):
        if row := field.codes.get(value):
            yield row


def _finished(chart: ChartIndex, values: list[str], account: str, faults: list[Fault]) -> ResolvedAccount:
    count = len(chart.segments)
    string = chart.separator.join(values[:count])
    rows: list[Code | AccountString] = list(_codes_used(chart, values))
    if chart.listed is not None:
        entry = chart.listed.get(string)
        if entry is None or not entry.enabled:
            what = f"{string} is not in the account strings of {chart.name}."
            way_out = "Add the string to the list first: this chart takes listed strings only."
            faults.append(_fault("string-not-listed", what, way_out, "account", account, string))
        else:
            rows.append(entry)
    start = max((row.in_use_from for row in rows if row.in_use_from), default=None)
    until = min((row.in_use_until for row in rows if row.in_use_until), default=None)
    natural = values[chart.natural] if chart.natural >= 0 else ""
    tagged = zip(chart.dimensions, values[count:], strict=True)
    pairs = "; ".join(f"{field.name}={value}" for field, value in tagged if value)
    return ResolvedAccount(string, natural, pairs, tuple(values), start, until, tuple(faults))


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
            what = f"{field.title}: {row.code} {row.name} is in use from {row.in_use_from}."
            way_out = f"Choose another code or a date from then on, not {on}."
            faults.append(_fault("code-not-yet", what, way_out, column, value, row.code))
        if row.in_use_until and on > row.in_use_until:
            what = f"{field.title}: {row.code} {row.name} was in use until {row.in_use_until}."
            way_out = f"Choose another code or an earlier date than {on}."
            faults.append(_fault("code-closed", what, way_out, column, value, row.code))
    if not faults:
        what = f"{found.account} is not in use on {on}."
        way_out = "See its dates in the list of account strings."
        faults.append(_fault("string-not-in-use", what, way_out, "account", found.account, ""))
    return faults


RESTORED: set[FaultCode] = {
    "string-unknown",
    "code-unknown",
    "code-rollup",
    "code-statistic",
    "too-many-parts",
    "dimensions-unreadable",
    "dimension-unknown",
    "not-own-code",
}


def restored(
    seated: CompanyContext, account: str, dimensions: str, *, defaults: bool, quantities: bool = False
) -> ResolvedAccount:
    """For history and balances kept elsewhere: the codes must exist and take amounts; dates and rules are not
    asked.

    History keeps empty segments empty (`defaults` false): a default of today says nothing about what was
    posted then.
    """
    resolved = resolve(seated, account, dimensions, active=0, defaults=defaults, quantities=quantities)
    natural = seated.chart.segments[seated.chart.natural].name if seated.chart.natural >= 0 else ""
    faults = tuple(
        fault
        for fault in resolved.faults
        if fault.code in RESTORED or (fault.code == "segment-missing" and fault.subject == natural)
    )
    return ResolvedAccount(
        resolved.account, resolved.natural, resolved.dimensions, resolved.values, None, None, faults
    )
