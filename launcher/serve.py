"""Starts and stops the web server of the chosen database, and the worker beside it."""

from __future__ import annotations

import contextlib
import hashlib
import os
import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from core.version import VERSION
from launcher import cluster
from launcher.cluster import free_port, locked, port_is_free
from launcher.places import DEFAULT, PYTHON, ROOT, CannotGoOn, say, state_folder

FIRST_PORT = 8123
KEEPER = "launcher.keeping"
USUAL_WAIT = 30
"""Seconds after which somebody who waits is told that the server still comes up."""
SILENT_WAIT = 600
"""Seconds after which a server that runs and says nothing is given up."""


def served_as() -> str:
    """Which database is served, as a name for files and cookies; none for the usual one of this checkout.
    Servers on two databases stand beside each other, each with its port, worker and files."""
    name = os.environ.get("PINE_DATABASE", "")
    if url := os.environ.get("PINE_DATABASE_URL"):
        return f"{name or 'url'}-{hashlib.sha256(url.encode()).hexdigest()[:8]}"
    return "" if name == DEFAULT else name


def keeping_files() -> dict[str, str]:
    """Where the server and the commands on data keep files beside the database: the ends of chains, and what
    processes of this machine share."""
    return {
        name: os.environ.get(name) or str(state_folder() / folder)
        for name, folder in (("PINE_HEADS", "heads"), ("PINE_KEPT", "kept"))
    }


def served_folder() -> Path:
    """Where what is known of the chosen database's server is kept."""
    folder = state_folder() / "served" / served_as()
    folder.mkdir(parents=True, exist_ok=True)
    return folder if served_as() else state_folder()


def start_anew_next_time() -> None:
    """Whatever runs on the chosen database is of a state that is gone."""
    (served_folder() / "server.stamp").unlink(missing_ok=True)


def answers(port: int) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/alive", timeout=3) as reply:
            content: bytes = reply.read()
            return content == b"pine scaffold"
    except (urllib.error.URLError, OSError, ValueError):
        return False


@dataclass(frozen=True)
class Process:
    """One that was started from here and runs in the background, found again by the number in its file and
    by words of its command, among them the file or its folder: a number may have gone to another program."""

    file: Path
    word: str

    def running(self) -> int | None:
        with contextlib.suppress(OSError, ValueError):
            pid = int(self.file.read_text())
            words = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
            if self.word in words and {str(self.file), str(self.file.parent)} & set(words):
                return pid
        return None

    def begin(self, command: list[str], environment: dict[str, str]) -> subprocess.Popen[bytes]:
        with self.file.with_suffix(".log").open("ab") as log:
            process = subprocess.Popen(
                command,
                env=environment,
                cwd=ROOT,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )
        self.file.write_text(str(process.pid))
        return process

    def end(self) -> bool:
        """Asks it to end, and ends it where it doesn't."""
        pid = self.running()
        if pid is None:
            return False
        os.kill(pid, signal.SIGTERM)
        for _ in range(80):
            if self.running() is None:
                return True
            time.sleep(0.1)
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
        return True


def worker_of(folder: Path) -> Process:
    """The worker takes what would keep a page waiting, one after the other; a process of its own, which is
    kept going (keeping.py)."""
    return Process(folder / "worker.pid", KEEPER)


def server_of(folder: Path) -> Process:
    return Process(folder / "server.pid", "gunicorn")


def port_file() -> Path:
    return served_folder() / "server.port"


def served_port() -> int:
    return int(port_file().read_text()) if port_file().exists() else FIRST_PORT


class StandIn(NamedTuple):
    """A simulated outside service that ships: its module, and the name of its files."""

    module: str
    name: str

    def process(self, folder: Path) -> Process:
        return Process(folder / f"{self.name}.pid", self.module)

    def start(self, environment: dict[str, str]) -> str:
        """Its address; the port of the last time where that is free."""
        folder = served_folder()
        kept = folder / f"{self.name}.port"
        last = int(kept.read_text()) if kept.exists() else 0
        port = last if last and port_is_free(last) else free_port()
        command = [str(PYTHON), "-m", self.module, str(port), str(folder)]
        self.process(folder).begin(command, environment)
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
    """Stands for the code in use: when it moves, the server starts anew."""
    files = (path for folder in ("web", "core", "demo") for path in (ROOT / folder).rglob("*.*"))
    return str(max(path.stat().st_mtime_ns for path in files if path.suffix != ".pyc"))


