"""What a person asks of the table of a list: filters of the address, columns they chose, the rows that
fit."""

from __future__ import annotations

import re
from datetime import date
from typing import Any
from urllib.parse import urlencode

from core.codes.columns import USUAL, columns
from core.codes.lists import list_index, out_of_use
from core.definitions.kinds import CLASSES
from core.definitions.state import State
from core.definitions.tables import Code
from core.listing import STANDS, CodeFilter, CodeMarks, listed
from web.codes import queries
from web.codes.closing import posted_codes
from web.definitions.viewing import PineRequest

ODD = re.compile(r"[\x00-\x1f\x7f]")


def _text(request: PineRequest, name: str) -> str:
    given = request.POST if request.method == "POST" else request.GET
    return ODD.sub("", given.get(name, "")).strip()[:100]


def asked(request: PineRequest, state: State, code_list: str) -> CodeFilter:
    """The question in the address (or the form); what makes no sense asks nothing."""
    known = columns(state, code_list)
    try:
        on = date.fromisoformat(_text(request, "on"))
    except ValueError:
        on = None
    has = tuple(
        (name, value)
        for name in known
        if name not in ("use", "account_class", "in_use_from", "in_use_until")
        and (value := _text(request, f"has-{name}"))
    )
    sort, chosen, stands = _text(request, "sort"), _text(request, "class"), _text(request, "stands")
    return CodeFilter(
        _text(request, "find"),
        _text(request, "prefix"),
        chosen if chosen in CLASSES else "",
        _text(request, "kind"),
        on,
        stands if stands in STANDS else "",
        has,
        sort.lstrip("-") if sort.lstrip("-") in {"code", "name", *known} else "",
        sort.startswith("-"),
    )


def query(asked: CodeFilter) -> str:
    """The question as an address writes it."""
    parts: dict[str, Any] = {
        "find": asked.words,
        "prefix": asked.prefix,
        "class": asked.account_class,
        "kind": asked.kind,
        "on": asked.on or "",
        "stands": asked.stands,
        "sort": ("-" if asked.down else "") + asked.sort,
        **{f"has-{k}": v for k, v in asked.has},
    }
    return urlencode({name: value for name, value in parts.items() if value})


def known(request: PineRequest, state: State, code_list: str) -> CodeMarks:
    working = request.viewed.working
    return CodeMarks(
        lambda: posted_codes(state, code_list, request.user), queries.drafted(working, code_list)
    )


def chosen_columns(request: PineRequest, state: State, code_list: str) -> list[str]:
    """The columns this person chose for this list, or the usual ones."""
    known_columns = columns(state, code_list)
    chosen = request.user.columns.get(code_list)
    return [name for name in (chosen if chosen is not None else USUAL) if name in known_columns]


def fitting(request: PineRequest, state: State, code_list: str) -> list[str]:
    """All codes that fit the question, in its order; in the order of the main hierarchy where nothing is
    asked. Without those out of use where the person wants it so, unless these are asked for."""
    question = asked(request, state, code_list)
    codes = (
        listed(state, code_list, question, known(request, state, code_list))
        if question.narrows
        else queries.ordered(state, code_list)
    )
    if not hides_closed(request, question):
        return codes
    index, today = list_index(state, code_list).codes, date.today()
    return [code for code in codes if not out_of_use(index[code], today)]


def hides_closed(request: PineRequest, question: CodeFilter) -> bool:
    return request.user.hides_closed and question.stands != "closed"


def chosen_codes(request: PineRequest, state: State, code_list: str) -> list[str]:
    """The codes a form means: those named, or with `all` every one that fits the question beside them."""
    if request.POST.get("all"):
        return fitting(request, state, code_list)
    codes = list_index(state, code_list).codes
    return [code for code in dict.fromkeys(request.POST.get("what", "").split(",")) if code in codes]


def rows_of(state: State, code_list: str, codes: list[str]) -> list[Code]:
    index = list_index(state, code_list).codes
    return [index[code] for code in codes if code in index]
