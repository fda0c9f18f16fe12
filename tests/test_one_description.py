"""A table is described once, on its row class: models, constraints and sentences are complete against it."""

from __future__ import annotations

from typing import Any

from django.apps import apps
from django.db import IntegrityError, connection, transaction
from django.test import TestCase

from core.changes.kinds import Put
from core.definitions.tables import DEFINING_TABLES, TABLES, Table
from core.references.cells import cells
from core.references.uses import SENTENCES
from core.tests.rich_world import rich_state
from web.sheets import pages as pages
from web.sheets.options import target_of

OF_THE_CODE = {"codes", "code_names", "code_properties", "doubts_set_aside"}
"""Tables whose rows belong to a code: they go where it goes and are no use of it."""
WITHOUT_A_PAGE = {
    "codes": "the table of codes",
    "code_lists": "the page of a list",
    "code_names": "notes and properties of a code",
    "list_properties": "the page of a list",
    "code_properties": "notes and properties of a code",
    "doubts_set_aside": "the doubts of a list",
    "hierarchies": "the hierarchies of a list",
    "hierarchy_nodes": "the hierarchy itself",
    "chart_segments": "kept beside the segments of a structure",
    "pairing_conditions": "kept beside pairing rules",
    "company_codes": "kept beside companies",
    "chart_moves": "the page on which a company is moved",
    "statement_lines": "the statement itself",
    "arrangements": "the statement that one is over, and its own",
    "arranged_lines": "kept beside what moved above",
}
"""Tables that no sheet edits, and where they are edited."""


def model_of(table: Table) -> Any:
    return next(model for model in apps.get_models() if getattr(model, "exchange", "") == table.name)


class OneDescription(TestCase):
    def test_a_model_has_the_columns_of_its_row_class(self) -> None:
        for table in DEFINING_TABLES:
            with self.subTest(table.name):
                fields = [
                    field.column for field in model_of(table)._meta.concrete_fields if not field.primary_key
                ]
                self.assertEqual(sorted(fields), sorted(table.row._fields))

    def test_the_database_holds_the_choices(self) -> None:
        state = rich_state()
        for table in DEFINING_TABLES:
            held = {one.name for one in model_of(table)._meta.constraints}
            for column in table.columns:
                if not column.kind.choices:
                    continue
                with self.subTest(f"{table.name}.{column.name}"):
                    self.assertIn(f"{table.name}_{column.name}_held", held)
        self._refuses("codes_code", "cash_flow")
        self.assertTrue(list(state.rows(TABLES["codes"].row)))

    def _refuses(self, table: str, column: str) -> None:
        with connection.cursor() as cursor, self.assertRaises(IntegrityError), transaction.atomic():
            cursor.execute(
                "INSERT INTO codes_codelist (code_list, name, min_length, max_length, characters, zero_pad,"
                " language) VALUES ('x', 'X', 1, 2, 'digits', false, '')"
            )
            cursor.execute(
                f"INSERT INTO {table} (code_list, code, name, rollup, posting, budgeting, account_class,"
                f" contra, enabled, currency, revalue, {column}, notes) VALUES ('x', '1', 'One', false, true,"
                " true, '', false, true, '', false, 'sideways', '')"
            )

    def test_what_names_a_row_is_offered_the_rows_there_are(self) -> None:
        for table in DEFINING_TABLES:
            for column in table.columns:
                if column.refers:
                    with self.subTest(f"{table.name}.{column.name}"):
                        self.assertIs(target_of(table.name, column.name), TABLES[column.refers].row)

    def test_every_use_of_a_code_has_its_sentence(self) -> None:
        state = rich_state()
        named = {
            (type(cell.row), cell.column)
            for row in state.rows(TABLES["code_lists"].row)
            for cell in cells(state, row.code_list)
            if not cell.own
        }
        self.assertEqual(sorted(str(one) for one in named - set(SENTENCES)), [])

    def test_every_table_is_edited_somewhere(self) -> None:
        edited = {sheet.table for sheet in pages.SHEETS.values()}
        self.assertEqual(
            sorted(edited | set(WITHOUT_A_PAGE)), sorted(table.name for table in DEFINING_TABLES)
        )
        self.assertEqual(sorted(edited & set(WITHOUT_A_PAGE)), [])

    def test_every_row_says_what_it_is(self) -> None:
        state = rich_state()
        for table in DEFINING_TABLES:
            for row in list(state.rows(table.row))[:1]:
                with self.subTest(table.name):
                    self.assertIn(
                        table.noun, Put(row._replace(**{table.row._fields[-1]: row[-1]})).sentence(state)
                    )
