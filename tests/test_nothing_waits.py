"""Who thinks holds no lock: acts that others come between are judged again, and nobody waits for anybody's
thinking. Real threads on connections of their own, real commits."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from typing import Any
from unittest.mock import patch

from django.db import connection, connections

from core.changes.kinds import AddCode, Amend, ChangeSet, Put
from core.definitions.tables import Budget, Code, Company
from core.faults import Refused
from tests.base import CommittingTest, bring, forget, package, person, tables_of, world
from tests.test_books import balance, keyed
from tests.test_rollouts import THIRD, seen as seen_matrix
from web.definitions import actions as definitions, deciding, drafting
from web.definitions.deciding import DEFINITIONS, TRIES
from web.definitions.models import Draft, Version
from web.definitions.snapshot import current
from web.exchange import importing
from web.exchange.importing import import_package
from web.group import kept
from web.group.models import KeptPeriod
from web.journals import actions, year_end
from web.journals.models import Journal
from web.rollouts.models import RolloutRun
from web.rollouts.running import roll_out

AT_ONCE = 3.0
"""Seconds in which an act that waits for nobody is done, on a machine that is busy with other tests."""
MARCH = "company,journal,date\nbeta,M1,2026-03-02\n"
MARCH_LINES = "company,journal,line,account,debit,credit\nbeta,M1,1,20-1010,5,\nbeta,M1,2,20-3010,,5\n"
LATE_MARCH = Amend("periods", ("m", "2026", "3"), (("status", "closed"),))
NAMED = Amend("statement_lines", ("st", "cash"), (("label", "Cash at hand"),))


WAITING: list[threading.Thread] = []
"""Acts that didn't end in their time: a test leaves none behind."""


def in_a_thread(act: Callable[[], object], seconds: float = AT_ONCE) -> object:
    """What an act on a connection of its own ended with, as it says itself or by its first fault."""
    ended: list[object] = []

    def work() -> None:
        try:
            ended.append(act())
        except Refused as refused:
            ended.append(refused.faults[0].what)
        finally:
            connections.close_all()

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    thread.join(seconds)
    if not ended:
        WAITING.append(thread)
        raise AssertionError(f"It did not end in {seconds} seconds.")
    return ended[0]


