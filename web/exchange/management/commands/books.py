"""What ./pine does with the data: import, export, check, verify, pack, trial-balance, statement,
disagreements.

Results on standard output, messages on standard error. Exit status 0 done, 1 the data has faults, 2 the call
is wrong.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psycopg
from django.core.management.base import CommandParser
from django.db import Error

from core.analysis.asked import Asked, read_day
from core.audit.fec import ENCODINGS, SEPARATORS
from core.definitions.state import State
from core.definitions.tables import Company, Group, Overlay
from core.faults import MUST, Refused, WrongCall
from core.structures.overlays import SeenAs, seen_as
from web.definitions import snapshot
from web.definitions.sealing import MARK, broken_seals
from web.exchange import heads, reports
from web.exchange.audit_file import audit_file_of, content_of
from web.exchange.checking import everything
from web.exchange.exporting import export_package
from web.exchange.importing import import_package
from web.exchange.sealed_logs import SEALED_LOGS
from web.journals import verifying
from web.packs.files import pack_files
from web.packs.making import figures_of_items, make_pack, pack_items
from web.packs.verifying import altered_packs
from web.shell import tabular
from web.shell.pine_command import PineCommand
from web.statements.made_from import MadeFrom

DONE, FAULTS, WRONG = 0, 1, 2


def say(text: object) -> None:
    sys.stderr.write(f"{text}\n")


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
        sub.add_argument("--format", choices=tuple(tabular.WRITERS), default="csv")
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


def run_import(given: argparse.Namespace) -> int:
    if not given.path.exists():
        say(f"There is nothing at {given.path}.")
        return WRONG
    outcome = import_package(given.path)
    for look in outcome.looks:
        say(f"Worth a look: {look}")
    say(f"Imported: {outcome.sentence()}.")
    return DONE


def run_export(given: argparse.Namespace) -> int:
    if not given.path.absolute().parent.exists() and given.path.suffix:
        say(f"There is no folder {given.path.parent}.")
        return WRONG
    try:
        export_package(given.path)
    except OSError as error:
        say(f"The package cannot be written: {error}.")
        return WRONG
    say(f"Exported to {given.path}.")
    return DONE


def run_check(given: argparse.Namespace) -> int:
    faults = list(everything(snapshot.current().state))
    musts = [fault for fault in faults if fault.severity == MUST]
    for fault in faults:
        say(f"{'Must be put right' if fault.severity == MUST else 'Worth a look'}: {fault}")
    say(f"{len(musts)} to be put right, {len(faults) - len(musts)} worth a look.")
    return FAULTS if musts else DONE


def run_verify(given: argparse.Namespace) -> int:
    try:
        known = heads.known_ends(given.heads) if given.heads else heads.kept_ends()
    except (OSError, ValueError, UnicodeDecodeError) as error:
        say(error)
        return WRONG
    with snapshot.one_reading():  # else what is sealed meanwhile would be told as put there beside
        verified = verifying.verify({name: end for name, end in known.items() if not name.startswith(MARK)})
        ends, broken = broken_seals(SEALED_LOGS, known)
        verified.faults += [*altered_packs(), *broken]
    verified.ends |= ends
    for fault in verified.faults:
        say(f"Does not hold: {fault}")
    say(
        f"{verified.journals:,} journals with {verified.lines:,} lines read; {len(verified.faults)} things do"
        " not hold."
    )
    if given.mend and (mended := verifying.mend(verified)):
        say(f"Balances of {mended} books were added up anew.")
    rows = [(company, str(end.number), end.hash) for company, end in sorted(verified.ends.items())]
    if not verified.faults:
        heads.keep(verified.ends)
    written = _written(given, tabular.as_csv(heads.HEADS, rows))
    return written or (FAULTS if verified.faults else DONE)


def _written(given: argparse.Namespace, data: bytes) -> int:
    """A result to standard output or the file that is named."""
    if given.output is None:
        sys.stdout.buffer.write(data)
        return DONE
    try:
        given.output.write_bytes(data)
    except OSError as error:
        say(f"The file cannot be written: {error}.")
        return WRONG
    return DONE


def asked_of(given: argparse.Namespace) -> Asked:
    """Raises WrongCall for a day that is none."""
    start, end = (read_day(text) if text is not None else None for text in (given.start, given.end))
    across = {name: getattr(given, name, "") for name in ("periods", "budget", "forecast")}
    return Asked(given.year, given.period, given.from_period, start, end, given.filter, given.by, **across)


def statement_report(state: State, given: argparse.Namespace, whose: reports.Whose) -> reports.Report:
    if bool(given.statement) == bool(given.tree):
        raise WrongCall("Name a statement, or a hierarchy with --tree.")
    if given.tree:
        return reports.hierarchy(state, given.tree, given.level, whose, asked_of(given), given.columns)
    if given.level is not None:
        raise WrongCall("Only a hierarchy is cut at a level.")
    asked = asked_of(given)
    return reports.statement(state, given.statement, whose, asked, given.columns, accounts=given.accounts)


def run_report(given: argparse.Namespace) -> int:
    state = snapshot.current().state
    if overlay := getattr(given, "seen_as", ""):
        if state.get(Overlay, overlay) is None:
            raise WrongCall(f"There is no overlay {overlay}.")
        state = seen_as(state, SeenAs(overlay))
    if given.act in OF_GROUPS:
        report = OF_GROUPS[given.act](state, given.group, given.year, given.period)
    elif given.act == "cash-proof":
        at = given.group, given.year, given.period, given.from_period
        report = reports.cash_proof(state, given.statement, *at)
    else:
        whose = reports.Whose(given.company or "", given.group or "", getattr(given, "companies", "") or "")
        of_statement = given.act == "statement"
        report = (
            statement_report(state, given, whose)
            if of_statement
            else reports.trial_balance(state, whose, asked_of(given), given.in_chart)
        )
    for message in report.messages:
        say(message)
    return _written(given, tabular.WRITERS[given.format](report.header, report.rows))


OF_GROUPS = {
    "disagreements": reports.disagreements,
    "consolidation": reports.consolidation,
    "translation": reports.translation,
}


def run_pack(given: argparse.Namespace) -> int:
    """Writes a pack; standard error says the SHA-256 of what was made."""
    state = snapshot.current().state
    names = {
        "companies": sorted(row.company for row in state.rows(Company)),
        "groups": sorted(row.group for row in state.rows(Group)),
    }

    def listed(name: str) -> list[str]:
        text = getattr(given, name)
        return names[name] if text == "all" and name in names else [one for one in text.split(",") if one]

    at = (given.year, given.period)
    items = pack_items(state, listed("statements"), listed("companies"), listed("groups"), *at)
    form = given.path.suffix.lower().lstrip(".")
    if form not in ("pdf", "xlsx", "zip"):
        contents = figures_of_items(items, at, given.beside_year, lambda what, done: None)
        given.path.mkdir(parents=True, exist_ok=True)
        made = MadeFrom.published(contents.version, None)
        for name, content in pack_files(contents, made, lambda done: None):
            (given.path / name).write_bytes(content)
        told = "listed in contents.csv"
    else:
        content, digest, contents = make_pack(form, given.name, items, at, given.beside_year, None)
        given.path.write_bytes(content)
        told = f"SHA-256 {digest}"
    for sentence in contents.left_out:
        say(sentence)
    say(f"{len(contents.figures):,} statements in {given.path}, {told}.")
    return DONE


def run_audit_file(given: argparse.Namespace) -> int:
    """Writes the file; standard error says its name and what it comes to."""
    state = snapshot.current().state
    if given.overlay and state.get(Overlay, given.overlay) is None:
        raise WrongCall(f"There is no overlay {given.overlay}.")
    made = audit_file_of(state, given.company, given.year, given.siren, given.overlay)
    content = content_of(made, given.separator, given.encoding)
    if given.output is not None and given.output.is_dir():
        given.output /= made.name
    say(f"{made.name}: {len(made.records):,} records.")
    return _written(given, content)


RUN: dict[str, Callable[[argparse.Namespace], int]] = {
    "import": run_import,
    "export": run_export,
    "check": run_check,
    "verify": run_verify,
    "pack": run_pack,
    "audit-file": run_audit_file,
}


def done(given: argparse.Namespace) -> int:
    """Carries out a command; the exit status."""
    try:
        return RUN.get(given.act, run_report)(given)
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
