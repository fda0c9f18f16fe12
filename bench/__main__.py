"""./pine bench: speed as ratios, each measured side by side with what it is compared to, in one run.

100 companies, 4,000 accounts, 1,000,000 journal lines, generated with a fixed seed. `--small` is a tenth of
it.
"""

from __future__ import annotations

import os
import platform
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import django
import psycopg

from bench.companies import bench_companies
from bench.data import ACCOUNTS, CODES, COMPANIES, ROOT, WORDS, deepen, generate
from bench.figures import bench_figures
from bench.group import bench_large_group
from bench.statements import bench_statements

if TYPE_CHECKING:
    from django.test import Client


def timed(act: Callable[[], Any]) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def best(act: Callable[[], Any], times: int = 5) -> float:
    return min(timed(act) for _ in range(times))


def p95(act: Callable[[int], Any], times: int = 60) -> float:
    found = [timed(partial(act, i)) for i in range(times)]
    return statistics.quantiles(found, n=20)[-1]


class BenchReport:
    """What was measured, a row each, printed as it comes."""

    def __init__(self) -> None:
        self.rows: list[tuple[str, ...]] = []

    def add(self, what: str, rows: int, seconds: float, against: str, base: float, aim: str) -> None:
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        self.rows.append(
            (
                what,
                f"{rows:,}",
                f"{seconds:.3f}",
                against,
                f"{base:.3f}",
                f"{seconds / base:.2f}" if base else "—",
                aim,
                f"{memory:,}",
            )
        )
        print("  ".join(self.rows[-1]), flush=True)

    def markdown(self, lines: int) -> str:
        head = (
            "| what | rows | seconds | against | seconds | ratio | aim | MiB"
            " |\n|---|---:|---:|---|---:|---:|---|---:|\n"
        )
        body = "".join(f"| {' | '.join(row)} |\n" for row in self.rows)
        machine = f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}"
        return (
            f"# Benchmarks\n\nPrinted by `./pine bench` on {date.today()}: {lines:,} journal lines,"
            f" {COMPANIES} companies, {ACCOUNTS:,} accounts; {machine}. Ratios are of two measurements in the"
            f" same run and hold better than seconds.\n\n{head}{body}"
        )


def bench_import(report: BenchReport, folder: Path, lines: int) -> None:
    from django.db import connection, transaction

    from web.exchange.importing import import_package
    from web.journals import posting

    seconds = timed(lambda: import_package(folder))
    rest = posting.LINE_COLUMNS.split(",", 1)[1]
    with connection.cursor() as cursor, tempfile.TemporaryFile() as kept:
        with cursor.copy(
            f"COPY (SELECT journal_id + 100000000, {rest} FROM journals_journalline) TO STDOUT (FORMAT"
            " binary)"
        ) as copy:
            for part in copy:
                kept.write(part)
        base = []
        for _ in range(2):
            kept.seek(0)
            with transaction.atomic():
                # The same rows under other journals, into the same table with its key, indexes and triggers;
                # then taken back.
                started = time.perf_counter()
                with cursor.copy(
                    f"COPY journals_journalline ({posting.LINE_COLUMNS}) FROM STDIN (FORMAT binary)"
                ) as copy:
                    while part := kept.read(1 << 20):
                        copy.write(part)
                base.append(time.perf_counter() - started)
                transaction.set_rollback(True)
    report.add(
        "package import, every check",
        lines,
        seconds,
        "COPY of the same lines into the same table",
        min(base),
        "≤ 2.5",
    )


COLD = """
import django, time
django.setup()
from django.db import connection
from web.definitions import snapshot
from web.group import queries
import numpy, core.group_figures.sum_up
connection.ensure_connection()
state = snapshot.current().state
started = time.perf_counter()
queries.group_statement(state, "bs", "g", 2026, 6)
print(time.perf_counter() - started)
"""


