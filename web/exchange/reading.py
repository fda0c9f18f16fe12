"""Opens a package: a folder, a zip of one, or a workbook with a sheet a table. Whatever is wrong becomes a
fault."""

from __future__ import annotations

import csv
import io
import stat
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from core.definitions.tables import TABLES
from core.fault_codes import FaultCode
from core.faults import Fault, Location
from web.exchange import limits
from web.shell.workbooks import UnreadableWorkbook, sheet_names, sheet_rows

csv.field_size_limit(limits.LONGEST_CELL)
Record = tuple[int, list[str]]


class Source:
    """One table's bytes, opened anew for each reading."""

    def __init__(self, name: str, size: int) -> None:
        self.name, self.size = name, size

    def open(self) -> IO[bytes]:
        raise NotImplementedError

    def records(self, faults: list[Fault]) -> Iterator[Record]:
        """Header first, each record with its number. Ends at the first thing that can't be read, with a
        fault."""
        number = 0
        try:
            with (
                self.open() as raw,
                io.TextIOWrapper(raw, encoding="utf-8-sig", newline="", errors="strict") as text,
            ):
                for number, cells in enumerate(csv.reader(text, strict=True), 1):
                    if number > limits.MOST_ROWS:
                        faults.append(
                            self._fault(
                                "too-many-rows",
                                f"The table has more than {limits.MOST_ROWS:,} rows.",
                                number,
                                "Split it into several packages.",
                            )
                        )
                        return
                    yield number, cells
        except UnicodeDecodeError as error:
            what = f"The file is not UTF-8: byte {error.object[error.start]:#04x} cannot be read."
            faults.append(self._fault("encoding", what, self._bad_row(), "Save the file as CSV UTF-8."))
        except csv.Error as error:
            if "field larger" in str(error):
                what = f"A cell has more than {limits.LONGEST_CELL:,} characters."
            elif "NUL" in str(error):
                what = "The file holds a NUL byte."
            else:
                what = f"The row is not CSV: {error}."
            faults.append(self._fault("not-csv", what, number + 1, "Correct the row."))
        except (zipfile.BadZipFile, OSError, EOFError, RuntimeError, NotImplementedError) as error:
            faults.append(
                self._fault(
                    "unreadable", f"The file cannot be read: {error}.", number + 1, "Make the package again."
                )
            )

    def _bad_row(self) -> int:
        """The row that holds the first byte that is not UTF-8."""
        with self.open() as raw:
            for number, line in enumerate(raw, 1):
                try:
                    line.decode()
                except UnicodeDecodeError:
                    return number
        return 1

    def _fault(self, code: FaultCode, what: str, row: int, way_out: str) -> Fault:
        return Fault(code, what, Location(self.name, row=row), way_out)


class FileSource(Source):
    """A table of a folder."""

    def __init__(self, name: str, path: Path) -> None:
        super().__init__(name, path.stat().st_size)
        self.path = path

    def open(self) -> IO[bytes]:
        return self.path.open("rb")


class ZipSource(Source):
    """A table of a zip."""

    def __init__(self, name: str, archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> None:
        super().__init__(name, info.file_size)
        self.archive, self.info = archive, info

    def open(self) -> IO[bytes]:
        return self.archive.open(self.info)


class SheetSource(Source):
    """A table of a workbook."""

    def __init__(self, name: str, path: Path) -> None:
        super().__init__(name, 0)
        self.path = path
        self.plainly = False
        """whether numbers are to be read alike by any way of writing"""

    def records(self, faults: list[Fault]) -> Iterator[Record]:
        try:
            for number, texts in enumerate(sheet_rows(self.path, self.name, plainly=self.plainly), 1):
                if any(texts):
                    yield number, texts
        except UnreadableWorkbook as refused:
            what = f"The sheet can't be read: {refused}."
            faults.append(self._fault("unreadable", what, 1, "Save the workbook as XLSX again."))


@dataclass
class Package:
    """Tables by name, and what is wrong with the package itself."""

    sources: dict[str, Source] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)

    def add(self, source: Source) -> None:
        if source.name not in TABLES:
            known = ", ".join(TABLES)
            what = f"There is no table {source.name}."
            self.faults.append(Fault("table-unknown", what, Location(source.name), f"Tables are: {known}."))
        elif source.name in self.sources:
            what = f"The table {source.name} stands in the package twice."
            self.faults.append(Fault("table-twice", what, Location(source.name), "Keep one of them."))
        else:
            self.sources[source.name] = source


