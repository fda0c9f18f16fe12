"""Books: what comes in, what is posted, consolidated and put into packs."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

from bench.data import COMPANIES, ROOT
from bench.report import BenchReport, best, p95, timed
from core.definitions.tables import Journal, JournalLine


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
        2.0,
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


def bench_group(report: BenchReport, lines: int, *, cold: bool = True) -> None:
    """`cold`: by a new process too."""
    from web.definitions import snapshot
    from web.group import queries

    balances, base = _grouped_by_sql()
    if cold:
        seconds = min(
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
            seconds,
            "SQL GROUP BY of the same balances",
            base,
            2.0,
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
        3.0,
    )


def one_journal(company: str, name: str) -> tuple[Journal, list[JournalLine]]:
    """Four lines in June."""
    codes = ["10000", "10020", "10040", "10060"]
    lines = [
        JournalLine(
            company,
            name,
            n + 1,
            account=f"{company[1:]}-{code}",
            debit="1.00" if n % 2 else "",
            credit="" if n % 2 else "1.00",
        )
        for n, code in enumerate(codes)
    ]
    return Journal(company, name, date(2026, 6, 1)), lines


def bench_posting(report: BenchReport) -> None:
    from web.journals import actions
    from web.people.models import Person

    who = Person.objects.get(username="bench")

    def post(i: int) -> None:
        actions.post_all([one_journal("c001", f"B{i:05d}")], who)

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
        30,
    )


def bench_pack(report: BenchReport) -> None:
    """Four statements of each company as one PDF, beside what its figures alone take."""
    from web.packs.making import figures_of_items, make_pack
    from web.packs.statements import PackItem

    items = [PackItem("bs", f"c{i:03d}") for i in range(COMPANIES)] * 4
    alone = timed(lambda: figures_of_items(items, (2026, 12), False, lambda what, done: None))
    whole = timed(lambda: make_pack("pdf", "Bench", items, (2026, 12), False, None))
    report.add(
        "a pack of 100 companies by 4 statements, PDF", len(items), whole, "its figures alone", alone, 3.3
    )
