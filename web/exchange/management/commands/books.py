"""What ./pine does with the data: import, export, check, verify, pack, trial-balance, statement,
disagreements.

Results on standard output, messages on standard error. Exit status 0 done, 1 the data has faults, 2 the call
is wrong.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

import psycopg
from django.core.management.base import CommandParser
from django.db import Error
from django.utils.module_loading import import_string

from core.audit.fec import ENCODINGS, SEPARATORS
from core.faults import Refused, WrongCall
from web.exchange.acts.answers import FAULTS, WRONG, say
from web.shell.pine_command import PineCommand
from web.shell.tabular import WRITERS


def add_commands(argument_parser: argparse.ArgumentParser) -> None:
    commands = argument_parser.add_subparsers(dest="act", required=True, metavar="COMMAND")

    def add(name: str, what: str) -> argparse.ArgumentParser:
        return commands.add_parser(name, help=what, allow_abbrev=False)

    add("import", "import a package: a folder, a zip or a workbook").add_argument("path", type=Path)
    add("export", "export everything as a folder, a .zip or an .xlsx").add_argument("path", type=Path)
    add("check", "every check of every chart, statement and mapping")
    proof = add(
        "verify", "every posted journal's hash and every kept balance; prints where each company's chain ends"
    )
    proof.add_argument(
        "--heads",
        type=Path,
        help="what an earlier run printed; without it what this installation kept: each must be in its chain",
    )
    proof.add_argument("--output", type=Path)
    proof.add_argument(
        "--mend", action="store_true", help="add up anew the balances that are not the sums of their lines"
    )
    _add_pack(add("pack", "statements of companies and groups as one PDF, a workbook or a folder"))
    _add_audit_file(add("audit-file", "the French file of accounting entries of a company's year"))
    trial = add("trial-balance", "the trial balance of a company or group")
    lines = add("statement", "a statement of a company or group")
    _add_statement(lines)
    apart = add("disagreements", "intercompany sides that do not match")
    steps = add("consolidation", "every step of a group's figures, by company and account")
    proof_of = add("translation", "the proof of each translation reserve")
    cash = add("cash-proof", "that a group's cash flow comes to what its cash did")
    cash.add_argument("statement", nargs="?", default="")
    cash.add_argument("--from-period", type=int)
    for sub in (apart, steps, proof_of, cash):
        sub.add_argument("--group", required=True)
    trial.add_argument("--in-chart", default="", help="a second chart of the company, by its mapping")
    trial.add_argument("--seen-as", default="", help="an overlay, whose numbers and names accounts have then")
    for sub in (trial, lines):
        whose = sub.add_mutually_exclusive_group(required=True)
        whose.add_argument("--company")
        whose.add_argument("--group")
        if sub is lines:
            whose.add_argument(
                "--companies", help='side by side, in one currency: "country=GB except hexley"'
            )
        _add_stretch(sub)
    for sub in (trial, lines, apart, steps, proof_of, cash):
        sub.add_argument("--year", type=int, required=sub not in (trial, lines))
        sub.add_argument("--period", type=int, required=sub not in (trial, lines))
        sub.add_argument("--format", choices=tuple(WRITERS), default="csv")
        sub.add_argument("--output", type=Path)


def _add_audit_file(audit: argparse.ArgumentParser) -> None:
    audit.add_argument("--company", required=True)
    audit.add_argument("--year", type=int, required=True)
    audit.add_argument("--siren", required=True, help="nine digits")
    audit.add_argument("--overlay", default="", help="whose local numbers; else the company's own")
    audit.add_argument("--separator", choices=tuple(SEPARATORS), default="tab")
    audit.add_argument("--encoding", choices=ENCODINGS, default=ENCODINGS[0])
    audit.add_argument("--output", type=Path, help="a file, or a folder for it under its own name")


def _add_pack(pack: argparse.ArgumentParser) -> None:
    pack.add_argument("path", type=Path, help=".pdf, .xlsx, .zip, else a folder")
    pack.add_argument("--statements", required=True, help="ids parted by commas")
    pack.add_argument("--companies", default="", help="ids parted by commas, or all")
    pack.add_argument("--groups", default="", help="ids parted by commas, or all")
    pack.add_argument("--year", type=int, required=True)
    pack.add_argument("--period", type=int, required=True)
    pack.add_argument("--beside-year", action="store_true", help="beside the year before, with the change")
    pack.add_argument("--name", default="Statements")


def _add_statement(lines: argparse.ArgumentParser) -> None:
    lines.add_argument("statement", nargs="?", default="")
    lines.add_argument(
        "--tree", default="", help="a hierarchy of the natural accounts instead of a statement"
    )
    lines.add_argument("--level", type=int, help="down to which of its levels; the top is 1")
    lines.add_argument("--periods", default="", help="columns across: months, quarters or years")
    lines.add_argument("--budget", default="", help="beside the figures of a budget")
    lines.add_argument("--forecast", default="", help="after the period the amounts of a budget")
    lines.add_argument("--accounts", action="store_true", help="each line with its accounts under it")
    lines.add_argument(
        "--columns", default="", help='worked out of the others: "Rest = [total] - [WEB]; Share = …"'
    )


def _add_stretch(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("--from-period", type=int)
    sub.add_argument("--filter", default="", help='such as "season=SP26,AU26; site=under 310"')
    sub.add_argument("--by", default="", help="a column for each code of a segment or dimension, or of two")
    sub.add_argument("--from", dest="start", help="the first day, in place of year and period")
    sub.add_argument("--to", dest="end", help="the last day")


ACTS = {
    "import": "packages.run_import",
    "export": "packages.run_export",
    "check": "proofs.run_check",
    "verify": "proofs.run_verify",
    "pack": "packing.run_pack",
    "audit-file": "audit_files.run_audit_file",
}
"""Every other one is a report."""


def done(given: argparse.Namespace) -> int:
    """Carries out a command; the exit status."""
    try:
        run = import_string(f"web.exchange.acts.{ACTS.get(given.act, 'reporting.run_report')}")
        return int(run(given))
    except WrongCall as refused:
        say(refused.faults[0].what)
        return WRONG
    except Refused as refused:
        for fault in refused.faults:
            say(fault)
        say(f"{len(refused.faults)} fault{'s' if len(refused.faults) != 1 else ''}; nothing was written.")
        return FAULTS
    except (Error, psycopg.Error) as error:
        say(f"The database refused: {str(error).splitlines()[0]}")
        return FAULTS


class BooksCommand(PineCommand):
    """./pine import, export, check, verify, trial-balance, statement, disagreements."""

    def add_arguments(self, parser: CommandParser) -> None:
        self.named("./pine", parser)
        add_commands(parser)

    def handle(self, *_: Any, **given: Any) -> None:
        sys.exit(done(argparse.Namespace(**given)))


Command = BooksCommand
"""By this name Django finds it."""
