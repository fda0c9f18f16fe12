"""Packages that each hold one deliberate fault: told with table, row, column, value and way out; nothing is
written."""

import tempfile
import zipfile
from pathlib import Path

from core.definitions.tables import DEFINING_TABLES, Budget, Company, Group, GroupMember, Overlay
from core.faults import Refused
from core.tests.case_files import cases
from tests.base import JOURNALS, LINES, PineTest, bring, refused, tables, world
from web.definitions import snapshot
from web.definitions.models import Version
from web.exchange.importing import import_package
from web.journals.models import Journal, JournalLine

ONE = "company,journal,date\nalpha,N1,2026-02-10\n"
TWO = "company,journal,line,account,debit,credit\nalpha,N1,1,10-1010,5,\nalpha,N1,2,10-2010,,5\n"


class Faults(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(tables())

    def told(self, content: dict[str, str | bytes], *expected: str) -> None:
        before = Version.objects.count()
        self.assertEqual(refused(content), list(expected))
        self.assertEqual(
            (Version.objects.count(), Journal.objects.count(), JournalLine.objects.count()), (before, 0, 0)
        )

    def test_cells_and_columns(self) -> None:
        for content, expected in [
            ({"colours": "a\n1\n"}, "colours: There is no table colours. Tables are: "),
            (
                {"codes": "code_list,code,name,colour\nacc,1010,Bank,x\n"},
                "codes, row 1, column colour: The table codes has no column 'colour'. Its columns are: ",
            ),
            (
                {"codes": "code_list,code,account_class\nacc,1500,asset\n"},
                "codes, row 1, column name: The column name is missing. Add it; it must be given.",
            ),
            (
                {"codes": "code_list,code,code,name\nacc,1500,1500,x\n"},
                "codes, row 1, column code: The column code stands 2 times. Keep one of them.",
            ),
            (
                {"codes": "code_list,code,name,account_class\nacc,1500,,asset\n"},
                "codes, row 2, column name: The column name must be given. Fill the cell.",
            ),
            (
                {"codes": "code_list,code,name,posting\nacc,1010,Bank,yes\n"},
                "codes, row 2, column posting, value 'yes': A flag is true or false. Correct the cell.",
            ),
            (
                {"codes": "code_list,code,name,in_use_from\nacc,1010,Bank,30.09.2026\n"},
                (
                    "codes, row 2, column in_use_from, value '30.09.2026': A date is written 2026-09-30."
                    " Correct the cell."
                ),
            ),
            (
                {"codes": "code_list,code,name\nacc,1010,A\nacc,1010,B\n"},
                (
                    "codes, row 3, column code, value '1010': The key acc 1010 stands in row 2 already. Keep"
                    " one of the rows."
                ),
            ),
            (
                {"codes": "code_list,code,name\nacc,1010,A,B\n"},
                "codes, row 2: The row has 4 cells and the header 3. Quote cells that hold commas.",
            ),
            (
                {"code_lists": "code_list,name,min_length,max_length\nbad id,X,1,2\n"},
                (
                    "code_lists, row 2, column code_list, value 'bad id': An id has 1 to 40 characters of"
                    " letters, digits, - and _. Correct the cell."
                ),
            ),
            (
                {"companies": "company,name,country,currency,chart,calendar\ngamma,G,GB,XYZ,c,m\n"},
                (
                    "companies, row 2, column currency, value 'XYZ': This is not an ISO 4217 currency."
                    " Correct the cell."
                ),
            ),
            (
                {"companies": "company,name,country,currency,chart,calendar\ngamma,G,GB,GBP,nochart,m\n"},
                (
                    "companies, row 2, column chart, value 'nochart': There is no chart nochart. Add the"
                    " chart or correct the name."
                ),
            ),
            (
                {"codes": b"code_list,code,name\nacc,1010,\xff\n"},
                "codes, row 2: The file is not UTF-8: byte 0xff cannot be read. Save the file as CSV UTF-8.",
            ),
            (
                {"codes": 'code_list,code,name\nacc,1010,"open\n'},
                "codes, row 2: The row is not CSV: unexpected end of data. Correct the row.",
            ),
            (
                {"codes": "code_list,code,name\nacc,1010,a\x00b\n"},
                (
                    "codes, row 2, column name, value 'a␀b': The text holds control characters. Correct the"
                    " cell."
                ),
            ),
            (
                {"codes": f"code_list,code,name\nacc,1010,{'x' * 2000}\n"},
                (
                    f"codes, row 2, column name, value '{'x' * 79}…': "
                    "The text has 2,000 characters; at most"
                    " 1,000 are kept. Correct the cell."
                ),
            ),
            (
                {"codes": f"code_list,code,name\nacc,1010,{'x' * 10_000_000}\n"},
                "codes, row 2: A cell has more than 100,000 characters. Correct the row.",
            ),
            ({"codes": ""}, "The table codes is empty. Give a header row."),
            (
                {"hierarchy_nodes": "hierarchy,code,parent\ntree,1,11\ntree,11,1\n"},
                (
                    "hierarchy_nodes, row 2, column parent, value '11': A code stands under itself: 1 under"
                    " 11 under 1. Move one of them elsewhere."
                ),
            ),
        ]:
            with self.subTest(expected):
                assert isinstance(content, dict)
                found = refused(content)
                self.assertEqual(len(found), 1, found)
                self.assertTrue(
                    found[0].startswith(expected) if expected.endswith(": ") else found[0] == expected,
                    found[0],
                )
        self.assertEqual(Version.objects.count(), 1)

    def test_journals(self) -> None:
        lines = TWO.splitlines(keepends=True)
        for heads, content, expected in [
            (
                ONE,
                TWO.replace("10-2010,,5", "10-2010,,4"),
                [
                    "journals, row 2, column journal, value 'N1': The journal does not balance: alpha has"
                    " 1.00 more debits. Debits equal credits in every company."
                ],
            ),
            (
                ONE,
                "".join(lines[:2]),
                [
                    "journals, row 2, column journal, value 'N1': The journal has 1 line. A journal has at"
                    " least two lines."
                ],
            ),
            (
                ONE,
                TWO.replace("10-1010", "10-9999"),
                [
                    "journal_lines, row 2, column account, value '10-9999': Account: there is no code 9999."
                    " Choose a code of acc or add it there."
                ],
            ),
            (
                ONE,
                TWO.replace(",5,", ",5.123,"),
                [
                    "journal_lines, row 2, column debit, value '5.123': The currency has 2 minor digits and"
                    " this amount has 3. Correct the amount."
                ],
            ),
            (
                ONE,
                TWO.replace(",5,", ",1e9,"),
                [
                    "journal_lines, row 2, column debit, value '1e9': An amount is written with digits and a"
                    " point, without thousands marks, as in 1234.50. Correct the cell."
                ],
            ),
            (
                ONE.replace("2026-02-10", "2026-12-10"),
                TWO,
                [
                    "journals, row 2, column date, value '2026-12-10': 2026-12-10 falls into no period of"
                    " company alpha. Choose another date or add the period."
                ],
            ),
            (
                ONE.replace("alpha", "nobody"),
                TWO.replace("alpha", "nobody"),
                [
                    "journals, row 2, column company, value 'nobody': There is no company nobody. Add the"
                    " company or correct the name."
                ],
            ),
            (
                ONE,
                TWO.replace("N1,2", "N1,1"),
                [
                    "journal_lines, row 3, column line, value '1': The line 1 of journal N1 stands twice."
                    " Number the lines anew."
                ],
            ),
            (
                ONE,
                TWO + "alpha,N9,1,10-1010,5,\n",
                [
                    "journal_lines, row 4, column journal: The line belongs to a journal that is not in the"
                    " table journals. Add the journal or correct its id."
                ],
            ),
            (
                ONE + "alpha,N1,2026-02-11\n",
                TWO,
                [
                    "journals, row 3, column journal, value 'N1': The key alpha N1 stands in row 2 already."
                    " Keep one of the rows."
                ],
            ),
            (
                ONE,
                TWO.replace("debit,credit", "debit,credit,partner")
                .replace("5,\n", "5,,ghost\n")
                .replace(",,5\n", ",,5,\n"),
                [
                    "journal_lines, row 2, column partner, value 'ghost': There is no company ghost. Choose a"
                    " company."
                ],
            ),
        ]:
            with self.subTest(expected):
                found = refused({"journals": heads, "journal_lines": content})
                self.assertEqual(
                    [
                        text
                        for text in found
                        if "does not balance" not in text
                        or (len(expected) == 1 and "does not balance" in expected[0])
                    ],
                    expected,
                )
        self.assertEqual((Journal.objects.count(), JournalLine.objects.count()), (0, 0))

    def test_all_faults_in_one_go(self) -> None:
        found = refused(
            {
                "codes": "code_list,code,name\nacc,19,A\nacc,1901,B\n",
                "journals": ONE,
                "journal_lines": TWO.replace("1010", "9999"),
            }
        )
        self.assertEqual(
            [text.split(":")[0] for text in found],
            [
                "codes, row 2, column account_class",
                "codes, row 2, column code, value '19'",
                "codes, row 3, column account_class",
                "journal_lines, row 2, column account, value '10-9999'",
            ],
        )

    def test_history_is_taken_once_and_posted_journals_never_change(self) -> None:
        past = ONE.replace("date\n", "date,posted_at\n").replace(
            "2026-02-10\n", "2026-02-10,2026-02-10T12:00:00Z\n"
        )
        bring({"journals": past, "journal_lines": TWO})
        bring({"journals": past, "journal_lines": TWO})
        self.assertEqual(
            refused({"journals": past.replace("N1", "N2"), "journal_lines": TWO.replace("N1", "N2")}),
            [
                "journals, row 2, column posted_at, value '2026-02-10T12:00:00+00:00': alpha has journals"
                " already, so history is not taken. Leave posted_at empty to post it as a new journal."
            ],
        )
        for heads, lines in [
            (ONE, TWO.replace(",5", ",6")),
            (ONE.replace("02-10", "02-11"), TWO),
            (ONE, TWO.replace("10-2010", "10-2010-1")),
        ]:
            self.assertEqual(
                refused({"journals": heads, "journal_lines": lines}),
                [
                    "journals, row 2, column journal, value 'N1': The journal N1 is posted already, with"
                    " other content. A posted journal never changes: reverse it and post a new one."
                ],
            )
        self.assertEqual(
            refused({"codes": "code_list,code,name,account_class\nacc,1010,Bank,expense\n"}),
            [
                "codes, row 2, column account_class, value 'expense': The account class can't change from"
                " asset any more because it was posted to. Close it and add a new one."
            ],
        )

    def test_balances(self) -> None:
        head = "company,fiscal_year,period,account,amount\n"
        for rows, expected in [
            (
                "alpha,2026,1,10-1010,5\n",
                (
                    "balances, row 2, column amount: The balances of alpha in 2026 period 1 do not balance:"
                    " 5.00 more debits. Debits equal credits in every period."
                ),
            ),
            (
                "alpha,2026,9,10-1010,5\nalpha,2026,9,10-2010,-5\n",
                (
                    "balances, row 2, column period, value '9': The calendar of alpha has no period 9 in"
                    " 2026. Add the period."
                ),
            ),
            (
                "alpha,2026,1,10-7777,5\nalpha,2026,1,10-2010,-5\n",
                (
                    "balances, row 2, column account, value '10-7777': Account: there is no code 7777. Choose"
                    " a code of acc or add it there."
                ),
            ),
        ]:
            with self.subTest(expected):
                self.assertEqual(refused({"balances": head + rows})[0], expected)
        bring({"journals": ONE, "journal_lines": TWO})
        self.assertEqual(
            refused({"balances": head + "alpha,2026,1,10-1010,5\nalpha,2026,1,10-2010,-5\n"}),
            [
                "balances, row 2, column fiscal_year, value '2026': alpha has journals in 2026; a fiscal year"
                " has journals or balances, not both. Leave one of them out."
            ],
        )

    def test_import_makes_one_version_that_says_what_came(self) -> None:
        bring(
            {"codes": "code_list,code,name,account_class\nacc,1010,Main bank,asset\nacc,1500,Stock,asset\n"}
        )
        made = Version.objects.latest("version")
        self.assertEqual(made.sentence, "Imported a package: 1 new and 1 changed in codes")
        self.assertEqual(snapshot.current().version, 2)


class Archives(PineTest):
    def zipped(self, *entries: tuple[str, bytes], link: str = "") -> list[str]:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.zip"
            with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
                for name, data in entries:
                    archive.writestr(name, data)
                if link:
                    info = zipfile.ZipInfo(link)
                    info.external_attr = 0o120777 << 16
                    archive.writestr(info, "/etc/passwd")
            try:
                import_package(path)
            except Refused as told:
                return [str(fault) for fault in told.faults]
            return []

    def test_archives_that_are_not_opened(self) -> None:
        self.assertEqual(
            self.zipped(("../codes.csv", b"x")),
            ["The zip holds a path that leads out of it: ../codes.csv. Make the zip again."],
        )
        self.assertEqual(
            self.zipped(link="codes.csv"), ["The zip holds a link: codes.csv. Put the file itself in."]
        )
        self.assertEqual(
            self.zipped(("a/codes.csv", b"x\n"), ("b/charts.csv", b"x\n"))[0],
            "The tables lie in several folders: a, b. Keep them at the root of the zip or in one folder.",
        )
        self.assertIn("The zip would unpack to", self.zipped(("codes.csv", b"0" * 200_000_000))[0])
        self.assertEqual(
            self.zipped(("readme.txt", b"x")),
            ["The package holds no tables. A table is a CSV file named after it."],
        )

    def test_tables_in_one_folder_come_in(self) -> None:
        self.assertEqual(
            self.zipped(*((f"pack/{name}.csv", text.encode()) for name, text in world().items())), []
        )
        self.assertEqual(snapshot.current().state.count(DEFINING_TABLES[1].row), 20)

    def test_what_is_no_package(self) -> None:
        for name, data, expected in [
            (
                "p.bin",
                b"\x00\x01\x02",
                "p.bin is neither a folder, a zip, a workbook nor a CSV file. See docs/exchange-format.md.",
            ),
            (
                "codes.csv",
                b"\xff\xfe",
                "codes, row 1: The file is not UTF-8: byte 0xff cannot be read. Save the file as CSV UTF-8.",
            ),
        ]:
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / name
                path.write_bytes(data)
                with self.assertRaises(Refused) as told:
                    import_package(path)
                self.assertEqual([str(fault) for fault in told.exception.faults], [expected])

    def test_a_byte_order_mark_and_empty_lines_do_no_harm(self) -> None:
        content = {
            name: b"\xef\xbb\xbf" + text.encode() + b"\r\n"
            for name, text in world(journals=JOURNALS, journal_lines=LINES).items()
        }
        self.assertEqual(refused(content), [])


class EveryFault(PineTest):
    """tests/cases/faults.txt: each package told in full, and nothing of it written."""

    def test_cases(self) -> None:
        bring(
            tables(
                Group("g", "G", "GBP", "c"),
                GroupMember("g", "alpha"),
                GroupMember("g", "beta"),
                Overlay("o", "O"),
                Budget("b", "B", "c"),
            )
        )
        found = cases(Path(__file__).parent / "cases" / "faults.txt")
        self.assertGreater(len(found), 130)
        before = snapshot.current()
        for case in found:
            with self.subTest(case.title, package=case.parts):
                self.assertEqual([" ".join(text.split()) for text in refused(case.parts)], case.expected)
        self.assertEqual(snapshot.current(), before)
        self.assertEqual(
            (Version.objects.count(), Journal.objects.count(), JournalLine.objects.count()), (1, 0, 0)
        )

    def test_cases_of_groups(self) -> None:
        bring(
            tables(
                Group("g", "G", "GBP", "c", "m", "3010", "3010", "3010", "5020", "1010", "4010", "5010"),
                Group("h", "H", "GBP", "c"),
                Company("gamma", "Gamma", "NL", "EUR", "c", "m"),
                Company("alpha2", "Alpha adjusted", "GB", "GBP", "c", "m", adjusts="alpha"),
                *(GroupMember("g", name) for name in ("alpha", "beta", "gamma")),
            )
        )
        for case in cases(Path(__file__).parent / "cases" / "group_faults.txt"):
            with self.subTest(case.title, package=case.parts):
                self.assertEqual([" ".join(text.split()) for text in refused(case.parts)], case.expected)
