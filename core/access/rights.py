"""The rights that people have over companies, charts and groups, from all that was granted to them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

from core.definitions.state import State, derived
from core.definitions.tables import Chart, Company, Group, GroupMember, SecondChart
from core.group.membership import membership
from core.structures.company_choice import chosen_companies
from core.structures.second_charts import charts_of


class Right(StrEnum):
    """What somebody may do; over what, an owner says. `post-restricted` is posting into restricted periods
    too."""

    SEE = "see"
    ENTER = "enter"
    POST = "post"
    POST_RESTRICTED = "post-restricted"
    DEFINE = "define"
    APPROVE = "approve"
    CLOSE = "close"
    ADMINISTER = "administer"


ALL_RIGHTS = frozenset(Right)
BRINGS: Mapping[Right, frozenset[Right]] = {
    Right.ENTER: frozenset({Right.SEE}),
    Right.POST: frozenset({Right.SEE, Right.ENTER}),
    Right.POST_RESTRICTED: frozenset({Right.SEE, Right.ENTER, Right.POST}),
    Right.DEFINE: frozenset({Right.SEE}),
    Right.APPROVE: frozenset({Right.SEE}),
    Right.CLOSE: frozenset({Right.SEE}),
}
"""What else somebody has who has a right: nobody posts what they may not see."""
EVERYTHING = "all"


class Owner(NamedTuple):
    """What a right is over: `kind` is `company`, `chart`, `group`, or `everything` with an empty name."""

    kind: str
    name: str = ""

    def __str__(self) -> str:
        return f"{self.kind} {self.name}" if self.name else "what belongs to no chart, company or group"


WHOLE = Owner("everything")


class Grant(NamedTuple):
    """Rights over companies (as core/structures/company_choice.py reads them), charts and groups (`all`, or
    ids parted by commas); empty: over none."""

    rights: frozenset[Right]
    companies: str = ""
    charts: str = ""
    groups: str = ""

    @property
    def over_everything(self) -> bool:
        """All companies, charts and groups, and so what belongs to none of them too."""
        return all(part.strip().lower() == EVERYTHING for part in (self.companies, self.charts, self.groups))


def with_what_they_bring(rights: Iterable[Right]) -> frozenset[Right]:
    given = frozenset(rights)
    return given.union(*(BRINGS.get(right, frozenset()) for right in given))


@dataclass(frozen=True)
class Access:
    """All that somebody may do. What is in no mapping is not theirs."""

    everywhere: frozenset[Right]
    over: Mapping[Owner, frozenset[Right]]

    def may(self, right: Right, owner: Owner) -> bool:
        return right in self.everywhere or right in self.over.get(owner, ())

    def may_all(self, right: Right, owners: Iterable[Owner]) -> bool:
        """Over each of them; over nothing nobody may anything."""
        names = list(owners)
        return bool(names) and all(self.may(right, owner) for owner in names)

    def may_anywhere(self, right: Right) -> bool:
        return right in self.everywhere or any(right in rights for rights in self.over.values())

    def names(self, right: Right, kind: str) -> frozenset[str] | None:
        """Those of a kind over which there is the right; None for all."""
        if right in self.everywhere:
            return None
        over = self.over.items()
        return frozenset(owner.name for owner, rights in over if owner.kind == kind and right in rights)


FULL = Access(ALL_RIGHTS, {})


class _Over(dict[Owner, frozenset[Right]]):
    def give(self, owner: Owner, rights: frozenset[Right]) -> None:
        self[owner] = self.get(owner, frozenset()) | rights

    def seen(self, kind: str) -> list[str]:
        return [owner.name for owner, rights in self.items() if owner.kind == kind and Right.SEE in rights]


@derived(Company, Chart, Group, GroupMember, SecondChart)
def kept_access(state: State, grants: tuple[Grant, ...]) -> Access:
    """What grants come to, worked out once for all requests of whoever has these."""
    return access_of(state, grants)


def access_of(state: State, grants: Iterable[Grant]) -> Access:
    """What grants come to in a state. Whoever sees a group sees its members, whoever sees a company the
    charts that its books are seen in."""
    everywhere: frozenset[Right] = frozenset()
    over = _Over()
    for grant in grants:
        rights = with_what_they_bring(grant.rights)
        if grant.over_everything:
            everywhere |= rights
        for company in companies_meant(state, grant.companies):
            over.give(Owner("company", company.company), rights)
        for chart in _ids(grant.charts, (row.chart for row in state.rows(Chart))):
            over.give(Owner("chart", chart), rights)
        for group in _ids(grant.groups, (row.group for row in state.rows(Group))):
            over.give(Owner("group", group), rights)
    sees = frozenset({Right.SEE})
    for name in over.seen("group"):
        for reached in membership(state, name).companies:
            over.give(Owner("company", reached.company), sees)
    for name in over.seen("company"):
        row = state.get(Company, name)
        for chart in charts_of(state, row) if row else ():
            over.give(Owner("chart", chart), sees)
    return Access(everywhere, over)


def companies_meant(state: State, text: str) -> tuple[Company, ...]:
    """Nobody where the text is empty or names what isn't there any more."""
    return chosen_companies(state, text).companies if text.strip() else ()


def _ids(text: str, there: Iterable[str]) -> frozenset[str]:
    known = frozenset(there)
    if text.strip().lower() == EVERYTHING:
        return known
    return known & {name.strip() for name in text.split(",")}
