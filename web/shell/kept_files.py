"""Files beside the database, of this machine, in which processes keep what they would otherwise read or work
out again: sealed with the installation's secret, so that one that is damaged or somebody else's counts as
none. What a file is of is for its reader to prove.
"""

from __future__ import annotations

import hashlib
import logging
import mmap
import tempfile
from collections.abc import Iterable
from pathlib import Path

from django.conf import settings
from django.db import connection

SEAL = 32
STEP = 1 << 24
log = logging.getLogger(__name__)


def folder() -> Path | None:
    """Of the database this process is connected to; None where nothing is kept on this machine."""
    if not settings.KEPT:
        return None
    at = connection.settings_dict
    where = hashlib.blake2b(f"{at['HOST']}:{at['PORT']}".encode(), digest_size=4).hexdigest()
    return Path(settings.KEPT) / f"{at['NAME']}-{where}"


def _sealing() -> hashlib.blake2b:
    return hashlib.blake2b(digest_size=SEAL, key=hashlib.sha256(settings.SECRET_KEY.encode()).digest())


def write(name: str, content: Iterable[bytes | memoryview]) -> None:
    """Puts a file in the place of the one before, whole or not at all; a machine that can't is told of in
    the log and goes on without."""
    if (place := folder()) is None:
        return
    try:
        place.mkdir(parents=True, exist_ok=True, mode=0o700)
        sealing = _sealing()
        with tempfile.NamedTemporaryFile(dir=place, prefix=f"{name}.", delete=False) as file:
            try:
                file.write(bytes(SEAL))
                for part in content:
                    sealing.update(part)
                    file.write(part)
                file.seek(0)
                file.write(sealing.digest())
                file.close()
                Path(file.name).replace(place / name)
            except BaseException:
                Path(file.name).unlink(missing_ok=True)
                raise
    except OSError as error:
        log.warning("%s is not kept: %s", name, error)


def read(name: str) -> memoryview | None:
    """What was written, mapped into memory, which all processes of the machine share; None where there is
    none, or one that isn't as it was written."""
    if (place := folder()) is None:
        return None
    try:
        with (place / name).open("rb") as file:
            mapped = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
    except (OSError, ValueError):  # there is none, or it is empty
        return None
    sealing = _sealing()
    for start in range(SEAL, len(mapped), STEP):
        sealing.update(mapped[start : start + STEP])
    if bytes(mapped[:SEAL]) != sealing.digest():
        log.warning("%s is not as it was written, and is not used.", place / name)
        return None
    return mapped[SEAL:]


def forget(name: str) -> None:
    if (place := folder()) is not None:
        (place / name).unlink(missing_ok=True)
