"""Keeps the worker going: where it ends by itself, as when the database went away for a moment, another takes
its place. Started by serve.py as a process of its own; what it is told to end, it ends with itself."""

from __future__ import annotations

import ctypes
import signal
import subprocess
import sys
import time
from types import FrameType

from launcher.places import PYTHON

WORKER = (
    str(PYTHON),
    "-m",
    "web.manage",
    "procrastinate",
    "worker",
    "--concurrency=1",
    "--shutdown-graceful-timeout=3",
    "--delete-jobs=successful",
)
WAITS = (1, 2, 5, 15)
"""Seconds before the next one, by how often the last ones ended at once."""
STEADY = 60
"""Seconds after which one counts as having worked."""
PARENT_DIED = 1
"""PR_SET_PDEATHSIG of prctl(2)."""


def end_with_us() -> None:
    """In the new process: it gets SIGTERM when this one is gone, however that came about."""
    ctypes.CDLL(None).prctl(PARENT_DIED, signal.SIGTERM)


def keep() -> int:
    """Until somebody asks it to end."""
    worker: subprocess.Popen[bytes] | None = None

    def asked_to_end(_: int, __: FrameType | None) -> None:
        if worker is not None:
            worker.terminate()
            worker.wait()
        sys.exit(0)

    signal.signal(signal.SIGTERM, asked_to_end)
    short_lived = 0
    while True:
        began = time.monotonic()
        worker = subprocess.Popen(WORKER, preexec_fn=end_with_us)
        status = worker.wait()
        short_lived = 0 if time.monotonic() - began > STEADY else short_lived + 1
        wait = WAITS[min(short_lived, len(WAITS)) - 1] if short_lived else WAITS[0]
        print(f"The worker ended ({status}); another begins in {wait} s.", file=sys.stderr, flush=True)
        time.sleep(wait)


if __name__ == "__main__":
    sys.exit(keep())
