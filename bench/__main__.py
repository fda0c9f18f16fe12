"""./pine bench: speed as ratios, each measured side by side with what it is compared to, in one run.

100 companies, 4,000 accounts, 1,000,000 journal lines, generated with a fixed seed. `--small` is a tenth of
it; `--quick` some rows of that in two minutes, on a cluster in memory as the tests have it, which fail where
they are worse than docs/benchmarks.md notes, twice over; `--quick --keep` notes them. `--imports 5` measures
the import alone, so many times. Ends with 1 where an aim is missed, and says which.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import django
import psycopg
import psycopg.sql

from bench import report as page
from bench.books import bench_group, bench_import, bench_pack, bench_posting
from bench.commands import bench_commands, bench_main_pages
from bench.companies import bench_companies
from bench.data import ACCOUNTS, COMPANIES, ROOT, deepen, generate
from bench.figures import bench_figures
from bench.group import bench_large_group
from bench.pages import bench_codes, bench_depth
from bench.report import BenchReport, best, p95
from bench.statements import bench_statements
from bench.waiting import bench_waiting

PAGE = ROOT / "docs/benchmarks.md"


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
    """How often the import alone is measured, each time into a new database; 0: once, then all the rest."""
    return int(sys.argv[sys.argv.index("--imports") + 1]) if "--imports" in sys.argv else 0


def imported(report: BenchReport, scale: int, times: int = 1) -> int:
    """Imports the package into a new database, so many times; how many lines it has."""
    from django.db import connection

    with tempfile.TemporaryDirectory() as name:
        lines = generate(Path(name), scale)
        for _ in range(times):
            connection.close()
            fresh_database()
            bench_import(report, Path(name), lines)
    return lines


def deepened() -> int:
    """Brings the long list in; how many codes it has."""
    from web.exchange.importing import import_package

    with tempfile.TemporaryDirectory() as name:
        codes = deepen(Path(name))
        import_package(Path(name))
    return codes


def quick() -> BenchReport:
    """One row of each kind, on a tenth of the data."""
    report = BenchReport()
    lines = imported(report, 10)
    bench_group(report, lines, cold=False)
    bench_large_group(report.add, best, all_steps=False)
    bench_figures(report.add, best, only_codes=True)
    bench_codes(report, only_page=True)
    bench_posting(report)
    bench_commands(report)
    bench_depth(report, deepened(), only_moves=True)
    return report


def whole(report: BenchReport, scale: int) -> int:
    """Every row; how many lines were imported."""
    lines = imported(report, scale)
    bench_group(report, lines)
    bench_large_group(report.add, best)
    bench_figures(report.add, best, small=scale > 1)
    bench_statements(report.add, p95)
    bench_pack(report)
    bench_codes(report)
    bench_posting(report)
    bench_commands(report)
    bench_main_pages(report)
    bench_depth(report, deepened())
    bench_companies(report.add, p95)
    bench_waiting(report, scale)
    return lines


def main() -> int:
    os.environ["DJANGO_SETTINGS_MODULE"] = "web.settings"
    fresh_database()
    django.setup()
    from web.shell.collecting import collect_rarely

    collect_rarely()  # as a worker does
    if "--quick" in sys.argv:
        return main_quick()
    report, scale = BenchReport(), 10 if "--small" in sys.argv else 1
    if times := imports():
        imported(report, scale, times)
    else:
        lines = whole(report, scale)
        if scale == 1:
            of = f"{lines:,} journal lines, {COMPANIES} companies, {ACCOUNTS:,} accounts"
            page.keep(PAGE, report, of)
    print(report.closing())
    return 1 if report.missed else 0


def main_quick() -> int:
    report = quick()
    if "--keep" in sys.argv:
        page.keep_quick(PAGE, report)
        return 0
    known = page.noted(PAGE)
    if page.worse(report, known):
        print("Measured once more, for a machine that was busy with something else:")
        report = report.better(quick())
    told = page.worse(report, known)
    print("\n".join(told) or "Nothing is worse than what docs/benchmarks.md notes.")
    return 1 if told else 0


if __name__ == "__main__":
    sys.exit(main())
