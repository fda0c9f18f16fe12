"""The chain of a company's posted journals: each carries a hash over its content and the hash of the one
before.

What is hashed is described in docs/chain.md, so that anyone can recompute it. Cells are texts as the package
writes them;
FIELD parts cells, RECORD parts records: neither stands in any text that is taken in.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import NamedTuple

from core.definitions.parsing import write_cell

FORM = "pine-journal-1"
FIELD, RECORD = "\x1f", "\x1e"
HEAD = (
    "company",
    "journal",
    "date",
    "kind",
    "description",
    "currency",
    "rate",
    "posted_at",
    "posted_by",
    "reverses",
)
LINE = (
    "line",
    "company",
    "fiscal_year",
    "period",
    "closing",
    "account",
    "dimensions",
    "amount",
    "keyed",
    "partner",
    "generated",
    "description",
    "source_type",
    "source_number",
    "source_party",
    "source_item",
)
BEGINNING = "0" * 64


class End(NamedTuple):
    """Where a company's chain ends: the number of its last journal, from 1, and that one's hash."""

    number: int
    hash: str


class Sealed(NamedTuple):
    """The cells of a journal that its hash covers, as texts."""

    company: str
    journal: str
    date: str
    kind: str
    description: str
    currency: str
    rate: str
    posted_at: str
    posted_by: str
    reverses: str


def moment(value: datetime) -> str:
    """A moment as the hash takes it: UTC, to the microsecond."""
    return value.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def rate_text(value: Decimal | None) -> str:
    return write_cell(value)


def line_text(cells: Sequence[str]) -> str:
    return FIELD.join(cells)


def link(previous: str, head: Sealed, lines: Iterable[str]) -> str:
    """The hash of a journal, hexadecimal: of the form's name, the hash before, the head, and each line's text
    in order."""
    text = RECORD.join((FORM, previous, FIELD.join(head), *lines))
    return hashlib.sha256(text.encode()).hexdigest()