def open_package(path: Path) -> Package:
    """Opens a folder, zip or workbook. Raises FileNotFoundError where there is nothing of that name."""
    package = Package()
    if path.is_dir():
        for file in sorted(path.iterdir()):
            if file.suffix.lower() == ".csv" and file.is_file() and not file.name.startswith("."):
                package.add(FileSource(file.stem, file))
    elif not path.exists():
        raise FileNotFoundError(path)
    elif zipfile.is_zipfile(path):
        _open_zip(path, package)
    elif path.suffix.lower() == ".csv":
        package.add(FileSource(path.stem, path))
    else:
        what = f"{path.name} is neither a folder, a zip, a workbook nor a CSV file."
        package.faults.append(Fault("not-a-package", what, way_out="See docs/exchange-format.md."))
    if not package.sources and not package.faults:
        what = "The package holds no tables."
        package.faults.append(Fault("empty-package", what, way_out="A table is a CSV file named after it."))
    return package


def _open_zip(path: Path, package: Package) -> None:
    try:
        archive = zipfile.ZipFile(path)
        infos = archive.infolist()
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        package.faults.append(
            Fault("unreadable", f"The zip cannot be read: {error}.", way_out="Make the package again.")
        )
        return
    if any(info.filename == "xl/workbook.xml" for info in infos):
        _open_workbook(path, package)
        return
    if zip_faults := _zip_faults(infos):
        package.faults += zip_faults
        return
    folders = set()
    for info in infos:
        name = Path(info.filename)
        if (
            info.is_dir()
            or name.suffix.lower() != ".csv"
            or name.name.startswith(".")
            or name.parts[0] == "__MACOSX"
        ):
            continue
        folders.add(str(name.parent))
        package.add(ZipSource(name.stem, archive, info))
    if len(folders) > 1 or any(len(Path(folder).parts) > 1 for folder in folders):
        package.faults.append(
            Fault(
                "zip-folders",
                f"The tables lie in several folders: {', '.join(sorted(folders))}.",
                way_out="Keep them at the root of the zip or in one folder.",
            )
        )


def _zip_faults(infos: list[zipfile.ZipInfo]) -> list[Fault]:
    faults = []
    for info in infos:
        parts = info.filename.replace("\\", "/").split("/")
        if ".." in parts or info.filename.startswith(("/", "\\")) or ":" in parts[0]:
            what = f"The zip holds a path that leads out of it: {info.filename}."
            faults.append(Fault("zip-path", what, way_out="Make the zip again."))
        if stat.S_ISLNK(info.external_attr >> 16):
            faults.append(
                Fault(
                    "zip-link", f"The zip holds a link: {info.filename}.", way_out="Put the file itself in."
                )
            )
        if info.flag_bits & 1:
            faults.append(
                Fault(
                    "zip-locked", f"{info.filename} is encrypted.", way_out="Make the zip without a password."
                )
            )
    total = sum(info.file_size for info in infos)
    packed = sum(info.compress_size for info in infos) or 1
    if total > limits.MOST_BYTES or (total > limits.RATIO_FROM and total / packed > limits.MOST_RATIO):
        faults.append(
            Fault(
                "zip-size",
                f"The zip would unpack to {total / 1024**2:,.0f} MiB from {packed / 1024**2:,.1f} MiB.",
                way_out=(
                    f"At most {limits.MOST_BYTES // 1024**2:,} MiB and {limits.MOST_RATIO} times are"
                    " unpacked."
                ),
            )
        )
    return faults


def _open_workbook(path: Path, package: Package) -> None:
    with zipfile.ZipFile(path) as archive:
        if refused := _zip_faults(archive.infolist()):
            package.faults += refused
            return
    try:
        for name in sheet_names(path):
            package.add(SheetSource(name, path))
    except UnreadableWorkbook as refused:
        package.faults.append(
            Fault("unreadable", f"The workbook cannot be read: {refused}.", way_out="Save it as XLSX again.")
        )
