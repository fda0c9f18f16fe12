"""What is accepted comes back: after any accepted acts the export goes into an empty database and comes out
the same."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from django.db import transaction

from core import checks
from core.changes.kinds import Change, Put, Restore
from core.definitions.state import Edit
from core.definitions.tables import Budget, Code, CodeName, HierarchyNode, StatementLine
from core.faults import Refused, blocking
from core.tests.random_acts import Acts
from core.tests.rich_world import rich
from tests.base import JOURNALS, LINES, InWorld, PineTest, bring, forget, person, refused, tables_of
from web.definitions import actions, drafting, snapshot
from web.definitions.models import Version
from web.exchange.exporting import export_package
from web.exchange.importing import import_package

STEPS = 60


def files(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


class ComesBack(PineTest):
    def test_acts_at_random_then_export_and_import(self) -> None:
        for seed in (1, 2):
            with self.subTest(seed=seed), TemporaryDirectory() as folder:
                empty = transaction.savepoint()
                bring({**tables_of(rich()), "journals": JOURNALS, "journal_lines": LINES})
                self.assertGreater(self._walk(seed), STEPS // 4)
                forget()
                state = snapshot.current().state
                self.assertEqual(state.digest, snapshot.latest().digest)
                self.assertEqual([str(fault) for fault in blocking(checks.of_everything(state))], [])
                export_package(Path(folder) / "one")
                transaction.savepoint_rollback(empty)
                forget()
                import_package(Path(folder) / "one", None)
                self.assertEqual(snapshot.current().state.digest, state.digest)
                export_package(Path(folder) / "two")
                self.assertEqual(files(Path(folder) / "one"), files(Path(folder) / "two"))
                transaction.savepoint_rollback(empty)
                forget()

    def _walk(self, seed: int) -> int:
        """Acts as a person makes them, every third in a draft that is published; how many were accepted."""
        who, acts, accepted = person(f"walker{seed}"), Acts(seed), 0
        for step in range(STEPS):
            change = acts.draw(snapshot.current().state)
            try:
                if step % 3:
                    actions.make_change(change, who)
                else:
                    draft = drafting.start(f"Draft {step}", who)
                    drafting.record(draft.pk, change, who)
                    drafting.publish(draft.pk, who, reason="A walk", today=draft.made_at.date())
                accepted += 1
            except Refused:
                continue
        return accepted


class Budgets(InWorld):
    BUDGET = {
        "budgets": "budget,name,chart\nb,Plan,c\n",
        "codes": "code_list,code,name,account_class,budgeting\nacc,4010,Sales,revenue,false\n",
        "budget_lines": (
            "budget,company,fiscal_year,period,account,dimensions,amount\nb,alpha,2026,1,10-4010-1,,-50\n"
        ),
    }

    def test_what_is_not_open_for_budgets_takes_none(self) -> None:
        self.assertEqual(
            refused(self.BUDGET),
            [
                "budget_lines, row 2, column account, value '10-4010-1': 4010 Sales is not open for budgets. "
                "Choose another account, or open it for budgets."
            ],
        )

    def test_what_has_budgets_stays_open_for_them(self) -> None:
        bring({name: text for name, text in self.BUDGET.items() if name != "codes"})
        sales = snapshot.current().state.get(Code, "acc", "4010")
        assert sales
        for change, expected in self._refused(sales):
            with self.assertRaises(Refused) as told:
                actions.make_change(change, self.mirela)
            self.assertEqual([fault.what for fault in told.exception.faults], [expected])

    def _refused(self, sales: Code) -> Iterator[tuple[Change, str]]:
        yield (
            Put(sales._replace(budgeting=False)),
            "The budgeting can't change from true any more because budgets have lines on it.",
        )
        yield (
            Restore((Edit("budgets", ("b",), Budget("b", "Plan", "c"), None),), "x"),
            "b can't be deleted because it has lines.",
        )


class Questions(InWorld):
    """Where taking away takes more along, the act says what, and asks."""

    def test_a_rollup_code_taken_out_of_a_hierarchy(self) -> None:
        asked = self.group.post("/hierarchies/tree/leave/", {"what": "11"})
        self.assertContains(asked, "1 code stands below 11. Where do they go?")
        self.assertEqual(snapshot.current().version, 1)
        done = self.group.post("/hierarchies/tree/leave/", {"what": "11", "decided": "up"})
        self.assertEqual(done.status_code, 200, done.content.decode()[-1500:])
        part = {node.code: node.parent for node in snapshot.current().state.rows(HierarchyNode)}
        self.assertEqual(part, {"1": "", "10": "1", "1010": "10", "1020": "10", "1110": "1"})
        self.assertEqual(
            Version.objects.latest("version").sentence, "Took 11 out of tree; 1 code below moved up"
        )
        self.assertContains(
            self.group.post("/hierarchies/tree/leave/", {"what": "10", "decided": "up"}),
            "Line cash Cash of st: There is no rollup code 10 in hierarchy tree.",
            status_code=422,
        )

    def test_a_heading_with_its_lines_and_a_code_with_its_names(self) -> None:
        bring({"code_names": "code_list,code,language,name\nacc,1020,nl,Kas\n"})
        asked = self.group.post("/statements/st/line/assets/delete/")
        self.assertContains(asked, "Assets goes with the 2 lines below it; 4 accounts stand on no line then.")
        self.group.post("/statements/st/line/assets/delete/", {"decided": "delete"})
        self.assertEqual(
            {row.line for row in snapshot.current().state.rows(StatementLine)},
            {"owing", "creditors", "capital", "result"},
        )
        asked = self.group.post("/codes/acc/code/1020/delete/")
        self.assertContains(asked, "1020 Petty cash goes for good, with its place in Tree and 1 name.")
        self.group.post("/codes/acc/code/1020/delete/", {"decided": "delete"})
        state = snapshot.current().state
        self.assertEqual((state.get(Code, "acc", "1020"), list(state.rows(CodeName))), (None, []))
        actions.take_back(snapshot.latest().version, self.mirela)
        self.assertEqual(
            snapshot.current().state.get(CodeName, "acc", "1020", "nl"), CodeName("acc", "1020", "nl", "Kas")
        )
