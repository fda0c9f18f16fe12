"""Seals journals as they are posted: canonical texts of their lines in columns, and each company's chain
carried on."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from django.db import connection

from core.books.chain import BEGINNING, FIELD, End, Sealed, link

if TYPE_CHECKING:
    from web.journals.posting import Lines

NUMBERS = 0x4E554D42


class Link(NamedTuple):
    """A journal's place in its company's chain, its hash, and how many lines it has."""

    number: int
    hash: str
    lines: int


def lock_numbers(companies: Iterable[str]) -> None:
    """Whoever posts journals of a company does so one after the other until commit: their numbers and chain
    follow on."""
    with connection.cursor() as cursor:
        for company in sorted(set(companies)):
            cursor.execute("SELECT pg_advisory_xact_lock(%s, hashtext(%s))", [NUMBERS, company])


def ends(companies: Iterable[str]) -> dict[str, End]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT j.company, j.chain, j.hash FROM unnest(%s::text[]) AS w(company), LATERAL (SELECT * FROM"
            " journals_journal n WHERE n.company = w.company ORDER BY n.chain DESC LIMIT 1) j",
            [sorted(set(companies))],
        )
        return {company: End(number, text) for company, number, text in cursor.fetchall()}


def sealed(
    heads: Sequence[Sealed], lines: Lines, accounts: Sequence[str], dimensions: Sequence[str]
) -> list[Link]:
    """Carries the chains of the journals' companies on, in the order given. The caller holds `lock_numbers`.

    `accounts` and `dimensions` are the texts of `lines.accounts` and `lines.dimension_texts` as they were
    first posted.
    """
    last = ends(entry.company for entry in heads)
    texts, starts = _texts(lines, accounts, dimensions, len(heads))
    links = []
    for at, entry in enumerate(heads):
        own = texts[starts[at] : starts[at + 1]]
        before = last.get(entry.company, End(0, BEGINNING))
        end = End(before.number + 1, link(before.hash, entry, own))
        last[entry.company] = end
        links.append(Link(end.number, end.hash, len(own)))
    return links


def _texts(
    lines: Lines, accounts: Sequence[str], dimensions: Sequence[str], journals: int
) -> tuple[list[str], list[int]]:
    """Each line's canonical text, by journal and line number; and where each journal's begin, the end
    last."""
    order = np.lexsort((lines.line, lines.journal))
    starts = np.searchsorted(lines.journal[order], np.arange(journals + 1)).tolist()
    companies, years, periods, closing = zip(*lines.seats, strict=True) if lines.seats else ((), (), (), ())
    seat = lines.seat[order]
    partners = [*lines.partners, ""]  # the last one stands for none

    def taken(values: Sequence[str], at: Any) -> Any:
        return pa.array(values, pa.string()).take(pa.array(at))

    def numbers(values: Any) -> Any:
        return pc.cast(pa.array(values), pa.string())

    columns = [
        numbers(lines.line[order]),
        taken(companies, seat),
        taken([str(y) for y in years], seat),
        taken([str(p) for p in periods], seat),
        taken([str(int(c)) for c in closing], seat),
        taken(accounts, lines.account[order]),
        taken(dimensions, lines.dimensions[order]),
        numbers(lines.amount[order]),
        numbers(lines.keyed[order]),
        taken(partners, lines.partner[order] % len(partners)),
        numbers(lines.generated[order].astype(np.int64)),
        *(pc.fill_null(column.combine_chunks(), "") for column in lines.texts.take(pa.array(order)).columns),
    ]
    return pc.binary_join_element_wise(*columns, FIELD).to_pylist() if len(order) else [], starts
