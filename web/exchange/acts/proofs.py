"""Every check, every hash."""

from __future__ import annotations

import argparse

from core.faults import MUST
from web.definitions import snapshot
from web.definitions.sealing import MARK, broken_seals
from web.exchange import heads
from web.exchange.acts.answers import DONE, FAULTS, WRONG, say, written
from web.exchange.checking import everything
from web.exchange.sealed_logs import SEALED_LOGS
from web.journals import verifying
from web.packs.verifying import altered_packs
from web.shell import tabular


def run_check(given: argparse.Namespace) -> int:
    with snapshot.one_reading():
        state = snapshot.current_uncached().state  # from the tables, whatever is kept beside them
    faults = list(everything(state))
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
    status = written(given, tabular.as_csv(heads.HEADS, rows))
    return status or (FAULTS if verified.faults else DONE)
