"""The matrix of a rollout, worked out once for the definitions, the books and the choices it hangs on."""

from __future__ import annotations

import hashlib
from datetime import date
from typing import Any

from django.db.models import QuerySet
from django.db.models.expressions import RawSQL

from core.access.rights import Access, Right
from core.definitions.state import State
from core.definitions.tables import Rollout, RolloutItem
from core.rollouts.matrix import Matrix, OursWins, Tell, matrix_of
from web.definitions.posted import posted_facts, posted_mark
from web.journals.code_postings import strings_of
from web.process_cache import ProcessCache
from web.rollouts.models import RolloutRun

MOST_OURS = 2_000
_kept: ProcessCache[tuple[Any, ...], Matrix] = ProcessCache(6)


def ours_of(text: str) -> OursWins:
    """Where what comes wins, as an address says it: thing@company, either of them *, with - before it where
    what is there stays."""
    picked: set[tuple[str, str]] = set()
    kept: set[tuple[str, str]] = set()
    for part in text.split(",")[:MOST_OURS]:
        thing, at, company = part.removeprefix("-").rpartition("@")
        if at and thing and company:
            (kept if part.startswith("-") else picked).add((thing, company))
    return OursWins(frozenset(picked), frozenset(kept))


def ours_text(ours: OursWins) -> str:
    return ",".join(
        [
            *(f"{thing}@{company}" for thing, company in sorted(ours.picked)),
            *(f"-{thing}@{company}" for thing, company in sorted(ours.kept)),
        ]
    )


NOT_SEEN = "EXISTS (SELECT 1 FROM jsonb_array_elements(companies) c WHERE NOT c->>0 = ANY(%s))"


def runs_seen(access: Access) -> QuerySet[RolloutRun]:
    """Runs of the log, the newest first, of which all companies are seen."""
    runs = RolloutRun.objects.select_related("by", "version", "draft", "version__taken_back_by")
    seen = access.names(Right.SEE, "company")
    if seen is not None:
        runs = runs.annotate(hidden=RawSQL(NOT_SEEN, [sorted(seen)]))  # noqa: S611 - bound
        runs = runs.filter(hidden=False)
    return runs.order_by("-pk")


def strings_needed(state: State, rollout: Rollout) -> tuple[str, ...]:
    """Account strings its source has posted to, where an item asks for strings in use."""
    items = state.part(RolloutItem, rollout.rollout).values()
    return strings_of(rollout.company) if any(item.kind == "strings" for item in items) else ()


def matrix_for(
    state: State, rollout: Rollout, ours: str, access: Access, tell: Tell = lambda what, done: None
) -> Matrix:
    """Kept by what it was worked out from: a state with other rows has another digest, books that moved have
    another mark, people with the same rights get the same."""
    strings = strings_needed(state, rollout)
    own = access.everywhere, frozenset(access.over.items())
    key = (state.digest, rollout.rollout, ours, date.today(), strings, posted_mark(), own)
    if (matrix := _kept.get(key)) is None:
        facts = posted_facts(state)
        matrix = matrix_of(state, rollout, strings, date.today(), facts, ours_of(ours), tell, access)
        _kept.put(key, matrix)
    return matrix


def fingerprint(matrix: Matrix) -> str:
    """Stands for all that a matrix would write: what was looked at is what is made, or nothing is."""
    digest = hashlib.sha256()
    for row in matrix.rows():
        digest.update(repr(row).encode())
    digest.update(repr(sorted(place for cell in matrix.written() if (place := cell.placing))).encode())
    digest.update(repr([company.company for company in matrix.companies]).encode())
    return digest.hexdigest()
