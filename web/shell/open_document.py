"""Spreadsheets as open documents, written by the calls that workbooks are written by: one description of a
sheet makes either file. Imported where one is made: what it stands on takes its time to load."""

from __future__ import annotations

import io
import re
from collections.abc import Mapping, Sequence
from typing import Any

from odfdo import Cell, Column, Document, Element, Row, Style, Table

CELL = re.compile(r"(?<![A-Za-z\"])(\$?[A-Z]{1,3}\$?[0-9]+)(:\$?[A-Z]{1,3}\$?[0-9]+)?(?![A-Za-z0-9(])")
FIXED, BELOW_RIGHT = 2, 3
"""A split that stays where it is; the part of the view in which one goes on."""
WIDTH = 0.2
"""Centimetres a character of a column."""


def open_formula(text: str) -> str:
    """`=ROUND(SUM(B5,B6),2)` as open documents write it: `of:=ROUND(SUM([.B5];[.B6]);2)`. Formulas hold no
    other text than empty ones."""

    def reference(match: re.Match[str]) -> str:
        first, last = match.group(1), (match.group(2) or "").removeprefix(":")
        return f"[.{first}:.{last}]" if last else f"[.{first}]"

    return f"of:{CELL.sub(reference, text).replace(',', ';')}"


class OpenDocument:
    """Takes what is asked of an XlsxWriter workbook here, and is written to `out` when it is closed."""

    def __init__(self, out: io.BytesIO) -> None:
        self._out, self._document = out, Document("spreadsheet")
        self._document.body.clear()
        self._pages: list[OpenSheet] = []
        self._styles: dict[str, str] = {}

    def set_properties(self, properties: Mapping[str, Any]) -> None:
        self._document.meta.creator = properties.get("author", "")

    def add_format(self, properties: Mapping[str, Any]) -> str:
        """The name of a cell style: bold, number format, alignment, indent."""
        key = repr(sorted(properties.items()))
        if key not in self._styles:
            name = self._styles[key] = f"cell{len(self._styles)}"
            data = self._data_style(f"number{name}", str(properties.get("num_format", "")))
            style = Style("table-cell", name=name, bold=bool(properties.get("bold")), area="text")
            if data:
                style.set_attribute("style:data-style-name", data)
            paragraph = {"fo:margin-left": f"{0.3 * int(properties.get('indent', 0)):.1f}cm"}
            if properties.get("align") == "right":
                paragraph["fo:text-align"] = "end"
            style.set_properties(paragraph, area="paragraph")
            if properties.get("bottom"):
                style.set_properties({"fo:border-bottom": "0.5pt solid #000000"}, area="table-cell")
            self._document.insert_style(style, automatic=True)
        return self._styles[key]

    def _data_style(self, name: str, written: str) -> str | None:
        """`#,##0.00` and `0.0%`: how many decimals, whether thousands are parted."""
        if not written:
            return None
        decimals = len(written.rstrip("%").partition(".")[2])
        parted = "true" if "," in written else "false"
        number = (
            f'<number:number number:decimal-places="{decimals}" number:min-decimal-places="{decimals}"'
            f' number:min-integer-digits="1" number:grouping="{parted}"/>'
        )
        kind = "percentage-style" if written.endswith("%") else "number-style"
        sign = "<number:text>%</number:text>" if written.endswith("%") else ""
        style = f'<number:{kind} style:name="{name}">{number}{sign}</number:{kind}>'
        self._document.insert_style(style, automatic=True)
        return name

    def width(self, characters: float) -> str:
        """The name of a column style."""
        name = f"column{characters:.0f}"
        if name not in self._styles:
            self._styles[name] = name
            style = Style("table-column", name=name, width=f"{characters * WIDTH:.1f}cm")
            self._document.insert_style(style, automatic=True)
        return name

    def add_worksheet(self, name: str) -> OpenSheet:
        self._pages.append(OpenSheet(self, name))
        return self._pages[-1]

    def close(self) -> None:
        settings: Any = self._document.get_part("settings.xml")
        views = settings.get_element("//config:config-item-map-named")
        views.clear()
        views.set_attribute("config:name", "Tables")
        active = settings.get_element("//config:config-item[@config:name='ActiveTable']")
        active.text = self._pages[0].name if self._pages else ""
        for page in self._pages:
            self._document.body.append(page.table())
            if (panes := page.panes()) is not None:
                views.append(panes)
        self._document.save(self._out)


