"""Which database a command uses, made and migrated when missing."""

from __future__ import annotations

import hashlib
import os
import re
import subprocess
from urllib.parse import urlsplit, urlunsplit

from launcher import cluster
from launcher.places import PYTHON, ROOT, STATE, CannotGoOn, kept_secret, say, state_folder

DEFAULT = "pine"
NAME = re.compile(r"[a-z][a-z0-9_]{0,50}")
RESERVED = {"postgres", "template0", "template1"}


def chosen() -> str:
    """The database's name from PINE_DATABASE, or the default one."""
    name = os.environ.get("PINE_DATABASE") or DEFAULT
    if not NAME.fullmatch(name) or name in RESERVED:
        raise CannotGoOn(f"'{name}' cannot be a database's name: small letters, digits and _, a letter first.", 2)
    return name


def server_url(database: str) -> str:
    """The address of a database on the server in use; starts the project's own cluster where no other is given."""
    if given := os.environ.get("PINE_DATABASE_URL"):
        if not os.environ.get("PINE_DATABASE"):
            return given
        return urlunsplit(urlsplit(given)._replace(path=f"/{database}"))
    own = cluster.own()
    own.start()
    return own.url(database)


def migrations_stamp() -> str:
    """Stands for the state of all migrations, so that an up-to-date database is known without asking it."""
    digest = hashlib.sha256()
    for path in [*sorted(ROOT.glob("web/*/migrations/*.py")), ROOT / "requirements.lock"]:
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def prepare_database() -> str:
    """The address of the chosen database, with all migrations applied."""
    url = server_url(chosen())
    environment = {**os.environ, "PINE_DATABASE_URL": url, "PYTHONPATH": str(ROOT), "PINE_STAMP": migrations_stamp()}
    environment.setdefault("PINE_SECRET", kept_secret("secret"))
    state_folder()
    done = subprocess.run([str(PYTHON), "-m", "web.shell.prepare"], env=environment, capture_output=True, text=True)
    if done.returncode:
        raise CannotGoOn(f"The database could not be prepared:\n{done.stderr.strip() or done.stdout.strip()}")
    if done.stderr.strip():  # another database stands there now: the server has to start anew on it
        say(done.stderr.strip())
        (STATE / "server.stamp").unlink(missing_ok=True)
    return url


def remove_database(name: str) -> int:
    if name == DEFAULT or name in RESERVED or not NAME.fullmatch(name):
        say(
            f"The database {name} is never removed by this command."
            if NAME.fullmatch(name)
            else f"'{name}' is not a database's name."
        )
        return 2
    os.environ["PINE_DATABASE"] = name
    environment = {**os.environ, "PINE_DATABASE_URL": server_url(name), "PYTHONPATH": str(ROOT)}
    return subprocess.run([str(PYTHON), "-m", "web.shell.prepare", "--drop"], env=environment).returncode
