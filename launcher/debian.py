"""Debian packages that the application and its tests stand on."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from launcher.places import CannotGoOn, say, state_folder

CLUSTER_SETTINGS = Path("/etc/postgresql-common/createcluster.conf")


def postgres_binaries() -> Path | None:
    """The folder that holds initdb; Debian keeps it off the path."""
    for folder in sorted(
        Path("/usr/lib/postgresql").glob("*/bin"), key=lambda p: int(p.parent.name), reverse=True
    ):
        if (folder / "initdb").exists():
            return folder
    path = shutil.which("initdb")
    return Path(path).resolve().parent if path else None


def chromium() -> str | None:
    return shutil.which("chromium") or shutil.which("chromium-browser")


def install(packages: list[str], prepare: str = "") -> None:
    """Installs as root or through sudo; otherwise says the exact line to run."""
    line = f"{prepare}apt-get update && apt-get install -y --no-install-recommends {' '.join(packages)}"
    if os.geteuid() == 0:
        command = ["sh", "-c", line]
    elif shutil.which("sudo") and subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode == 0:
        command = ["sudo", "sh", "-c", line]
    else:
        raise CannotGoOn(
            f"Packages are missing. Run this once, then again what you ran:\n  sudo sh -c '{line}'"
        )
    say(f"Installing {', '.join(packages)} …")
    log = state_folder() / "apt.log"
    with log.open("w") as out:
        environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
        if subprocess.run(command, stdout=out, stderr=out, env=environment).returncode:
            raise CannotGoOn(f"Installing failed; what was printed is in {log}. The line was:\n  {line}")


def need_postgres() -> Path:
    if not (folder := postgres_binaries()):
        # Without this the package makes a cluster of the system's own, which nothing here uses.
        prepare = (
            f"mkdir -p {CLUSTER_SETTINGS.parent} && echo create_main_cluster = false > {CLUSTER_SETTINGS} && "
            if not CLUSTER_SETTINGS.exists()
            else ""
        )
        install(["postgresql"], prepare)
        folder = postgres_binaries()
    if not folder:
        raise CannotGoOn("PostgreSQL was installed but initdb was not found in /usr/lib/postgresql.")
    return folder


def need_for_tests() -> str:
    """A browser (its path is returned), and a spreadsheet program that recalculates without a screen."""
    missing = [] if chromium() else ["chromium"]
    if not shutil.which("ssconvert"):
        missing.append("gnumeric")
    if not any(Path("/usr/lib").glob("*/libatomic.so.1")):
        missing.append("libatomic1")  # the driver that steers the browser is linked against it
    if missing:
        install(missing)
    return chromium() or "/usr/bin/chromium"
