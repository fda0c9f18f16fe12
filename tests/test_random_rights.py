"""Random rights: whoever may see some companies is told not a word of the books of others, at any address."""

from __future__ import annotations

import random

from core.access.rights import Right
from core.definitions.tables import IntercompanyPair
from core.tests.rich_world import rich
from tests.base import JOURNALS, LINES, PineTest, bring, client_of, person, tables_of
from tests.test_fuzz import ROUTES, address
from web.definitions.snapshot import current
from web.people import granting
from web.people.models import Person

COMPANIES = ("alpha", "beta", "gamma")
CHARTS = ("", "c", "d", "all")
PERSONS = 4
SEED = 20261202
CLOSED = (302, 403, 404, 405)


def words(company: str) -> str:
    return f"zq-{company}-words"


def world() -> dict[str, str]:
    """Every journal says whose it is."""
    rows = [row for row in rich() if not (isinstance(row, IntercompanyPair) and row.partner == "gamma")]
    head, *journals = JOURNALS.splitlines()
    columns = head.split(",")
    at, whose = columns.index("description"), columns.index("company")
    told = []
    for line in [*journals, ",".join(_journal(columns))]:
        cells = line.split(",")
        cells[at] = words(cells[whose])
        told.append(",".join(cells))
    lines = LINES.rstrip("\n") + "\n" + "\n".join(_lines(LINES.splitlines()[0].split(","))) + "\n"
    return {**tables_of(rows), "journals": "\n".join([head, *told]) + "\n", "journal_lines": lines}


def _journal(columns: list[str]) -> list[str]:
    cells = {"company": "gamma", "journal": "G1", "date": "2026-02-10", "kind": "general"}
    return [cells.get(column, "") for column in columns]


def _lines(columns: list[str]) -> list[str]:
    rows = (
        {"company": "gamma", "journal": "G1", "line": "1", "account": "BK", "debit": "77"},
        {"company": "gamma", "journal": "G1", "line": "2", "account": "BK", "credit": "77"},
    )
    return [",".join(row.get(column, "") for column in columns) for row in rows]


class RandomRights(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")
        self.chance = random.Random(SEED)

    def somebody(self, number: int) -> tuple[Person, frozenset[str]]:
        """A person with random companies and grants, and the companies that these name."""
        own = self.chance.sample(COMPANIES, self.chance.randint(0, 2))
        who = person(f"random{number}", "company", tuple(own))
        seen = set(own)
        for _ in range(self.chance.randint(0 if own else 1, 2)):
            rights = self.chance.sample(
                [one for one in Right if one != Right.ADMINISTER], self.chance.randint(1, 3)
            )
            over = self.chance.sample(COMPANIES, self.chance.randint(0, 2))
            chart = self.chance.choice(CHARTS)
            if not over and not chart:
                continue
            name = f"Role {number} {len(seen)} {self.chance.random()}"
            role = granting.put_role(None, name, rights, self.mirela)
            granting.grant(current().state, who, role, (", ".join(over), chart, ""), self.mirela)
            seen |= set(over)
        return who, frozenset(seen)

    def test_books_of_others_are_nowhere(self) -> None:
        opened = 0
        for number in range(PERSONS):
            who, seen = self.somebody(number)
            client = client_of(who)
            hidden = [words(company) for company in COMPANIES if company not in seen]
            for _, pattern in ROUTES:
                for company in COMPANIES if "<company>" in pattern else (self.chance.choice(COMPANIES),):
                    journal = "G1" if company == "gamma" else "A2" if company == "alpha" else "B1"
                    query = f"company={company}&q=zq&words=zq&year=2026&period=2"
                    target = f"{address(pattern, company=company, journal=journal)}?{query}"
                    reply = client.get(target)
                    with self.subTest(who=number, seen=sorted(seen), target=target):
                        if company not in seen and "<company>" in pattern:
                            self.assertIn(reply.status_code, CLOSED)
                        if not reply.streaming:
                            page = reply.content.decode(errors="replace")
                            self.assertEqual([secret for secret in hidden if secret in page], [])
                            opened += any(words(one) in page for one in seen)
        self.assertGreater(opened, 10, "what they may see is told somewhere")
