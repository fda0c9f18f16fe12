"""Three hundred companies by five thousand accounts: the matrix of what is open where, and a rollout of five
hundred accounts with a segment swap to all of them."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import Any

from core.access.rights import FULL
from core.definitions.tables import (
    Calendar,
    Chart,
    Code,
    CodeList,
    Company,
    CompanyAccount,
    CompanyCode,
    Hierarchy,
    HierarchyNode,
    Period,
    Rollout,
    RolloutItem,
    Structure,
    StructureSegment,
)

COMPANIES, ACCOUNTS, ROLLED = 300, 5_000, 500


def _definitions() -> Iterator[Any]:
    yield CodeList("r-co", "Company", 3, 3)
    yield CodeList("r-acc", "Accounts", 5, 5)
    yield CodeList("r-site", "Site", 3, 3)
    yield Hierarchy("r-tree", "r-acc", "Tree", True)
    for top in range(10):
        yield Code("r-acc", f"{top}", f"Heading {top}", True, False)
        yield HierarchyNode("r-tree", f"{top}", intake=f"{top}*")
    for i in range(ACCOUNTS):
        yield Code("r-acc", f"{i * 20:05}", f"Account {i}", account_class="expense")
    yield Code("r-site", "310", "Site")
    yield Structure("r", "Large", "-")
    yield StructureSegment("r", 1, "company", "Company", "r-co", "company")
    yield StructureSegment("r", 2, "account", "Account", "r-acc", "natural_account")
    yield StructureSegment("r", 3, "site", "Site", "r-site")
    yield Chart("r", "Large", "r", "listed_only")
    yield Calendar("r", "Months")
    yield Period("r", 2026, 1, "January 2026", date(2026, 1, 1), date(2026, 1, 31))
    for i in range(COMPANIES):
        name = f"r{i:03}"
        yield Code("r-co", f"{i + 100}", f"Company {i}")
        yield Company(name, f"Company {i}", "GB", "GBP", "r", "r")
        yield CompanyAccount(name, f"{i * 20:05}", "", False, False)
        yield CompanyCode(name, "company", f"{i + 100}")
    yield Rollout("r", "Large", "r000", "chart=r", None, "site", "310", "340", "New site")
    yield Rollout("again", "Large", "r000", "chart=r", None, "site", "310", "350", "Another site")
    for i in range(ROLLED):
        for rollout in ("r", "again"):
            yield RolloutItem(rollout, i, "string", account=f"100-{i * 20:05}-310")


def _copied(rows: list[tuple[Any, ...]]) -> float:
    """What a bare COPY of rows into an empty table takes."""
    from django.db import connection

    with connection.cursor() as cursor:
        columns = ", ".join(f"c{i} text" for i in range(len(rows[0])))
        cursor.execute(f"CREATE TEMP TABLE bare ({columns})")
        started = time.perf_counter()
        with cursor.copy("COPY bare FROM STDIN") as copy:
            for row in rows:
                copy.write_row(row)
        taken = time.perf_counter() - started
        cursor.execute("DROP TABLE bare")
    return taken


def bench_companies(add: Callable[..., None], p95: Callable[..., float]) -> None:
    """Adds the rows of many companies to a report."""
    from django.test import Client

    from tests.base import tables_of
    from web.definitions.snapshot import current
    from web.exchange.importing import import_package
    from web.people.models import Person
    from web.rollouts import queries
    from web.rollouts.running import roll_out

    with tempfile.TemporaryDirectory() as folder:
        for name, text in tables_of(_definitions()).items():
            (Path(folder) / f"{name}.csv").write_text(text)
        import_package(Path(folder))
    someone = Person.objects.create_user("bench-companies", role="group")
    client = Client(SERVER_NAME="localhost")
    client.force_login(someone, backend="django.contrib.auth.backends.ModelBackend")
    page, cells = "/companies/open/accounts/?chart=r", COMPANIES * ACCOUNTS
    assert client.get(page).status_code == 200
    bare = p95(lambda i: client.get("/me/"))
    add("accounts open, first view", cells, p95(lambda i: client.get(page)), "a bare page", bare, 6)
    scroll = p95(
        lambda i: client.get(
            f"{page}&open=0,1,2,3&from={80 * (i % 20)}&left={24 * (i % 12)}", headers={"HX-Request": "true"}
        )
    )
    add("accounts open, scrolled, p95", cells, scroll, "a bare page", bare, 6)
    state = current().state
    rollout = state.require(Rollout, "r")
    started = time.perf_counter()
    matrix = queries.matrix_for(state, rollout, "", FULL)
    preview = time.perf_counter() - started
    rows = matrix.rows()
    copied = _copied([tuple(str(cell) for cell in row[:4]) for row in rows])
    done = len(matrix.things) * COMPANIES
    against = "COPY of its rows"
    add(f"a rollout of {ROLLED} accounts with a swap, previewed", done, preview, against, copied, 9)
    started = time.perf_counter()
    roll_out("r", "", queries.fingerprint(matrix), someone)
    add("the same, made", len(rows), time.perf_counter() - started, against, copied, 47)
