"""Acts that the database asks to try again: two that waited for each other, or that could not be put in an
order."""

from __future__ import annotations

import logging
import random
import time
from collections.abc import Callable
from functools import wraps
from typing import ParamSpec, TypeVar

import psycopg
from django.db import DatabaseError, connection

P = ParamSpec("P")
R = TypeVar("R")
TRIES = 4
AGAIN = (psycopg.errors.DeadlockDetected, psycopg.errors.SerializationFailure)
log = logging.getLogger(__name__)


def asks_again(error: BaseException) -> bool:
    """Whether the database says that the same act may well succeed when it is tried once more."""
    return isinstance(error, AGAIN) or isinstance(error.__cause__, AGAIN)


def retried(act: Callable[P, R]) -> Callable[P, R]:
    """Tries a whole transaction again where the database asks for it; inside a larger one that is not for it
    to decide."""

    @wraps(act)
    def tried(*args: P.args, **named: P.kwargs) -> R:
        for attempt in range(1, TRIES + 1):
            try:
                return act(*args, **named)
            except (DatabaseError, psycopg.Error) as error:
                if attempt == TRIES or connection.in_atomic_block or not asks_again(error):
                    raise
                log.warning("%s is tried again: %s", act.__name__, str(error).split("\n")[0])
                time.sleep(random.uniform(0.02, 0.1) * attempt)
        raise AssertionError

    return tried
