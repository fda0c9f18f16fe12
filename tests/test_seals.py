"""What is kept beside the books is sealed: `./pine verify` tells what was changed beside the application, and
never what the application did itself."""

from __future__ import annotations

import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date
from unittest.mock import patch

from django.db import connection, connections
from django.test import override_settings

from core.changes.kinds import Put
from core.definitions.tables import Budget, Code
from tests.base import CommittingTest, PineTest, bring, person, run, world
from web.definitions import actions, drafting
from web.definitions.models import Sealed
from web.definitions.sealed_versions import versions_told
from web.definitions.sealing import SealedLog, Told
from web.definitions.snapshot import current
from web.exchange import heads
from web.group import kept
from web.group.models import KeptPeriod
from web.journals.budgets import copy_budget
from web.people import actions as people, granting
from web.people.models import GrantedRole, RightsGrant, Team
from web.people.standing import begin_seal

BUDGET_LINES = (
    "budget,company,fiscal_year,period,account,dimensions,amount\n"
    "plan,alpha,2026,1,10-4010-001,,-100\nplan,alpha,2026,2,10-4010-001,,-50\n"
    "plan,beta,2026,1,20-4010-001,,-7\n"
)


@contextmanager
def beside_the_application() -> Iterator[None]:
    """As a superuser who switches triggers off."""
    with connection.cursor() as cursor:
        cursor.execute("SET session_replication_role = replica")
        yield
        cursor.execute("SET session_replication_role = DEFAULT")


def broken() -> list[str]:
    """What verify says doesn't hold, without the way out."""
    prefix = "Does not hold: "
    return [line.removeprefix(prefix) for line in run("verify")[2].splitlines() if line.startswith(prefix)]


class Meanwhile(CommittingTest):
    def test_what_is_sealed_while_it_is_verified_is_no_fault(self) -> None:
        bring(world())

        def told() -> Told:
            """Somebody changes a definition between the reading of the seals and that of the log."""
            row = Code("acc", "1030", "Till", account_class="asset")

            def change() -> None:
                actions.make_change(Put(row), None)
                connections.close_all()

            somebody = threading.Thread(target=change)
            somebody.start()
            somebody.join()
            return versions_told()

        logs = [SealedLog("versions", "versions", "version", told)]
        with patch("web.exchange.acts.proofs.SEALED_LOGS", logs):
            self.assertEqual(broken(), [])
        self.assertEqual(Sealed.objects.filter(log="versions").count(), 2)
        self.assertEqual(broken(), [])


