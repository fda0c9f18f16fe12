"""The virtual environment, made from a locked requirements file and remade when that changes."""

from __future__ import annotations

import hashlib
import subprocess
import sys

from launcher.places import PYTHON, ROOT, VENV, CannotGoOn, say


def run(command: list[str]) -> None:
    done = subprocess.run(command, capture_output=True, text=True, cwd=ROOT)
    if done.returncode:
        raise CannotGoOn(f"This failed: {' '.join(command)}\n{done.stdout}{done.stderr}")


def need(development: bool = False) -> None:
    """Makes or completes the environment; a stamp of the lock file says when there is nothing to do."""
    lock = ROOT / ("requirements-dev.lock" if development else "requirements.lock")
    stamp = hashlib.sha256(lock.read_bytes()).hexdigest()
    marks = VENV / "stamps"
    if PYTHON.exists() and marks.exists() and stamp in marks.read_text():
        return
    say("Installing Python packages …")
    if not PYTHON.exists():
        run([sys.executable, "-m", "venv", str(VENV)])
    if not (VENV / "bin" / "uv").exists():
        run([str(PYTHON), "-m", "pip", "install", "--quiet", "uv"])
    uv = str(VENV / "bin" / "uv")
    # Compiled here, once: where Python is told to write no bytecode, each start would compile every package
    # anew.
    run(
        [
            uv,
            "pip",
            "install",
            "--quiet",
            "--compile-bytecode",
            "--python",
            str(PYTHON),
            "--require-hashes",
            "-r",
            str(lock),
        ]
    )
    with marks.open("a") as out:
        out.write(stamp + "\n")
