"""Loads the Fernhollow demo through the same import as any package: `python -m demo [--if-empty]`."""

from __future__ import annotations

import csv
import os
import sys
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import django

PASSWORD = "glasshouse-ledger"  # noqa: S105  the demo's; told on the screen at the start
PEOPLE = [
    ("m.okafor", "Mirela", "Okafor", "group", (), "group accountant"),
    ("t.penrose", "Tamsin", "Penrose", "company", ("nurseries",), "company accountant"),
    ("h.asante", "Hanna", "Asante", "company", ("hexley",), "company accountant who keeps a chart"),
    ("i.brandt", "Ilse", "Brandt", "company", (), "auditor"),
]
ROLES = {
    "Auditor": ("see",),
    "Keeper of a chart": ("define", "approve"),
    "Closes periods": ("close",),
}


def write_package(folder: Path) -> None:
    """The demo as a package of CSV tables."""
    from core.definitions.parsing import write_cell
    from core.definitions.tables import BY_ROW
    from demo import definitions, holdings, years

    lived = years.life()
    rows: dict[str, list[Any]] = {}
    moments: Iterable[Any] = [j._replace(posted_at=f"{j.date}T17:00:00+00:00") for j in lived.journals]
    bought = holdings.acquisitions(lived)
    for row in (
        *definitions.rows(),
        *bought,
        *years.open_accounts(lived),
        *moments,
        *lived.lines,
        *years.elsewhere(),
        *years.budget(),
        *years.statistics(),
    ):
        rows.setdefault(BY_ROW[type(row)].name, []).append(row)
    for name, rows_of_table in rows.items():
        with (folder / f"{name}.csv").open("w", newline="", encoding="utf-8") as out:
            writer = csv.writer(out)
            writer.writerow(type(rows_of_table[0])._fields)
            writer.writerows([write_cell(value) for value in row] for row in rows_of_table)


def load() -> None:
    from django.contrib.auth import get_user_model

    from web.exchange.importing import import_package

    with tempfile.TemporaryDirectory() as folder:
        write_package(Path(folder))
        import_package(Path(folder))
    make_people()
    grant_rights()
    accountant = get_user_model().objects.get(username="m.okafor")
    year_kept(accountant)
    since_then(accountant)


def year_kept(person: Any) -> None:
    """The first year went to the auditors as it stood."""
    from web.group.kept import keep_period

    keep_period("fernhollow", 2025, 12, "Sent to the auditors", [], person)


def grant_rights() -> None:
    """Auditors see the group; Hexley's accountant keeps the chart that is Hexley's own."""
    from web.definitions.snapshot import current
    from web.people.granting import grant, put_role, put_team
    from web.people.models import Person

    mirela, state = Person.objects.get(username="m.okafor"), current().state
    roles = {name: put_role(None, name, rights, mirela) for name, rights in ROLES.items()}
    auditors = put_team(None, "Auditors", ["i.brandt"], mirela)
    grant(state, auditors, roles["Auditor"], ("all", "", "all"), mirela)
    hanna = Person.objects.get(username="h.asante")
    grant(state, hanna, roles["Keeper of a chart"], ("", "hexley", ""), mirela)


def make_people() -> None:
    """The demo's sign-ins, which the start tells."""
    from django.contrib.auth import get_user_model

    from web.companies.models import Company

    people = get_user_model()
    for username, first, last, role, companies, _ in PEOPLE:
        person = people.objects.create_user(
            username, password=PASSWORD, first_name=first, last_name=last, role=role, writing="en_GB"
        )
        person.companies.set(Company.objects.filter(company__in=companies))


def since_then(person: Any) -> None:
    """What the group accountant has done since the books came in, so that the log has something to tell."""
    from core.changes.kinds import Change, MoveNode, Put
    from core.changes.of_arrangements import Arrange
    from core.changes.of_statements import MoveLine
    from core.definitions.tables import Arrangement, Code, StatementLine
    from web.definitions import actions
    from web.definitions.snapshot import current

    state = current().state
    rebates, other = state.get(Code, "accounts", "11430"), state.get(StatementLine, "is", "other-income")
    assert rebates and other
    board = Arrangement("is-veenbol", "is", "veenbol")
    done: list[Change] = [
        Arrange(board, "Income statement, as Veenbol's board has it"),
        MoveLine(
            StatementLine("is-veenbol", "people", "", 0, "Staff", "accounts", "under 62"),
            "before-tax",
            "overheads",
        ),
        Put(rebates._replace(name="Supplier rebates due")),
        MoveNode("accounts-tree", "11430", "112", "11290"),
        Put(other._replace(label="Other operating income")),
    ]
    for change in done:
        actions.make_change(change, person)
    asked_for()


def asked_for() -> None:
    """What the company accountant waits for."""
    from django.contrib.auth import get_user_model

    from web.definitions.snapshot import current
    from web.requests.actions import ask

    reason = "Peat-free compost is bought apart from next spring on, and its price is watched."
    tamsin = get_user_model().objects.get(username="t.penrose")
    ask(current().state, "nurseries", "Peat-free compost used", "", "51110", reason, tamsin)


def main() -> int:
    from django.contrib.auth import get_user_model

    from core.faults import Refused
    from web.codes.models import CodeList
    from web.people.models import OneTimeLink

    if CodeList.objects.exists() or get_user_model().objects.exists() or OneTimeLink.objects.exists():
        if "--if-empty" in sys.argv:
            return 0
        sys.stderr.write("The database is not empty; the demo goes into an empty one (PINE_DATABASE=name).\n")
        return 1
    sys.stderr.write("Loading the Fernhollow demo …\n")
    try:
        load()
    except Refused as refused:
        for fault in refused.faults[:50]:
            sys.stderr.write(f"{fault}\n")
        return 1
    return 0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
    if len(sys.argv) == 3 and sys.argv[1] == "--to":
        Path(sys.argv[2]).mkdir(parents=True, exist_ok=True)
        write_package(Path(sys.argv[2]))
        sys.exit(0)
    django.setup()
    sys.exit(main())
