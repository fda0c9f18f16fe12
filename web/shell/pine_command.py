"""What the commands of ./pine have in common; the launcher runs them by `python -m web.manage`."""

from __future__ import annotations

from django.core.management.base import BaseCommand, CommandParser


class PineCommand(BaseCommand):
    """Results on standard output, messages on standard error; 0 done, 1 the data has faults, 2 a wrong
    call."""

    requires_system_checks = []

    @staticmethod
    def named(name: str, parser: CommandParser) -> None:
        """Has usage and errors speak of the command as people write it; words are written in full."""
        parser.prog, parser.allow_abbrev = name, False
