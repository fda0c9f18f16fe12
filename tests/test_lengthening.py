"""Codes spelled anew with the account strings that were posted: figures stay, files agree, other processes
notice."""

import html
import re
from datetime import date
from typing import Any
from unittest.mock import patch

from django.db import connection

from core.changes.kinds import Put
from core.changes.recoding import Recode
from core.definitions.tables import Code, CodeList, Journal as JournalRow, JournalLine as JournalLineRow
from tests.base import CommittingTest, InWorld, Together, bring, forget, person, run, world
from web.definitions import drafting
from web.definitions.history import of_row, state_at
from web.definitions.models import Version
from web.definitions.snapshot import current
from web.journals import actions, books
from web.journals.models import Account, BookPack, JournalLine, Unfinished
from web.journals.recoding import recode

STATEMENT = ("statement", "st", "--company", "alpha", "--year", "2026", "--period", "2")
TRIAL = ("trial-balance", "--company", "alpha", "--year", "2026", "--period", "2")


class Lengthening(InWorld):
    def post(self, code_list: str, length: int, side: str = "front", /, **more: str) -> Any:
        return self.group.post(
            f"/codes/{code_list}/settings/length/",
            {"length": length, "side": side, **more},
            headers={"HX-Request": "true"},
        )

    def refused(self, *words: Any, **more: str) -> str:
        reply = self.post(*words, **more)
        self.assertEqual(reply.status_code, 422)
        return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", reply.content.decode())).strip())

    def test_figures_stay_and_every_text_follows(self) -> None:
        before, group = (
            run(*STATEMENT),
            run("trial-balance", "--group", "g", "--year", "2026", "--period", "2"),
        )
        lines = list(
            JournalLine.objects.values_list("journal_id", "line", "amount", "account_id").order_by(
                "journal_id", "line"
            )
        )
        Unfinished.objects.create(
            by=self.mirela,
            company_id="alpha",
            content={"lines": [{"account": "10-1010-001"}, {"account": 5}, None]},
        )
        page = self.group.get("/codes/site/settings/length/?length=4&side=front").content.decode()
        self.assertIn('<td class="code">10-1110-001</td><td class="code">10-1110-0001</td>', page)
        csv = (
            self.group.get("/codes/site/settings/length/?length=4&side=front&file=csv")
            .content.decode()
            .split("\r\n")
        )
        self.assertEqual(csv[:3], ["what,before,after", "code of site,001,0001", "code of site,002,0002"])
        self.assertEqual(self.post("site", 4).status_code, 200)
        self.assertEqual(run(*STATEMENT), before)
        self.assertEqual(
            sorted(
                Account.objects.filter(chart="c", account__contains="001").values_list("account", flat=True)
            ),
            ["10-1110-0001", "10-4010-0001"],
        )
        self.assertEqual(Unfinished.objects.get().content["lines"][0]["account"], "10-1010-0001")
        self.assertEqual(run("check")[0], run("check")[0])

        self.assertEqual(self.post("acc", 6, "behind").status_code, 200)
        self.assertEqual(run(*STATEMENT), before)
        _, trial, _ = run(*TRIAL)
        self.assertEqual(
            [row.split(",")[0] for row in trial.strip().split("\n")[1:]],
            ["101000", "111000", "181000", "301000", "401000"],
        )
        after = run("trial-balance", "--group", "g", "--year", "2026", "--period", "2")
        self.assertEqual(
            [row.split(",")[1:] for row in after[1].split("\n")],
            [row.split(",")[1:] for row in group[1].split("\n")],
        )
        self.assertEqual(
            list(
                JournalLine.objects.values_list("journal_id", "line", "amount", "account_id").order_by(
                    "journal_id", "line"
                )
            ),
            lines,
        )
        self.assertEqual(
            Version.objects.latest("version").sentence,
            "Lengthened Accounts from 4 to 6 characters, zeros behind: 11 codes",
        )
        self.assertEqual(
            [told.sentence for told in of_row("codes", "acc 101000")],
            [
                "Lengthened Accounts from 4 to 6 characters, zeros behind: 11 codes",
                "Added code 1010 Bank of acc",
            ],
        )

        self.assertEqual(self.post("acc", 4, "behind").status_code, 200)
        self.assertEqual(self.post("site", 3).status_code, 200)
        self.assertEqual(run(*STATEMENT), before)
        self.assertEqual(run("trial-balance", "--group", "g", "--year", "2026", "--period", "2"), group)
        self.assertEqual(current().state.get(CodeList, "acc"), CodeList("acc", "Accounts", 4, 4))

    def test_another_process_and_a_pack_that_lags_take_the_new_texts(self) -> None:
        run(*TRIAL)  # packs are there, and kept
        kept = books._kept.exchanged(None)
        self.post("acc", 5)
        books._kept.exchanged(kept)
        self.assertIn("\n01010,Bank,", run(*TRIAL)[1])
        BookPack.objects.update(sequence=0)
        forget()
        self.post("acc", 6)
        self.assertIn("\n001010,Bank,", run(*TRIAL)[1])

    def test_what_was_before_is_not_mixed_with_the_books_of_now(self) -> None:
        one = current().version
        self.post("site", 4)
        self.assertIsNone(state_at(one))
        made = Version.objects.latest("version")
        reply = self.group.post(f"/log/{made.version}/take-back/", headers={"HX-Request": "true"})
        self.assertIn("Give the list its former length again", html.unescape(reply.content.decode()))
        self.assertEqual(
            self.group.post(f"/versions/{one}/look/", headers={"HX-Request": "true"}).status_code, 422
        )
        self.assertIsNotNone(state_at(made.version))

    def test_what_stands_in_the_way_is_told_and_nothing_is_written(self) -> None:
        draft = drafting.start("Spring", self.mirela, [Put(Code("site", "002", "Southern"))])
        self.assertEqual(
            self.refused("site", 4),
            "The draft Spring changes codes of this list, or what names them. Publish or drop it first.",
        )
        drafting.drop(draft.pk)
        self.assertEqual(
            self.refused("season", 3, "behind"),
            "AU26 Autumn would lose more than zeros. Shorten only where every code has zeros to lose. "
            "SP26 Spring would lose more than zeros. Shorten only where every code has zeros to lose.",
        )
        self.assertEqual(self.refused("site", "four"), "Give the new length as a number.")
        seen = str(current().version)
        self.group.post(
            "/codes/site/edit/?row=002",
            {"name": "South east", "posting": "on"},
            headers={"HX-Request": "true"},
        )
        self.assertIn("Mirela changed this meanwhile", self.refused("site", 4, seen=seen))
        self.assertEqual(self.group.post("/codes/none/settings/length/", {"length": 4}).status_code, 404)
        with (
            patch("web.journals.recoding.actions.write_version", side_effect=RuntimeError),
            self.assertRaises(RuntimeError),
        ):
            self.post("site", 4)
        self.assertEqual(list(Account.objects.filter(account__contains="-0001")), [])
        self.assertIsNotNone(current().state.get(Code, "site", "001"))

    def test_a_package_of_what_is_there_by_then_comes_in_anywhere(self) -> None:
        from tempfile import TemporaryDirectory

        self.post("acc", 5, "behind")
        before = run(*TRIAL)
        with TemporaryDirectory() as folder:
            self.assertEqual(run("export", f"{folder}/p")[0], 0)
            self.assertEqual(run("import", f"{folder}/p")[0], 0)
        self.assertEqual(run(*TRIAL), before)
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM journals_account WHERE account LIKE '%%-____-%%'")
            self.assertEqual(cursor.fetchone()[0], 0)


