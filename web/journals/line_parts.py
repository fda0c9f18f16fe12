"""The parts of the table of lines, one a fiscal year (journals/migrations/0010_lines_by_year.py): made when a
year is first posted to, and loaded apart where many lines come into a year that has none, so that nobody who
reads or posts meanwhile waits."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager

from django.db import connection

from web.process_cache import ProcessCache

LOADED_FROM = 50_000
"""Fewer lines go into the part as it is, past its indexes."""
_known: ProcessCache[int, bool] = ProcessCache(200)


def need_years(years: Iterable[int]) -> None:
    """Makes the parts that are missing. Whether one is there is asked once in a process: parts stay."""
    for year in sorted(set(years)):
        if not _known.get(year):
            with connection.cursor() as cursor:
                cursor.execute("SELECT pine_lines_of_year(%s)", [year])
                if cursor.fetchone()[0]:  # one that is made here may be rolled back
                    _known.put(year, True)


def is_there(year: int) -> bool:
    """Whether a fiscal year has a part, and so may have lines."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT to_regclass(pine_lines_part(%s)) IS NOT NULL", [year])
        return bool(cursor.fetchone()[0])


def is_attached(year: int) -> bool:
    """Whether a fiscal year's part is one of the table's: it isn't where it was detached."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT EXISTS (SELECT 1 FROM pg_inherits WHERE inhparent = 'journals_journalline'::regclass"
            " AND inhrelid = to_regclass(pine_lines_part(%s)))",
            [year],
        )
        return bool(cursor.fetchone()[0])


@contextmanager
def loading_year(year: int) -> Iterator[str]:
    """The name of a table without indexes for lines of a year that has no part. They are checked as a whole
    and indexed in the end; `bring_in` makes the table the part."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pine_lines_load(%s)", [year])
        yield cursor.fetchone()[0]
        cursor.execute("SELECT pine_lines_loaded(%s)", [year])


def bring_in(years: Iterable[int]) -> None:
    """What was loaded becomes the parts of its years; of one that others posted to meanwhile it joins
    theirs."""
    with connection.cursor() as cursor:
        for year in sorted(years):
            cursor.execute("SELECT pine_lines_brought_in(%s)", [year])
