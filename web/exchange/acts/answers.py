"""Exit statuses, sentences on standard error, results on standard output."""

from __future__ import annotations

import argparse
import sys

DONE, FAULTS, WRONG = 0, 1, 2


def say(text: object) -> None:
    sys.stderr.write(f"{text}\n")


def written(given: argparse.Namespace, data: bytes) -> int:
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
