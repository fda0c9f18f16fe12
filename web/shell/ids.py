"""Ids made from what a person wrote."""

from __future__ import annotations

from collections.abc import Callable

from django.utils.text import slugify

LONGEST = 40
ROOM = 6
"""Kept free for a number behind."""


def id_of(text: str) -> str:
    """A text as an id of the package: small letters, digits, - and _, at most 40; may come out empty."""
    return slugify(text)[:LONGEST].strip("-")


def free_id(text: str, is_taken: Callable[[str], bool], otherwise: str) -> str:
    """An id after a text that nothing has yet; a number behind it where it must."""
    base = id_of(text)[: LONGEST - ROOM].strip("-") or otherwise
    name, number = base, 1
    while is_taken(name):
        number += 1
        name = f"{base}-{number}"
    return name
