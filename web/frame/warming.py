"""Before the port opens: what the first page would have to load and work out is there already."""

from __future__ import annotations

import logging
from pathlib import Path

from django.db import DatabaseError, connections
from django.template.loader import get_template
from django.urls import get_resolver

log = logging.getLogger(__name__)
MOST_COMPANIES = 60
WEB = Path(__file__).resolve().parent.parent


def warm() -> None:
    """Loads addresses, templates, definitions and balances; workers are forked after it and share what it
    made.

    A database that is away is no reason not to start: pages then say so themselves.
    """
    get_resolver().reverse_dict  # noqa: B018 - asking for it loads every view
    for folder in sorted(WEB.glob("*/templates")):
        for path in sorted(folder.rglob("*.html")):
            get_template(str(path.relative_to(folder)))
    try:
        _state()
    except DatabaseError as error:
        log.warning("Nothing was warmed up: %s", str(error).split("\n")[0])
    finally:
        connections.close_all()  # a worker has connections of its own


def _state() -> None:
    from core.definitions.tables import Company
    from web.definitions.snapshot import current
    from web.frame.context import standing
    from web.journals.books import books_for

    state = current().state
    standing(state)
    books_for(state, [row.company for row in state.rows(Company)][:MOST_COMPANIES])
