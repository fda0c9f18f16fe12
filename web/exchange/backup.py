"""A backup is everything in the database, as PostgreSQL's own tools write it, with what it must come to when
it is back.

It is made and brought back as the owner; the launcher gives the address and where the tools are.
"""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from core.version import VERSION
from web.definitions.models import Version
from web.definitions.snapshot import NEWEST_DIGEST
from web.journals.verifying import ACCOUNT_SUMS, CHAIN_ENDS
from web.people.models import Person
from web.shell import prepare
from web.shell.roles import application_role, grant

DUMP, MANIFEST, FORM = "database.dump", "manifest.json", "pine-backup-1"
PASSING = (
    "django_session",
    "procrastinate_workers",
    "procrastinate_jobs",
    "procrastinate_events",
    "procrastinate_periodic_defers",
    "axes_accessattempt",
    "axes_accesslog",
    "axes_accessfailurelog",
)
"""Tables of what passes: they are in the backup, and their counts say nothing."""


class CannotBackUp(Exception):
    """Why not, as a sentence."""


def tool(name: str, *words: str, database: str) -> None:
    """Runs one of PostgreSQL's tools on a database. Raises CannotBackUp with what it says."""
    settings = prepare.settings()
    line = [
        str(Path(os.environ["PINE_POSTGRES_BIN"]) / name),
        "-h",
        settings["host"],
        "-p",
        str(settings["port"]),
        "-U",
        settings["user"],
        "-d",
        database,
        *words,
    ]
    done = subprocess.run(
        line, env={**os.environ, "PGPASSWORD": settings["password"]}, capture_output=True, text=True
    )
    if done.returncode:
        raise CannotBackUp(f"{name} did not succeed: {done.stderr.strip()[-1000:]}")


def account(there: psycopg.Connection[Any]) -> dict[str, Any]:
    """What a database comes to: rows of each table, what stands on each account, where each chain ends, the
    definitions' digest."""
    tables = [
        row[0]
        for row in there.execute(
            "SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1"
        ).fetchall()
    ]
    counts = {}
    for table in tables:
        if table not in PASSING:
            row = there.execute(sql.SQL("SELECT count(*) FROM {}").format(sql.Identifier(table))).fetchone()
            counts[table] = row[0] if row else 0
    balances: dict[str, list[str]] = {}
    for company, natural, amount in there.execute(ACCOUNT_SUMS).fetchall():
        balances.setdefault(company, []).append(f"{natural} {amount}")
    ends = there.execute(CHAIN_ENDS).fetchall()
    digest = there.execute(NEWEST_DIGEST).fetchone()
    return {
        "counts": counts,
        "balances": {
            company: hashlib.sha256("\n".join(rows).encode()).hexdigest()
            for company, rows in balances.items()
        },
        "ends": {company: [number, text] for company, number, text in ends},
        "definitions": digest[0] if digest else "",
    }


def backup(path: Path) -> str:
    """Writes a backup of one moment; returns what is in it, in words. What is there is replaced only when all
    is written."""
    name = prepare.settings()["dbname"]
    partial = path.with_name(path.name + ".partial")
    with (
        tempfile.TemporaryDirectory(dir=path.absolute().parent) as folder,
        psycopg.connect(**prepare.settings()) as there,
    ):
        there.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        moment = there.execute("SELECT pg_export_snapshot()").fetchone()
        files = there.execute("SELECT stamp, files FROM pine_stamp").fetchone()
        if moment is None or files is None:
            raise CannotBackUp(f"The database {name} was not made by this program.")
        dump = Path(folder) / DUMP
        tool(
            "pg_dump",
            "--format=custom",
            "--no-owner",
            "--no-acl",
            f"--snapshot={moment[0]}",
            f"--file={dump}",
            database=name,
        )
        manifest = {"form": FORM, "version": VERSION, "migrations": files[1], **account(there)}
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
            archive.write(dump, DUMP)
    partial.replace(path)
    return (
        f"{manifest['counts']['journals_journal']:,} journals, {manifest['counts']['definitions_version']:,}"
        f" versions, {manifest['counts']['people_person']:,} people"
    )


