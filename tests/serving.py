"""The server as users have it: gunicorn in processes of its own, on the database of the test."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import requests
from django.conf import settings
from django.db import connection

from demo import rate_service

ROOT = Path(__file__).resolve().parent.parent
PATIENCE = 60


def database_url() -> str:
    """The address of the database that this test runs on, as the application's role reaches it: not as the
    owner."""
    kept = connection.settings_dict
    return f"{os.environ['PINE_APPLICATION_URL'].rpartition('/')[0]}/{kept['NAME']}"


def environment(**more: str) -> dict[str, str]:
    return {
        **os.environ,
        "PINE_DATABASE_URL": database_url(),
        "PINE_SECRET": settings.SECRET_KEY,
        "PYTHONPATH": str(ROOT),
        **more,
    }


def _dies_with_its_parent() -> None:
    ctypes.CDLL("libc.so.6").prctl(1, signal.SIGKILL)


class Served:
    """A server with so many worker processes; `url` is where it answers."""

    def __init__(self, workers: int = 2) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])
        self.url = f"http://127.0.0.1:{self.port}"
        self.rates = rate_service.server()
        threading.Thread(target=self.rates.serve_forever, daemon=True).start()
        feed = f"http://127.0.0.1:{self.rates.server_address[1]}/rates.xml"
        self.log = tempfile.TemporaryFile("w+")
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "gunicorn",
                "web.wsgi:application",
                "--chdir",
                str(ROOT),
                "--bind",
                f"127.0.0.1:{self.port}",
                "--workers",
                str(workers),
                "--threads",
                "4",
                "--preload",
                "--graceful-timeout",
                "2",
                "--no-control-socket",
            ],
            env=environment(PINE_RATE_FEED=feed),
            cwd=ROOT,
            stdout=self.log,
            stderr=self.log,
            stdin=subprocess.DEVNULL,
            preexec_fn=_dies_with_its_parent,
        )
        for _ in range(PATIENCE * 10):
            if self.process.poll() is not None:
                break
            try:
                requests.get(f"{self.url}/alive", timeout=5)
                return
            except requests.ConnectionError:
                time.sleep(0.1)
        raise AssertionError(f"The server did not start:\n{self.said()}")

    def renew(self) -> None:
        """New worker processes in the place of the old ones, which are killed: what they kept of a database
        that is emptied now is gone."""
        old = self._workers()
        for pid in old:
            os.kill(int(pid), signal.SIGKILL)
        for _ in range(PATIENCE * 100):
            now = self._workers()
            if len(now) == len(old) and not old & now:
                return
            time.sleep(0.01)
        raise AssertionError(f"The workers were not renewed:\n{self.said()}")

    def _workers(self) -> set[str]:
        pid = self.process.pid
        return set(Path(f"/proc/{pid}/task/{pid}/children").read_text().split())

    def said(self) -> str:
        """What it wrote to its log so far."""
        self.log.flush()
        self.log.seek(0)
        return self.log.read()

    def stop(self) -> None:
        self.process.terminate()
        self.rates.shutdown()
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait(10)
        self.log.close()
