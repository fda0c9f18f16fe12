"""./pine backup FILE."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import psycopg
from django.core.management.base import CommandParser

from web.exchange import backup
from web.shell.pine_command import PineCommand


class BackupCommand(PineCommand):
    """Everything in the database into a file."""

    def add_arguments(self, parser: CommandParser) -> None:
        self.named("./pine backup", parser)
        parser.add_argument("path", type=Path, metavar="FILE")

    def handle(self, *_: Any, path: Path, **__: Any) -> None:
        if not path.absolute().parent.is_dir():
            sys.stderr.write(f"There is no folder {path.absolute().parent}.\n")
            sys.exit(2)
        try:
            sentence = backup.backup(path)
        except (backup.CannotBackUp, psycopg.Error, OSError) as error:
            sys.stderr.write(f"{str(error).strip()}\n")
            sys.exit(1)
        sys.stderr.write(f"Backed up to {path}: {sentence}.\n")


Command = BackupCommand
"""By this name Django finds it."""
