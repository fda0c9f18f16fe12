"""A backup is everything in the database, as PostgreSQL's own tools write it, with what it must come to when
it is back.

`python -m web.exchange.backup backup|restore FILE`, as the owner; the launcher gives the address and where
the tools are.
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

import django
import psycopg
from psycopg import sql

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


BALANCES = """
    SELECT company, "natural", sum(amount) FROM (
        SELECT b.company, a."natural", l.amount FROM journals_journalline l JOIN journals_book b ON b.id =
        l.book_id
        JOIN journals_account a ON a.id = l.account_id
        UNION ALL SELECT l.company, a."natural", l.amount FROM journals_balance l JOIN journals_account a ON
        a.id = l.account_id
    ) amounts GROUP BY 1, 2 ORDER BY 1, 2
"""


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
    for company, natural, amount in there.execute(BALANCES).fetchall():
        balances.setdefault(company, []).append(f"{natural} {amount}")
    ends = there.execute(
        "SELECT DISTINCT ON (company) company, chain, hash FROM journals_journal ORDER BY company, chain DESC"
    ).fetchall()
    digest = there.execute("SELECT digest FROM definitions_version ORDER BY version DESC LIMIT 1").fetchone()
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
        manifest = {"form": FORM, "migrations": files[1], **account(there)}
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
            _verified(beside)
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
        row = there.execute(
            "SELECT to_regclass('definitions_version'), to_regclass('people_person')"
        ).fetchone()
        if row is None or None in row:
            return False
        filled = there.execute(
            "SELECT EXISTS (SELECT 1 FROM definitions_version) OR EXISTS (SELECT 1 FROM people_person)"
        ).fetchone()
        return filled is not None and not filled[0]


def _verified(name: str) -> None:
    """Every hash, every kept balance and the definitions, in a process of its own on the database that came
    back."""
    settings = prepare.settings()
    url = f"postgres://{settings['user']}:{settings['password']}@{settings['host']}:{settings['port']}/{name}"
    line = [sys.executable, "-m", "web.exchange.command", "verify", "--output", os.devnull]
    done = subprocess.run(line, env={**os.environ, "PINE_DATABASE_URL": url}, capture_output=True, text=True)
    if done.returncode:
        raise CannotBackUp(f"What came back does not verify: {done.stderr.strip()[-1000:]}")


def main(words: list[str]) -> int:
    if len(words) != 2 or words[0] not in ("backup", "restore"):
        sys.stderr.write("Write: ./pine backup FILE or ./pine restore FILE\n")
        return 2
    act, path = words[0], Path(words[1])
    if (act == "restore" and not path.is_file()) or (act == "backup" and not path.absolute().parent.is_dir()):
        sys.stderr.write(
            f"There is nothing at {path}.\n"
            if act == "restore"
            else f"There is no folder {path.absolute().parent}.\n"
        )
        return 2
    try:
        sentence = backup(path) if act == "backup" else restore(path)
    except (CannotBackUp, psycopg.Error, OSError) as error:
        sys.stderr.write(f"{str(error).strip()}\n")
        return 1
    sys.stderr.write(f"{'Backed up to' if act == 'backup' else 'Restored from'} {path}: {sentence}.\n")
    return 0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
    django.setup()
    sys.exit(main(sys.argv[1:]))
