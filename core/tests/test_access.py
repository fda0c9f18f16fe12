"""Who may do what, worked out from grants; what each row belongs to."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from hypothesis import given, strategies as st

from core.access.owners import not_allowed, owners_of_row
from core.access.rights import FULL, WHOLE, Access, Grant, Owner, Right, access_of
from core.definitions.state import Edit
from core.definitions.tables import BY_ROW, DEFINING_TABLES, Chart, Code, Company, Group, Period, Rate
from core.tests.rich_world import rich, rich_state

SEE, DEFINE, CLOSE, POST = Right.SEE, Right.DEFINE, Right.CLOSE, Right.POST
PLACES = st.sampled_from(["", "all", "alpha", "beta, gamma", "c", "d", "g", "chart=c", "country=NL", "gone"])
GRANTS = st.lists(st.builds(Grant, st.frozensets(st.sampled_from(Right)), PLACES, PLACES, PLACES), max_size=4)


def told(access: Access) -> dict[str, str]:
    return {str(owner): " ".join(sorted(rights)) for owner, rights in sorted(access.over.items())}


class Granted(TestCase):
    def test_what_grants_come_to(self) -> None:
        cases: list[tuple[list[Grant], dict[str, str]]] = [
            ([], {}),
            ([Grant(frozenset({SEE}))], {}),
            (
                [Grant(frozenset({POST}), "country=NL")],
                {"company gamma": "enter post see", "chart c": "see", "chart d": "see"}
                | {"company gamma2": "enter post see"},
            ),
            ([Grant(frozenset({DEFINE}), "", "d")], {"chart d": "define see"}),
            (
                [Grant(frozenset({SEE}), "", "", "sub")],
                {"group sub": "see", "company beta": "see", "chart c": "see"},
            ),
            (
                [Grant(frozenset({SEE}), "gone"), Grant(frozenset({CLOSE}), "beta")],
                {"company beta": "close see", "chart c": "see"},
            ),
        ]
        for grants, wanted in cases:
            with self.subTest(grants):
                self.assertEqual(told(access_of(rich_state(), grants)), wanted)

    def test_rights_over_all_there_is_reach_what_belongs_to_nobody(self) -> None:
        state = rich_state()
        every = access_of(state, [Grant(frozenset({DEFINE}), "all", "all", "all")])
        self.assertTrue(every.may(DEFINE, WHOLE) and every.may(SEE, Owner("chart", "to come")))
        self.assertFalse(every.may(POST, Owner("company", "alpha")))
        self.assertFalse(access_of(state, [Grant(frozenset({DEFINE}), "all", "all")]).may(DEFINE, WHOLE))
        self.assertIsNone(FULL.names(SEE, "company"))
        self.assertFalse(FULL.may_all(SEE, []), "over nothing nobody may anything")

    @given(GRANTS, GRANTS)
    def test_more_grants_never_take_a_right_away_and_none_is_had_without_seeing(
        self, some: list[Grant], more: list[Grant]
    ) -> None:
        state = rich_state()
        less, both = access_of(state, some), access_of(state, [*some, *more])
        for owner, rights in less.over.items():
            self.assertLessEqual(rights, both.over[owner])
        self.assertLessEqual(less.everywhere, both.everywhere)
        for rights in (both.everywhere, *both.over.values()):
            self.assertTrue(not rights - {Right.ADMINISTER} or SEE in rights)


class Owned(TestCase):
    def test_every_row_belongs_to_something(self) -> None:
        state, unknown = rich_state(), Owner("chart", "unknown")
        for row in rich():
            table = BY_ROW[type(row)].name
            owners = owners_of_row(state, table, row)
            self.assertTrue(owners and unknown not in owners, row)
            for owner in owners:
                there = {"company": Company, "chart": Chart, "group": Group}.get(owner.kind)
                self.assertTrue(owner == WHOLE or (there and state.get(there, owner.name)), (row, owner))

    def test_nobody_without_rights_changes_a_row_of_any_table(self) -> None:
        state, nobody = rich_state(), access_of(state_of := rich_state(), [])
        self.assertIs(state_of.get(Chart, "none"), None)
        one = {BY_ROW[type(row)].name: row for row in rich()}
        self.assertEqual(set(one), {table.name for table in DEFINING_TABLES})
        for name, row in one.items():
            key = BY_ROW[type(row)].key(row)
            for edit in (Edit(name, key, row, None), Edit(name, key, None, row)):
                after = state.edited([edit])
                self.assertTrue(not_allowed(nobody, state, after, [edit]), name)
                self.assertEqual(not_allowed(FULL, state, after, [edit]), [], name)

    def test_what_is_said_where_a_right_is_missing(self) -> None:
        state = rich_state()
        account = state.require(Code, "own", "SL")
        february = next(row for row in state.rows(Period) if row.calendar == "m" and row.status == "open")
        shut = Edit("periods", february[:3], february, february._replace(status="closed"))
        longer = Edit("periods", february[:3], february, february._replace(name="Other", status="closed"))
        renamed = Edit("codes", ("own", "SL"), account, account._replace(name="Other"))
        rate = next(iter(state.rows(Rate)))
        other_rate = Edit("rates", rate[:4], None, rate._replace(on=date(2026, 5, 1)))
        chart = Edit("charts", ("new",), None, Chart("new", "New", "s"))
        on_m = sorted(row.company for row in state.rows(Company) if row.calendar == "m")
        cases: list[tuple[Grant, Edit, list[str]]] = [
            (Grant(frozenset({DEFINE}), "", "d"), renamed, []),
            (Grant(frozenset({DEFINE}), "all", "c"), renamed, ["You have no right to define in chart d."]),
            (Grant(frozenset({SEE}), "", "d"), renamed, ["You have no right to define in chart d."]),
            (Grant(frozenset({CLOSE}), "all"), shut, []),
            (
                Grant(frozenset({CLOSE}), "all except alpha"),
                shut,
                ["You have no right to close in all that this touches."],
            ),
            (
                Grant(frozenset({CLOSE}), "all"),
                longer,
                [f"You have no right to define in company {name}." for name in on_m],
            ),
            (
                Grant(frozenset({DEFINE}), "all", "all"),
                other_rate,
                ["You have no right to define what belongs to no chart, company or group."],
            ),
            (
                Grant(frozenset({DEFINE}), "", "all"),
                chart,
                ["You have no right to define what belongs to no chart, company or group."],
            ),
        ]
        for grant, edit, wanted in cases:
            with self.subTest(grant, edit=edit.table):
                access = access_of(state, [grant])
                faults = not_allowed(access, state, state.edited([edit]), [edit])
                self.assertEqual(sorted(one.what for one in faults), wanted)
        approver = access_of(state, [Grant(frozenset({Right.APPROVE}), "", "d")])
        after = state.edited([renamed])
        self.assertEqual(not_allowed(approver, state, after, [renamed], approves=True), [])
        self.assertEqual(len(not_allowed(approver, state, after, [renamed])), 1)