def _grouped_by_sql() -> tuple[int, float]:
    """How many balances there are, and the seconds of a bare GROUP BY over them."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute(
            'CREATE TEMP TABLE bench_balances AS SELECT b.company, a."natural", l.account_id, l.partner_id,'
            " l.period, b.fiscal_year, sum(l.amount) AS amount FROM journals_journalline l JOIN journals_book"
            " b ON b.id = l.book_id JOIN journals_account a ON a.id = l.account_id GROUP BY 1, 2, 3, 4, 5, 6"
        )
        cursor.execute("ANALYZE bench_balances")
        cursor.execute("SELECT count(*) FROM bench_balances")
        balances = cursor.fetchone()[0]

        def grouped() -> None:
            cursor.execute(
                'SELECT company, "natural", sum(amount) FROM bench_balances WHERE (fiscal_year, period) <='
                " (2026, 6) GROUP BY 1, 2"
            )
            cursor.fetchall()

        base = best(grouped, 3)
    return balances, base


def bench_group(report: BenchReport, lines: int) -> None:
    from web.definitions import snapshot
    from web.group import queries

    balances, base = _grouped_by_sql()
    cold = min(
        float(
            subprocess.run(
                [sys.executable, "-c", COLD], capture_output=True, text=True, check=True, cwd=ROOT
            ).stdout
        )
        for _ in range(3)
    )
    report.add(
        "consolidated balance sheet, cold process",
        balances,
        cold,
        "SQL GROUP BY of the same balances",
        base,
        "≤ 2",
    )
    state = snapshot.current().state
    queries.group_statement(state, "bs", "g", 2026, 6)
    again = best(lambda: queries.group_statement(state, "bs", "g", 2026, 6))
    sets = queries.consolidation_of(state, "g").books.sets
    pass_over = best(lambda: [one.moved[:, :7].sum() + one.closed[:, :7].sum() for one in sets])
    report.add(
        "consolidated balance sheet, again",
        balances,
        again,
        "one numpy pass over the balances",
        pass_over,
        "≤ 3",
    )


def bench_codes(report: BenchReport) -> None:
    from django.test import Client

    from tests.base import person

    client = Client(SERVER_NAME="127.0.0.1")
    client.force_login(person("bench"), backend="django.contrib.auth.backends.ModelBackend")

    def get(address: str) -> None:
        assert client.get(address).status_code in (200, 204)

    get("/codes/long/")
    empty = p95(lambda i: get("/codes/new-list/"))
    report.add(
        "page of 50,000 codes, p95",
        CODES,
        p95(lambda i: get(f"/codes/long/?at={100000 + i * 3000}")),
        "a page without a list",
        empty,
        "< 0.050 s",
    )
    report.add(
        "a keystroke of narrowing, p95",
        CODES,
        p95(lambda i: get(f"/codes/long/rows/?find={WORDS[i % 20][: 1 + i % 4]}")),
        "a page without a list",
        empty,
        "< 0.050 s",
    )
    report.add(
        "a keystroke of find, p95",
        CODES,
        p95(lambda i: get(f"/find/?q={WORDS[i % 20][: 1 + i % 4]}")),
        "a page without a list",
        empty,
        "< 0.050 s",
    )


def bench_posting(report: BenchReport) -> None:
    from core.definitions.tables import Journal, JournalLine
    from web.journals import actions
    from web.people.models import Person

    who = Person.objects.get(username="bench")

    def post(i: int) -> None:
        head = Journal("c001", f"B{i:05d}", date(2026, 6, 1))
        code = ["10000", "10020", "10040", "10060"]
        lines = [
            JournalLine(
                "c001",
                head.journal,
                n + 1,
                account=f"001-{code[n]}",
                debit="1.00" if n % 2 else "",
                credit="" if n % 2 else "1.00",
            )
            for n in range(4)
        ]
        actions.post_all([(head, lines)], who)

    from django.db import connection

    def bare(i: int) -> None:
        with connection.cursor() as cursor:
            cursor.execute("INSERT INTO bench_posts SELECT i, i, i FROM generate_series(1, 4) i")

    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE bench_posts (a bigint, b bigint, c bigint)")
    post(0)
    report.add(
        "posting a four-line journal, p95",
        4,
        p95(lambda i: post(i + 1), 100),
        "INSERT of four bare rows, one commit",
        p95(bare, 100),
        "—",
    )


EMPTY_LIST = "the same page of an empty list"


class Visit:
    """A signed-in client that takes nothing but an answer."""

    def __init__(self, client: Client) -> None:
        self.client = client

    def get(self, address: str) -> None:
        assert self.client.get(address).status_code == 200, address

    def post(self, address: str, **values: Any) -> None:
        reply = self.client.post(address, values)
        assert reply.status_code == 200, (address, reply.content[:500])


def bench_depth(report: BenchReport, codes: int) -> None:
    """Storey 1 and drafts at full size, in an open draft, as a user goes through them."""
    from django.test import Client

    from web.people.models import Person

    client = Client(SERVER_NAME="127.0.0.1", headers={"HX-Current-URL": "http://127.0.0.1/codes/acc/"})
    client.force_login(
        Person.objects.get(username="bench"), backend="django.contrib.auth.backends.ModelBackend"
    )

    from tests.base import bring

    if client.get("/codes/empty/").status_code != 200:
        bring(
            {
                "code_lists": "code_list,name,min_length,max_length\nempty,Empty,3,3\n",
                "hierarchies": "hierarchy,code_list,name,main\nempty-tree,empty,Empty,true\n",
            }
        )
    visit = Visit(client)
    bare = _bench_looking(report, codes, visit)
    _bench_moving(report, codes, visit, bare)


def _bench_looking(report: BenchReport, codes: int, visit: Visit) -> float:
    """Tables and drawings; returns what the page of an empty list takes."""
    starts = [f"{1 + i % 8}{i % 10}{i % 7}" for i in range(60)]
    for warm in (
        "/codes/acc/",
        "/codes/empty/",
        "/hierarchies/tree/elevation/",
        "/codes/acc/rows/?stands=loose",
    ):
        visit.get(warm)
    bare = p95(lambda i: visit.get("/codes/empty/"))
    drawn = p95(lambda i: visit.get("/hierarchies/empty-tree/elevation/"))
    report.add(
        "open the table of codes, p95",
        codes,
        p95(lambda i: visit.get("/codes/acc/")),
        EMPTY_LIST,
        bare,
        "< 0.100 s",
    )
    report.add(
        "scroll in it, p95",
        codes,
        p95(lambda i: visit.get(f"/codes/acc/rows/?from={i * 700}")),
        EMPTY_LIST,
        bare,
        "< 0.100 s",
    )
    report.add(
        "filter it, p95",
        codes,
        p95(lambda i: visit.get(f"/codes/acc/rows/?prefix={starts[i % 60]}&class=asset")),
        EMPTY_LIST,
        bare,
        "< 0.100 s",
    )
    report.add(
        "open the elevation, p95",
        codes,
        p95(lambda i: visit.get("/hierarchies/tree/elevation/"), 30),
        EMPTY_LIST,
        drawn,
        "< 0.100 s",
    )
    return bare


def _bench_moving(report: BenchReport, codes: int, visit: Visit, bare: float) -> None:
    """A move in a draft, what it moves, and its publishing."""
    from web.definitions.models import Draft

    visit.post("/drafts/new/", name="Bench")
    draft = Draft.objects.get(name="Bench").pk
    visit.post("/hierarchies/tree/move/", what="1", onto="8")
    report.add(
        "move a rollup with 6,000 codes below it, p95",
        codes,
        p95(lambda i: visit.post("/hierarchies/tree/move/", what="1", onto="" if i % 2 else "7"), 30),
        EMPTY_LIST,
        bare,
        "< 0.100 s",
    )

    def seen(i: int) -> float:
        visit.post("/hierarchies/tree/move/", what="1", onto="" if i % 2 else "7")
        return timed(lambda: visit.get("/hierarchies/tree/"))

    after = statistics.quantiles([seen(i) for i in range(10)], n=20)[-1]
    report.add("the first page after such a move, p95", codes, after, EMPTY_LIST, bare, "—")
    visit.post("/hierarchies/tree/move/", what="1", onto="8")
    visit.get(f"/drafts/{draft}/moves/?part=1")
    moves = p95(lambda i: visit.get(f"/drafts/{draft}/moves/?part=1&year=2026&period={1 + i % 12}"), 12)
    report.add("show what it moves, 100 companies, p95", codes, moves, EMPTY_LIST, bare, "< 1 s")
    seconds = timed(lambda: visit.post(f"/drafts/{draft}/publish/", reason="Bench"))
    report.add("publish it", codes, seconds, EMPTY_LIST, bare, "< 1 s")
    report.add("memory of this one worker, MiB in the last column", codes, 0, "—", 0, "—")


def bench_pack(report: BenchReport) -> None:
    """Four statements of each company as one PDF, beside what its figures alone take."""
    from web.packs.making import figures_of_items, make_pack
    from web.packs.statements import PackItem

    items = [PackItem("bs", f"c{i:03d}") for i in range(COMPANIES)] * 4
    alone = timed(lambda: figures_of_items(items, (2026, 12), False, lambda what, done: None))
    whole = timed(lambda: make_pack("pdf", "Bench", items, (2026, 12), False, None))
    report.add(
        "a pack of 100 companies by 4 statements, PDF", len(items), whole, "its figures alone", alone, "—"
    )


def fresh_database() -> None:
    """A database of its own, emptied before each run."""
    from web.shell import prepare

    name = prepare.settings()["dbname"]
    with prepare.connect("postgres") as admin:
        admin.execute(f"DROP DATABASE IF EXISTS {psycopg.sql.Identifier(name).as_string(admin)} WITH (FORCE)")
    sys.path.insert(0, str(ROOT))
    from launcher.database import migrations_stamp

    environment = {**os.environ, "PINE_STAMP": migrations_stamp()}
    subprocess.run([sys.executable, "-m", "web.shell.prepare"], env=environment, check=True)


def imports() -> int:
    """How often the import alone is measured (`--imports 5`), each time into a new database; once, then all
    the rest, if not given."""
    return int(sys.argv[sys.argv.index("--imports") + 1]) if "--imports" in sys.argv else 1


def main() -> int:
    scale = 10 if "--small" in sys.argv else 1
    os.environ["DJANGO_SETTINGS_MODULE"] = "web.settings"
    import psycopg.sql  # noqa: F401
    from django.db import connection

    fresh_database()
    django.setup()
    from web.shell.collecting import collect_rarely

    collect_rarely()  # as a worker does
    report = BenchReport()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        lines = generate(folder, scale)
        bench_import(report, folder, lines)
        for _ in range(imports() - 1):
            connection.close()
            fresh_database()
            bench_import(report, folder, lines)
    if imports() > 1:
        return 0
    bench_group(report, lines)
    bench_large_group(report.add, best)
    bench_figures(report.add, best, small=scale > 1)
    bench_statements(report.add, p95)
    bench_pack(report)
    bench_codes(report)
    bench_posting(report)
    with tempfile.TemporaryDirectory() as name:
        codes = deepen(Path(name))
        from web.exchange.importing import import_package

        import_package(Path(name))
    bench_depth(report, codes)
    bench_companies(report.add, p95)
    if scale == 1:
        keep_report(ROOT / "docs/benchmarks.md", report.markdown(lines))
    return 0


def keep_report(path: Path, text: str) -> None:
    """Puts a new table in the place of the old one; the notes below it stay for whoever reads both."""
    notes = [line for line in path.read_text().splitlines() if line.startswith("- ")] if path.exists() else []
    path.write_text(text + "".join(f"\n{line}" for line in notes) + "\n" * bool(notes))


if __name__ == "__main__":
    sys.exit(main())
