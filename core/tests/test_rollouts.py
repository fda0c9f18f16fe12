"""Rollouts: cells as a table, and the properties that hold for any."""

from __future__ import annotations

import random
import unittest
from datetime import date
from typing import Any

from core.access.owners import not_allowed
from core.access.rights import Grant, Right, access_of
from core.changes.fixed import NOTHING_POSTED
from core.changes.kinds import ChangeSequence, Put, apply, examine, inverse
from core.changes.of_statements import PlaceAccounts
from core.definitions.state import Edit, State
from core.definitions.tables import (
    AccountString,
    Chart,
    Code,
    CodeList,
    CodeName,
    Company,
    CompanyAccount,
    CompanyCode,
    Hierarchy,
    HierarchyNode,
    PairingRule,
    QuickCode,
    Rollout,
    RolloutItem,
    Statement,
    StatementLine,
    Structure,
    StructureSegment,
)
from core.faults import blocking
from core.rollouts.adding import items_added
from core.rollouts.matrix import EVERY, Matrix, OursWins, matrix_of
from core.structures.company_choice import chosen_companies, names_others, without_company
from core.tests.random_acts import Acts
from core.tests.rich_world import rich

TODAY = date(2026, 5, 1)
STRINGS = ("10-1010-001", "10-5010-001", "10-4010-002", "10-1110-")


def world() -> list[Any]:
    """The rich world, and a chart of the same shape with an own list of accounts that takes listed strings
    only; two companies on it, one of which has only listed accounts open."""
    rows = rich()
    rows += [
        CodeList("eacc", "East accounts", 4, 4),
        Hierarchy("etree", "eacc", "East tree", True),
        Code("eacc", "11", "Receivables", True, False),
        HierarchyNode("etree", "11"),
        Code("eacc", "1010", "Bank", account_class="asset"),
        Code("eacc", "5010", "Costs of the east", account_class="expense"),
        Structure("e", "East", "."),
        StructureSegment("e", 1, "konto", "Konto", "eacc", "natural_account"),
        StructureSegment("e", 2, "firm", "Firm", "co", "company"),
        StructureSegment("e", 3, "site", "Site", "site"),
        Chart("e", "East", "e", "listed_only"),
        Company("delta", "Delta", "PL", "PLN", "e", "m"),
        Company("epsilon", "Epsilon", "PL", "EUR", "e", "m", accounts_open="listed"),
        Code("co", "40", "Delta"),
        Code("co", "50", "Epsilon"),
        CompanyCode("delta", "firm", "40"),
        CompanyCode("epsilon", "firm", "50"),
        CompanyAccount("epsilon", "1010"),
        CompanyAccount("alpha", "1010", "GBP"),
        AccountString("e", "5010.40.003", False),
        Statement("eis", "East income", "e", "income_statement"),
        StatementLine("eis", "sales", "", 10, "Sales", "accounts", "5010", sign="debit"),
        StatementLine("eis", "costs", "", 20, "Costs", "accounts", "9*", sign="debit"),
    ]
    return rows


def item(position: int, kind: str, **more: str) -> RolloutItem:
    return RolloutItem("r", position, kind, **more)


SWAPPED = Rollout("r", "Third site", "alpha", "chart=e", date(2026, 3, 1), "site", "001", "003", "West")
PLAIN = Rollout("r", "As it is", "alpha", "delta, epsilon")
ITEMS = (
    item(10, "account", codes="1110, 5010, 1010"),
    item(20, "strings", field="site", codes="001"),
    item(30, "rule", name="site-must"),
    item(40, "quick_code", name="sp"),
    item(50, "place", field="is", codes="5010"),
)


def worked_out(rollout: Rollout, *items: RolloutItem, ours: OursWins | None = None) -> tuple[State, Matrix]:
    state = State.of([*world(), rollout, *items])
    return state, matrix_of(state, rollout, STRINGS, TODAY, NOTHING_POSTED, ours or OursWins())


def outcomes(matrix: Matrix) -> dict[str, str]:
    return {
        thing.key: " ".join(cell.outcome for cell in row)
        for thing, row in zip(matrix.things, matrix.cells, strict=True)
    }