class Races(Together, CommittingTest):
    """Posters and somebody who spells the codes anew, on real connections: every line ends under one
    spelling."""

    def test_posters_against_a_new_spelling(self) -> None:
        bring(world())
        mirela = person("mirela")
        before = sum(JournalLine.objects.values_list("amount", flat=True))

        def post(n: int) -> None:
            lines = [
                JournalLineRow("alpha", f"R{n}", 1, account="10-1010-1", debit="1.00"),
                JournalLineRow("alpha", f"R{n}", 2, account="10-2010", credit="1.00"),
            ]
            actions.post_all([(JournalRow("alpha", f"R{n}", date(2026, 2, 3)), lines)], mirela)

        def spell() -> None:
            recode(Recode("acc", 5, "behind"), mirela)

        ended = self.together(
            *(lambda n=n: post(n) for n in range(4)), spell, *(lambda n=n: post(n) for n in range(4, 8))
        )
        posted = set(
            JournalLine.objects.filter(journal__journal__startswith="R").values_list(
                "journal__journal", flat=True
            )
        )
        refused = [n for n, told in enumerate(ended[:4] + ended[5:]) if told]
        self.assertEqual(len(posted) + len(refused), 8)
        self.assertEqual(
            {told for told in ended if told}, {"Account: there is no code 1010."} if refused else set()
        )
        self.assertEqual(
            {len(code) for code in Account.objects.filter(chart="c").values_list("natural", flat=True)}, {5}
        )
        self.assertEqual(
            {
                len(text.split("-")[1])
                for text in Account.objects.filter(chart="c").values_list("account", flat=True)
            },
            {5},
        )
        self.assertEqual(sum(JournalLine.objects.values_list("amount", flat=True)), before)
        forget()
        _, trial, _ = run(*TRIAL)
        bank = next(row for row in trial.split("\n") if row.startswith("10100,"))
        self.assertTrue(bank.endswith(f",{1000 + len(posted)}.00"), bank)

    def test_two_who_spell_anew_at_once(self) -> None:
        bring(world())
        who = [person("mirela"), person("tadeo")]
        before = Version.objects.count()
        self.together(*(lambda by=by: recode(Recode("site", 4, "front"), by) for by in who))
        self.assertEqual(sorted(code for _, code in current().state.part(Code, "site")), ["0001", "0002"])
        self.assertEqual(Version.objects.count(), before + 1)
