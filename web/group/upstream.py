"""What changed in the accounts on either side since a mapping was last looked at, and what of it is
settled."""

from __future__ import annotations

from collections.abc import Mapping
from functools import reduce
from operator import or_
from typing import Any, NamedTuple

from django.db.models import Max, Q
from django.utils import timezone

from core.codes.lists import list_index
from core.definitions.state import Edit, State
from core.definitions.tables import Group
from core.faults import LOOK, MUST, Fault, Refused
from core.group.map_accounts import group_list
from core.group.mapping import MapPlan
from core.mapping.upstream import CLASS, CLOSED, GONE, NEW, AccountChange, account_changes
from web.definitions.models import Edited
from web.definitions.snapshot import as_edit, current
from web.group.models import MappingReview, SettledAccount

OWN, GROUP = "own", "group"
MOST = 5_000
"""So many changes are told; beyond them all of it has to be looked at."""


class UpstreamChange(NamedTuple):
    """A changed account of a side with where it goes (or what goes to it), and how much it matters."""

    side: str
    change: AccountChange
    goes: str
    severity: str


class Review(NamedTuple):
    """`last`: when it was looked at, if ever; `changes` since, those settled left out; `too_many` where there
    are more than can be told."""

    last: MappingReview | None
    changes: tuple[UpstreamChange, ...]
    too_many: bool


def reviews_of(state: State, group: Group, plans: Mapping[str, MapPlan]) -> dict[str, Review]:
    """By company with a mapping of its own, three queries for all of them."""
    last: dict[str, MappingReview] = {}
    rows = MappingReview.objects.filter(group=group.group, company__in=plans).select_related("by")
    for row in rows.order_by("pk"):
        last[row.company] = row
    if not last:
        return {company: Review(None, (), False) for company in plans}
    theirs = group_list(state, group.group)
    lists = {plans[company].chart.natural_list for company in last}
    if theirs:
        lists.add(theirs.code_list)
    edited = _edited(lists, min(row.version for row in last.values()))
    settled = _settled(group.group)
    reviews = {}
    for company, plan in plans.items():
        review = last.get(company)
        if review is None or edited is None:
            reviews[company] = Review(review, (), review is not None)
            continue
        changes: list[UpstreamChange] = []
        for side, code_list in ((OWN, plan.chart.natural_list), (GROUP, theirs.code_list if theirs else "")):
            edits = [
                edit
                for version, edit in edited.get(code_list, ())
                if version > max(review.version, settled.get((company, side, edit.key[1]), 0))
            ]
            changes += _weighed(state, side, account_changes(edits), plan)
        reviews[company] = Review(review, tuple(changes), False)
    return reviews


def _edited(lists: set[str], version: int) -> dict[str, list[tuple[int, Edit]]] | None:
    """The edits of codes of these lists after a version, oldest first; None where they are too many."""
    of_lists = reduce(or_, (Q(key__startswith=f"{name} ") for name in sorted(lists)))
    rows = Edited.objects.filter(of_lists, version_id__gt=version, table="codes")
    edited = list(rows.order_by("version_id", "pk")[: MOST + 1])
    if len(edited) > MOST:
        return None
    by_list: dict[str, list[tuple[int, Edit]]] = {}
    for row in edited:
        edit = as_edit(row)
        by_list.setdefault(edit.key[0], []).append((row.version_id, edit))
    return by_list


def _settled(group: str) -> dict[tuple[str, str, str], int]:
    rows = SettledAccount.objects.filter(group=group).values("company", "side", "account")
    return {
        (row["company"], row["side"], row["account"]): row["until"]
        for row in rows.annotate(until=Max("version"))
    }


def _weighed(state: State, side: str, changes: list[AccountChange], plan: MapPlan) -> list[UpstreamChange]:
    """Of the group's accounts only those that something goes to matter."""
    if side == OWN:
        rows = []
        for change in changes:
            target = plan.plain(change.account) if change.account in plan.own_codes else ""
            goes = "by its string" if target is None else target
            severity = MUST if change.kind == NEW and not goes else LOOK
            rows.append(UpstreamChange(OWN, change, goes, severity))
        return rows
    sources: dict[str, list[str]] = {}
    for account in list_index(state, plan.chart.natural_list).posting:
        for row in plan.rows.get(account, ()):
            sources.setdefault(row.row.target, []).append(account)
    return [
        UpstreamChange(
            GROUP,
            change,
            ", ".join(dict.fromkeys(sources[change.account][:4])),
            MUST if change.kind in (CLASS, CLOSED, GONE) else LOOK,
        )
        for change in changes
        if change.account in sources
    ]


def look_at(group: str, company: str, by: Any) -> None:
    MappingReview.objects.create(
        group=group, company=company, version=current().version, at=timezone.now(), by=by
    )


def settle(group: str, company: str, side: str, account: str, why: str, by: Any) -> None:
    """Raises Refused without an account, a side or a reason."""
    if side not in (OWN, GROUP) or not account:
        raise Refused([Fault("nothing-chosen", "An account of the company or the group is needed.")])
    if not why:
        raise Refused([Fault("nothing-chosen", "What is settled says why.", way_out="Give the reason.")])
    SettledAccount.objects.create(
        group=group,
        company=company,
        side=side,
        account=account,
        version=current().version,
        why=why,
        at=timezone.now(),
        by=by,
    )
