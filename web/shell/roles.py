"""What the application's database role may do. The owner makes the tables and says so here; the application
is not the owner.

It may add to posted books and to the log, and never change or take away there; no trigger is its to switch
off.
"""

from __future__ import annotations

import os
from typing import Any

from psycopg import sql

KEPT = (
    "journals_journal",
    "journals_journalline",
    "journals_account",
    "journals_dimensionset",
    "journals_enteredby",
    "journals_movedaccount",
    "definitions_version",
    "definitions_edited",
    "group_keptperiod",
    "group_releasedperiod",
    "group_mappingreview",
    "group_settledaccount",
    "budgets_budgetact",
    "packs_packfile",
    "rollouts_rolloutrun",
)
"""Rows that are only ever added."""
READ = ("journals_recoded", "journals_resortedline", "django_migrations", "pine_stamp")
HIDDEN = ("pine_loading",)
OF_FUNCTIONS = ("pine_lines_guarded(text)", "pine_lines_attach(text, int)")
"""Functions that only others of the owner's call."""


def application_role() -> str:
    """The role that the application connects as, where it is another than the owner's; empty where nothing is
    said."""
    return os.environ.get("PINE_APP_ROLE", "")


def grant(cursor: Any, role: str) -> None:
    """Gives a role what the application needs on all tables there are, and takes away what it must not have.
    Parts of a table are reached through it alone."""
    name = sql.Identifier(role)
    cursor.execute(
        "SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p')"
        " AND NOT relispartition"
    )
    tables = [row[0] for row in cursor.fetchall()]
    cursor.execute(sql.SQL("GRANT USAGE ON SCHEMA public TO {}").format(name))
    cursor.execute(sql.SQL("REVOKE CREATE ON SCHEMA public FROM PUBLIC"))
    cursor.execute(sql.SQL("REVOKE ALL ON ALL TABLES IN SCHEMA public FROM {}").format(name))
    for table in tables:
        if table not in HIDDEN:
            rights = (
                "SELECT"
                if table in READ
                else "SELECT, INSERT"
                if table in KEPT
                else "SELECT, INSERT, UPDATE, DELETE"
            )
            cursor.execute(sql.SQL(f"GRANT {rights} ON {{}} TO {{}}").format(sql.Identifier(table), name))
    cursor.execute(
        sql.SQL("GRANT USAGE, SELECT, UPDATE ON ALL SEQUENCES IN SCHEMA public TO {}").format(name)
    )
    cursor.execute("REVOKE EXECUTE ON ALL FUNCTIONS IN SCHEMA public FROM PUBLIC")
    cursor.execute(sql.SQL("GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA public TO {}").format(name))
    for function in OF_FUNCTIONS:
        cursor.execute("SELECT to_regprocedure(%s) IS NOT NULL", [function])
        if cursor.fetchone()[0]:  # a database of before is granted too
            cursor.execute(sql.SQL("REVOKE EXECUTE ON FUNCTION {} FROM {}").format(sql.SQL(function), name))


def after_migrations(**_: Any) -> None:
    """Rights follow the tables, each time the owner has migrated."""
    from django.db import connection

    role = application_role()
    if role:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1 FROM pg_roles WHERE rolname = %s AND rolname <> current_user", [role])
            if cursor.fetchone():
                grant(cursor, role)


MISSING = """
    SELECT bool_or(r.rolsuper), bool_or(pg_get_userbyid(c.relowner) = current_user),
           bool_or(has_table_privilege(c.oid, 'UPDATE') OR has_table_privilege(c.oid, 'DELETE'))
    FROM pg_roles r, pg_class c WHERE r.rolname = current_user AND c.relname = ANY(%s)
    AND c.relnamespace = 'public'::regnamespace
"""


def missing(cursor: Any) -> list[str]:
    """Why posted books are not safe from the role that asks, in sentences; empty where they are."""
    cursor.execute(MISSING, [list(KEPT)])
    superuser, owner, may_change = cursor.fetchone()
    rows = []
    if superuser:
        rows.append(
            "The application's database role is a superuser: it could switch off what guards posted books."
        )
    if owner:
        rows.append(
            "The application's database role owns the tables: it could switch off what guards posted books."
        )
    if may_change and not superuser and not owner:
        rows.append("The application's database role may change posted lines.")
    if rows:
        rows.append(
            "Give another role in PINE_DATABASE_URL, and the owner's address in PINE_OWNER_URL for `./pine"
            " start`; the rights are set then."
        )
    return rows