class Cells(unittest.TestCase):
    def test_each_thing_in_each_company(self) -> None:
        _, matrix = worked_out(PLAIN, *ITEMS)
        self.assertEqual([row.company for row in matrix.companies], ["delta", "epsilon"])
        self.assertEqual(
            outcomes(matrix),
            {
                "account.1010": "cannot cannot",  # it is kept in GBP, and they key zloty and euro only
                "account.1110": "new new",
                "account.5010": "differs differs",  # of another name there
                "string.10-1010-001": "new new",
                "string.10-5010-001": "new cannot",
                "quick_code.sp": "cannot cannot",
                "place.is.5010": "differs differs",
                "rule.site-must": "new new",
            },
        )

    def test_what_stands_in_the_way_is_said(self) -> None:
        _, matrix = worked_out(PLAIN, *ITEMS)
        said = {
            f"{thing.key} {company.company}": f"{cell.fault.what} {cell.fault.way_out}"
            for thing, row in zip(matrix.things, matrix.cells, strict=True)
            for company, cell in zip(matrix.companies, row, strict=True)
            if cell.fault
        }
        self.assertEqual(
            said,
            {
                "account.1010 delta": "1010 is kept in GBP, and Delta keys PLN only. Let the company key"
                " foreign currencies, or leave the account out there.",
                "account.1010 epsilon": "1010 is kept in GBP, and Epsilon keys EUR only. Let the company key"
                " foreign currencies, or leave the account out there.",
                "string.10-5010-001 epsilon": "5010 is not open for company epsilon. Bring the account"
                " too, or choose another.",
                "quick_code.sp delta": "East has no dimension for season, which is SP26. Hang the"
                " dimension on the chart first.",
                "quick_code.sp epsilon": "East has no dimension for season, which is SP26. Hang the"
                " dimension on the chart first.",
            },
        )

    def test_nothing_is_made_that_somebody_may_not_define(self) -> None:
        for companies, charts, told in (
            ("delta, epsilon", "", {"account.1110": "cannot cannot", "place.is.5010": "cannot cannot"}),
            ("delta", "e", {"account.1110": "new", "account.5010": "differs", "rule.site-must": "new"}),
            ("epsilon", "c", {"string.10-1010-001": "cannot", "rule.site-must": "cannot"}),
            ("", "e", {}),
        ):
            state = State.of([*world(), PLAIN, *ITEMS])
            access = access_of(state, [Grant(frozenset({Right.DEFINE}), companies, charts)])
            ours = OursWins(frozenset({(EVERY, EVERY)}))
            matrix = matrix_of(state, PLAIN, STRINGS, TODAY, NOTHING_POSTED, ours, access=access)
            with self.subTest(companies=companies, charts=charts):
                seen = [row.company for row in matrix.companies]
                self.assertEqual(seen, companies.split(", ") if companies else [])
                found = outcomes(matrix)
                self.assertEqual({key: found[key] for key in told}, told)
                edits = matrix.change().edits(state)
                self.assertEqual(not_allowed(access, state, state.edited(edits), edits), [])
                hidden = 2 - len(matrix.companies)
                remarks = [f"{hidden} of the companies it names are not shown: you don't see them."]
                self.assertEqual(list(matrix.remarks), remarks if hidden else [])

    def test_a_swap_makes_the_code_and_strings_with_it(self) -> None:
        state, matrix = worked_out(SWAPPED._replace(companies="chart=e; currency=PLN"), *ITEMS[1:2])
        self.assertEqual(
            outcomes(matrix),
            {"code.site.001": "new", "string.10-1010-001": "new", "string.10-5010-001": "differs"},
        )
        after = apply(state, matrix.change())
        self.assertEqual(
            after.get(Code, "site", "003"), Code("site", "003", "West", in_use_from=date(2026, 3, 1))
        )
        self.assertEqual(
            after.get(AccountString, "e", "1010.40.003"),
            AccountString("e", "1010.40.003", True, date(2026, 3, 1)),
        )
        self.assertEqual(
            after.get(AccountString, "e", "5010.40.003"), AccountString("e", "5010.40.003", False)
        )

    def test_the_side_that_is_chosen_wins(self) -> None:
        picks = OursWins(frozenset({("account.5010", "epsilon")}))
        state, matrix = worked_out(PLAIN, *ITEMS, ours=picks)
        after = apply(state, matrix.change())
        row = after.require(Code, "eacc", "5010")
        self.assertEqual((row.name, row.account_class), ("Costs", "expense"))
        # one row of a list is one for all on it, so it wins in delta's cell as well
        self.assertEqual(list(matrix.wins[2]), [True, True])
        self.assertIsNotNone(after.get(CompanyAccount, "epsilon", "5010"))
        self.assertEqual(
            worked_out(PLAIN, *ITEMS, ours=OursWins(frozenset({(EVERY, EVERY)})))[1].changed(), 4
        )

    def test_a_code_comes_with_its_place_and_names(self) -> None:
        state = State.of([*world(), PLAIN, *ITEMS, CodeName("acc", "1110", "nl", "Debiteuren")])
        matrix = matrix_of(state, PLAIN, STRINGS, TODAY, NOTHING_POSTED, OursWins())
        after = apply(state, matrix.change())
        self.assertEqual(after.get(HierarchyNode, "etree", "1110"), HierarchyNode("etree", "1110", "11"))
        self.assertEqual(
            after.get(CodeName, "eacc", "1110", "nl"), CodeName("eacc", "1110", "nl", "Debiteuren")
        )

    def test_one_name_in_a_chart_goes_to_one_company(self) -> None:
        quick = QuickCode("c", "bank2", "alpha", account="10-1010-001")
        rollout = SWAPPED._replace(companies="chart=c except gamma, gamma2")
        state = State.of([*world(), quick, rollout, item(10, "quick_code", name="bank2")])
        matrix = matrix_of(state, rollout, (), TODAY, NOTHING_POSTED, OursWins())
        self.assertEqual(outcomes(matrix)["quick_code.bank2"], "new cannot")
        fault = matrix.cells[-1][1].fault
        self.assertEqual(fault.what if fault else "", "Alpha gets another quick code bank2003 in this act.")

    def test_items_that_say_nothing_are_told(self) -> None:
        _, matrix = worked_out(
            PLAIN._replace(companies="nobody; colour=red"),
            item(10, "rule", name="gone"),
            item(20, "code", field="colour", codes="1"),
            item(30, "account", codes="9999"),
            item(40, "place", field="eis", codes="1010"),
            item(50, "quick_code", name="gone"),
            item(60, "strings", field="season", codes="SP26"),
        )
        self.assertEqual(
            matrix.remarks,
            (
                "Chart has no pairing rule gone.",
                "Chart has no segment or dimension colour.",
                "There is no code 9999 in acc.",
                "Chart has no statement eis.",
                "Chart has no quick code gone.",
                "Chart has no segment season.",
                "There is no company nobody.",
                "'colour' is nothing by which companies are chosen: company, chart, country, currency,"
                " calendar, overlay, code.",
            ),
        )


