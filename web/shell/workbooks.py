"""Sheets of a workbook as rows of texts, read in a process of its own that may die without harm.

A few kilobytes of a workbook may say that it reaches to the last cell there is, and a reader that fills that
rectangle
takes all memory. So a child process with bounds reads it (web/shell/workbook_reader.py); what it can't read
is a fault.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent.parent
PATIENCE = 300
"""Seconds that a child may take for a sheet."""


class UnreadableWorkbook(Exception):
    """Why a workbook can't be read, as a sentence."""


def sheet_names(path: Path) -> list[str]:
    """Raises UnreadableWorkbook."""
    return next(_said(path), [])


def sheet_rows(path: Path, sheet: str | int, *, plainly: bool = False) -> Iterator[list[str]]:
    """The rows of a sheet (by name, or by its place) as texts, as a package would write them; `plainly`:
    numbers so that they are read alike by any way of writing. Raises UnreadableWorkbook."""
    more = ("--plainly",) if plainly else ()
    yield from _said(path, "--sheet" if isinstance(sheet, str) else "--at", str(sheet), *more)


@contextmanager
def uploaded(file: Any) -> Iterator[Path]:
    """An uploaded file as one on disk, for as long as it is read."""
    with tempfile.NamedTemporaryFile(suffix=".xlsx") as opened:
        for chunk in file.chunks():
            opened.write(chunk)
        opened.flush()
        yield Path(opened.name)


def _said(path: Path, *words: str) -> Iterator[Any]:
    """What the child prints, a value a line; a line that is a text is why it can't go on."""
    command = [sys.executable, "-m", "web.shell.workbook_reader", str(path), *words]
    with tempfile.TemporaryFile() as errors:
        child = subprocess.Popen(
            command, cwd=ROOT, stdout=subprocess.PIPE, stderr=errors, stdin=subprocess.DEVNULL
        )
        assert child.stdout is not None
        try:
            for line in child.stdout:
                value = json.loads(line)
                if isinstance(value, str):
                    raise UnreadableWorkbook(value)
                yield value
            if child.wait(PATIENCE):
                raise UnreadableWorkbook("it is damaged, or larger than can be read")
        finally:
            child.kill()
            child.wait()
            child.stdout.close()
