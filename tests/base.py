"""What tests against the database share: packages as text, signed-in clients, caches forgotten between
tests."""

from __future__ import annotations

import contextlib
import csv
import io
import tempfile
import threading
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any, ClassVar
from unittest.mock import patch

from django.contrib.auth import get_user_model
from django.core.management import call_command, get_commands, load_command_class
from django.db import connection, connections
from django.test import Client, TestCase, TransactionTestCase

from core.definitions.parsing import write_cell
from core.definitions.tables import BY_ROW
from core.faults import Refused
from core.tests.builders import definitions
from core.tests.test_figures import BALANCE
from web import process_cache
from web.exchange.importing import Outcome, import_package
from web.process_cache import EVERY

Tables = dict[str, str]

JOURNALS = """company,journal,date,kind,description
alpha,A1,2026-01-10,opening,Brought forward
alpha,A2,2026-02-10,general,Sales
beta,B1,2026-01-10,general,Start
"""
LINES = """company,journal,line,line_company,account,debit,credit,partner,description
alpha,A1,1,,10-1010,1000.00,,,
alpha,A1,2,,10-3010,,1000.00,,
alpha,A2,1,,10-1110-001,250.50,,,
alpha,A2,2,,10-4010-1,,200.00,,
alpha,A2,3,,10-1810,,50.50,beta,wrong side
beta,B1,1,,20-1010,40,,,
beta,B1,2,,20-2810,,40,alpha,
"""
GROUP = {
    "groups": (
        "group,name,currency,chart,retained_account,minority_account,minority_result_account\n"
        "g,Both,GBP,c,3010,3010,5020\n"
    ),
    "group_members": "group,member\ng,alpha\ng,beta\n",
    "eliminations": 'group,elimination,position,accounts,difference_account\ng,e,10,"1810, 2810",2010\n',
}


def tables(*more: Any) -> Tables:
    """The small world as the CSV tables of a package."""
    return tables_of((*definitions(), *BALANCE, *more))


def tables_of(rows: Iterable[Any]) -> Tables:
    """Rows of definitions as the CSV tables of a package."""
    found: dict[str, list[Any]] = {}
    for row in rows:
        found.setdefault(BY_ROW[type(row)].name, []).append(row)
    made = {}
    for name, part in found.items():
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(type(part[0])._fields)
        writer.writerows([write_cell(value) for value in row] for row in part)
        made[name] = out.getvalue()
    return made


def world(**more: str) -> Tables:
    return {**tables(), "journals": JOURNALS, "journal_lines": LINES, **GROUP, **more}


@contextlib.contextmanager
def package(content: Mapping[str, str | bytes]) -> Iterator[Path]:
    with tempfile.TemporaryDirectory() as folder:
        for name, text in content.items():
            (Path(folder) / f"{name}.csv").write_bytes(text if isinstance(text, bytes) else text.encode())
        yield Path(folder)


def bring(content: Mapping[str, str | bytes], by: Any = None) -> Outcome:
    with package(content) as path:
        return import_package(path, by)


def refused(content: Mapping[str, str | bytes]) -> list[str]:
    """The faults of a package that must not come in, as the command line prints them."""
    try:
        bring(content)
    except Refused as told:
        return [str(fault) for fault in told.faults]
    return []


def person(name: str, role: str = "group", companies: tuple[str, ...] = ()) -> Any:
    from web.companies.models import Company

    made = get_user_model().objects.create_user(
        name, password="long-enough-1", role=role, first_name=name.capitalize()
    )
    made.companies.set(Company.objects.filter(company__in=companies))
    return made


class Workers:
    """The memories of two server processes, which take turns: what one learns the other must find out by
    itself."""

    away: ClassVar[dict[int, Any]] = {}

    @classmethod
    def turn(cls) -> None:
        cls.away = {id(cache): cache.exchanged(cls.away.get(id(cache))) for cache in EVERY}


def forget() -> None:
    process_cache.forget()
    Workers.away = {}


class TurningClient(Client):
    """Each request goes to the other worker than the one before; `turning` off: all to the same one."""

    turning = True

    def request(self, **request: Any) -> Any:
        if self.turning:
            Workers.turn()
        return super().request(**request)


def client_of(who: Any) -> TurningClient:
    made = TurningClient(headers={"HX-Current-URL": "http://testserver/"})
    made.force_login(who, backend="django.contrib.auth.backends.ModelBackend")
    return made


def run(*words: str, command: str = "books") -> tuple[int, str, str]:
    """The command line: exit status, standard output, standard error."""
    out, err, status = io.TextIOWrapper(io.BytesIO(), encoding="utf-8"), io.StringIO(), 0
    runs = load_command_class(get_commands()[command], command)
    vars(runs)["_called_from_command_line"] = True  # a wrong call ends as it does there
    with patch("sys.stdout", out), patch("sys.stderr", err):
        try:
            call_command(runs, *map(str, words))
        except SystemExit as ended:
            status = int(ended.code or 0)
    out.flush()
    return status, out.buffer.getvalue().decode().replace("\r\n", "\n"), err.getvalue()


class Forgetting:
    def __getstate__(self) -> dict[str, Any]:
        """What of a test goes from one test process to another: what unittest keeps, not the clients of its
        setUp, nor what Playwright hangs on whoever listens to it."""
        return {
            name: value
            for name, value in self.__dict__.items()
            if name.startswith("_") and name != "_outcome" and not name.startswith("_pw_")
        }

    def setUp(self) -> None:
        forget()
        super().setUp()  # type: ignore[misc]

    def tearDown(self) -> None:
        super().tearDown()  # type: ignore[misc]
        forget()


class PineTest(Forgetting, TestCase):
    maxDiff = None


class InWorld(PineTest):
    """The small world with a group accountant, signed in."""

    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")
        self.group = client_of(self.mirela)


def tables_of_database(cursor: Any) -> list[str]:
    """All that hold what a test may have written; parts of a table are reached through it."""
    cursor.execute(
        "SELECT quote_ident(relname) FROM pg_class WHERE relnamespace = 'public'::regnamespace"
        " AND relkind IN ('r', 'p') AND NOT relispartition"
        " AND relname !~ '^(django_migrations|django_content_type|auth_permission)$' ORDER BY 1"
    )
    return [name for (name,) in cursor.fetchall()]


class CommittingTest(Forgetting, TransactionTestCase):
    """For tests that need real commits. Books refuse to be emptied, so their triggers are off for the
    clean-up alone."""

    maxDiff = None

    def _fixture_teardown(self) -> None:
        with connection.cursor() as cursor:
            names = tables_of_database(cursor)
            cursor.execute("SET session_replication_role = replica")
            for name in names:
                cursor.execute(f"DELETE FROM {name}")
            cursor.execute("SET session_replication_role = DEFAULT")


class Together:
    """Acts at once, each in a thread with a connection of its own."""

    def together(self, *acts: object) -> list[object]:
        """Runs acts at once, each on a connection of its own; gives what each ended with."""
        ended: list[object] = [None] * len(acts)
        gate = threading.Barrier(len(acts))

        def work(i: int, act: object) -> None:
            gate.wait()
            try:
                ended[i] = act()  # type: ignore[operator]
            except Refused as told:
                ended[i] = told.faults[0].what
            finally:
                connections.close_all()

        threads = [threading.Thread(target=work, args=(i, act)) for i, act in enumerate(acts)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return ended
