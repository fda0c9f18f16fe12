"""Papers as PDF pages: a title, columns headed on each page, page x of y, and contents where there are
several."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from functools import partial
from html import escape
from pathlib import Path
from typing import Any, NamedTuple, cast

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    NextPageTemplate,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
)

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
LEADING, ABOVE, BELOW, BASE = 10.5, 1.6, 1.8, 3.8
"""Points: of a line of text, above and below a row, and from a row's bottom to where its text stands."""
GAP, NOTED, LESS = 4, 6.0, "less"
TITLE = ParagraphStyle("title", fontName=BOLD, fontSize=14, leading=18, textColor=INK)
UNDER = ParagraphStyle("under", fontName=TEXT, fontSize=9, leading=12, textColor=SOFT)
ENTRY_SIZE, ENTRY_LEADING, PAGE_ROOM = 9.5, 14.0, 14 * mm


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
    made = papers[0].made if papers else ""
    document = _Document(out, title, made, _page(papers[0]) if papers else UPRIGHT)
    story: list[Any] = []
    for number, paper in enumerate(papers):
        story += [NextPageTemplate(_page(paper)), PageBreak()] if story else []
        story += _paper(paper, number)
        tell(number + 1)
    if len(papers) > 1 or left_out:
        # laid out last, when it is known where each paper begins, and put before them
        story += [_PapersEnd(), NextPageTemplate(UPRIGHT), PageBreak()] if story else []
        story += [Paragraph(escape(title), TITLE), Spacer(1, 5 * mm), _Contents(papers), Spacer(1, 5 * mm)]
        story += [Paragraph(escape(sentence), UNDER) for sentence in left_out]
    document.build(story, canvasmaker=partial(_Numbered, made=made))
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


class _PaperTitle(Paragraph):
    """A paper's title."""

    canv: _Numbered

    def __init__(self, paper: Paper, number: int) -> None:
        super().__init__(escape(paper.title), TITLE)
        self.paper, self.number = paper, number

    def draw(self) -> None:
        self.canv.begun.append(_Begun(_key(self.number), self.paper.name))
        super().draw()


def _key(number: int) -> str:
    return f"paper-{number}"


class _PapersEnd(Flowable):
    """Behind the last paper; what comes after it are the contents."""

    canv: _Numbered
    width = height = 0

    def draw(self) -> None:
        self.canv.papers_end = len(self.canv.pages) + 1


