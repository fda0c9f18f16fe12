"""Many companies at once: accounts opened and shut, pairs proposed, a company like another, periods opened
again."""

from __future__ import annotations

import random
import unittest
from datetime import date
from typing import Any

from core.books.journals import check_journal
from core.books.periods import reopened
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import ChangeSet, Drop, Put, PutRows, apply, examine
from core.definitions.state import State
from core.definitions.tables import (
    Code,
    Company,
    CompanyAccount,
    CompanyCode,
    GroupMember,
    IntercompanyPair,
    Journal,
    JournalLine,
    Mapping,
    Period,
)
from core.faults import blocking
from core.founding.company_like import PLACES, company_like
from core.structures.charts import company_context
from core.structures.open_accounts import WANTED, Openness, is_open, listing_those_used, opened, openness
from core.structures.pair_proposals import PairProposal, proposed_pair
from core.tests.rich_world import rich


def faced() -> list[Any]:
    """The rich world, where each partner is faced on accounts of its own."""
    rows = [row for row in rich() if not isinstance(row, IntercompanyPair)]
    rows += [
        Code("acc", "1820", "Due from Beta", account_class="asset"),
        Code("acc", "2820", "Due to Beta", account_class="liability"),
        Code("acc", "1830", "Due from Gamma", account_class="asset"),
        Code("acc", "2830", "Due to Gamma", account_class="liability"),
        Company("delta", "Delta", "GB", "GBP", "c", "m", accounts_open="listed"),
        Code("co", "30", "Delta"),
        CompanyCode("delta", "company", "30"),
        IntercompanyPair("alpha", "beta", "1820", "2820"),
        IntercompanyPair("beta", "alpha", "1810", "2810"),
        IntercompanyPair("alpha", "gamma", "1830", "2830"),
        IntercompanyPair("beta", "gamma", "1830", "2830"),
        IntercompanyPair("gamma", "alpha", "IC", "OW"),
        IntercompanyPair("gamma", "beta", "IC", "OW"),
        IntercompanyPair("delta", "beta", "1820", "2820"),
    ]
    return rows


class OpenAccounts(unittest.TestCase):
    def test_set_they_are_as_asked_and_nothing_else_moves(self) -> None:
        codes = ["1010", "1020", "1110", "2010", "5010"]
        for seed in range(80):
            rng = random.Random(seed)
            company = Company(
                "alpha", "Alpha", "GB", "GBP", "c", "m", accounts_open=rng.choice(("all", "listed"))
            )
            own = [
                CompanyAccount("alpha", code, rng.choice(("", "EUR")), rng.random() < 0.3, rng.random() < 0.6)
                for code in codes
                if rng.random() < 0.5
            ]
            state = State.of(
                [*(row for row in rich() if row[0] != "alpha" or not isinstance(row, Company)), company, *own]
            )
            chosen, wanted = rng.sample(codes, 3), rng.choice(WANTED[:2])
            before = company_context(state, "alpha")
            found = opened(state, company, chosen, wanted)
            change = ChangeSet((PutRows(tuple(found.put), ""), *(Drop(row) for row in found.drop)), "")
            after = company_context(apply(state, change), "alpha")
            assert before and after
            with self.subTest(seed=seed):
                for code in codes:
                    expected = wanted == "open" if code in chosen else is_open(before, code)
                    self.assertEqual(is_open(after, code), expected, code)
                again = opened(apply(state, change), company, chosen, wanted)
                self.assertEqual(again, ([], []))

    def test_plain_takes_settings_of_its_own_away(self) -> None:
        state = State.of(rich())
        company = state.require(Company, "beta")
        self.assertEqual(
            opened(state, company, ["1020", "1010"], "plain").drop,
            [CompanyAccount("beta", "1020", enabled=False)],
        )
        context = company_context(state, "beta")
        assert context
        self.assertEqual(openness(state, context, frozenset({"1010", "1020"})), Openness(1, 2, 1))

    def test_listing_what_is_used_shuts_nothing_that_is(self) -> None:
        state = State.of(rich())
        company = state.require(Company, "alpha")
        rows = tuple(listing_those_used(state, company, ["1010", "4010", "gone", "1"]))
        after = apply(state, PutRows(rows, ""))
        context = company_context(after, "alpha")
        assert context
        self.assertEqual(context.open, frozenset({"1010", "4010", "1810", "2810"}))


class Pairs(unittest.TestCase):
    def test_proposals_have_their_ground(self) -> None:
        state = State.of(faced())
        for pair, wanted in (
            (("delta", "alpha"), PairProposal("1810", "2810", "as another company of its chart")),
            (("delta", "gamma"), PairProposal("1830", "2830", "as 2 other companies of its chart")),
            (("gamma", "delta"), PairProposal("IC", "OW", "as with all its partners")),
            (("alpha", "delta"), None),
            (("alpha", "alpha"), None),
            (("gone", "alpha"), None),
        ):
            with self.subTest(pair):
                self.assertEqual(proposed_pair(state, *pair), wanted)
        more = [
            Code("acc", "1840", "Due from Delta", account_class="asset"),
            Code("acc", "2840", "Due to Delta", account_class="liability"),
        ]
        state = State.of([*faced(), *more])
        self.assertEqual(
            proposed_pair(state, "alpha", "delta"), PairProposal("1840", "2840", "by their names")
        )


