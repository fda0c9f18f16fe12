"""Rows of the tables of journals and of lines."""

from __future__ import annotations

from collections.abc import Iterable
from urllib.parse import urlencode

from django.urls import reverse
from django.utils.safestring import SafeString

from core.money import show_amount
from web.journals.queries import AccountLine, JournalSummary
from web.shell.table_rows import Cell, TableRow, addresses, table_rows


def sides(amount: int, digits: int) -> tuple[Cell, Cell]:
    """An amount (minor units, debit plus) in the column of its side."""
    return (
        Cell(show_amount(amount, digits) if amount > 0 else "", "num"),
        Cell(show_amount(-amount, digits) if amount < 0 else "", "num"),
    )


def journal_rows(company: str, journals: Iterable[JournalSummary], digits: int) -> SafeString:
    """The journals of a company; Enter opens one."""
    address = addresses("journal", company)
    return table_rows(
        TableRow(
            row.journal,
            [
                Cell(row.date.isoformat(), "code"),
                Cell(row.journal, "code", link=address(row.journal), opens=True),
                Cell(row.description),
                Cell("" if row.kind == "general" else row.kind),
                Cell(show_amount(row.total, digits), "num"),
                Cell(
                    f"reverses {row.reverses}"
                    if row.reverses
                    else f"reversed by {row.reversed_by}"
                    if row.reversed_by
                    else "",
                    "sub",
                ),
            ],
            css="closed" if row.reversed_by else "",
        )
        for row in journals
    )


def account_line_rows(
    lines: Iterable[tuple[AccountLine, str, int]], shows: set[str], digits: int
) -> SafeString:
    """The lines behind a figure: (line, its account string as shown, the balance after it); `shows` names the
    columns that hold something."""

    def table_row(line: AccountLine, account: str, standing: int) -> TableRow:
        journal = reverse("journal", args=[line.company, line.journal])
        alike = f"{reverse('company-journals', args=[line.company])}?{urlencode({'words': line.source})}"
        source = (
            Cell(line.source, "code sub", link=alike, title=f"All journals with {line.source}")
            if line.source
            else Cell()
        )
        further = {
            "dimensions": Cell(line.dimensions, "code sub", title=line.dimensions),
            "partner": Cell(line.partner),
            "source": source,
        }
        return TableRow(
            f"{line.journal}-{line.line}",
            [
                Cell(line.date.isoformat(), "code"),
                Cell(line.journal, "code", link=journal, opens=True),
                Cell(account, "code"),
                Cell(line.description, "text most", title=line.description),
                *(cell for name, cell in further.items() if name in shows),
                *sides(line.amount, digits),
                Cell(show_amount(standing, digits), "num"),
            ],
        )

    return table_rows(table_row(*line) for line in lines)


def elsewhere_rows(
    balances: Iterable[tuple[int, int, str, str, int, str]], digits: int, shows: set[str], beside_lines: bool
) -> SafeString:
    """Balances whose journals are kept elsewhere: (year, period, account, dimensions, amount, partner), in
    the
    columns of the lines that they stand below."""

    def table_row(number: int, row: tuple[int, int, str, str, int, str]) -> TableRow:
        year, period, account, dimensions, amount, partner = row
        further = {"dimensions": Cell(dimensions, "code sub"), "partner": Cell(partner), "source": Cell()}
        told = [
            text for name, text in (("dimensions", dimensions), ("partner", partner)) if name not in shows
        ]
        cells = [
            Cell(f"{year} period {period}", "code"),
            Cell("kept elsewhere"),
            Cell(account, "code"),
            Cell(" ".join(filter(None, told)), "sub"),
            *(cell for name, cell in further.items() if name in shows),
            *sides(amount, digits),
        ]
        return TableRow(f"kept-{number}", [*cells, Cell()] if beside_lines else cells)

    return table_rows(table_row(number, row) for number, row in enumerate(balances, 1))
