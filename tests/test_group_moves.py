"""What a draft moves in consolidated statements: beside what is published, equal to both computed from
scratch, down to accounts."""

import csv
import html
import io
import re
from datetime import date
from typing import Any

from core.changes.kinds import Amend, Change, Drop, Put
from core.changes.of_statements import PlaceAccounts
from core.definitions.tables import (
    Chart,
    Code,
    Company,
    CompanyCode,
    Elimination,
    Group,
    GroupMember,
    HierarchyNode,
    IntercompanyPair,
    Mapping,
    Statement,
)
from tests.base import InWorld, PineTest, bring, forget, person, run, tables
from web.definitions import actions, drafting
from web.definitions.snapshot import current
from web.drafts import queries
from web.group import queries as group_queries

AT = queries.ComparedPeriod(2026, 2)


def consolidated() -> dict[str, str]:
    """The group's column by line, as the command line gives it."""
    text = run("statement", "st", "--group", "g", "--year", "2026", "--period", "2")[1]
    return {row["line"]: row["amount"] for row in csv.DictReader(io.StringIO(text))}


def cents(text: str) -> int | None:
    return int(text.replace(".", "")) if text else None


class GroupMoves(InWorld):
    def moved(self, *changes: Change) -> tuple[list[queries.MovedTree], Any]:
        draft = drafting.start(f"Draft {len(changes)} {changes[0]}"[:60], self.mirela, list(changes))
        made = drafting.working(draft)
        return [
            tree for tree in queries.moved(made.published.state, made.state, AT) if tree.kind == "group"
        ], draft

    def test_it_is_what_both_would_be_from_scratch(self) -> None:
        cases: list[tuple[str, list[Change]]] = [
            ("a place on another line", [PlaceAccounts("st", "cash", ("1110",))]),
            ("an elimination that goes", [Drop(Elimination("g", "e", 10, "", "1810, 2810", True, "2010"))]),
            (
                "a difference that goes elsewhere",
                [Amend("eliminations", ("g", "e"), (("difference_account", "3010"),))],
            ),
            ("a member that goes", [Drop(GroupMember("g", "beta"))]),
            (
                "nothing that a figure knows of",
                [Amend("codes", ("acc", "1110"), (("name", "Trade debtors"),))],
            ),
        ]
        for title, changes in cases:
            with self.subTest(title):
                before = consolidated()
                trees, draft = self.moved(*changes)
                drafting.publish(draft.pk, self.mirela, reason="Because", today=date(2026, 11, 1))
                forget()
                after = consolidated()
                told = {row.line: (row.was, row.now) for tree in trees for row in tree.rows}
                wanted = {
                    line: (cents(before[line]), cents(after[line]))
                    for line in before
                    if line != "unplaced"
                    and line in after
                    and (cents(before[line]) or 0) != (cents(after[line]) or 0)
                }
                self.assertEqual(told, wanted)
                actions.take_back(current().version, self.mirela)
                forget()

    def test_down_to_the_accounts(self) -> None:
        _, draft = self.moved(PlaceAccounts("st", "cash", ("1110",)))
        page = self.group.get(f"/drafts/{draft.pk}/moves/?year=2026&period=2").content.decode()
        name = next(row.name for row in current().state.rows(Statement) if row.statement == "st")
        self.assertIn(f"{name}, Both consolidated", html.unescape(page))
        causes = self.group.get(
            f"/drafts/{draft.pk}/causes/?kind=group&of=st&line=cash&whose=g&year=2026&period=2"
        ).content.decode()
        self.assertEqual(re.findall(r'<td class="code">(\d+)</td>', causes), ["1110"])
        self.assertIn("250.50", causes)
        self.assertIn("/group/g/?statement=st", causes)
        for odd in ("whose=none", "whose=g&of=none", "whose=g&line=none", "whose=g&period=99"):
            self.assertIn(
                self.group.get(
                    f"/drafts/{draft.pk}/causes/?kind=group&of=st&line=cash&year=2026&period=2&{odd}"
                ).status_code,
                (200, 404),
            )

    def test_mapped_amounts_are_read_once_for_states_that_map_alike(self) -> None:
        made = drafting.working(
            drafting.start("Names", self.mirela, [Amend("codes", ("acc", "1110"), (("name", "Owed"),))])
        )
        one = group_queries.group_statement(made.published.state, "st", "g", 2026, 2).group.books
        other = group_queries.group_statement(made.state, "st", "g", 2026, 2).group.books
        self.assertEqual(one.accounts.codes, other.accounts.codes)
        closer = drafting.working(
            drafting.start("More", self.mirela, [Put(Code("acc", "1030", "Till", account_class="asset"))])
        )
        self.assertIsNot(group_queries.group_statement(closer.state, "st", "g", 2026, 2).group.books, one)

    def test_what_is_kept_follows_what_selectors_pick(self) -> None:
        """A move in a hierarchy that an elimination or a translation rule reads makes other figures; one that
        none reads leaves what is kept."""
        everything = (("accounts", "under 11"), ("partners_only", "false"))
        steps: list[tuple[str, Change, bool]] = [
            ("under 11", Amend("eliminations", ("g", "e"), everything), False),
            ("1010 moved there", Put(HierarchyNode("tree", "1010", "11")), False),
            ("1020 stays where nothing reads", Put(HierarchyNode("tree", "1020", "10", 7)), True),
            ("and back", Put(HierarchyNode("tree", "1010", "10")), False),
        ]
        kept = group_queries.consolidation_of(current().state, "g")
        for title, change, same in steps:
            actions.make_change(change, self.mirela)
            now = group_queries.consolidation_of(current().state, "g")
            with self.subTest(title):
                warm = consolidated()
                self.assertEqual(now is kept, same)
                forget()
                self.assertEqual(warm, consolidated())
            kept = group_queries.consolidation_of(current().state, "g")


class OwnCharts(PineTest):
    """A company with a chart of its own: a mapping row that changes moves the group and no statement of a
    company."""

    def test_a_mapping_row(self) -> None:
        bring(
            {
                **tables(
                    Chart("own", "Own", "s"),
                    Company("gamma", "Gamma", "GB", "GBP", "own", "m"),
                    CompanyCode("gamma", "company", "10"),
                    IntercompanyPair("gamma", "alpha", "1810", "2810"),
                    Group("g", "Both", "GBP", "c"),
                    GroupMember("g", "gamma"),
                    Mapping("g", "gamma", 10, "all except 1020", target="1010"),
                    Mapping("g", "gamma", 20, "1020", target="1110"),
                ),
                "journals": "company,journal,date\ngamma,G1,2026-02-03\n",
                "journal_lines": (
                    "company,journal,line,account,debit,credit\ngamma,G1,1,10-1020-001,70,\n"
                    "gamma,G1,2,10-3010-001,,70\n"
                ),
            }
        )
        mirela = person("mirela")
        made = drafting.working(
            drafting.start("Map", mirela, [Amend("mappings", ("g", "gamma", "20"), (("target", "1010"),))])
        )
        found = queries.moved(made.published.state, made.state, AT)
        self.assertEqual(
            [(tree.kind, [(row.line, row.was, row.now) for row in tree.rows]) for tree in found],
            [("group", [("cash", -7000, 0), ("debtors", 7000, 0)])],
        )
        causes = queries.group_causes_of(made.published.state, made.state, AT, "st", "cash", "g")
        self.assertEqual([(cause.code, cause.amount) for cause in causes], [("1010", 7000)])
