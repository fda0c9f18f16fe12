"""The tables of storey 3 that are edited in place: companies, intercompany pairs, periods, a company's own
accounts."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from django.urls import reverse

from core.changes.kinds import Change, Drop, Put
from core.definitions.state import State
from core.definitions.tables import Company, CompanyCode, IntercompanyPair, Period
from core.sheets import Cells, CompanionColumns, Given, Sheet, text_column
from core.structures.charts import chart_index
from core.structures.overlays import overlay_lists
from web.sheets.pages import register


def _company_segment(state: State, row: Company) -> str:
    index = chart_index(state, row.chart)
    return index.segments[index.company].name if index and index.company >= 0 else ""


def _codes(state: State, given: Given, row: Any) -> Cells:
    return {"codes": ", ".join(sorted(part.code for part in state.part(CompanyCode, row.company).values()))}


def _put_codes(state: State, given: Given, row: Any, cells: Cells) -> list[Change]:
    wanted = [code.strip() for code in cells.get("codes", "").split(",") if code.strip()]
    known = list(state.part(CompanyCode, row.company).values())
    segment = _company_segment(state, row)
    if wanted and not segment:
        raise ValueError(
            f"The chart {row.chart} has no company segment, so its companies have no codes of their own."
        )
    gone = [Drop(own) for own in known if own.code not in wanted]
    return [*gone, *(Put(CompanyCode(row.company, segment, code)) for code in dict.fromkeys(wanted))]


def _without_pair(state: State, given: Given) -> list[Any]:
    own = given["company"]
    others = sorted(state.rows(Company), key=lambda row: row.name)
    return [
        IntercompanyPair(own, other.company, "", "")
        for other in others
        if other.company != own and state.get(IntercompanyPair, own, other.company) is None
    ]


def _neighbours(state: State, old: Period, row: Period) -> list[Change]:
    """The regular periods before and after one follow its days: periods leave no gap."""
    if (old.kind, row.kind) != ("regular", "regular") or old[:3] != row[:3]:
        return []
    one_day, changes = timedelta(days=1), list[Change]()
    for other in state.part(Period, row.calendar).values():
        if other.kind != "regular" or other[:3] == row[:3]:
            continue
        if other.ends_on == old.starts_on - one_day and row.starts_on != old.starts_on:
            changes.append(Put(other._replace(ends_on=row.starts_on - one_day)))
        if other.starts_on == old.ends_on + one_day and row.ends_on != old.ends_on:
            changes.append(Put(other._replace(starts_on=row.ends_on + one_day)))
    return changes


def _next_period(state: State, given: Given, near: Any) -> dict[str, Any]:
    """The month after the selected period, or after the last one; the year turns over where the number of
    periods does."""
    rows = sorted(
        (row for row in state.part(Period, given["calendar"]).values() if row.kind == "regular"),
        key=lambda row: row.starts_on,
    )
    last = near if near is not None and near.kind == "regular" else rows[-1] if rows else None
    if last is None:
        start = date.today().replace(month=1, day=1)
        return {
            "fiscal_year": start.year,
            "period": 1,
            "starts_on": start,
            "ends_on": start.replace(day=31),
            "name": f"{start:%B %Y}",
        }
    start = last.ends_on + timedelta(days=1)
    end = (start.replace(day=1) + timedelta(days=32)).replace(day=1) - timedelta(days=1)
    longest = max((row.period for row in rows), default=12)
    turned = last.period >= longest and len({row.fiscal_year for row in rows}) > 0 and longest >= 12
    year, number = (last.fiscal_year + 1, 1) if turned else (last.fiscal_year, last.period + 1)
    return {
        "fiscal_year": year,
        "period": number,
        "name": f"{start:%B %Y}",
        "starts_on": start,
        "ends_on": end,
    }


def _next_local(state: State, given: Given, near: Any) -> dict[str, Any]:
    """Of the list of the selected one, or of the list that companies seen as this overlay have their accounts
    in."""
    return {
        "code_list": near.code_list
        if near is not None
        else next(iter(overlay_lists(state, given["overlay"])), "")
    }


CALENDARS = register(
    Sheet(
        "calendars",
        "calendars",
        "Calendars",
        "calendar",
        ("calendar", "name"),
        (),
        titles={"calendar": "Id"},
        order=lambda row: row.name,
        empty="No calendars yet: a company's periods are those of its calendar.",
        register=True,
    )
)
OVERLAYS = register(
    Sheet(
        "overlays",
        "overlays",
        "Overlays",
        "overlay",
        ("overlay", "name", "language"),
        (),
        titles={"overlay": "Id"},
        order=lambda row: row.name,
        empty="No overlays yet: an overlay gives codes a local code and name.",
        register=True,
    ),
    lambda row: reverse("overlay", kwargs={"overlay": row.overlay}),
)
LOCAL_CODES = register(
    Sheet(
        "local-codes",
        "overlay_codes",
        "Local numbers",
        "local number",
        ("code_list", "code", "local_code", "local_name"),
        ("overlay",),
        titles={"code_list": "List", "local_code": "Local number", "local_name": "Local name"},
        proposed=_next_local,
        order=lambda row: (row.code_list, row.code),
        empty="No code has a local number yet.",
    )
)
COMPANIES = register(
    Sheet(
        "companies",
        "companies",
        "Companies",
        "company",
        ("company", "name", "country", "currency", "chart", "calendar", "codes"),
        (),
        CompanionColumns((text_column("codes", "code"),), _codes, _put_codes),
        {"codes": "Own codes"},
        order=lambda row: row.name,
        empty="No companies yet: a company needs a chart and a calendar.",
    ),
    lambda row: reverse("company", kwargs={"company": row.company}),
)
SETTINGS = register(
    Sheet(
        "company-settings",
        "companies",
        "Settings",
        "company",
        ("company", "overlay", "foreign_currencies", "accounts_open", "adjusts"),
        (),
        titles={
            "foreign_currencies": "Keys foreign currencies",
            "accounts_open": "Accounts open",
            "adjusts": "Adjusts the books of",
        },
        adds=False,
    )
)
CURRENCIES = register(
    Sheet(
        "company-currencies",
        "company_currencies",
        "Foreign currencies it keys",
        "currency",
        ("currency",),
        ("company",),
        empty="All of them, if it keys foreign currencies at all.",
    )
)
PAIRS = register(
    Sheet(
        "pairs",
        "intercompany_pairs",
        "Intercompany pairs",
        "pair",
        ("partner", "due_from", "due_to"),
        ("company",),
        titles={"due_from": "Owes us: due from", "due_to": "We owe: due to"},
        missing=_without_pair,
        empty="There is no other company.",
    )
)
PERIODS = register(
    Sheet(
        "periods",
        "periods",
        "Periods",
        "period",
        ("fiscal_year", "period", "name", "starts_on", "ends_on", "kind", "status"),
        ("calendar", "company"),
        titles={"fiscal_year": "Year", "period": "No.", "starts_on": "From", "ends_on": "To"},
        proposed=_next_period,
        order=lambda row: (-row.fiscal_year, row.period),
        empty="The calendar has no periods yet.",
        brings=_neighbours,
    )
)
SECOND_CHARTS = register(
    Sheet(
        "second-charts",
        "second_charts",
        "Seen in other charts",
        "second chart",
        ("chart", "purpose"),
        ("company",),
        titles={"purpose": "For what"},
        empty="Its books are seen in the chart that it posts in.",
    ),
    lambda row: reverse("second-chart", args=[row.company, row.chart]),
)
ACCOUNTS = register(
    Sheet(
        "own-accounts",
        "company_accounts",
        "Accounts of its own setting",
        "account",
        ("code", "currency", "revalue", "enabled"),
        ("company",),
        titles={"code": "Account", "enabled": "Open"},
        empty="Every account of the chart is as the chart has it.",
    )
)
