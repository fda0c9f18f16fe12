"""What was mapped together by name or code is told apart from what a person chose, until it was looked at."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from core.group.mapping import MapPlan
from core.mapping.likely import LikelyTarget
from web.structures.models import TakenTarget

MOST_NAMED = 6


def question(likely: Mapping[str, LikelyTarget], names: Mapping[str, str]) -> str:
    """What taking them all will do; `names` of targets by code."""
    shown = [
        f"{account} to {one.target} {names.get(one.target, '')} ({one.ground})"
        for account, one in sorted(likely.items())[:MOST_NAMED]
    ]
    more = len(likely) - len(shown)
    parts = [*shown, f"{more} more"] if more else shown
    return f"Map {len(likely)} account{'s' if len(likely) > 1 else ''} by name or code: {'; '.join(parts)}?"


def keep_taken(into: str, of: str, likely: Mapping[str, LikelyTarget], by: Any) -> None:
    TakenTarget.objects.bulk_create(
        (
            TakenTarget(into=into, of=of, account=account, target=one.target, ground=one.ground, by=by)
            for account, one in likely.items()
        ),
        update_conflicts=True,
        unique_fields=["into", "of", "account"],
        update_fields=["target", "ground", "by"],
    )


def still_taken(into: str, of: Iterable[str], plan: MapPlan) -> list[TakenTarget]:
    """Those that still go where they went then, by account."""
    rows = TakenTarget.objects.filter(into=into, of__in=list(of)).order_by("account", "pk")
    return [row for row in rows if row.account in plan.own_codes and plan.plain(row.account) == row.target]


def look_at(into: str, of: Iterable[str], account: str = "") -> None:
    """One of them was looked at, or all."""
    rows = TakenTarget.objects.filter(into=into, of__in=list(of))
    (rows.filter(account=account) if account else rows).delete()