class OpenSheet:
    """Cells by row and column, both from 0."""

    def __init__(self, book: OpenDocument, name: str) -> None:
        self._book, self.name = book, name
        self._cells: dict[int, dict[int, Cell]] = {}
        self._widths: dict[int, str] = {}
        self._levels: dict[int, int] = {}
        self._hidden: set[int] = set()
        self._frozen: tuple[int, int] | None = None

    def _put(self, row: int, column: int, cell: Cell) -> None:
        self._cells.setdefault(row, {})[column] = cell

    def write_string(self, row: int, column: int, text: str, style: str | None = None) -> None:
        self._put(row, column, Cell(text, style=style))

    def write_number(self, row: int, column: int, value: float, style: str | None = None) -> None:
        self._put(row, column, Cell(float(value), cell_type="float", style=style))

    def write_row(self, row: int, column: int, texts: Sequence[str], style: str | None = None) -> None:
        for at, text in enumerate(texts, column):
            self.write_string(row, at, text, style)

    def write_formula(
        self, row: int, column: int, formula: str, style: str | None = None, value: float | str = 0
    ) -> None:
        kind = "string" if isinstance(value, str) else "float"
        self._put(row, column, Cell(value, cell_type=kind, formula=open_formula(formula), style=style))

    def set_column(self, first: int, last: int, characters: float) -> None:
        self._widths |= dict.fromkeys(range(first, last + 1), self._book.width(characters))

    def set_row(self, row: int, height: Any, style: Any, options: Mapping[str, int]) -> None:
        """How deep a row folds, and whether it is out of sight."""
        self._levels[row] = options.get("level", 0)
        if options.get("hidden"):
            self._hidden.add(row)

    def freeze_panes(self, row: int, column: int) -> None:
        """Rows above and columns before stay in sight."""
        self._frozen = row, column

    def outline_settings(self, *_: Any) -> None:
        """Open documents fold rows as they are; there is nothing to set."""

    def table(self) -> Table:
        table = Table(self.name)
        wide = max((max(row) for row in self._cells.values()), default=0) + 1
        for column in range(wide):
            table.append(Column(style=self._widths.get(column)))
        groups: list[Element] = [table]  # rows of one level stand in one group, deeper ones in groups below
        for at in range(max(self._cells, default=-1) + 1):
            row, cells = Row(), self._cells.get(at, {})
            if at in self._hidden:
                row.set_attribute("table:visibility", "collapse")
            for column in range(wide):
                row.append(cells.get(column) or Cell())
            level = self._levels.get(at, 0)
            del groups[level + 1 :]
            while len(groups) <= level:
                groups[-1].append(group := Element.from_tag("table:table-row-group"))
                groups.append(group)
            groups[-1].append(row)
        return table

    def panes(self) -> Element | None:
        """The settings of the sheet's view; None where nothing stays in sight."""
        if self._frozen is None:
            return None
        entry = Element.from_tag("config:config-item-map-entry")
        entry.set_attribute("config:name", self.name)
        row, column = self._frozen
        values = {
            "HorizontalSplitMode": FIXED if column else 0,
            "VerticalSplitMode": FIXED if row else 0,
            "HorizontalSplitPosition": column,
            "VerticalSplitPosition": row,
            "ActiveSplitRange": BELOW_RIGHT,
            "PositionRight": column,
            "PositionBottom": row,
        }
        for name, value in values.items():
            item = Element.from_tag("config:config-item")
            item.set_attribute("config:name", name)
            item.set_attribute("config:type", "short" if name.endswith(("Mode", "Range")) else "int")
            item.text = str(value)
            entry.append(item)
        return entry
