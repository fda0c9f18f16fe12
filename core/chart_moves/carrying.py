"""The journal by which what stands in a company's books is carried over to the accounts of another chart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from core.books.journals import BookedLine, PostingContext, check_journal
from core.chart_moves.of_company import MoveToChart
from core.chart_moves.strings import MovedString, StringReader
from core.definitions.state import State
from core.definitions.tables import Company, Journal, JournalLine
from core.faults import Fault, Location
from core.money import digits_of, format_amount, show_amount
from core.structures.accounts import parse_dimensions
from core.structures.charts import ChartIndex

ASKED = ("period-not-open",)
"""What a keyed journal is asked and this one too, beside what history is asked: what stands was posted under
other rules, and often has no codes for those of the new chart."""
MOST_NAMED = 20


class StandingAmount(NamedTuple):
    """What stands on an account string with its dimensions and partner, raw minor units."""

    account: str
    dimensions: str
    partner: str
    amount: int


class PostedBefore(NamedTuple):
    """A company's books in the chart that it leaves: every account string posted to, what stands on them, and
    the day of the last journal."""

    accounts: Collection[str]
    standing: Collection[StandingAmount]
    last: date | None
    ahead: str = ""
    """a moment, later than now, at which a journal says that it was posted; empty: there is none"""


@dataclass(frozen=True, slots=True)
class CarryOver:
    """How each string posted to is read, the journal that carries over what stands (None: nothing stands),
    its lines, and why the move can't be made; `unruly`: what keyed lines would be refused for, and how many
    of these are carried over all the same."""

    strings: Mapping[str, MovedString]
    journal: Journal | None
    lines: tuple[BookedLine, ...]
    faults: tuple[Fault, ...]
    unruly: tuple[tuple[str, int], ...] = ()

    @property
    def debits(self) -> int:
        return sum(line.amount for line in self.lines if line.amount > 0)


def carry_over(
    before: State, after: State, move: MoveToChart, posted: PostedBefore, rules: PostingContext
) -> CarryOver:
    """`after` is the state that the move leaves. A line for each balance, so that each says where it came
    from."""
    reader = StringReader(before, after, move.company, move.chart, move.on)
    strings = reader.read_all(posted.accounts)
    faults = [*_unmapped(before, move, reader, strings, posted), *_posted_after(move, posted)]
    standing = sorted(one for one in posted.standing if one.amount)
    if not standing or faults:
        return CarryOver(strings, None, (), tuple(faults))
    own = reader.own
    words = f"Carried over from {own.name} to {reader.there.chart.name}"
    journal = Journal(move.company, move.journal, move.on, "opening", words)
    digits = digits_of(before.require(Company, move.company).currency)
    lines = [
        _line(move, number, one, strings[one.account].target, reader.there.chart, own, digits)
        for number, one in enumerate(standing, 1)
    ]
    checked = check_journal(after, journal._replace(posted_at=move.moved_at), lines, rules)
    as_keyed = check_journal(after, journal, lines, rules).faults
    faults += [*checked.faults, *(fault for fault in as_keyed if fault.code in ASKED)]
    known = {fault.what for fault in faults}
    unruly = Counter(fault.what for fault in as_keyed if fault.what not in known)
    return CarryOver(strings, journal, checked.lines, tuple(faults), tuple(unruly.most_common()))


def _line(
    move: MoveToChart,
    number: int,
    one: StandingAmount,
    target: str,
    there: ChartIndex,
    own: ChartIndex,
    digits: int,
) -> JournalLine:
    names = {field.name for field in there.dimensions}
    given = parse_dimensions(one.dimensions)[0].items()
    amount = format_amount(abs(one.amount), digits)
    natural = own.natural_of(one.account)
    code = own.segments[own.natural].codes.get(natural)
    return JournalLine(
        move.company,
        move.journal,
        number,
        account=target,
        dimensions="; ".join(f"{name}={code}" for name, code in sorted(given) if name in names),
        debit=amount if one.amount > 0 else "",
        credit=amount if one.amount < 0 else "",
        partner=one.partner,
        description=f"{one.account} {code.name if code else ''}".strip(),
    )


def _unmapped(
    before: State,
    move: MoveToChart,
    reader: StringReader,
    strings: Mapping[str, MovedString],
    posted: PostedBefore,
) -> Iterator[Fault]:
    """Accounts posted to that have none in the new chart, those with the most first."""
    sums: dict[str, int] = {}
    for one in posted.standing:
        natural = strings[one.account].natural
        sums[natural] = sums.get(natural, 0) + one.amount
    missing = {one.natural for one in strings.values() if not one.target_natural}
    ordered = sorted(missing, key=lambda natural: (-abs(sums.get(natural, 0)), natural))
    company = before.require(Company, move.company)
    codes = reader.own.segments[reader.own.natural].codes
    for natural in ordered[:MOST_NAMED]:
        amount = show_amount(sums.get(natural, 0), digits_of(company.currency))
        name = codes[natural].name if natural in codes else ""
        what = f"{natural} {name} has no account in {move.chart}; {amount} {company.currency} stand on it."
        place = Location("second_chart_mappings", (reader.own.chart, move.chart), "accounts", natural)
        yield Fault("unmapped", what, place, "Map it.")
    if len(ordered) > MOST_NAMED:
        what = f"{len(ordered) - MOST_NAMED} more accounts have none in {move.chart}."
        yield Fault("unmapped", what, way_out="Map them.")


def _posted_after(move: MoveToChart, posted: PostedBefore) -> Iterator[Fault]:
    if posted.ahead:
        what = f"{move.company} has a journal posted at {posted.ahead}, which is still to come."
        place = Location("chart_moves", (move.company, move.on), "moved_at", move.moved_at)
        yield Fault("chart-move", what, place, "Move it after that: the moment tells charts apart.")
    if posted.last is not None and posted.last >= move.on:
        what = f"{move.company} has journals until {posted.last} already."
        place = Location("chart_moves", (move.company, move.on), "on", str(move.on))
        yield Fault("chart-move", what, place, "Choose a period that begins after that.")