class Properties(unittest.TestCase):
    def test_it_equals_each_cell_done_by_hand_and_brings_no_fault(self) -> None:
        """On definitions that random acts made others of, with sides picked at random."""
        for seed in range(40):
            rng, acts = random.Random(seed), Acts(seed)
            rollout = rng.choice(
                (PLAIN, SWAPPED, SWAPPED._replace(companies="all"), PLAIN._replace(companies="all"))
            )
            state = State.of([*world(), rollout, *ITEMS])
            for _ in range(6):
                change = acts.draw(state)
                if not blocking(examine(state, change, NOTHING_POSTED).faults):
                    state = apply(state, change)
            row = state.get(Rollout, "r")
            if row is None:
                continue
            picks = OursWins(frozenset({(EVERY, EVERY)}) if seed % 2 else frozenset())
            matrix = matrix_of(state, row, STRINGS, TODAY, NOTHING_POSTED, picks)
            if matrix.faults:
                continue
            with self.subTest(seed=seed):
                self._holds(state, row, matrix, picks)

    def _holds(self, state: State, row: Rollout, matrix: Matrix, picks: OursWins) -> None:
        examined = examine(state, matrix.change(), NOTHING_POSTED)
        self.assertEqual([str(fault) for fault in blocking(examined.faults)], [])
        by_hand = state
        for cell in matrix.written():
            for own in cell.rows:
                by_hand = apply(by_hand, Put(own))
            if cell.placing:
                place = PlaceAccounts(cell.placing.statement, cell.placing.line, (cell.placing.code,))
                by_hand = apply(by_hand, place)
        self.assertEqual(examined.after.digest, by_hand.digest)
        back = apply(examined.after, inverse(state, matrix.change()))
        self.assertEqual(back.digest, state.digest)
        again = matrix_of(examined.after, row, STRINGS, TODAY, NOTHING_POSTED, picks)
        self.assertEqual([cell.outcome for cell in again.written() if cell.outcome == "new"], [])

    def test_stopped_it_gives_nothing(self) -> None:
        def stop(what: str, done: int) -> None:
            if done == 3:
                raise InterruptedError

        state = State.of([*world(), PLAIN, *ITEMS])
        before = state.digest
        with self.assertRaises(InterruptedError):
            matrix_of(state, PLAIN, STRINGS, TODAY, NOTHING_POSTED, OursWins(), stop)
        self.assertEqual(state.digest, before)


