"""What the commands of ./pine have in common; the launcher runs them by `python -m web.manage`."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from typing import Any, NoReturn

from django.core.management.base import BaseCommand, CommandParser

from core.faults import Refused

FAULTS = 1


class PineCommand(BaseCommand):
    """Results on standard output, messages on standard error; 0 done, 1 the data has faults, 2 a wrong
    call."""

    requires_system_checks = []

    @staticmethod
    def named(name: str, parser: CommandParser) -> None:
        """Has usage and errors speak of the command as people write it; words are written in full."""
        parser.prog, parser.allow_abbrev = name, False

    @staticmethod
    def end_with(act: Callable[[argparse.Namespace], int], given: dict[str, Any]) -> NoReturn:
        """Ends with what an act gives; what is refused is told, with the way out."""
        try:
            sys.exit(act(argparse.Namespace(**given)))
        except Refused as refused:
            for fault in refused.faults:
                sys.stderr.write(f"{fault.what} {fault.way_out}\n")
            sys.exit(FAULTS)
