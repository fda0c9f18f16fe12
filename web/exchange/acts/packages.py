"""Packages in and out."""

from __future__ import annotations

import argparse

from web.exchange.acts.answers import DONE, WRONG, say
from web.exchange.exporting import export_package
from web.exchange.importing import import_package


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
