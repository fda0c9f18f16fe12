"""Papers as PDF pages: a title, columns headed on each page, page x of y, and contents where there are
several."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from functools import partial
from html import escape
from pathlib import Path
from typing import Any, cast

from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Frame,
    LongTable,
    NextPageTemplate,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
)
from reportlab.platypus.tableofcontents import TableOfContents

from web.packs.paper import Paper, PaperRow

FONTS = Path(__file__).with_name("fonts")
TEXT, BOLD, FIGURES, FIGURES_BOLD = "PaperText", "PaperBold", "PaperFigures", "PaperFiguresBold"
FILES = {
    TEXT: "text-regular",
    BOLD: "text-bold",
    FIGURES: "figures-regular",
    FIGURES_BOLD: "figures-bold",
}
INK, SOFT, FAINT = HexColor("#1c2b27"), HexColor("#5d6863"), HexColor("#d9d3c4")
MARGIN, FOOT, SIZE = 16 * mm, 14 * mm, 8.5
UPRIGHT, SIDEWAYS = "upright", "sideways"
SIZES = {UPRIGHT: A4, SIDEWAYS: landscape(A4)}
WIDEST_UPRIGHT = 3
"""More columns than these stand on a page turned sideways."""
LABEL, NARROWEST = 62 * mm, 21 * mm
STEP = 3.2 * mm
TITLE = ParagraphStyle("title", fontName=BOLD, fontSize=14, leading=18, textColor=INK)
UNDER = ParagraphStyle("under", fontName=TEXT, fontSize=9, leading=12, textColor=SOFT)
CELL = ParagraphStyle("cell", fontName=TEXT, fontSize=SIZE, leading=10.5, textColor=INK)
HEAD = ParagraphStyle("head", parent=CELL, fontName=BOLD, alignment=TA_RIGHT)
ENTRY = ParagraphStyle("entry", fontName=TEXT, fontSize=9.5, leading=14, textColor=INK)


def as_pdf(
    papers: Sequence[Paper],
    title: str,
    tell: Callable[[int], None] = lambda _: None,
    left_out: Sequence[str] = (),
) -> bytes:
    """`tell` is told how many papers were laid out; what it raises ends the making. `left_out`: sentences
    about what is missing, below the contents."""
    _register()
    out = io.BytesIO()
    first = _page(papers[0]) if len(papers) == 1 and not left_out else UPRIGHT
    document = _Document(out, title, papers[0].made if papers else "", first)
    numbered = partial(_Numbered, made=papers[0].made if papers else "")
    story: list[Any] = []
    has_contents = len(papers) > 1 or bool(left_out)
    if has_contents:
        contents = TableOfContents(levelStyles=[ENTRY], dotsMinLevel=0)
        story += [Paragraph(escape(title), TITLE), Spacer(1, 5 * mm), contents, Spacer(1, 5 * mm)]
        story += [Paragraph(escape(sentence), UNDER) for sentence in left_out]
    for number, paper in enumerate(papers):
        story += [NextPageTemplate(_page(paper)), PageBreak()] if story else []
        story += _paper(paper, number)
        tell(number + 1)
    if has_contents:
        document.multiBuild(story, canvasmaker=numbered)
    else:
        document.build(story, canvasmaker=numbered)
    return out.getvalue()


def _register() -> None:
    if TEXT not in pdfmetrics.getRegisteredFontNames():
        for name, file in FILES.items():
            pdfmetrics.registerFont(TTFont(name, FONTS / f"{file}.ttf"))


class _Document(BaseDocTemplate):
    """`first` is how the first page stands."""

    def __init__(self, out: io.BytesIO, title: str, made: str, first: str) -> None:
        super().__init__(out, title=title, author=made, creator="Pine Scaffold", invariant=1)
        for name, size in sorted(SIZES.items(), key=lambda pair: pair[0] != first):
            width, height = size
            frame = Frame(MARGIN, MARGIN + FOOT, width - 2 * MARGIN, height - 2 * MARGIN - FOOT, 0, 0, 0, 0)
            self.addPageTemplates(PageTemplate(name, [frame], pagesize=size))

    def afterFlowable(self, flowable: Any) -> None:
        if isinstance(flowable, _PaperTitle):
            key = f"paper-{flowable.number}"
            self.canv.bookmarkPage(key)
            self.canv.addOutlineEntry(flowable.paper.name, key, 0)
            self.notify("TOCEntry", (0, escape(flowable.paper.name), self.page, key))


class _PaperTitle(Paragraph):
    """A paper's title; it notes on which page the paper begins."""

    def __init__(self, paper: Paper, number: int) -> None:
        super().__init__(escape(paper.title), TITLE)
        self.paper, self.number, self.first_page = paper, number, 0

    def draw(self) -> None:
        self.first_page = self.canv.getPageNumber()
        super().draw()


