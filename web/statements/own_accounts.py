"""The own accounts behind accounts of a chart in which a company is seen, each on its way to their lines."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from urllib.parse import urlencode

from core.definitions.tables import Code
from core.mapping.second_charts import accounts_behind, hangs_on_codes, second_chart_plan
from core.statements.plans import Plan
from web.journals.amount_rows import with_texts
from web.statements.figure_source import FigureSource


@dataclass(frozen=True, slots=True)
class AccountShare:
    """What an account brings to a figure, raw; `own` are the company's accounts whose lines make it up, and
    `into` what an address of their lines says where only some of these are meant: those that go to an account
    of a second chart, stand on a line that asks for codes, or that only some journals move in a cash flow."""

    code: Code
    raw: int
    own: tuple[str, ...]
    into: str = ""

    @property
    def lines(self) -> str:
        """The accounts as the address of their lines names them."""
        return ",".join(self.own)

    @property
    def behind(self) -> tuple[str, ...]:
        """Own accounts that are worth naming: those of another code."""
        return () if self.own == (self.code.code,) else self.own


def account_shares(
    source: FigureSource, planned: Plan, line: str, amounts: Iterable[tuple[Code, int]]
) -> list[AccountShare]:
    """`amounts` are accounts of the plan's chart with their raw amounts on a line."""
    chart = planned.statement.chart
    own = {} if chart == source.company.chart else own_accounts(source, chart)
    shares = (AccountShare(code, raw, *own.get(code.code, ((code.code,), ""))) for code, raw in amounts)
    divided = {at for part in planned.parts if part.field for at in part.accounts.tolist()}
    if planned.is_direct:
        divided = set(range(len(planned.accounts.posting)))
    for one in planned.non_cash:
        divided |= {planned.accounts.position[code] for code in one.accounts | one.against}
    if not divided:
        return list(shares)
    on = urlencode({"on": f"{planned.statement.statement}:{line}"})
    return [
        replace(share, into="&".join(filter(None, (share.into, on))))
        if planned.accounts.position[share.code.code] in divided
        else share
        for share in shares
    ]


def own_accounts(source: FigureSource, chart: str) -> dict[str, tuple[tuple[str, ...], str]]:
    """By account of a second chart (empty: unmapped) the company's own accounts that go there, and what an
    address of their lines says; nothing where all of their lines go there."""
    plan, rows = second_chart_plan(source.state, source.company.chart, chart), source.rows
    if plan is None:
        return {}
    if not rows.strings and hangs_on_codes(plan, rows.naturals):
        rows = with_texts(rows)
    return {
        target: (
            accounts,
            urlencode({"into": f"{chart}:{target}"}) if hangs_on_codes(plan, accounts) else "",
        )
        for target, accounts in accounts_behind(plan, rows).items()
    }
