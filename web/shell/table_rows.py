"""Rows of tables as HTML, built by one function: a template tag in every cell costs ten times as much.

Everything that is put into a row is escaped here; classes are the stylesheet's.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from html import escape
from urllib.parse import quote

from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

DEEPEST = 8
UNRESERVED = "/~:@!$&'()*+,;="
"""What Django's own addresses leave as it is in a part of a path."""
STAND_IN = "0stand-in0"


def escaped(text: str) -> str:
    """The text as HTML; most have nothing to escape."""
    return text if text.isalnum() else escape(text)


@dataclass(frozen=True, slots=True)
class Cell:
    """A text (or SafeString) with its classes; `code`: set before it; `title`: told on pointing; `link`:
    where it leads; `opens`: Enter on the row goes there; `in_proof`: it comes into the proof leaf."""

    text: object = ""
    css: str = ""
    link: str = ""
    opens: bool = False
    in_proof: bool = False
    code: str = ""
    title: str = ""
    below: str = ""
    """a second line"""

    def html(self) -> str:
        text = self.text if isinstance(self.text, SafeString) else escaped(str(self.text))
        if self.code:
            text = f'<span class="code">{escape(self.code)}</span> {text}'
        if self.link:
            link = escape(self.link)
            opens = " data-open" if self.opens else ""
            proof = f' hx-get="{link}" hx-target="#proof"' if self.in_proof else ""
            amount = ' class="amount"' if "num" in self.css else ""
            text = f'<a{amount}{opens} href="{link}"{proof}>{text}</a>'
        if self.below:
            text = f"{text}<br>{escape(self.below)}"
        title = f' title="{escape(self.title)}"' if self.title else ""
        css = f' class="{self.css}"' if self.css else ""
        return f"<td{css}{title}>{text}</td>"


@dataclass(frozen=True, slots=True)
class TableRow:
    """A row by its key; `proof`: the address of what stands in `target` while the row has focus; `takes`:
    rows can be dropped onto it; `level`: how deep it stands in a tree whose sections fold."""

    key: str
    cells: Sequence[Cell]
    css: str = ""
    element: str = ""
    proof: str = ""
    target: str = "#proof"
    takes: bool = False
    draggable: bool = False
    focused: bool = False
    level: int | None = None

    def html(self) -> str:
        key = escaped(self.key)
        parts = ["<tr"]
        if self.element:
            parts.append(f' id="{escape(self.element)}"')
        if self.css:
            parts.append(f' class="{self.css}"')
        parts.append(f' tabindex="-1" data-row="{key}"')
        if self.level is not None:
            parts.append(f' data-level="{self.level}"')
        if self.takes:
            parts.append(f' data-onto="{key}"')
        if self.draggable:
            parts.append(' draggable="true"')
        if self.proof:
            parts.append(
                f' hx-get="{escape(self.proof)}" hx-trigger="focus delay:120ms"'
                f' hx-target="{self.target}"'
                f' hx-sync="{self.target}:replace"'
            )
        if self.focused:
            parts.append(' data-focus="1"')
        parts.append(">")
        parts += [cell.html() for cell in self.cells]
        parts.append("</tr>")
        return "".join(parts)


def table_rows(rows: Iterable[TableRow]) -> SafeString:
    """The rows of a table, for its body."""
    return mark_safe("".join(row.html() for row in rows))  # noqa: S308 - every text was escaped above


def indent(depth: int) -> str:
    """The class that sets a cell in by its level."""
    return f"d{min(depth, DEEPEST)}"


def addresses(name: str, *args: str) -> Callable[[str], str]:
    """The addresses of a route for many keys, its last part: resolved once, not once a row."""
    before, after = reverse(name, args=[*args, STAND_IN]).split(STAND_IN)
    return lambda key: f"{before}{quote(key, safe=UNRESERVED)}{after}"
