"""Cases as text that an accountant can read: a title, what is given (parts begun by `@name`), what is to come
of it (`=>`)."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple


class Case(NamedTuple):
    title: str
    parts: dict[str, str]
    expected: list[str]

    def rows(self, part: str) -> list[list[str]]:
        """A part's lines as cells parted by `|`."""
        return [[cell.strip() for cell in line.split("|")] for line in self.parts.get(part, "").splitlines()]


def cases(path: Path) -> list[Case]:
    """The cases of a file: `== title`, parts, lines begun by `=>`. Lines begun by # are remarks."""
    found: list[Case] = []
    part = ""
    for line in path.read_text().splitlines():
        if line.startswith("== "):
            found.append(Case(line[3:], {}, []))
        elif line.startswith("@"):
            part = line[1:].strip()
            found[-1].parts[part] = ""
        elif line.startswith("=>"):
            found[-1].expected.append(" ".join(line[2:].split()))
        elif line.strip() and not line.startswith("#"):
            found[-1].parts[part] += line + "\n"
    return found