def opened(path: Path, folder: str) -> dict[str, Any]:
    """The manifest, with the dump beside it in the folder. Raises CannotBackUp where the file is none of
    ours."""
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = json.loads(archive.read(MANIFEST))
            archive.extract(DUMP, folder)
    except (zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise CannotBackUp(f"{path} is no backup of ours, or damaged: {error}.") from None
    if not isinstance(manifest, dict) or manifest.get("form") != FORM:
        raise CannotBackUp(f"{path} is a backup of another form than {FORM}.")
    now = prepare.digests()
    if any(now.get(file) != digest for file, digest in manifest["migrations"].items()):
        raise CannotBackUp(
            f"{path} was made by another state of the program, whose tables are not those of this one."
            " Restore it with that one."
        )
    return manifest


def restore(path: Path) -> str:
    """Makes the chosen database from a backup: beside it first, judged, then in its place. Raises
    CannotBackUp."""
    name = prepare.settings()["dbname"]
    beside = f"{name}_restoring"
    with tempfile.TemporaryDirectory() as folder, prepare.connect("postgres") as admin:
        manifest = opened(path, folder)
        if prepare.exists(admin, name) and not _is_empty(name):
            raise CannotBackUp(
                f"The database {name} holds something. Keep it first under another name: ./pine set-aside"
                f" {name} --yes"
            )
        admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(beside)))
        admin.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(beside)))
        try:
            tool(
                "pg_restore",
                "--exit-on-error",
                "--no-owner",
                "--no-acl",
                "--jobs=2",
                str(Path(folder) / DUMP),
                database=beside,
            )
            with prepare.connect(beside) as there:
                if unlike := differences(manifest, account(there)):
                    raise CannotBackUp(f"What came back is not what was backed up: {'; '.join(unlike[:5])}.")
                if role := application_role():
                    grant(there.cursor(), role)
            _run(beside, "web.shell.prepare")  # what an earlier release kept gets the tables of this one
            _run(beside, "web.manage", "books", "verify", "--output", os.devnull)
        except BaseException:
            admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(beside)))
            raise
        admin.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        admin.execute(
            sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(beside), sql.Identifier(name))
        )
    return (
        f"{sum(manifest['counts'].values()):,} rows of {len(manifest['counts'])} tables,"
        f" {len(manifest['balances'])} trial balances, {len(manifest['ends'])} chains"
    )


def differences(wanted: dict[str, Any], found: dict[str, Any]) -> list[str]:
    """Where a database does not come to what a manifest says, in sentences."""
    rows = [
        f"{table} has {found['counts'].get(table, 0):,} rows and had {count:,}"
        for table, count in wanted["counts"].items()
        if found["counts"].get(table, 0) != count
    ]
    rows += [
        f"the balances of {company} are others"
        for company, text in wanted["balances"].items()
        if found["balances"].get(company) != text
    ]
    rows += [
        f"the chain of {company} ends elsewhere"
        for company, end in wanted["ends"].items()
        if found["ends"].get(company) != end
    ]
    return rows + (["the definitions are others"] if wanted["definitions"] != found["definitions"] else [])


def _is_empty(name: str) -> bool:
    """Whether a database was made and nothing was put in yet."""
    with prepare.connect(name) as there:
        for model in (Version, Person):
            table = model._meta.db_table
            row = there.execute("SELECT to_regclass(%s)", [table]).fetchone()
            if row is None or row[0] is None:
                return False
            if there.execute(sql.SQL("SELECT 1 FROM {} LIMIT 1").format(sql.Identifier(table))).fetchone():
                return False
        return True


def _run(name: str, *words: str) -> None:
    """A command on the database that came back, in a process of its own: its tables, or every hash, every
    kept balance and the definitions. Raises CannotBackUp with what it says."""
    settings = prepare.settings()
    url = f"postgres://{settings['user']}:{settings['password']}@{settings['host']}:{settings['port']}/{name}"
    line = [sys.executable, "-m", *words]
    done = subprocess.run(line, env={**os.environ, "PINE_DATABASE_URL": url}, capture_output=True, text=True)
    if done.returncode:
        raise CannotBackUp(f"What came back does not hold: {done.stderr.strip()[-1000:]}")