class Seals(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world(budgets="budget,name,chart\nplan,Plan,c\n", budget_lines=BUDGET_LINES))
        self.mirela = person("mirela")
        self.tamsin = person("tamsin", "company", ("beta",))
        begin_seal()

    def everything(self) -> None:
        """Acts of each kind that is sealed."""
        actions.make_change(Put(Code("acc", "1030", "Till", account_class="asset")), self.mirela)
        actions.take_back(2, self.mirela)
        draft = drafting.start(
            "Spring", self.mirela, [Put(Code("acc", "1010", "Bank account", account_class="asset"))]
        )
        drafting.publish(draft.pk, self.mirela, reason="Spring", today=date(2026, 2, 1))
        row = kept.keep_period("g", 2026, 2, "", [], self.mirela)
        kept.release(row, "A rate was wrong", self.mirela)
        kept.keep_period("g", 2026, 2, "Kept again", [], self.mirela)
        actions.make_change(Put(Budget("copy", "Copy", "c")), self.mirela)
        copy_budget("plan", "copy")
        people.add("ines", "Ines Brandt", "company", ["alpha"], self.mirela)
        people.change(self.tamsin, "Tamsin Penrose", "company", ["alpha", "beta"], self.mirela)
        people.give_access("alpha", "beta", self.mirela)
        people.switch(self.tamsin, on=False, by=self.mirela)
        role = granting.put_role(None, "Closer", ["close"], self.mirela)
        team = granting.put_team(None, "North", ["ines"], self.mirela)
        given = granting.grant(current().state, team, role, ("alpha", "", ""), self.mirela)
        granting.take_back(given, self.mirela)
        granting.drop_team(team, self.mirela)
        granting.drop_role(role)

    def test_what_the_application_does_breaks_no_seal(self) -> None:
        self.assertEqual(broken(), [])
        self.everything()
        self.assertEqual(broken(), [])
        logs = set(Sealed.objects.values_list("log", flat=True))
        self.assertEqual(logs, {"versions", "kept", "released", "rights", "budgets"})

    def test_what_is_changed_beside_it_is_told(self) -> None:
        self.everything()
        cases = (
            (
                "UPDATE definitions_version SET sentence = 'Nothing' WHERE version = 1",
                "Version 1 is not what",
            ),
            (
                "UPDATE definitions_version SET by_id = NULL WHERE version = 2",
                "Version 2 is not what was sealed",
            ),
            ("DELETE FROM definitions_edited WHERE version_id = 2", "Version 2 is not what was sealed"),
            (
                "UPDATE definitions_edited SET old = '{}' WHERE id = (SELECT max(id) FROM definitions_edited"
                " WHERE version_id = 3)",
                "Version 3 is not what was sealed",
            ),
            ("UPDATE group_keptperiod SET why = 'Else' WHERE number = 2", "Kept period"),
            ("UPDATE group_releasedperiod SET why = 'Else'", "Release"),
            ("DELETE FROM group_releasedperiod", "is gone"),
            ("UPDATE people_person SET role = 'group' WHERE username = 'tamsin'", "Rights of everybody"),
            ("UPDATE people_person SET is_active = true WHERE username = 'tamsin'", "Rights of everybody"),
            ("DELETE FROM people_person_companies", "Rights of everybody is not what was sealed"),
            (
                "UPDATE journals_budgetline SET amount = amount + 100 WHERE budget = 'copy'",
                "Budget copy alpha 2026",
            ),
            (
                "DELETE FROM journals_budgetline WHERE company = 'beta' AND budget = 'plan'",
                "Budget plan beta 2026 is gone",
            ),
            (
                "INSERT INTO journals_budgetline"
                " (budget, company, fiscal_year, period, account, dimensions, amount)"
                " VALUES ('plan', 'alpha', 2027, 1, '10-4010-001', '', 5)",
                "Budget plan alpha 2027 was put there beside the application",
            ),
            (
                "DELETE FROM definitions_sealed WHERE log = 'versions' AND number = 2",
                "A seal is missing before",
            ),
            (
                "UPDATE definitions_sealed SET content = repeat('0', 64) WHERE log = 'kept' AND number = 1",
                "Seal 1 of",
            ),
        )
        for sql, told in cases:
            with self.subTest(sql), connection.cursor() as cursor:
                cursor.execute("SAVEPOINT tampered")
                with beside_the_application():
                    cursor.execute(sql)
                    self.assertTrue(cursor.rowcount)
                found = broken()
                cursor.execute("ROLLBACK TO SAVEPOINT tampered")
                self.assertTrue(any(told in line for line in found), found)
                self.assertTrue(all("compare with a backup" in line for line in found), found)
        self.assertEqual(broken(), [])

    def test_a_right_granted_beside_it_is_told(self) -> None:
        role = GrantedRole.objects.create(name="All", rights=["define"])
        self.assertEqual(broken(), [])
        RightsGrant.objects.create(person=self.tamsin, role=role, companies="all")
        self.assertEqual(len(broken()), 1)
        Team.objects.create(name="More")
        self.assertEqual(len(broken()), 1)

    def test_what_is_missing_behind_is_told_by_ends_kept_outside(self) -> None:
        """The last journals of a company and the last version with all that seals them, deleted together."""
        with tempfile.TemporaryDirectory() as folder, override_settings(HEADS=folder):
            self.everything()
            self.assertEqual(heads.keep_current(), [])
            self.assertEqual(broken(), [])
            ends = heads.kept_ends()
            self.assertEqual(heads.keep_current(), [])
            self.assertIn("alpha", ends)
            self.assertIn("@versions", ends)
            for sql, name, told in (
                (
                    "DELETE FROM journals_journal WHERE company = 'alpha'",
                    "alpha",
                    "The chain of alpha has no journal",
                ),
                (
                    "DELETE FROM definitions_sealed WHERE log = 'rights'",
                    "@rights",
                    "The log of rights has no seal",
                ),
            ):
                with self.subTest(name), connection.cursor() as cursor:
                    cursor.execute("SAVEPOINT tampered")
                    with beside_the_application():
                        cursor.execute(sql)
                    with self.assertLogs("web.exchange.heads", "ERROR"):
                        self.assertEqual(heads.keep_current(), [name])
                    found = broken()
                    cursor.execute("ROLLBACK TO SAVEPOINT tampered")
                    self.assertTrue(any(told in line for line in found), found)
                    self.assertEqual(heads.kept_ends(), ends)

    def test_what_was_there_before_seals_were_is_left_alone(self) -> None:
        with beside_the_application():
            Sealed.objects.filter(log__in=("versions", "kept")).delete()
        actions.make_change(Put(Code("acc", "1030", "Till", account_class="asset")), self.mirela)
        self.assertEqual(broken(), [])
        self.assertEqual(Sealed.objects.get(log="versions").key, "2")
        self.assertEqual(KeptPeriod.objects.count(), 0)
