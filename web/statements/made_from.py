"""What figures that are handed on were made from: by whom, when, with which definitions, asked for how."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from urllib.parse import parse_qs

from django.utils import timezone

from core.version import VERSION
from web.definitions.viewing import PineRequest
from web.statements.queries import StatementFigures

ASKED_TITLES = {
    "filter": "Only",
    "by": "Columns by codes of",
    "periods": "Columns by",
    "budget": "Beside the budget",
    "forecast": "After the period the budget",
    "than": "Beside the stretch",
    "level": "Down to level",
}


@dataclass(frozen=True)
class MadeFrom:
    """`definitions` names the version, and the draft on it if there is one."""

    definitions: str
    by: str
    at: datetime

    @classmethod
    def of_request(cls, request: PineRequest) -> MadeFrom:
        view = request.viewed
        seen = f"version {view.snapshot.version if view.as_of is None else view.as_of}"
        definitions = f"draft {view.working.draft.name} on {seen}" if view.working else seen
        return cls(definitions, request.user.shown_name(), timezone.now())

    @classmethod
    def published(cls, version: int, person: Any) -> MadeFrom:
        """Of the published definitions; `person` None: from the command line."""
        return cls(f"version {version}", person.shown_name() if person else "command line", timezone.now())

    def sentence(self) -> str:
        """For the foot of a page."""
        return f"Made by {self.by}, {self.at:%Y-%m-%d %H:%M} UTC, {self.definitions}, Pine Scaffold {VERSION}"

    def rows(
        self, found: StatementFigures, whose: tuple[str, str], address: str = ""
    ) -> list[tuple[str, str]]:
        """For a workbook's last sheet: (what, which). `whose`: what it is of, and its name; `address` the
        query of the page."""
        statement, asked = found.plan.statement, parse_qs(address)
        return [
            ("Statement", f"{statement.statement} {statement.name}"),
            whose,
            ("Currency", found.currency),
            ("Movement", found.window.name),
            ("Balances at", found.window.ends),
            *((title, asked[name][0]) for name, title in ASKED_TITLES.items() if name in asked),
            *self.who_and_when(),
        ]

    def who_and_when(self) -> list[tuple[str, str]]:
        return [
            ("Definitions", self.definitions),
            ("Made by", self.by),
            ("Made at", f"{self.at:%Y-%m-%d %H:%M} UTC"),
            ("Product", f"Pine Scaffold {VERSION}"),
        ]
