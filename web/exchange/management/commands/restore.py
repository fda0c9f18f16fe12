"""./pine restore FILE."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import psycopg
from django.core.management.base import CommandParser

from web.exchange import backup
from web.people import second_factor
from web.shell.pine_command import PineCommand


class RestoreCommand(PineCommand):
    """A backup into an empty database, judged before it takes its place."""

    def add_arguments(self, parser: CommandParser) -> None:
        self.named("./pine restore", parser)
        parser.add_argument("path", type=Path, metavar="FILE")

    def handle(self, *_: Any, path: Path, **__: Any) -> None:
        if not path.is_file():
            sys.stderr.write(f"There is nothing at {path}.\n")
            sys.exit(2)
        try:
            sentence = backup.restore(path)
        except (backup.CannotBackUp, psycopg.Error, OSError) as error:
            sys.stderr.write(f"{str(error).strip()}\n")
            sys.exit(1)
        sys.stderr.write(f"Restored from {path}: {sentence}.\n")
        if names := second_factor.unopened():
            sys.stderr.write(f"{second_factor.told_unopened(names)}\n")


Command = RestoreCommand
"""By this name Django finds it."""
