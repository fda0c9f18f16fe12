"""Quick codes: short words that stand for an account string, alone or behind the company's own code."""

from __future__ import annotations

from core.definitions.parsing import split_names
from core.definitions.state import State, derived
from core.definitions.tables import QuickCode
from core.structures.accounts import parse_dimensions
from core.structures.charts import CompanyContext


@derived(QuickCode)
def quick_codes(state: State, chart: str) -> dict[str, QuickCode]:
    return {row.quick_code: row for row in state.part(QuickCode, chart).values()}


def is_for(quick: QuickCode, company: str, person: str | None) -> bool:
    """Whether a quick code is offered to a person in a company, and expands for them. None (a command) is
    everybody.

    A team's `owner` are the names its people sign in with, parted by commas; a person's is their own.
    """
    if quick.company and quick.company != company:
        return False
    if person is None or quick.scope == "everyone":
        return True
    return person in split_names(quick.owner) if quick.scope == "team" else person == quick.owner


def quick_named(
    state: State, seated: CompanyContext, account: str, person: str | None = None
) -> QuickCode | None:
    """The quick code that a keyed account is: by itself, or behind one of the company's own codes."""
    known = quick_codes(state, seated.chart.chart)
    if not known:
        return None
    own, separator, rest = account.partition(seated.chart.separator)
    word = rest if separator and seated.chart.company == 0 and own in seated.codes else account
    quick = known.get(word)
    return quick if quick is not None and is_for(quick, seated.company, person) else None


def as_kept(state: State, seated: CompanyContext, keyed: str, person: str | None = None) -> str:
    """What was keyed in the order that screens show, as it is kept. A quick code stays the word it is."""
    chart = seated.chart
    if chart.shows_as_kept or quick_named(state, seated, keyed, person) is not None:
        return keyed
    own, separator, word = keyed.partition(chart.separator)
    behind = separator and chart.company == chart.order[0] and own in seated.codes
    return word if behind and quick_named(state, seated, word, person) is not None else chart.kept(keyed)


def expand(
    state: State, seated: CompanyContext, account: str, dimensions: str, person: str | None = None
) -> tuple[str, str]:
    """Replaces a quick code by its string; the line's own dimensions win over the quick code's."""
    quick = quick_named(state, seated, account, person)
    if quick is None:
        return account, dimensions
    own, bad = parse_dimensions(dimensions)
    if bad:
        return quick.account, dimensions
    merged = {**parse_dimensions(quick.dimensions)[0], **own}
    return quick.account, "; ".join(f"{name}={code}" for name, code in sorted(merged.items()))
