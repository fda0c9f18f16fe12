"""Makes the database that PINE_DATABASE_URL names if it is missing, and migrates it; `--drop` removes it.

A database of the same migrations is kept as a template beside it, so that a new one is a copy and not a rerun.
"""

from __future__ import annotations

import os
import sys

import dj_database_url
import psycopg
from psycopg import sql

STAMPS = "CREATE TABLE IF NOT EXISTS pine_stamp (stamp text NOT NULL)"


def settings() -> dict[str, str]:
    parsed = dj_database_url.parse(os.environ["PINE_DATABASE_URL"])
    return {"host": parsed["HOST"], "port": parsed["PORT"] or 5432, "user": parsed["USER"], "password": parsed["PASSWORD"],
            "dbname": parsed["NAME"]}  # fmt: skip


def connect(name: str) -> psycopg.Connection:
    return psycopg.connect(**{**settings(), "dbname": name}, autocommit=True, connect_timeout=10)


def exists(admin: psycopg.Connection, name: str) -> bool:
    return admin.execute("SELECT 1 FROM pg_database WHERE datname = %s", [name]).fetchone() is not None


def is_current(name: str, stamp: str) -> bool:
    with connect(name) as found:
        if found.execute("SELECT to_regclass('pine_stamp')").fetchone()[0] is None:
            return False
        return found.execute("SELECT 1 FROM pine_stamp WHERE stamp = %s", [stamp]).fetchone() is not None


def migrate(name: str, stamp: str) -> bool:
    """Runs Django's migrations in this process against a database of the server; whether its tables are the models' then.

    While there is no release migrations are changed in place, so a database of an earlier state may not fit any more.
    """
    os.environ["DJANGO_SETTINGS_MODULE"] = "web.settings"
    import django
    from django.conf import settings as django_settings
    from django.core.management import call_command
    from django.db import connection

    django_settings.DATABASES["default"]["NAME"] = name
    django.setup()
    connection.settings_dict["NAME"] = name
    call_command("migrate", verbosity=0, interactive=False)
    connection.close()
    if not _fits(name):
        return False
    with connect(name) as made:
        made.execute(STAMPS)
        made.execute("DELETE FROM pine_stamp")
        made.execute("INSERT INTO pine_stamp VALUES (%s)", [stamp])
    return True


def _fits(name: str) -> bool:
    from django.apps import apps

    with connect(name) as made:
        rows = made.execute("SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = 'public'")
        there = set(rows.fetchall())
    return all((model._meta.db_table, field.column) in there for model in apps.get_models() if model._meta.managed
               for field in model._meta.concrete_fields if field.column)  # fmt: skip


def set_aside(admin: psycopg.Connection, name: str) -> None:
    """Keeps a database that doesn't fit under another name, so that nothing in it is lost."""
    number = 1
    while exists(admin, f"{name}_earlier_{number}"):
        number += 1
    kept = f"{name}_earlier_{number}"
    admin.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s", [name])
    admin.execute(sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(name), sql.Identifier(kept)))
    sys.stderr.write(
        f"The database {name} was made by an earlier state of Pine Scaffold and does not fit. It is kept as {kept}; a new one is made.\n"
    )


def drop(name: str) -> int:
    with connect("postgres") as admin:
        if not exists(admin, name):
            sys.stderr.write(f"There is no database {name}.\n")
            return 2
        if name == "pine" or name.startswith("pine_template"):
            sys.stderr.write(f"The database {name} is never removed by this command.\n")
            return 2
        admin.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(name)))
    return 0


def prepare(name: str, stamp: str) -> None:
    try:
        if is_current(name, stamp):
            return
    except psycopg.OperationalError:
        pass  # missing so far
    with connect("postgres") as admin:
        admin.execute("SELECT pg_advisory_lock(hashtext('pine prepare'))")
        if exists(admin, name):
            if is_current(name, stamp) or migrate(name, stamp):
                return
            set_aside(admin, name)
        template = f"pine_template_{stamp}"
        if not exists(admin, template):
            partial = f"{template}_partial"
            admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(partial)))
            admin.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(partial)))
            if not migrate(partial, stamp):
                raise psycopg.Error("the migrations do not make the tables of the models")
            admin.execute(sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(partial), sql.Identifier(template)))
            old = admin.execute("SELECT datname FROM pg_database WHERE datname ~ '^pine_template_' AND datname <> %s", [template])
            for (other,) in old.fetchall():
                admin.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(other)))
        admin.execute(sql.SQL("CREATE DATABASE {} TEMPLATE {}").format(sql.Identifier(name), sql.Identifier(template)))


if __name__ == "__main__":
    wanted = settings()["dbname"]
    try:
        if "--drop" in sys.argv:
            sys.exit(drop(wanted))
        prepare(wanted, os.environ.get("PINE_STAMP", ""))
    except psycopg.Error as error:
        sys.stderr.write(f"{error}\n")
        sys.exit(1)
