"""What a report on the command line and the main pages cost, in seconds of CPU."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import time

from bench.data import ROOT
from bench.report import BenchReport

BARE = "import django, numpy, web.settings; django.setup"
REPORT = ["trial-balance", "--company", "c007", "--year", "2026", "--period", "6"]
PAGES = (
    "/today/",
    "/codes/acc/",
    "/structures/c/",
    "/companies/",
    "/journals/c007/",
    "/journals/c007/account/10000/",
    "/statements/bs/?company=c007&year=2026&period=6",
    "/statements/bs/figures/?company=c007&year=2026&period=6",
    "/group/g/?statement=bs&year=2026&period=6",
    "/log/",
)


def cpu_of(command: list[str]) -> float:
    """The least of three runs, seconds of CPU."""
    taken = []
    for _ in range(3):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run(command, cwd=ROOT, check=True, stdout=subprocess.DEVNULL, env=os.environ)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        taken.append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
    return min(taken)


def bench_commands(report: BenchReport) -> None:
    """A trial balance, as ./pine runs it, beside what its process imports at least."""
    base = cpu_of([sys.executable, "-c", BARE])
    taken = cpu_of([sys.executable, "-m", "web.manage", "books", *REPORT])
    report.add("a command's CPU: ./pine trial-balance", 1, taken, "Python with Django and numpy", base, 3)


def bench_main_pages(report: BenchReport) -> None:
    """Ten main pages, warm, one after another in this process."""
    from django.test import Client

    from web.people.models import Person

    client = Client(SERVER_NAME="127.0.0.1")
    client.force_login(
        Person.objects.get(username="bench"), backend="django.contrib.auth.backends.ModelBackend"
    )

    def cpu(addresses: tuple[str, ...], times: int) -> float:
        """Of a page, on the average."""
        for address in addresses:
            assert client.get(address).status_code == 200, address
        started = time.process_time()
        for _ in range(times):
            for address in addresses:
                client.get(address)
        return (time.process_time() - started) / times / len(addresses)

    report.add(
        "ten main pages, CPU of each, warm", 10, cpu(PAGES, 20), "a bare page", cpu(("/me/",), 50), 1.5
    )
