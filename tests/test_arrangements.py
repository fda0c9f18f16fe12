"""Arrangements on pages and on the command line: who shows what, what moved above, what is lost."""

from __future__ import annotations

import html
from typing import Any

from core.changes.kinds import Put
from core.changes.of_statements import DeleteLine
from core.definitions.tables import Arrangement, StatementLine
from tests.base import InWorld, client_of, person, run
from web.definitions import actions
from web.definitions.snapshot import current


class Arrangements(InWorld):
    def page(self, address: str, client: Any = None) -> str:
        reply = (client or self.group).get(address)
        self.assertEqual(reply.status_code, 200, reply.content[:300])
        return " ".join(html.unescape(reply.content.decode()).split())

    def post(self, address: str, status: int = 200, **values: str) -> str:
        reply = self.group.post(address, {"seen": str(current().version), **values})
        self.assertEqual(reply.status_code, status, reply.content[:300])
        return html.unescape(reply.content.decode())

    def statement(self, *whose: str) -> list[str]:
        status, out, told = run("statement", "st", *whose, "--year=2026", "--period=2")
        self.assertEqual(status, 0, told)
        return out.splitlines()

    def change(self, name: str, line: str, **values: Any) -> None:
        row = current().state.require(StatementLine, name, line)
        actions.make_change(Put(row._replace(**values)), self.mirela)

    def arranged(self) -> Arrangement:
        self.post("/statements/st/arrange/", kind="company", member="alpha")
        return current().state.require(Arrangement, "st-alpha")

    def test_a_company_shows_its_own_wherever_the_other_is_asked_for(self) -> None:
        before = self.statement("--company=alpha")
        self.arranged()
        self.assertEqual(self.statement("--company=alpha"), before)
        self.change("st-alpha", "cash", label="Till and bank")
        self.assertIn("Till and bank", "".join(self.statement("--company=alpha")))
        self.assertNotIn("Till and bank", "".join(self.statement("--company=beta")))
        self.assertNotIn("Till and bank", "".join(self.statement("--group=g")))
        at = "company=alpha&year=2026&period=2"
        self.assertIn("Till and bank", self.page(f"/statements/st/figures/?{at}"))
        own = self.page("/statements/st-alpha/")
        self.assertIn('Till and bank <span class="soft">changed</span>', own)
        self.assertIn("6 inherited, 1 changed, 0 own.", own)
        self.assertIn('<a href="/statements/st-alpha/">Alpha</a>', self.page(f"/statements/st/?{at}"))
        self.assertIn("st-alpha", self.page("/statements/arrangements/"))
        side = self.page(f"/statements/st/figures/?{at}&companies=alpha,beta")
        self.assertIn("Alpha arranges it by itself; here its figures", side)
        self.assertIn("Alpha arranges it by itself", self.page("/group/g/?statement=st&year=2026&period=2"))
        self.post("/statements/st-alpha/arranged/switch/")
        self.assertEqual(self.statement("--company=alpha"), before)
        self.assertIn("not in use now", self.page("/statements/st-alpha/"))

    def test_what_moves_above_is_taken_or_left_with_a_reason(self) -> None:
        self.arranged()
        self.change("st", "cash", label="Money")
        actions.make_change(DeleteLine("st", "debtors"), self.mirela)
        page = self.page("/statements/st-alpha/")
        self.assertIn("Changed in Balance sheet since, 2", page)
        waiting = "2 lines of Balance sheet changed since Alpha arranged it for itself"
        self.assertIn(waiting, self.page("/today/"))
        differs = 'label: <span class="code">Cash</span> here, <span class="code">Money</span> above'
        self.assertIn(differs, page)
        self.assertIn("Money of Balance sheet is changed since st-alpha was looked at.", run("check")[2])
        self.assertIn("is not said", self.post("/statements/st-alpha/arranged/settle/", 422, line="debtors"))
        self.post("/statements/st-alpha/arranged/settle/", line="debtors", reason="We still lend")
        self.post("/statements/st-alpha/arranged/take/", line="cash")
        self.assertIn("Nothing moved above.", self.page("/statements/st-alpha/"))
        self.assertIn("Nothing moved above", self.post("/statements/st-alpha/arranged/take/", 422))

    def test_setting_back_and_ending_say_what_is_lost(self) -> None:
        self.arranged()
        petty = StatementLine("st-alpha", "petty", "assets", 90, "Petty cash", "text")
        actions.make_change(Put(petty), self.mirela)
        self.change("st-alpha", "cash", label="Till")
        asked = self.post("/statements/st-alpha/arranged/back/", row="assets")
        self.assertIn("Lost are 1 own: Petty cash. Back as above are 1: Till.", asked)
        self.assertIsNotNone(current().state.get(StatementLine, "st-alpha", "petty"))
        self.post("/statements/st-alpha/arranged/back/", row="assets", decided="back")
        self.assertIsNone(current().state.get(StatementLine, "st-alpha", "petty"))
        self.assertIn("Nothing of its own is lost.", self.post("/statements/st-alpha/arranged/end/"))
        self.post("/statements/st-alpha/arranged/end/", decided="end")
        self.assertIsNone(current().state.get(Arrangement, "st-alpha"))

    def test_a_group_arranges_its_own_and_others_see_only_theirs(self) -> None:
        self.post("/statements/st/arrange/", kind="group", member="g")
        self.change("st-g", "cash", label="Group cash")
        self.assertIn("Group cash", "".join(self.statement("--group=g")))
        self.assertNotIn("Group cash", "".join(self.statement("--company=alpha")))
        self.assertIn("Arranged by the group itself", self.page("/group/g/?statement=st&year=2026&period=2"))
        tamsin = client_of(person("tamsin", "company", ("alpha",)))
        self.assertNotIn("st-g", self.page("/statements/arrangements/", tamsin))
        self.assertNotIn("st-g", self.page("/statements/st/", tamsin))
        self.assertEqual(tamsin.get("/statements/st-g/").status_code, 404)
