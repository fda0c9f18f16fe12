"""The documents are true: every table and column of the package stands in its text, every check says what it
is."""

import re
from pathlib import Path
from unittest import TestCase

from core.changes.kinds import KINDS
from core.definitions.nouns import NOUNS
from core.definitions.tables import DEFINING_TABLES, TABLES

ROOT = Path(__file__).parents[2]


class Documents(TestCase):
    def test_every_table_and_column_stands_in_the_exchange_format(self) -> None:
        text = (ROOT / "docs/exchange-format.md").read_text()
        lines = {match[1]: match[2] for match in re.finditer(r"^- \*\*(\w+)\*\*: (.*)$", text, re.M)}
        self.assertEqual(sorted(lines), sorted(TABLES))
        for name, table in TABLES.items():
            for column in table.columns:
                with self.subTest(f"{name}.{column.name}"):
                    self.assertIn(f"`{column.name}`{'*' if column.key else ''}", lines[name])

    def test_every_defining_table_has_a_noun_for_its_sentences(self) -> None:
        self.assertEqual(sorted(NOUNS), sorted(table.name for table in DEFINING_TABLES))

    def test_every_kind_of_change_says_what_it_is_for(self) -> None:
        for name, kind in KINDS.items():
            with self.subTest(name):
                self.assertTrue(kind.__doc__ and not kind.__doc__.startswith(f"{name}("))

    def test_every_key_that_a_screen_knows_is_written_down(self) -> None:
        text = (ROOT / "docs/keys.md").read_text()
        for page in (ROOT / "web").rglob("*.html"):
            for key in re.findall(r'data-key="([^"{]+)"', page.read_text()):
                with self.subTest(f"{page.name}: {key}"):
                    shown = {
                        "Alt+ArrowUp": "Alt+↑",
                        "Alt+ArrowDown": "Alt+↓",
                        "Delete": "Del",
                        "Ctrl+z": "Ctrl+Z",
                        "Ctrl+y": "Ctrl+Y",
                    }.get(key, key)
                    self.assertIn(f"`{shown}`", text)