class LikeAnother(unittest.TestCase):
    def test_it_stands_wherever_the_other_does_and_can_be_posted_to(self) -> None:
        state = State.of(faced())
        beta = state.require(Company, "beta")
        row = Company("new", "Newfield", "GB", "GBP", "c", "m")
        change = company_like(state, row, beta, "70", None, frozenset(PLACES))
        examined = examine(state, change, NOTHING_POSTED)
        self.assertEqual([str(fault) for fault in blocking(examined.faults)], [])
        after = examined.after
        self.assertEqual(
            {key[1]: pair[2:] for key, pair in after.part(IntercompanyPair, "new").items()},
            {"alpha": ("1810", "2810"), "beta": ("1820", "2820"), "gamma": ("1830", "2830")},
        )
        self.assertEqual(
            after.get(IntercompanyPair, "alpha", "new"), IntercompanyPair("alpha", "new", "1840", "2840")
        )
        self.assertEqual(
            after.get(IntercompanyPair, "gamma", "new"), IntercompanyPair("gamma", "new", "IC", "OW")
        )
        self.assertEqual(after.require(Code, "acc", "1840").name, "Due from Newfield")
        self.assertEqual(
            after.get(CompanyAccount, "new", "1020"), CompanyAccount("new", "1020", enabled=False)
        )
        self.assertIsNotNone(after.get(GroupMember, "sub", "new"))
        lines = [
            JournalLine("new", "N1", 1, "", "70-1010", "", "5"),
            JournalLine("new", "N1", 2, "alpha", "10-4020", "", "", "5"),
        ]
        checked = check_journal(after, Journal("new", "N1", date(2026, 2, 10)), lines)
        self.assertEqual([str(fault) for fault in checked.faults], [])
        self.assertEqual([line.natural for line in checked.lines if line.generated], ["2810", "1840"])

    def test_only_the_places_that_are_asked_for(self) -> None:
        state = State.of([*faced(), Mapping("g", "beta", 10, "all", target="1010")])
        beta = state.require(Company, "beta")
        row = Company("new", "Newfield", "GB", "GBP", "c", "m")
        for place, tables in (
            ("", {"companies", "company_codes", "codes"}),
            ("groups", {"companies", "company_codes", "codes", "group_members"}),
            ("mapping", {"companies", "company_codes", "codes", "mappings"}),
            ("accounts", {"companies", "company_codes", "codes", "company_accounts"}),
        ):
            with self.subTest(place):
                change = company_like(state, row, beta, "70", None, frozenset({place}))
                self.assertEqual({edit.table for edit in change.edits(state)}, tables)

    def test_a_partner_with_listed_accounts_gets_those_of_the_pair(self) -> None:
        state = State.of([*faced(), IntercompanyPair("alpha", "delta", "1810", "2810")])
        alpha = state.require(Company, "alpha")
        row = Company("new", "Newfield", "GB", "GBP", "c", "m")
        pairs = [
            IntercompanyPair("delta", "alpha", "1810", "2810"),
            IntercompanyPair("alpha", "delta", "1850", "2850"),
        ]
        codes = [
            Code("acc", "1850", "Due from Delta", account_class="asset"),
            Code("acc", "2850", "Due to Delta", account_class="liability"),
        ]
        state = State.of([*faced(), *pairs, *codes])
        after = apply(state, company_like(state, row, alpha, "70", None, frozenset({"pairs"})))
        pair = after.require(IntercompanyPair, "delta", "new")
        self.assertIsNotNone(after.get(CompanyAccount, "delta", pair.due_from))


class PeriodsAgain(unittest.TestCase):
    def test_what_reopening_means(self) -> None:
        state = State.of(
            [
                Period("k", 2026, n, f"M{n}", date(2026, n, 1), date(2026, n, 27), "regular", status)
                for n, status in ((1, "closed"), (2, "closed"), (3, "closed"), (4, "open"))
            ]
        )
        rows = sorted(state.part(Period, "k").values())
        for places, status, said in (
            (
                (0,),
                "open",
                "M1 is closed, and reopening lets journals in again. M2 and 1 more closed after it.",
            ),
            ((2,), "restricted", "M3 is closed, and reopening lets journals in again."),
            (
                (0, 1),
                "open",
                "M1 and 1 more are closed, and reopening lets journals in again. M3 closed after it.",
            ),
            ((3,), "closed", ""),
        ):
            with self.subTest(places=places):
                change = ChangeSet(tuple(Put(rows[at]._replace(status=status)) for at in places), "")
                self.assertEqual(reopened(change.edits(state), state), said)