class _Continued(Paragraph):
    """The head of the first column; on further pages it says what goes on there."""

    def __init__(self, title: _PaperTitle) -> None:
        super().__init__("Line", ParagraphStyle("line", parent=CELL, fontName=BOLD))
        self.title = title
        self.more = Paragraph(f"{escape(title.paper.name)}, continued", self.style)

    def draw(self) -> None:
        goes_on = self.canv.getPageNumber() > self.title.first_page
        if goes_on:
            self.more.wrapOn(self.canv, LABEL, 40 * mm)
            self.more.drawOn(self.canv, 0, 0)
        else:
            super().draw()


class _Numbered(Canvas):
    """Writes the foot of each page when all are there: who made it, and page x of y."""

    def __init__(self, *args: Any, made: str, **named: Any) -> None:
        super().__init__(*args, **named)
        self.pages: list[dict[str, Any]] = []
        self.made = made

    def showPage(self) -> None:
        self.pages.append(dict(self.__dict__))
        cast(Any, self)._startPage()  # the page goes on to be written in `save`, when all are counted

    def save(self) -> None:
        for number, page in enumerate(self.pages, 1):
            self.__dict__.update(page)
            width = page["_pagesize"][0]
            self.setFont(TEXT, 7.5)
            self.setFillColor(SOFT)
            self.drawString(MARGIN, MARGIN, self.made)
            self.drawRightString(width - MARGIN, MARGIN, f"page {number} of {len(self.pages)}")
            super().showPage()
        super().save()


def _page(paper: Paper) -> str:
    return SIDEWAYS if len(paper.heads) > WIDEST_UPRIGHT else UPRIGHT


def _paper(paper: Paper, number: int) -> list[Any]:
    """The flowables of a paper; columns that don't fit beside one another follow below."""
    width = SIZES[_page(paper)][0] - 2 * MARGIN
    most = max(1, int((width - LABEL) // NARROWEST))
    title = _PaperTitle(paper, number)
    under = " · ".join(escape(part) for part in (paper.whose, paper.stretch) if part)
    story: list[Any] = [title, Paragraph(under, UNDER), Paragraph(escape(paper.told), UNDER)]
    story.append(Spacer(1, 3 * mm))
    for start in range(0, len(paper.heads) or 1, most):
        story += [_table(paper, title, slice(start, start + most), width), Spacer(1, 4 * mm)]
    return [*story, *(Paragraph(escape(note), UNDER) for note in paper.notes)]


def _table(paper: Paper, title: _PaperTitle, part: slice, width: float) -> LongTable:
    heads = paper.heads[part]
    column = min(34 * mm, (width - LABEL) / max(1, len(heads)))
    label = width - column * len(heads)
    rows: list[list[Any]] = [[_Continued(title), *(Paragraph(escape(head), HEAD) for head in heads)]]
    style: list[Any] = [
        ("FONT", (1, 1), (-1, -1), FIGURES, SIZE),
        ("ALIGN", (1, 0), (-1, -1), "RIGHT"),
        ("VALIGN", (0, 0), (-1, -1), "BOTTOM"),
        ("TEXTCOLOR", (0, 0), (-1, -1), INK),
        ("LINEBELOW", (0, 0), (-1, 0), 0.8, INK),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, FAINT),
        ("TOPPADDING", (0, 0), (-1, -1), 1.6),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.8),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("RIGHTPADDING", (0, 0), (-1, -1), 2),
    ]
    for i, row in enumerate(paper.rows, 1):
        rows.append([_label(row), *row.cells[part]])
        if row.kind == "heading":
            style.append(("FONT", (1, i), (-1, i), FIGURES_BOLD, SIZE))
    return LongTable(rows, [label, *[column] * len(heads)], repeatRows=1, style=style)


def _label(row: PaperRow) -> Paragraph:
    words = escape(row.label) or "&nbsp;"
    if row.less:
        words = f'<font color="#5d6863">less</font> {words}'
    if row.noted:
        words += f"<super>{escape(row.noted)}</super>"
    font = BOLD if row.kind == "heading" else TEXT
    style = ParagraphStyle("label", parent=CELL, fontName=font, leftIndent=min(row.depth, 10) * STEP)
    return Paragraph(words, style)
