"""The French statutory audit file of a company's year: its page, and the file."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import render

from core.audit.fec import COLUMNS, ENCODINGS, SEPARATORS, AuditFile, audit_file
from core.books.periods import company_calendar
from core.definitions.state import State
from core.definitions.tables import Company, Overlay
from core.faults import Fault, Location, Refused, WrongCall
from core.money import digits_of
from web.definitions.viewing import PineRequest
from web.journals.audit_lines import brought_forward, is_kept_elsewhere, year_lines
from web.people.rights import SIGNED_IN, needs
from web.shell import tabular
from web.shell.asked import text, whole
from web.shell.made_by import KEEPS_ITS_NAME

SHOWN = (0, 2, 3, 4, 5, 8, 10, 11, 12)
"""The columns of which a sample is shown."""
SAMPLE = 60


def audit_file_of(state: State, company: str, year: int, siren: str, overlay: str) -> AuditFile:
    """Raises WrongCall for a company or year that there isn't."""
    row = state.get(Company, company)
    if row is None:
        raise WrongCall(f"There is no company {company}.")
    periods = company_calendar(state, company).of_year(year)
    if not periods:
        raise WrongCall(f"{company} has no year {year}.")
    if is_kept_elsewhere(company, year):
        what = f"{row.name} has balances kept elsewhere, so its entries are not here."
        raise Refused([Fault("journals-and-balances", what, way_out="Make the file where its journals are.")])
    first, last = min(p.starts_on for p in periods), max(p.ends_on for p in periods)
    forward, lines = brought_forward(state, company, year), year_lines(state, row, year)
    return audit_file(state, row, overlay or row.overlay, siren, (first, last), forward, lines)


def content_of(made: AuditFile, separator: str, encoding: str) -> bytes:
    """Raises Refused with every fault, or for a character that the encoding doesn't have."""
    if made.faults:
        raise Refused(made.faults)
    try:
        return made.written(separator, encoding)
    except UnicodeEncodeError as error:
        letter = error.object[error.start]
        what = f"The character '{letter}' is not in {encoding}."
        where = Location(column="encoding", value=encoding)
        raise Refused([Fault("audit-file", what, where, "Choose utf-8, or correct the text.")]) from None


@needs(SIGNED_IN, published=True)
def page(request: PineRequest, state: State, company: str) -> HttpResponse:
    """What the file would hold, and why it can't be handed in; with `take` the file itself."""
    row = state.require(Company, company)
    years = list(reversed(company_calendar(state, company).years()))
    year = whole(request.GET, "year", years[0] if years else 0, 9999)
    siren, overlay = text(request.GET, "siren", 20), text(request.GET, "overlay", 40) or row.overlay
    separator = request.GET.get("separator", "tab")
    encoding = request.GET.get("encoding", ENCODINGS[0])
    if separator not in SEPARATORS or encoding not in ENCODINGS:
        raise WrongCall("The separator is tab or pipe, the encoding iso-8859-15 or utf-8.")
    made, faults = _made(state, company, year, siren, overlay)
    if "take" in request.GET and made is not None:
        reply = tabular.download(content_of(made, separator, encoding), made.name.removesuffix(".txt"), "txt")
        reply[KEEPS_ITS_NAME] = "1"
        return reply
    return render(
        request,
        "exchange/audit_file.html",
        {
            "company": row,
            "years": years,
            "year": year,
            "siren": siren,
            "overlay": overlay,
            "overlays": sorted(state.rows(Overlay), key=lambda own: own.name),
            "separator": separator,
            "encoding": encoding,
            "encodings": ENCODINGS,
            "made": made,
            "sample": [[record[i] for i in SHOWN] for record in made.records[:SAMPLE]] if made else [],
            "codes": (0, 1, 2, 3, 5),
            "heads": [COLUMNS[i] for i in SHOWN],
            "digits": digits_of(row.currency),
            "faults": faults[:100],
            "fault_count": len(faults),
        },
    )


def _made(
    state: State, company: str, year: int, siren: str, overlay: str
) -> tuple[AuditFile | None, list[Any]]:
    try:
        made = audit_file_of(state, company, year, siren, overlay)
    except WrongCall:
        raise
    except Refused as refused:
        return None, refused.faults
    return made, list(made.faults)
