"""Which database a command uses, made and migrated when missing."""

from __future__ import annotations

import hashlib
import os
import re
import subprocess
from typing import NamedTuple
from urllib.parse import urlsplit, urlunsplit

from launcher import cluster, serve
from launcher.places import DEFAULT, PYTHON, ROOT, CannotGoOn, kept_secret, say, state_folder

NAME = re.compile(r"[a-z][a-z0-9_]{0,50}")
RESERVED = {"postgres", "template0", "template1"}


def chosen() -> str:
    """The database's name from PINE_DATABASE, or the default one."""
    name = os.environ.get("PINE_DATABASE") or DEFAULT
    if not NAME.fullmatch(name) or name in RESERVED:
        raise CannotGoOn(
            f"'{name}' cannot be a database's name: small letters, digits and _, a letter first.", 2
        )
    return name


class Addresses(NamedTuple):
    """A database as its owner reaches it, who makes its tables, and as the application does."""

    owner: str
    application: str


def addresses(database: str) -> Addresses:
    """Of a database on the server in use; starts the project's own cluster where no other is given."""
    given = os.environ.get("PINE_DATABASE_URL")
    if given:
        owner = os.environ.get("PINE_OWNER_URL") or given
        if os.environ.get("PINE_DATABASE"):
            return Addresses(
                *(urlunsplit(urlsplit(url)._replace(path=f"/{database}")) for url in (owner, given))
            )
        return Addresses(owner, given)
    own = cluster.own()
    own.start()
    return Addresses(own.url(database), own.application_url(database))


def migrations_stamp() -> str:
    """Stands for the state of all migrations, so that an up-to-date database is known without asking it."""
    digest = hashlib.sha256()
    for path in [*sorted(ROOT.glob("web/*/migrations/*.py")), ROOT / "requirements.lock"]:
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def prepare_database() -> str:
    """The address of the chosen database for the application, with all migrations applied.

    A stamp in the database says whether there is anything to do; only where there is, Django is asked.
    """
    name, stamp = chosen(), migrations_stamp()
    if not os.environ.get("PINE_DATABASE_URL") and (own := cluster.known()) and own.has_current(name, stamp):
        return own.application_url(name)
    given = addresses(name)
    state_folder()
    done = subprocess.run(
        [str(PYTHON), "-m", "web.shell.prepare"],
        env={**preparing(given), "PINE_STAMP": stamp},
        capture_output=True,
        text=True,
    )
    if done.stderr.strip():
        say(done.stderr.strip())
    if done.returncode:
        raise CannotGoOn(f"The database {name} could not be prepared.")
    return given.application


def preparing(found: Addresses) -> dict[str, str]:
    """The environment in which a database is made, migrated or removed: as its owner."""
    role = urlsplit(found.application).username or ""
    same = role == urlsplit(found.owner).username
    environment = {
        **os.environ,
        "PINE_DATABASE_URL": found.owner,
        "PINE_APP_ROLE": "" if same else role,
        "PYTHONPATH": str(ROOT),
    }
    environment.setdefault("PINE_SECRET", kept_secret("secret"))
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    return environment


def remove_database(name: str) -> int:
    if name == DEFAULT:
        say(f"The database {name} is never removed by this command.")
        return 2
    return _of_name(name, "--drop")


def set_database_aside(name: str) -> int:
    """Keeps a database under another name; the next command makes a new one."""
    return _of_name(name, "--set-aside")


def _of_name(name: str, act: str) -> int:
    if name in RESERVED or not NAME.fullmatch(name):
        say(f"'{name}' is not a database's name, or not one of ours.")
        return 2
    os.environ["PINE_DATABASE"] = name
    done = subprocess.run([str(PYTHON), "-m", "web.shell.prepare", act], env=preparing(addresses(name)))
    serve.start_anew_next_time()
    return done.returncode
