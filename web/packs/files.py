"""A pack as one PDF with contents, one workbook, or files in a folder."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Callable, Iterator

from web.packs.pdf import as_pdf
from web.packs.statements import PackContents
from web.shell.tabular import as_csv, file_name
from web.statements.made_from import MadeFrom
from web.statements.outline import new_workbook, write_made_from

Tell = Callable[[int], None]
LONGEST_SHEET = 31


def pack_file(form: str, name: str, contents: PackContents, made: MadeFrom, tell: Tell) -> bytes:
    """`form` is pdf, xlsx or zip."""
    if form == "pdf":
        papers = [one.paper(made.sentence()) for one in contents.figures]
        return as_pdf(papers, name, tell, contents.left_out)
    if form == "xlsx":
        return _workbook(name, contents, made, tell)
    return _zipped(pack_files(contents, made, tell))


def pack_files(contents: PackContents, made: MadeFrom, tell: Tell) -> Iterator[tuple[str, bytes]]:
    """Name and content of each file: a PDF and a CSV a statement, and a list of all with their hashes, then
    what is left out."""
    listed: list[list[str]] = []
    for number, one in enumerate(contents.figures, 1):
        item = one.item
        stem = file_name(f"{number:03d}-{item.statement}-{item.group or item.company}")
        paper = as_pdf([one.paper(made.sentence())], one.paper("").name)
        for name, content in ((f"{stem}.pdf", paper), (f"{stem}.csv", one.csv())):
            digest = hashlib.sha256(content).hexdigest()
            listed.append([name, item.statement, item.company, item.group, digest])
            yield name, content
        tell(number)
    listed += [[sentence, "", "", "", ""] for sentence in contents.left_out]
    yield "contents.csv", as_csv(("file", "statement", "company", "group", "sha256"), listed)


def _zipped(files: Iterator[tuple[str, bytes]]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files:
            archive.writestr(name, content)
    return out.getvalue()


def _workbook(name: str, pack: PackContents, made: MadeFrom, tell: Tell) -> bytes:
    """A sheet a statement behind a sheet of contents that leads to them."""
    out = io.BytesIO()
    book = new_workbook(out)
    contents = book.add_worksheet("Contents")
    contents.set_column(0, 0, 60)
    contents.write_string(0, 0, name, book.add_format({"bold": True, "font_size": 13}))
    for at, sentence in enumerate(pack.left_out, len(pack.figures) + 3):
        contents.write_string(at, 0, sentence)
    for number, one in enumerate(pack.figures, 1):
        one.write(book, f"{number} {one.title}"[:LONGEST_SHEET])
        heading = f"{one.title}, {one.whose}"
        contents.write_url(number + 1, 0, f"internal:'{book.worksheets()[-1].get_name()}'!A1", string=heading)
        tell(number)
    write_made_from(book, [("Pack", name), *made.who_and_when()])
    book.close()
    return out.getvalue()
