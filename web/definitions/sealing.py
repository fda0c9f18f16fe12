"""Seals of what is kept beside the books: versions of the definitions, kept periods, rights, budgets.

Each act adds a hash to the chain of its log in its own transaction, so that whoever changes the tables beside
the application has a whole chain to write anew; `./pine verify` recomputes it, and ends kept elsewhere prove
that nothing is missing behind.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NamedTuple

from django.db import connection
from django.db.models import Max

from core.books.chain import BEGINNING, End
from core.faults import Fault, Location
from web.definitions.models import Sealed

WAY_OUT = "Somebody changed the tables beside the application: compare with a backup from before."
MARK = "@"
"""Before the name of a log where ends of chains are listed: no company's id begins with it."""

Told = Iterator[tuple[str, Iterable[str]]]


class SealedLog(NamedTuple):
    """A log of which each row is sealed once, or where `stands`, things of which the newest seal holds.
    `told` are all of them now: the key, and the texts that its seal covers."""

    name: str
    title: str
    noun: str
    told: Callable[[], Told]
    stands: bool = False


def text_of(*values: Any) -> str:
    """Values as a seal covers them, however the database orders what is inside."""
    return json.dumps(values, sort_keys=True, ensure_ascii=False, default=str)


def hash_of(texts: Iterable[str]) -> str:
    digest = hashlib.sha256()
    for text in texts:
        digest.update(text.encode("utf-8", "surrogatepass"))
        digest.update(b"\n")
    return digest.hexdigest()


def seal(log: str, things: Iterable[tuple[str, Iterable[str]]]) -> None:
    """Goes on with the chain of a log, inside the caller's transaction; the next one waits for its end.
    `things` are keys with the texts that their seals cover; none at all where something was taken away."""
    seal_hashes(log, [(key, hash_of(texts)) for key, texts in things])


def seal_hashes(log: str, things: Iterable[tuple[str, str]]) -> None:
    """The same for keys whose texts were hashed before."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(hashtextextended('sealed ' || %s, 0))", [log])
    last = Sealed.objects.filter(log=log).order_by("-number").values_list("number", "link").first()
    end, before = last or (0, BEGINNING)
    rows = []
    for number, (key, content) in enumerate(things, end + 1):
        before = link(before, key, content)
        rows.append(Sealed(log=log, number=number, key=key, content=content, link=before))
    Sealed.objects.bulk_create(rows)


def newest_seal(log: str) -> int:
    """Another number whenever something was written to a log."""
    newest = Sealed.objects.filter(log=log).aggregate(number=Max("number"))["number"]
    return int(newest or 0)


def link(before: str, key: str, content: str) -> str:
    return hashlib.sha256(f"{before}\n{key}\n{content}".encode()).hexdigest()


def ends_of_seals() -> dict[str, End]:
    """Where the chain of each log ends, by MARK and log."""
    newest = Sealed.objects.order_by("log", "-number").distinct("log").values_list("log", "number", "link")
    return {f"{MARK}{log}": End(number, text) for log, number, text in newest}


def seals_at(known: Mapping[str, End]) -> dict[str, str]:
    """The links that logs have now at known ends."""
    rows = Sealed.objects.filter(number__in={end.number for end in known.values()})
    links = {
        (f"{MARK}{log}", number): link for log, number, link in rows.values_list("log", "number", "link")
    }
    return {name: links[name, end.number] for name, end in known.items() if (name, end.number) in links}


def broken_seals(logs: Iterable[SealedLog], known: Mapping[str, End]) -> tuple[dict[str, End], list[Fault]]:
    """Where the chain of each log ends, and what doesn't hold. `known` are ends kept elsewhere, by MARK and
    log."""
    ends: dict[str, End] = {}
    faults: list[Fault] = []
    for log in logs:
        newest, end, chained = _chain(log, known.get(f"{MARK}{log.name}"))
        if end.number:
            ends[f"{MARK}{log.name}"] = end
        faults += [*chained, *(_unlike(log, newest) if end.number else ())]
    return ends, faults


def _chain(log: SealedLog, known: End | None) -> tuple[dict[str, str], End, list[Fault]]:
    """The newest content by key, where the chain ends, and the first link that doesn't hold."""
    newest: dict[str, str] = {}
    end, told, seen = End(0, BEGINNING), "", known is None
    for row in Sealed.objects.filter(log=log.name).order_by("number").iterator():
        if row.number != end.number + 1:
            told = told or f"A seal is missing before number {row.number} of the log of {log.title}."
        elif row.link != link(end.hash, row.key, row.content):
            told = told or f"Seal {row.number} of the log of {log.title} is another."
        end = End(row.number, row.link)
        if known is not None and known.number == end.number:
            seen = True
            if known.hash != end.hash:
                told = told or f"Seal {row.number} of the log of {log.title} is not the one kept elsewhere."
        newest[row.key] = row.content
    if not seen and known is not None:
        told = told or f"The log of {log.title} has no seal {known.number}, which was kept elsewhere."
    return newest, end, [_fault(log, "", told)] if told else []


def _unlike(log: SealedLog, newest: dict[str, str]) -> Iterator[Fault]:
    """Each thing of a log that isn't what its seal covers, or that has none, and each seal without its
    thing. Rows from before the first seal have none."""
    missing = {key for key, content in newest.items() if content != NOTHING}
    first = min(map(int, newest)) if newest and not log.stands else 0
    for key, texts in log.told():
        missing.discard(key)
        if key in newest:
            if hash_of(texts) != newest[key]:
                yield _fault(log, key, f"{log.noun.capitalize()} {key} is not what was sealed.")
        elif log.stands or int(key) > first:
            yield _fault(log, key, f"{log.noun.capitalize()} {key} was put there beside the application.")
    for key in sorted(missing):
        yield _fault(log, key, f"{log.noun.capitalize()} {key} is gone.")


NOTHING = hash_of(())
"""The content of what was taken away."""


def _fault(log: SealedLog, key: str, what: str) -> Fault:
    return Fault("seal-broken", what, Location(log.name, (key,) if key else ()), WAY_OUT)
