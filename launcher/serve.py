"""Starts and stops the web server, and the worker beside it."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from core.version import VERSION
from launcher import cluster
from launcher.cluster import free_port, locked, port_is_free
from launcher.places import PYTHON, ROOT, STATE, CannotGoOn, say, state_folder

FIRST_PORT = 8123
KEEPER = "launcher.keeping"
PID, PORT, STAMP, WORKER = (
    STATE / "server.pid",
    STATE / "server.port",
    STATE / "server.stamp",
    STATE / "worker.pid",
)


def answers(port: int) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/alive", timeout=3) as reply:
            content: bytes = reply.read()
            return content == b"pine scaffold"
    except (urllib.error.URLError, OSError, ValueError):
        return False


def running(file: Path = PID, what: bytes = b"gunicorn") -> int | None:
    """The process number of our server (or worker), if that process is one."""
    with contextlib.suppress(OSError, ValueError):
        pid = int(file.read_text())
        words = Path(f"/proc/{pid}/cmdline").read_bytes()
        if what in words and str(ROOT).encode() in words:
            return pid
    return None


def working() -> int | None:
    return running(WORKER, KEEPER.encode())


def served_port() -> int:
    return int(PORT.read_text()) if PORT.exists() else FIRST_PORT


def start_worker(environment: dict[str, str]) -> None:
    """The worker takes what would keep a page waiting, one after the other; a process of its own, which is
    kept going (keeping.py)."""
    with (state_folder() / "worker.log").open("ab") as log:
        worker = subprocess.Popen(
            [str(PYTHON), "-m", KEEPER],
            env=environment,
            cwd=ROOT,
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    WORKER.write_text(str(worker.pid))


class StandIn(NamedTuple):
    """A simulated outside service that ships: its module, and the name of its files."""

    module: str
    name: str

    @property
    def pid(self) -> Path:
        return STATE / f"{self.name}.pid"

    def found(self) -> int | None:
        return running(self.pid, self.module.encode())

    def start(self, environment: dict[str, str]) -> str:
        """Its address; the port of the last time where that is free."""
        kept = STATE / f"{self.name}.port"
        last = int(kept.read_text()) if kept.exists() else 0
        port = last if last and port_is_free(last) else free_port()
        with (state_folder() / f"{self.name}.log").open("ab") as log:
            service = subprocess.Popen(
                [str(PYTHON), "-m", self.module, str(port)],
                env=environment,
                cwd=ROOT,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self.pid.write_text(str(service.pid))
        kept.write_text(str(port))
        return f"http://127.0.0.1:{port}"


RATES = StandIn("demo.rate_service", "rates")
SIGN_ON = StandIn("demo.sign_in_service", "sign-on")
SIMULATED = "simulated"


def with_stand_ins(environment: dict[str, str]) -> dict[str, str]:
    """The environment with the addresses of simulated services: of reference rates unless another is named,
    of single sign-on where it is asked for."""
    named = dict(environment)
    if not named.get("PINE_RATE_FEED"):
        named["PINE_RATE_FEED"] = f"{RATES.start(environment)}/rates.xml"
    if named.get("PINE_SIGN_ON") == SIMULATED:
        named["PINE_SIGN_ON"] = f"{SIGN_ON.start(environment)}/.well-known/openid-configuration"
        named["PINE_SIGN_ON_CLIENT"], named["PINE_SIGN_ON_SECRET"] = "pine", SIMULATED
        named["PINE_SIGN_ON_NAME"] = "the simulated service"
    return named


def source_stamp() -> str:
    """Stands for the code and the database in use: when it moves, the server starts anew."""
    newest = max(
        path.stat().st_mtime_ns for folder in ("web", "core", "demo") for path in (ROOT / folder).rglob("*.*")
    )
    return f"{newest} {os.environ.get('PINE_DATABASE_URL', '')} {os.environ.get('PINE_DATABASE', '')}"


def choose_port() -> int:
    if given := os.environ.get("PINE_PORT"):
        return int(given)
    last = int(PORT.read_text()) if PORT.exists() else FIRST_PORT
    return last if port_is_free(last) else free_port()


OPTIONS = {
    "--workers": "2",
    "--threads": "4",
    "--timeout": "600",
    "--graceful-timeout": "5",
    "--max-requests": "20000",
}
SWITCHES = ("--preload", "--daemon", "--capture-output", "--no-control-socket")


def server_command(port: int, log: Path) -> list[str]:
    """The server as users have it: two worker processes on loopback, in the background."""
    options = {
        **OPTIONS,
        "--chdir": str(ROOT),
        "--bind": f"127.0.0.1:{port}",
        "--pid": str(PID),
        "--log-file": str(log),
    }
    words = [word for pair in options.items() for word in pair]
    return [str(PYTHON), "-m", "gunicorn", "web.wsgi:application", *words, *SWITCHES]


def stands(port: int) -> bool:
    """Whether server and worker run, and run the code that is there now."""
    current = STAMP.exists() and STAMP.read_text() == source_stamp()
    return current and bool(running()) and bool(working()) and answers(port)


def start(url: str, environment: Callable[[str], dict[str, str]], empty: bool = False) -> int:
    """Starts what isn't running. `empty`: an empty database begins without the demo."""
    with locked("server.lock"):
        known = int(PORT.read_text()) if PORT.exists() else 0
        if known and stands(known):
            say(f"Pine Scaffold {VERSION} is running already.")
            return tell(known, environment(url))
        stop_server()
        demo = [str(PYTHON), "-m", "demo", "--if-empty"]
        if not empty and subprocess.run(demo, env=environment(url)).returncode:
            raise CannotGoOn("The demo could not be loaded.")
        port = choose_port()
        PORT.write_text(str(port))
        log = state_folder() / "server.log"
        served = with_stand_ins(environment(url))
        subprocess.run(server_command(port, log), env=served, cwd=ROOT, check=True)
        start_worker(served)
        for _ in range(120):
            if answers(port):
                STAMP.write_text(source_stamp())
                return tell(port, environment(url))
            time.sleep(0.25)
        raise CannotGoOn(f"The server did not answer within 30 seconds; its log is {log}.")


def tell(port: int, environment: dict[str, str]) -> int:
    print(f"Pine Scaffold {VERSION} stands at http://127.0.0.1:{port}/", flush=True)
    by_name = {**environment, "PINE_SERVED_PORT": str(port)}
    return subprocess.run([str(PYTHON), "-m", "web.manage", "welcome"], env=by_name, cwd=ROOT).returncode


def stop_server() -> bool:
    stopped = [_end(find) for find in (running, working, RATES.found, SIGN_ON.found)]
    return any(stopped)


def _end(find: Callable[[], int | None]) -> bool:
    """Asks a process to end, and ends it where it doesn't."""
    pid = find()
    if pid is None:
        return False
    os.kill(pid, signal.SIGTERM)
    for _ in range(80):
        if find() is None:
            return True
        time.sleep(0.1)
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGKILL)
    return True


def stop() -> int:
    with locked("server.lock"):
        served = stop_server()
    stopped = cluster.own().stop() if not os.environ.get("PINE_DATABASE_URL") else False
    print("Stopped." if served or stopped else "Nothing was running.")
    return 0