class _Contents(Flowable):
    """The names of papers; the canvas writes their pages beside them when all are counted."""

    canv: _Numbered

    def __init__(self, papers: Sequence[Paper], first: int = 0) -> None:
        super().__init__()
        self.papers, self.first = papers, first

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        self.width = available_width
        self.names = [
            simpleSplit(paper.name, TEXT, ENTRY_SIZE, available_width - PAGE_ROOM) for paper in self.papers
        ]
        self.height = ENTRY_LEADING * sum(map(len, self.names))
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        self.wrap(available_width, available_height)
        left, fits = available_height, 0
        for name in self.names:
            left -= ENTRY_LEADING * len(name)
            if left < 0:
                break
            fits += 1
        rest = _Contents(self.papers[fits:], self.first + fits)
        return [_Contents(self.papers[:fits], self.first), rest] if fits else []

    def draw(self) -> None:
        canvas, at = self.canv, self.height
        canvas.setFont(TEXT, ENTRY_SIZE)
        canvas.setFillColor(INK)
        for number, name in enumerate(self.names, self.first):
            top = at
            for text in name:
                at -= ENTRY_LEADING
                canvas.drawString(0, at + 4, text)
            dots_from = stringWidth(name[-1], TEXT, ENTRY_SIZE) + 4
            canvas.setFillColor(SOFT)
            dot = stringWidth(" .", TEXT, ENTRY_SIZE)
            count = int((self.width - PAGE_ROOM / 2 - dots_from) // dot)
            canvas.drawString(self.width - PAGE_ROOM / 2 - count * dot, at + 4, " ." * count)
            canvas.setFillColor(INK)
            left, bottom = canvas.absolutePosition(0, at)
            right, upper = canvas.absolutePosition(self.width, top)
            canvas.entries.append(_Entry(_key(number), (left, bottom, right, upper)))


class _Begun(NamedTuple):
    """A paper that begins on a page."""

    key: str
    name: str


class _Entry(NamedTuple):
    """A line of the contents: which paper, and where it stands on its page."""

    key: str
    place: tuple[float, float, float, float]


class _Numbered(Canvas):
    """Writes each page when all are there: contents first, then the papers; at the foot who made it, and page
    x of y. Only then a page can be named, so that is when links and the outline are made."""

    def __init__(self, *args: Any, made: str, **named: Any) -> None:
        super().__init__(*args, **named)
        self.pages: list[dict[str, Any]] = []
        self.made = made
        self.begun: list[_Begun] = []
        self.entries: list[_Entry] = []
        self.papers_end = 0

    def showPage(self) -> None:
        self.pages.append(dict(self.__dict__))
        self.begun, self.entries = [], []
        cast(Any, self)._startPage()  # the page goes on to be written in `save`, when all are counted

    def save(self) -> None:
        pages = [*self.pages[self.papers_end :], *self.pages[: self.papers_end]]
        begins = {begun.key: number for number, page in enumerate(pages, 1) for begun in page["begun"]}
        for number, page in enumerate(pages, 1):
            self.__dict__.update(page)
            self._foot(number, len(pages))
            for entry in page["entries"]:
                _, bottom, right, _ = entry.place
                self.setFont(TEXT, ENTRY_SIZE)
                self.setFillColor(INK)
                self.drawRightString(right, bottom + 4, str(begins[entry.key]))
                # by a name of its own: what the canvas counts is as it was when the page was laid out
                self.linkRect("", entry.key, entry.place, relative=0, thickness=0, name=f"to-{entry.key}")
            for begun in page["begun"]:
                self.bookmarkPage(begun.key)
                self.addOutlineEntry(begun.name, begun.key, 0)
            super().showPage()
        super().save()

    def _foot(self, number: int, pages: int) -> None:
        width = cast(Any, self)._pagesize[0]
        self.setFont(TEXT, 7.5)
        self.setFillColor(SOFT)
        self.drawString(MARGIN, MARGIN, self.made)
        self.drawRightString(width - MARGIN, MARGIN, f"page {number} of {pages}")


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
        heads = paper.heads[start : start + most]
        story += [
            _Rows(paper, heads, slice(start, start + most), _laid_out(paper, heads, width)),
            Spacer(1, 4 * mm),
        ]
    return [*story, *(Paragraph(escape(note), UNDER) for note in paper.notes)]


class _Line(NamedTuple):
    """A row with its label broken into what fits beside its figures."""

    row: PaperRow
    label: list[str]
    indent: float

    @property
    def height(self) -> float:
        return ABOVE + max(1, len(self.label)) * LEADING + BELOW


class _Layout(NamedTuple):
    """Widths of a table in points, and its rows."""

    width: float
    column: float
    lines: list[_Line]


def _laid_out(paper: Paper, heads: Sequence[str], width: float) -> _Layout:
    column = min(34 * mm, (width - LABEL) / max(1, len(heads)))
    room = width - column * len(heads) - GAP
    lines = []
    for row in paper.rows:
        font = BOLD if row.kind == "heading" else TEXT
        indent = min(row.depth, 10) * STEP
        words = f"{LESS} {row.label}" if row.less else row.label
        lines.append(_Line(row, simpleSplit(words, font, SIZE, room - indent - _noted_width(row)), indent))
    return _Layout(width, column, lines)


def _noted_width(row: PaperRow) -> float:
    return float(stringWidth(row.noted, TEXT, NOTED)) if row.noted else 0.0


class _Rows(Flowable):
    """Some columns of a paper with their head, which stands again on each further page. Drawn row by row: a
    pack has tens of thousands."""

    def __init__(
        self, paper: Paper, heads: Sequence[str], part: slice, layout: _Layout, goes_on: bool = False
    ) -> None:
        super().__init__()
        self.paper, self.heads, self.part, self.layout, self.goes_on = paper, heads, part, layout, goes_on
        first = f"{paper.name}, continued" if goes_on else "Line"
        room = layout.width - layout.column * len(heads) - GAP
        self.first = simpleSplit(first, BOLD, SIZE, room)
        self.broken = [simpleSplit(head, BOLD, SIZE, layout.column - GAP) for head in heads]
        most = max(len(lines) for lines in (self.first, *self.broken))
        self.head_height = ABOVE + most * LEADING + BELOW

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        self.width = self.layout.width
        self.height = self.head_height + sum(line.height for line in self.layout.lines)
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """What fits on the page and what goes on behind it; nothing where not even a row fits."""
        left, fits = available_height - self.head_height, 0
        for line in self.layout.lines:
            left -= line.height
            if left < 0:
                break
            fits += 1
        if not fits:
            return []
        return [
            _Rows(self.paper, self.heads, self.part, self.layout._replace(lines=lines), goes_on)
            for lines, goes_on in (
                (self.layout.lines[:fits], self.goes_on),
                (self.layout.lines[fits:], True),
            )
            if lines
        ]

    def draw(self) -> None:
        canvas, bottom = self.canv, self.height - self.head_height
        canvas.setFillColor(INK)
        canvas.setFont(BOLD, SIZE)
        self._text(self.first, 0, bottom)
        for at, lines in enumerate(self.broken):
            for n, text in enumerate(reversed(lines)):
                canvas.drawRightString(self._right(at), bottom + BASE + n * LEADING, text)
        self._rule(bottom, 0.8, INK)
        for line in self.layout.lines:
            bottom -= line.height
            self._row(line, bottom)

    def _row(self, line: _Line, bottom: float) -> None:
        canvas, row = self.canv, line.row
        is_heading = row.kind == "heading"
        font = BOLD if is_heading else TEXT
        canvas.setFont(font, SIZE)
        if row.less:
            first, rest = line.label[0].removeprefix(LESS), line.label[1:]
            top = bottom + BASE + len(rest) * LEADING
            canvas.setFillColor(SOFT)
            canvas.drawString(line.indent, top, LESS)
            canvas.setFillColor(INK)
            canvas.drawString(line.indent + stringWidth(LESS, font, SIZE), top, first)
            self._text(rest, line.indent, bottom)
        else:
            canvas.setFillColor(INK)
            self._text(line.label, line.indent, bottom)
        if row.noted:
            behind = stringWidth(line.label[-1] if line.label else "", font, SIZE)
            canvas.setFont(TEXT, NOTED)
            canvas.drawString(line.indent + behind, bottom + BASE + 3, row.noted)
        canvas.setFont(FIGURES_BOLD if is_heading else FIGURES, SIZE)
        for at, text in enumerate(row.cells[self.part]):
            canvas.drawRightString(self._right(at), bottom + BASE, text)
        self._rule(bottom, 0.25, FAINT)

    def _text(self, lines: Sequence[str], indent: float, bottom: float) -> None:
        for n, text in enumerate(reversed(lines)):
            self.canv.drawString(indent, bottom + BASE + n * LEADING, text)

    def _rule(self, at: float, width: float, colour: Any) -> None:
        self.canv.setStrokeColor(colour)
        self.canv.setLineWidth(width)
        self.canv.line(0, at, self.layout.width, at)

    def _right(self, at: int) -> float:
        """Where the figures of a column end."""
        return self.layout.width - self.layout.column * (len(self.heads) - 1 - at) - 2