def choose_port() -> int:
    if given := os.environ.get("PINE_PORT"):
        return int(given)
    last = served_port()
    return last if port_is_free(last) else free_port()


OPTIONS = {
    "--workers": "2",
    "--threads": "4",
    "--timeout": "600",
    "--graceful-timeout": "5",
    "--max-requests": "20000",
}
SWITCHES = ("--preload", "--capture-output", "--no-control-socket")


def server_command(port: int, folder: Path) -> list[str]:
    """The server as users have it: two worker processes on loopback."""
    options = {
        **OPTIONS,
        "--chdir": str(ROOT),
        "--bind": f"127.0.0.1:{port}",
        "--pid": str(server_of(folder).file),
        "--log-file": "-",
    }
    words = [word for pair in options.items() for word in pair]
    return [str(PYTHON), "-m", "gunicorn", "web.wsgi:application", *words, *SWITCHES]


def stands(folder: Path) -> int | None:
    """The port where server and worker run, and run the code that is there now, where they are wanted."""
    stamp, port = folder / "server.stamp", served_port()
    if str(port) != os.environ.get("PINE_PORT", str(port)):
        return None
    current = stamp.exists() and stamp.read_text() == source_stamp()
    runs = current and server_of(folder).running() and worker_of(folder).running()
    return port if runs and answers(port) else None


def start(url: str, environment: Callable[[str], dict[str, str]], empty: bool = False) -> int:
    """Starts what isn't running. `empty`: an empty database begins without the demo."""
    folder = served_folder()
    with locked("server.lock"):
        if port := stands(folder):
            say(f"Pine Scaffold {VERSION} is running already.")
            return tell(port, environment(url))
        stop_server(folder)
        demo = [str(PYTHON), "-m", "demo", "--if-empty"]
        if not empty and subprocess.run(demo, env=environment(url)).returncode:
            raise CannotGoOn("The demo could not be loaded.")
        port = choose_port()
        stamp = source_stamp()
        served = with_stand_ins({**environment(url), **keeping_files(), "PINE_SERVED_AS": served_as()})
        server = server_of(folder).begin(server_command(port, folder), served)
        worker_of(folder).begin([str(PYTHON), "-m", KEEPER, str(folder)], served)
        try:
            wait_for(server, port, folder / "server.log")
        except BaseException:
            stop_server(folder)
            server.terminate()  # its number may not be in its file yet
            raise
        port_file().write_text(str(port))
        (folder / "server.stamp").write_text(stamp)
        return tell(port, environment(url))


def wait_for(server: subprocess.Popen[bytes], port: int, log: Path) -> None:
    """Until it answers. As long as it runs it is waited for: a busy machine takes its time. Raises
    CannotGoOn."""
    began, told = time.monotonic(), False
    while not answers(port):
        waited = time.monotonic() - began
        if server.poll() is not None:
            raise CannotGoOn(f"The server ended with status {server.returncode}; its log is {log}.")
        if waited > SILENT_WAIT:
            raise CannotGoOn(f"The server did not answer within {SILENT_WAIT} seconds; its log is {log}.")
        if waited > USUAL_WAIT and not told:
            told = True
            say(f"The server still comes up after {USUAL_WAIT} seconds; it is waited for. Its log is {log}.")
        time.sleep(0.25)


def tell(port: int, environment: dict[str, str]) -> int:
    print(f"Pine Scaffold {VERSION} stands at http://127.0.0.1:{port}/", flush=True)
    by_name = {**environment, "PINE_SERVED_PORT": str(port)}
    return subprocess.run([str(PYTHON), "-m", "web.manage", "welcome"], env=by_name, cwd=ROOT).returncode


def stop_server(folder: Path) -> bool:
    processes = (server_of(folder), worker_of(folder), RATES.process(folder), SIGN_ON.process(folder))
    ended = [process.end() for process in processes]
    return any(ended)


def others_served(folder: Path) -> bool:
    """Whether another database of this checkout's own cluster is served."""
    folders = {state_folder(), *(state_folder() / "served").glob("*")} - {folder}
    return any(server_of(other).running() for other in folders)


def stop() -> int:
    """The server of the chosen database, and with the last one the database cluster."""
    folder = served_folder()
    with locked("server.lock"):
        served = stop_server(folder)
    if others_served(folder):
        say("The database cluster goes on: another database of it is served.")
        stopped = False
    else:
        stopped = cluster.own().stop() if not os.environ.get("PINE_DATABASE_URL") else False
    print("Stopped." if served or stopped else "Nothing was running.")
    return 0