class Choosing(unittest.TestCase):
    def test_companies_by_name_and_by_what_they_are(self) -> None:
        state = State.of(world())
        for text, wanted in (
            ("all except gamma2", "alpha beta delta epsilon gamma"),
            ("gamma, alpha", "alpha gamma"),
            ("chart=e", "delta epsilon"),
            ("chart=e; currency=PLN", "delta"),
            ("country=PL, NL except delta, gamma2", "epsilon gamma"),
            ("code=40 to 50", "delta epsilon"),
            ("overlay=nl", "gamma"),
        ):
            with self.subTest(text):
                choice = chosen_companies(state, text)
                self.assertEqual(
                    (" ".join(row.company for row in choice.companies), choice.faults), (wanted, ())
                )

    def test_what_cannot_be_read(self) -> None:
        state = State.of(world())
        for text, fault in (
            ("", "Which companies is not said."),
            ("alpha, omega", "There is no company omega."),
            ("all except omega", "There is no company omega."),
            (
                "size=big",
                "'size' is nothing by which companies are chosen: company, chart, country, currency,"
                " calendar, overlay, code.",
            ),
            ("code=zz", "There is no code zz in co."),
        ):
            with self.subTest(text):
                self.assertEqual(chosen_companies(state, text), ((), (fault,)))
        for text, told in (
            ("alpha, beta", True),
            ("alpha, gamma", False),
            ("all", False),
            ("chart=c", False),
            ("all except gamma", False),
            ("alpha, beta except gamma", True),
            ("", False),
        ):
            self.assertEqual(names_others(text, "gamma"), told, text)
        self.assertEqual(without_company("all", "alpha"), "all except alpha")
        self.assertEqual(without_company("chart=e except delta", "alpha"), "chart=e except delta, alpha")

    def test_what_was_added_becomes_items(self) -> None:
        state = State.of([*world(), PLAIN, *ITEMS])
        fresh = [
            Code("acc", "4015", "Plants", account_class="revenue"),
            Code("site", "007", "Marsh"),
            CompanyAccount("beta", "1010"),
            PairingRule("c", "limit-two", 90, "site", "never", "007"),
            QuickCode("c", "plants", account="10-4015-001"),
            AccountString("c", "10-4015-007"),
        ]
        change = ChangeSequence(tuple(Put(row) for row in fresh))
        edits: list[Edit] = change.edits(state)
        items = items_added(apply(state, change), PLAIN, edits)
        self.assertEqual(
            [(row.position, row.kind, row.field, row.codes, row.account, row.name) for row in items],
            [
                (60, "account", "", "4015", "", ""),
                (70, "code", "site", "007", "", ""),
                (80, "place", "is", "4015", "", ""),
                (90, "place", "parts", "4015", "", ""),
                (100, "quick_code", "", "", "", "plants"),
                (110, "rule", "", "", "", "limit-two"),
                (120, "string", "", "", "10-4015-007", ""),
            ],
        )
        again = State.of([*world(), PLAIN, *ITEMS, *fresh, *items])
        self.assertEqual(items_added(again, PLAIN, edits), [])
        self.assertEqual(items_added(state, PLAIN._replace(company="nobody"), edits), [])
