"""./pine COMMAND: what every command needs is brought up first, then the command runs."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable

from launcher import cluster, debian, serve, tests, venv
from launcher.database import (
    addresses,
    chosen,
    migrations_stamp,
    prepare_database,
    preparing,
    remove_database,
    set_database_aside,
)
from launcher.places import PYTHON, ROOT, CannotGoOn, kept_secret, say

HELP = """./pine start                       install what is missing, start, and print the address
./pine start --empty               the same, without the demo where the database is empty
./pine stop                        stop what start started
./pine test                        lint, types, import contract, core, web and browser tests
./pine import PATH                 import a package (folder, zip, workbook)
./pine export PATH                 export everything
./pine check                       every check of every chart, statement and mapping
./pine verify                      every hash, balance and seal; --heads FILE: ends kept elsewhere
./pine backup FILE                 everything in the database, by PostgreSQL's own tools
./pine restore FILE                a backup into an empty database, judged before it takes its place
./pine trial-balance --company C | --group G --year Y --period P [--from-period F]
./pine statement STATEMENT --company C | --group G --year Y --period P [--from-period F]
./pine disagreements --group G --year Y --period P
./pine consolidation --group G --year Y --period P   every step of a group's figures
./pine translation --group G --year Y --period P     the proof of each translation reserve
./pine cash-proof [STATEMENT] --group G --year Y --period P [--from-period F]   a cash flow against cash
./pine pack PATH --statements S,S --companies C,C|all --groups G,G|all --year Y --period P   in one act
./pine audit-file --company C --year Y --siren N [--overlay O] [--output FOLDER]   the French audit file
./pine bench                       speed, as ratios measured side by side
./pine drop-database NAME --yes    remove a database made by PINE_DATABASE=NAME
./pine person list|add|change|link|on|off   who signs in (--name, --role group|company, --companies a,b)
./pine person factor-off NAME      signs in without a second factor again
./pine person seal-factors         second factors under the present PINE_SECRET, after it was changed
./pine rights list|role|team|grant|take-back   who may what (grant ROLE --person P --companies all|RULE)
./pine set-aside NAME --yes        keep a database under another name; the next start makes a new one
./pine demo                        the Fernhollow demo, into an empty database

PINE_DATABASE=NAME chooses another database of the local server, served beside the others.
PINE_DATABASE_URL names a server that is there already.
Reports take --format csv|json|xlsx|ods and --output FILE."""

DATA_COMMANDS = (
    "import",
    "export",
    "check",
    "verify",
    "pack",
    "trial-balance",
    "statement",
    "disagreements",
    "consolidation",
    "translation",
    "cash-proof",
    "audit-file",
)


def environment(url: str) -> dict[str, str]:
    secret = {} if os.environ.get("PINE_SECRET") else {"PINE_SECRET": kept_secret("secret")}
    by_name = {**os.environ, **secret, "PINE_DATABASE_URL": url, "PYTHONPATH": str(ROOT)}
    by_name.pop("PYTHONDONTWRITEBYTECODE", None)  # else our own code would be compiled anew with each command
    return by_name


def python(words: list[str], url: str) -> int:
    return subprocess.run(
        [str(PYTHON), "-m", *words], env=environment(url) | serve.keeping_files()
    ).returncode


def data_command(words: list[str]) -> int:
    venv.need()
    return python(["web.manage", "books", *words], prepare_database())


def on_database(command: str, words: list[str]) -> int:
    """Commands that name a database and must be meant."""
    if len(words) != 2 or words[1] != "--yes":
        say(f"Write: ./pine {command} NAME --yes")
        return 2
    venv.need()
    return remove_database(words[0]) if command == "drop-database" else set_database_aside(words[0])


def on_everything(command: str, words: list[str]) -> int:
    """A backup or its way back, by PostgreSQL's own tools, as the owner."""
    if command == "backup":
        prepare_database()
    given = addresses(chosen())
    own = {
        **preparing(given),
        "PINE_POSTGRES_BIN": str(debian.need_postgres()),
        "PINE_STAMP": migrations_stamp(),
    }
    done = subprocess.run([str(PYTHON), "-m", "web.manage", command, *words], env=own)
    if command == "restore" and not done.returncode:
        serve.start_anew_next_time()
        prepare_database()
    return done.returncode


def main(words: list[str]) -> int:
    command, rest = (words[0], words[1:]) if words else ("help", [])
    if command in DATA_COMMANDS:
        return data_command(words)
    if command in ("drop-database", "set-aside"):
        return on_database(command, rest)
    if command in ("help", "--help", "-h"):
        print(HELP)
        return 0
    if rest and command in ("start", "stop", "demo") and words != ["start", "--empty"]:
        say(f"./pine {command} takes no words after it.")
        return 2
    if command == "stop":
        return serve.stop()
    if command not in COMMANDS:
        say(f"There is no command {command}.\n{HELP}")
        return 2
    venv.need(development=command in ("test", "bench"))
    return COMMANDS[command](rest)


def rights(rest: list[str]) -> int:
    return python(["web.manage", "rights", *rest], prepare_database())


def person(rest: list[str]) -> int:
    os.environ["PINE_SERVED_PORT"] = str(serve.served_port())
    return python(["web.manage", "person", *rest], prepare_database())


COMMANDS: dict[str, Callable[[list[str]], int]] = {
    "start": lambda rest: serve.start(prepare_database(), environment, rest == ["--empty"]),
    "test": tests.run,
    "bench": lambda rest: tests.speed(rest) if "--quick" in rest else bench(rest),
    "backup": lambda rest: on_everything("backup", rest),
    "restore": lambda rest: on_everything("restore", rest),
    "person": person,
    "rights": rights,
    "demo": lambda rest: python(["demo"], prepare_database()),
    "manage": lambda rest: python(["web.manage", *rest], prepare_database()),
}


def bench(rest: list[str]) -> int:
    debian.need_postgres()
    own = cluster.own()
    own.start()
    return python(["bench", *rest], own.url("pine_bench"))


if __name__ == "__main__":
    try:
        sys.exit(main(sys.argv[1:]))
    except CannotGoOn as told:
        say(str(told))
        sys.exit(told.status)
    except KeyboardInterrupt:
        sys.exit(130)
