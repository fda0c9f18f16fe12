"""Pages of long lists: looked at, narrowed, moved in a draft, published."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from bench.data import CODES, WORDS
from bench.report import BenchReport, p95, timed

if TYPE_CHECKING:
    from django.test import Client


def bench_codes(report: BenchReport, *, only_page: bool = False) -> None:
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
        2,
    )
    if only_page:
        return
    report.add(
        "a keystroke of narrowing, p95",
        CODES,
        p95(lambda i: get(f"/codes/long/rows/?find={WORDS[i % 20][: 1 + i % 4]}")),
        "a page without a list",
        empty,
        3,
    )
    report.add(
        "a keystroke of find, p95",
        CODES,
        p95(lambda i: get(f"/find/?q={WORDS[i % 20][: 1 + i % 4]}")),
        "a page without a list",
        empty,
        3,
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


def bench_depth(report: BenchReport, codes: int, *, only_moves: bool = False) -> None:
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
    visit.get("/codes/empty/")
    bare = p95(lambda i: visit.get("/codes/empty/"))
    if not only_moves:
        _bench_looking(report, codes, visit, bare)
    _bench_moving(report, codes, visit, bare)


def _bench_looking(report: BenchReport, codes: int, visit: Visit, bare: float) -> None:
    """Tables and drawings, beside the page of an empty list."""
    starts = [f"{1 + i % 8}{i % 10}{i % 7}" for i in range(60)]
    for warm in (
        "/codes/acc/",
        "/codes/empty/",
        "/hierarchies/tree/elevation/",
        "/codes/acc/rows/?stands=loose",
    ):
        visit.get(warm)
    drawn = p95(lambda i: visit.get("/hierarchies/empty-tree/elevation/"))
    report.add(
        "open the table of codes, p95",
        codes,
        p95(lambda i: visit.get("/codes/acc/")),
        EMPTY_LIST,
        bare,
        4,
    )
    report.add(
        "scroll in it, p95",
        codes,
        p95(lambda i: visit.get(f"/codes/acc/rows/?from={i * 700}")),
        EMPTY_LIST,
        bare,
        4,
    )
    report.add(
        "filter it, p95",
        codes,
        p95(lambda i: visit.get(f"/codes/acc/rows/?prefix={starts[i % 60]}&class=asset")),
        EMPTY_LIST,
        bare,
        4,
    )
    report.add(
        "open the elevation, p95",
        codes,
        p95(lambda i: visit.get("/hierarchies/tree/elevation/"), 30),
        EMPTY_LIST,
        drawn,
        6,
    )


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
        4.3,
    )

    def seen(i: int) -> float:
        visit.post("/hierarchies/tree/move/", what="1", onto="" if i % 2 else "7")
        return timed(lambda: visit.get("/hierarchies/tree/"))

    after = max(seen(i) for i in range(10))
    report.add("the first page after such a move, the slowest of ten", codes, after, EMPTY_LIST, bare, 9)
    visit.post("/hierarchies/tree/move/", what="1", onto="8")
    visit.get(f"/drafts/{draft}/moves/?part=1")
    moves = p95(lambda i: visit.get(f"/drafts/{draft}/moves/?part=1&year=2026&period={1 + i % 12}"), 12)
    report.add("show what it moves, 100 companies, p95", codes, moves, EMPTY_LIST, bare, 43)
    seconds = timed(lambda: visit.post(f"/drafts/{draft}/publish/", reason="Bench"))
    report.add("publish it", codes, seconds, EMPTY_LIST, bare, 43)
