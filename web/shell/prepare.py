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


def migrate(name: str, stamp: str) -> None:
    """Runs Django's migrations in this process against a database of the server."""
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
    with connect(name) as made:
        made.execute(STAMPS)
        made.execute("DELETE FROM pine_stamp")
        made.execute("INSERT INTO pine_stamp VALUES (%s)", [stamp])


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
            if not is_current(name, stamp):
                migrate(name, stamp)
            return
        template = f"pine_template_{stamp}"
        if not exists(admin, template):
            partial = f"{template}_partial"
            admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(partial)))
            admin.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(partial)))
            migrate(partial, stamp)
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