class NothingWaits(CommittingTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")

    def tearDown(self) -> None:
        while WAITING:
            WAITING.pop().join()
        super().tearDown()

    def post(self, name: str, company: str = "alpha", amount: str = "5") -> Callable[[], object]:
        code = "10" if company == "alpha" else "20"
        return lambda: actions.post_all([keyed(name, amount, company, code)], self.mirela) and "posted"

    def change(self, *changes: Any) -> Callable[[], object]:
        return lambda: definitions.make_change(ChangeSet(changes, "Meanwhile"), self.mirela) and "changed"

    @contextmanager
    def meanwhile(self, place: Any, name: str, *acts: Callable[[], object]) -> Iterator[list[object]]:
        """Runs acts, one each time that a function is about to be called, and keeps what they ended with."""
        was, left, ended = getattr(place, name), list(acts), []

        def between(*args: Any, **named: Any) -> Any:
            if left and threading.current_thread() is threading.main_thread():
                ended.append(in_a_thread(left.pop(0)))
            return was(*args, **named)

        with patch.object(place, name, between):
            yield ended

    def bring_march(self, **more: str) -> str:
        content = {"journals": MARCH, "journal_lines": MARCH_LINES, **more}
        try:
            return bring(content).sentence()
        except Refused as refused:
            return refused.faults[0].what

    # Nobody waits while others think or write

    def test_who_posts_waits_for_no_import_but_into_its_own_company(self) -> None:
        said: dict[str, object] = {}
        inside = threading.Event()
        own: list[threading.Thread] = []

        def progress(what: str, done: int) -> None:
            if what == "finishing" and not said:
                said["another company"] = in_a_thread(self.post("A9"))
                said["a line of a statement"] = in_a_thread(self.change(NAMED))
                own.append(threading.Thread(target=self._post_into_beta, args=(said, inside)))
                own[0].start()
                inside.wait(AT_ONCE)
                time.sleep(0.3)
                said["its own, until it is written"] = "it waits" if "its own" not in said else "it didn't"

        with package({"journals": MARCH, "journal_lines": MARCH_LINES}) as path:
            import_package(path, None, progress)
        own[0].join(AT_ONCE)
        self.assertEqual(
            said,
            {
                "another company": "posted",
                "a line of a statement": "changed",
                "its own, until it is written": "it waits",
                "its own": "posted",
            },
        )
        self.assertEqual(Journal.objects.filter(journal__in=("M1", "A9", "B9")).count(), 3)

    def _post_into_beta(self, said: dict[str, object], inside: threading.Event) -> None:
        inside.set()
        try:
            said["its own"] = self.post("B9", "beta")()
        finally:
            connections.close_all()

    def test_who_posts_waits_for_no_rollout(self) -> None:
        """Not while its matrix is worked out, and not when all its rows are written."""
        bring(tables_of(THIRD))
        looked_at, said = seen_matrix(), list[object]()

        def tell(what: str, done: int) -> None:
            if what == "writing":
                said.append(in_a_thread(self.post("R1")))

        with self.meanwhile(definitions, "lock_alone", self.post("R2")) as ended:
            roll_out("south", "", looked_at, self.mirela, tell=tell)
        self.assertEqual(said[:1] + ended, ["posted"] * 2)
        self.assertEqual(RolloutRun.objects.count(), 1)

    def test_who_posts_waits_for_no_period_that_is_kept(self) -> None:
        with self.meanwhile(kept, "figures_to_keep", self.post("K9")) as ended:
            kept.keep_period("g", 2026, 2, "Sent", [], self.mirela)
        row = KeptPeriod.objects.get()
        books = {(company, year): sequence for company, year, sequence in row.books}
        self.assertEqual((ended, books["alpha", 2026]), (["posted"], 2), "kept with what came in between")

    def test_readers_wait_for_nobody(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock(%s)", [DEFINITIONS])
        try:
            self.assertEqual(in_a_thread(lambda: balance("alpha", "1010")), 100000)
        finally:
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_unlock(%s)", [DEFINITIONS])

    # What moved between judging and writing is judged again

    def test_an_import_sees_what_was_closed_meanwhile(self) -> None:
        with self.meanwhile(importing._Import, "write", self.change(LATE_MARCH)) as ended:
            said = self.bring_march()
        self.assertEqual((ended, said), (["changed"], "M3 is closed for company beta."))
        self.assertFalse(Journal.objects.filter(journal="M1").exists())

    def test_an_import_passes_over_what_no_journal_is_judged_by(self) -> None:
        judged: list[int] = []
        was = importing._Import.judge

        def judge(brought: importing._Import) -> None:
            judged.append(1)
            was(brought)

        with (
            patch.object(importing._Import, "judge", judge),
            self.meanwhile(importing._Import, "write", self.change(NAMED)) as ended,
        ):
            said = self.bring_march()
        self.assertEqual((ended, said), (["changed"], "1 new in journals, 2 new in journal_lines"))
        self.assertEqual(len(judged), 1)

    def test_an_import_sees_the_number_that_was_taken(self) -> None:
        with self.meanwhile(importing._Import, "write", self.post("M1", "beta", "7")) as ended:
            said = self.bring_march()
        self.assertEqual(ended, ["posted"])
        self.assertEqual(said, "The journal M1 is posted already, with other content.")

    def test_balances_kept_elsewhere_see_who_posted_to_the_year(self) -> None:
        delta = Company("delta", "Delta", "GB", "GBP", "c", "m")
        bring(tables_of([THIRD[0], delta, THIRD[2]]))
        rows = "delta,2026,1,30-1010,5\ndelta,2026,1,30-3010,-5\n"
        balances = f"company,fiscal_year,period,account,amount\n{rows}"
        head, lines = keyed("Y1", "5", "delta", "30")
        post = lambda: actions.post_all([(head, lines)], self.mirela) and "posted"  # noqa: E731
        with (
            self.meanwhile(importing._Import, "write", post) as ended,
            self.assertRaises(Refused) as told,
        ):
            bring({"balances": balances})
        self.assertEqual(ended, ["posted"])
        self.assertEqual(
            told.exception.faults[0].what,
            "delta has journals in 2026; a fiscal year has journals or balances, not both.",
        )

    def test_who_posts_sees_what_was_closed_meanwhile(self) -> None:
        close = Amend("periods", ("m", "2026", "2"), (("status", "closed"),))
        with (
            self.meanwhile(actions, "_write", self.change(close)) as ended,
            self.assertRaises(Refused) as told,
        ):
            self.post("A9")()
        self.assertEqual(ended, ["changed"])
        self.assertEqual(told.exception.faults[0].what, "M2 is closed for company alpha.")

    def test_a_change_sees_what_was_posted_meanwhile(self) -> None:
        """A code is closed to changes of its class once it was posted to."""
        head, lines = keyed("P9")
        definitions.make_change(
            AddCode(Code("acc", "1130", "Deposits", account_class="asset"), "11"), self.mirela
        )
        reclassed = Amend("codes", ("acc", "1130"), (("account_class", "liability"),))
        entry = (head, [lines[0]._replace(account="10-1130"), lines[1]])
        with (
            self.meanwhile(
                definitions, "pass_turnstile", lambda: actions.post_all([entry], self.mirela) and "posted"
            ) as ended,
            self.assertRaises(Refused) as told,
        ):
            definitions.make_change(reclassed, self.mirela)
        self.assertEqual(ended, ["posted"])
        self.assertIn("it was posted to", told.exception.faults[0].what)

    def test_of_two_that_add_the_same_one_is_told(self) -> None:
        row = Code("acc", "1130", "Deposits", account_class="asset")
        with (
            self.meanwhile(definitions, "pass_turnstile", self.change(AddCode(row, "11"))) as ended,
            self.assertRaises(Refused) as told,
        ):
            definitions.make_change(AddCode(row._replace(name="Other"), "11"), self.mirela)
        self.assertEqual(ended, ["changed"])
        self.assertEqual(told.exception.faults[0].code, "taken")
        self.assertEqual(current().state.require(Code, "acc", "1130").name, "Deposits")

    def test_a_published_draft_sees_the_version_before_it(self) -> None:
        draft = drafting.start("Spring", self.mirela, reason="Season")
        drafting.record(draft.pk, Put(Budget("b", "Budget", "c")), self.mirela)
        with self.meanwhile(definitions, "pass_turnstile", self.change(NAMED)) as ended:
            drafting.publish(draft.pk, self.mirela, today=date(2026, 3, 1))
        self.assertEqual(ended, ["changed"])
        numbers = list(Version.objects.order_by("-version").values_list("version", "sentence")[:2])
        self.assertEqual([text.split(":")[0] for _, text in numbers], ["Published Spring", "Meanwhile"])
        self.assertEqual(Draft.objects.get().published_as_id, numbers[0][0])

    def test_a_draft_that_went_on_is_published_as_it_is_then(self) -> None:
        draft = drafting.start("Spring", self.mirela, reason="Season")
        drafting.record(draft.pk, Put(Budget("b", "Budget", "c")), self.mirela)
        second = Put(Budget("d", "Second", "c"))
        further = lambda: drafting.record(draft.pk, second, self.mirela) and "more"  # noqa: E731
        with self.meanwhile(drafting, "_must", further) as ended:
            drafting.publish(draft.pk, self.mirela, today=date(2026, 3, 1))
        forget()
        self.assertEqual(ended, ["more"])
        self.assertEqual({row.budget for row in current().state.rows(Budget)}, {"b", "d"})

    def test_a_year_is_closed_with_what_came_in_between(self) -> None:
        bring({"charts": "chart,name,structure,result_account\nc,Chart,s,3010\n"})
        head, lines = keyed("S9")
        sale = (head, [lines[0], lines[1]._replace(account="10-4010-1")])
        with self.meanwhile(
            year_end, "hold_books", lambda: actions.post_all([sale], self.mirela) and "posted"
        ) as ended:
            year_end.carry(["alpha"], 2026, self.mirela)
        forget()
        self.assertEqual(ended, ["posted"])
        self.assertEqual(year_end.result_balances(current().state, ["alpha"], 2026).get("alpha", []), [])

    def test_the_last_try_keeps_others_out(self) -> None:
        """Versions come in between each time but the last: then they wait, and the act is made."""
        names = [f"Cash {n}" for n in range(TRIES)]
        acts = [self.change(Amend("statement_lines", ("st", "cash"), (("label", name),))) for name in names]
        said: list[object] = []

        def between(act: Callable[[], object]) -> Callable[[], object]:
            def tried() -> object:
                try:
                    said.append(in_a_thread(act, 1.0))
                except AssertionError:
                    said.append("it waits")
                return None

            return tried

        with self.meanwhile(definitions, "charts_touched", *map(between, acts)):
            definitions.make_change(Put(Budget("b", "Budget", "c")), self.mirela)
        self.assertEqual(said, ["changed"] * (TRIES - 1) + ["it waits"])
        self.assertIsNotNone(current().state.get(Budget, "b"))

    def test_whoever_moved_it_every_time_is_told_in_words(self) -> None:
        def moved(*_: object, **__: object) -> None:
            raise deciding.Moved

        with patch.object(definitions, "lock_alone", moved), self.assertRaises(Refused) as told:
            self.change(NAMED)()
        self.assertEqual(
            [str(fault) for fault in told.exception.faults],
            ["Others changed what this hangs on, again and again. Try it again."],
        )
