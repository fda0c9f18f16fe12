"""Packs of statements."""

from __future__ import annotations

import argparse

from core.definitions.tables import Company, Group
from web.definitions import snapshot
from web.exchange.acts.answers import DONE, say
from web.packs.files import pack_files
from web.packs.making import figures_of_items, make_pack, pack_items
from web.statements.made_from import MadeFrom


def run_pack(given: argparse.Namespace) -> int:
    """Writes a pack; standard error says the SHA-256 of what was made."""
    state = snapshot.current().state
    names = {
        "companies": sorted(row.company for row in state.rows(Company)),
        "groups": sorted(row.group for row in state.rows(Group)),
    }

    def listed(name: str) -> list[str]:
        text = getattr(given, name)
        return names[name] if text == "all" and name in names else [one for one in text.split(",") if one]

    at = (given.year, given.period)
    items = pack_items(state, listed("statements"), listed("companies"), listed("groups"), *at)
    form = given.path.suffix.lower().lstrip(".")
    if form not in ("pdf", "xlsx", "zip"):
        contents = figures_of_items(items, at, given.beside_year, lambda what, done: None)
        given.path.mkdir(parents=True, exist_ok=True)
        made = MadeFrom.published(contents.version, None)
        for name, content in pack_files(contents, made, lambda done: None):
            (given.path / name).write_bytes(content)
        told = "listed in contents.csv"
    else:
        content, digest, contents = make_pack(form, given.name, items, at, given.beside_year, None)
        given.path.write_bytes(content)
        told = f"SHA-256 {digest}"
    for sentence in contents.left_out:
        say(sentence)
    say(f"{len(contents.figures):,} statements in {given.path}, {told}.")
    return DONE
