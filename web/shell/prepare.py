"""Makes the database that PINE_DATABASE_URL names if it is missing, and migrates it; `--drop` removes it.

A database of the same migrations is kept as a template beside it, so that a new one is a copy and not a
rerun.
"""

from __future__ import annotations

import hashlib
import json
import os
import sys
from pathlib import Path
from typing import Any

import dj_database_url
import psycopg
from psycopg import sql

from web.shell.roles import application_role, grant, missing

ROOT = Path(__file__).resolve().parent.parent.parent
STAMPS = "CREATE TABLE IF NOT EXISTS pine_stamp (stamp text NOT NULL, files jsonb NOT NULL)"
"""The state of the migrations that made a database: one value for a quick look, and each file's digest."""


def digests() -> dict[str, str]:
    """Each migration of ours by its path, with the digest of what it says."""
    files = sorted((ROOT / "web").glob("*/migrations/[0-9]*.py"))
    return {str(path.relative_to(ROOT)): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def settings() -> dict[str, Any]:
    parsed = dj_database_url.parse(os.environ["PINE_DATABASE_URL"])
    return {
        "host": parsed["HOST"],
        "port": parsed["PORT"] or 5432,
        "user": parsed["USER"],
        "password": parsed["PASSWORD"],
        "dbname": parsed["NAME"],
    }


def connect(name: str) -> psycopg.Connection:
    return psycopg.connect(**{**settings(), "dbname": name}, autocommit=True, connect_timeout=10)


def exists(admin: psycopg.Connection, name: str) -> bool:
    return admin.execute("SELECT 1 FROM pg_database WHERE datname = %s", [name]).fetchone() is not None


def is_current(name: str, stamp: str) -> bool:
    with connect(name) as connection_there:
        if (
            connection_there.execute("SELECT 1 WHERE to_regclass('pine_stamp') IS NOT NULL").fetchone()
            is None
        ):
            return False
        return (
            connection_there.execute("SELECT 1 FROM pine_stamp WHERE stamp = %s", [stamp]).fetchone()
            is not None
        )


class DoesNotFit(Exception):
    """The database was made by another state of the program, and its tables are not those of this one."""


def migrate(name: str, stamp: str) -> None:
    """Runs Django's migrations in this process against a database of the server, as its owner."""
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
    with connect(name) as connection_there:
        connection_there.execute(STAMPS)
        connection_there.execute("DELETE FROM pine_stamp")
        connection_there.execute("INSERT INTO pine_stamp VALUES (%s, %s)", [stamp, json.dumps(digests())])
        if role := application_role():
            grant(connection_there.cursor(), role)


def fits(name: str) -> bool:
    """Whether the migrations that made a database are still what they were, so that further ones can follow.

    From release 0.1.0 they are added and never rewritten; a database made by anything else is not touched.
    """
    with connect(name) as there:
        columns = there.execute(
            "SELECT attname FROM pg_attribute WHERE attrelid = to_regclass('pine_stamp')::oid AND attnum > 0"
        ).fetchall()
        if ("files",) not in columns:
            return False
        row = there.execute("SELECT files FROM pine_stamp").fetchone()
    now = digests()
    return row is not None and all(now.get(path) == digest for path, digest in row[0].items())


UNFIT = """The database {name} was made by another state of Pine Scaffold, and its tables are not those \
of this one. Nothing in it was changed.
Either take it out with the program that made it (./pine export FILE) and bring that in here, or put it aside:
  ./pine set-aside {name} --yes     keeps it under another name; the next start makes a new one
  PINE_DATABASE=other ./pine start  begins another one beside it
"""


def set_aside(name: str) -> int:
    """Keeps a database under another name, so that nothing in it is lost."""
    with connect("postgres") as admin:
        if not exists(admin, name):
            sys.stderr.write(f"There is no database {name}.\n")
            return 2
        number = 1
        while exists(admin, f"{name}_earlier_{number}"):
            number += 1
        other_name = f"{name}_earlier_{number}"
        admin.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s", [name])
        admin.execute(
            sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(name), sql.Identifier(other_name))
        )
    sys.stderr.write(f"The database {name} is kept as {other_name}.\n")
    return 0


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
    """Makes or migrates the database. Raises DoesNotFit where it is one of another state of the program."""
    try:
        if is_current(name, stamp):
            return
    except psycopg.OperationalError:
        pass  # missing so far
    with connect("postgres") as admin:
        admin.execute("SELECT pg_advisory_lock(hashtext('pine prepare'))")
        if exists(admin, name):
            if not is_current(name, stamp):
                if not fits(name):
                    raise DoesNotFit(name)
                migrate(name, stamp)
            return
        template = f"pine_template_{stamp}"
        if not exists(admin, template):
            partial = f"{template}_partial"
            admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(partial)))
            admin.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(partial)))
            migrate(partial, stamp)
            admin.execute(
                sql.SQL("ALTER DATABASE {} RENAME TO {}").format(
                    sql.Identifier(partial), sql.Identifier(template)
                )
            )
            old = admin.execute(
                "SELECT datname FROM pg_database WHERE datname ~ '^pine_template_' AND datname <> %s",
                [template],
            )
            for (other,) in old.fetchall():
                admin.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(other)))
        admin.execute(
            sql.SQL("CREATE DATABASE {} TEMPLATE {}").format(sql.Identifier(name), sql.Identifier(template))
        )
    if role := application_role():  # whoever made the template may have had none
        with connect(name) as own:
            grant(own.cursor(), role)


def tell_what_is_missing() -> None:
    """Where the application is the owner of a server that is there already: what its books are not safe
    from."""
    if application_role():
        return
    with connect(settings()["dbname"]) as own:
        for sentence in missing(own.cursor()):
            sys.stderr.write(f"{sentence}\n")


def main(words: list[str]) -> int:
    wanted = settings()["dbname"]
    try:
        if "--drop" in words:
            return drop(wanted)
        if "--set-aside" in words:
            return set_aside(wanted)
        prepare(wanted, os.environ.get("PINE_STAMP", ""))
        tell_what_is_missing()
    except DoesNotFit as sentence:
        sys.stderr.write(
            UNFIT.format(name=wanted)
            if str(sentence) == wanted
            else f"The migrations do not make the tables: {sentence.__cause__}\n"
        )
        return 1
    except psycopg.Error as error:
        sys.stderr.write(f"{error}\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
