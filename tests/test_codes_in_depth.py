"""Screens of storey 1 beside the table: closing, further properties, names, doubts, the list itself,
dimensions."""

import html
import re
from datetime import date

from core.changes.kinds import Put
from core.definitions.tables import (
    ChartDimension,
    Code,
    CodeName,
    CodeProperty,
    Dimension,
    ListProperty,
    SetAside,
)
from tests.test_hierarchies import Screen
from web.definitions import actions
from web.definitions.snapshot import current


class Detail(Screen):
    def page(self, address: str) -> str:
        reply = self.client.get(address)
        self.assertEqual(reply.status_code, 200, address)
        return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", reply.content.decode())))

    def test_before_a_code_is_closed_all_that_uses_it_is_told(self) -> None:
        shown = self.page("/codes/acc/code/1810/closing/?until=2026-02-28")
        self.assertIn("Still used after 2026-02-28: Alpha: −50.50 GBP stands on it", shown)
        self.assertIn("The intercompany pair of alpha and beta", shown)
        self.assertIn("Line Debtors of Balance sheet", shown)
        self.assertIn("Elimination e of g", shown)
        self.assertNotIn("stands on it", self.page("/codes/acc/code/1810/closing/?until=2026-01-31"))
        self.assertIn(
            "Nothing uses 1020 after 2026-02-28.", self.page("/codes/acc/code/1020/closing/?until=2026-02-28")
        )
        self.assertEqual(self.client.get("/codes/acc/code/1020/closing/?until=soon").content, b"")

    def test_notes_names_and_own_properties(self) -> None:
        actions.make_change(Put(ListProperty("acc", "owner", "Owner", "choice", "Treasury, Sales")), None)
        actions.make_change(Put(ListProperty("acc", "since", "Since", "date")), None)
        self.post(
            "/codes/acc/code/1010/more/",
            notes="See minutes",
            budgeting="on",
            currency="GBP",
            cash_flow="operating",
            language="nl",
            new_name="Bank NL",
            **{"own-owner": "Treasury", "own-since": "2026-01-01"},
        )
        self.assertEqual(
            self.code("1010"),
            Code(
                "acc",
                "1010",
                "Bank",
                account_class="asset",
                currency="GBP",
                cash_flow="operating",
                notes="See minutes",
            ),
        )
        self.assertEqual(
            current().state.get(CodeName, "acc", "1010", "nl"), CodeName("acc", "1010", "nl", "Bank NL")
        )
        shown = self.page("/codes/acc/code/1010/")
        for words in (
            "nl: Bank NL",
            "Only in GBP",
            "Cash flow: operating",
            "Owner: Treasury",
            "Since: 2026-01-01",
            "See minutes",
        ):
            self.assertIn(words, shown)
        self.post(
            "/codes/acc/code/1010/more/",
            notes="",
            cash_flow="none",
            **{"name-nl": "", "own-since": "2026-01-01"},
        )
        self.assertIsNone(current().state.get(CodeName, "acc", "1010", "nl"))
        self.assertIsNone(current().state.get(CodeProperty, "acc", "1010", "owner"))
        for values, expected in (
            ({"own-owner": "Nobody"}, "Owner is one of Treasury, Sales, not 'Nobody'."),
            ({"own-since": "spring"}, "Since is a date written 2026-09-30, not 'spring'."),
            (
                {"cash_flow": "sideways"},
                "One of these is expected: none, operating, investing, financing, cash.",
            ),
            (
                {"cash_flow": "none", "language": "Dutch!", "new_name": "x"},
                "A language is written like nl or pt-BR.",
            ),
            ({"cash_flow": "none", "currency": "XQQ"}, "This is not an ISO 4217 currency."),
        ):
            with self.subTest(values):
                self.assertIn(expected, self.post("/codes/acc/code/1010/more/", 422, **values))

    def test_the_code_before_and_after_follow_the_question(self) -> None:
        self.assertIn("‹ 10 K J 1020 ›", self.page("/codes/acc/code/1010/"))
        self.assertIn("J 1110 ›", self.page("/codes/acc/code/1010/?class=asset&sort=name"))

    def test_new_like_this_one_copies_what_does_not_make_it_itself(self) -> None:
        self.post("/codes/acc/code/1010/more/", budgeting="", cash_flow="investing", notes="Own")
        self.assertIn('value="1010"', self.client.get("/codes/acc/new/?near=1010&like=1").content.decode())
        self.post(
            "/codes/acc/add/",
            code="1015",
            name="Second bank",
            account_class="asset",
            posting="on",
            like="1010",
            parent="10",
        )
        self.assertEqual(
            self.code("1015"),
            Code("acc", "1015", "Second bank", budgeting=False, account_class="asset", cash_flow="investing"),
        )

    def test_doubts_are_listed_set_aside_and_taken_up_again(self) -> None:
        shown = self.page("/codes/acc/doubts/?kind=thin-rollup")
        self.assertIn("It holds 1110 alone. Move that one higher and delete the rollup code.", shown)
        self.post("/codes/acc/doubts/set-aside/", code="11", doubt="thin-rollup", reason="More to come")
        self.assertEqual(
            current().state.get(SetAside, "acc", "11", "thin-rollup"),
            SetAside("acc", "11", "thin-rollup", "More to come"),
        )
        self.assertIn(
            "Set aside 11 Rollup with one code or none More to come", self.page("/codes/acc/doubts/")
        )
        self.post("/codes/acc/doubts/set-aside/", code="11", doubt="thin-rollup", again="1")
        self.assertIn(
            "reason must be given",
            self.post("/codes/acc/doubts/set-aside/", 422, code="11", doubt="thin-rollup"),
        )
        out = self.client.get("/codes/acc/doubts/?kind=thin-rollup&file=csv").content.decode()
        self.assertEqual(out.split("\r\n")[0], "doubt,code,what,way_out")

    def test_the_list_itself(self) -> None:
        self.assertIn("Segment Account of structure S", self.page("/codes/acc/settings/"))
        rule = {
            "name": "Accounts",
            "min_length": "4",
            "max_length": "6",
            "characters": "digits",
            "language": "en",
        }
        self.post("/codes/acc/settings/change/", **rule)
        self.post("/codes/acc/add/", code="101055", name="Long", account_class="asset", posting="on")
        self.assertIn(
            "Codes of Accounts have at most 5 characters, this one 6.",
            self.post("/codes/acc/settings/change/", 422, **{**rule, "max_length": "5"}),
        )
        self.post("/codes/acc/settings/property/", name="Owner", kind="text")
        self.assertEqual(
            current().state.get(ListProperty, "acc", "owner"), ListProperty("acc", "owner", "Owner")
        )
        self.assertIn(
            "notes is a property of every code already.",
            self.post("/codes/acc/settings/property/", 422, name="Notes", kind="text"),
        )
        actions.make_change(Put(CodeProperty("acc", "1010", "owner", "Treasury")), None)
        self.assertIn(
            "1 codes have a value for Owner.",
            self.post("/codes/acc/settings/property/", 422, property="owner", act="delete"),
        )

    def test_the_aid_says_what_each_choice_costs(self) -> None:
        shown = self.page("/codes/acc/deciding/")
        self.assertIn("One more can make up to 4 account strings, and 2 trees must find it a place", shown)
        self.assertIn("Season", shown)

    def test_dimensions_hang_on_a_chart_at_any_time(self) -> None:
        self.post("/structures/c/dimensions/hang/", name="Project", code_list="site")
        self.assertEqual(current().state.get(Dimension, "project"), Dimension("project", "Project", "site"))
        self.post("/structures/c/dimensions/hang/", dimension="project", act="required")
        self.assertEqual(
            current().state.get(ChartDimension, "c", "project"), ChartDimension("c", "project", True)
        )
        shown = self.page("/structures/c/dimensions/?dimension=project&company=alpha&year=2026&period=2")
        self.assertIn("1010 Bank 1,000.00 1,000.00 100 %", shown)
        self.assertIn("All accounts 2,501.00 2,501.00", shown)
        self.post("/structures/c/dimensions/hang/", dimension="project", act="off")
        self.assertIsNone(current().state.get(ChartDimension, "c", "project"))
        self.assertIn(
            "Choose a dimension, or name a new one.", self.post("/structures/c/dimensions/hang/", 422)
        )
        self.assertIn("2026-02-10", self.page("/journals/alpha/account/1110/?untagged=season"))

    def test_the_trial_balance_agrees_and_opens_into_lines(self) -> None:
        shown = self.page("/statements/trial-balance/?company=alpha&year=2026&period=2")
        self.assertIn("1110 Debtors 0 250.50 0 250.50", shown)
        self.assertIn("All accounts 0 1,250.50 1,250.50 0", shown)
        self.assertIn("Debits equal credits", shown)

    def test_closed_codes_are_left_out_by_choice_and_stay_so(self) -> None:
        actions.make_change(Put(self.code("1020")._replace(in_use_until=date(2026, 1, 31))), None)
        actions.make_change(Put(Code("acc", "1130", "Loans", account_class="asset", enabled=False)), None)
        shown = self.page("/codes/acc/")
        for code in ("1020", "1130"):
            self.assertIn(code, shown)
        self.post("/me/closed/", closed="hidden")
        for address in ("/codes/acc/", "/codes/acc/rows/", "/codes/acc/?find=1", "/codes/acc/?class=asset"):
            shown = self.page(address)
            self.assertNotIn(" 1020 ", shown, address)
            self.assertNotIn("1130 Loans", shown, address)
            self.assertIn(" 1010 ", shown, address)
            self.assertIn("Without what is closed or switched off. Shift+H shows it.", shown, address)
        self.assertIn(" 1020 ", self.page("/codes/acc/?stands=closed"))
        self.post("/me/closed/", closed="shown")
        self.assertIn("1130 Loans", self.page("/codes/acc/"))

    def test_an_account_out_of_use_is_told_so_where_it_misses_its_line(self) -> None:
        actions.make_change(Put(Code("acc", "9130", "Loans", account_class="asset", enabled=False)), None)
        shown = self.page("/statements/st/")
        self.assertRegex(shown, r"9130 \w+ switched off")
        self.post("/me/closed/", closed="hidden")
        shown = self.page("/statements/st/")
        self.assertNotRegex(shown, r"9130 \w+ switched off")
        self.assertIn("Without those that are closed or switched off.", shown)
