"""One column a code of a field, or a pair of codes of two fields, in code order, those without one last."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from core.analysis.amount_rows import AmountRows, numbered
from core.analysis.filters import NONE, chart_field
from core.faults import WrongCall
from core.structures.charts import ChartIndex


class ColumnsByCode(NamedTuple):
    """`keys` are the codes of each column (empty: none), `places` each row's column, -1 where it has none."""

    keys: tuple[tuple[str, ...], ...]
    places: NDArray[np.int64]

    @property
    def titles(self) -> tuple[str, ...]:
        return tuple("/".join(code or NONE for code in key) for key in self.keys)


def fields_asked(chart: ChartIndex, text: str) -> tuple[str, ...]:
    """One field, or two different ones parted by a comma. Raises WrongCall for anything else."""
    names = tuple(name.strip() for name in text.split(","))
    if len(names) > 2:
        raise WrongCall("Columns are by one field or by two.")
    for name in names:
        chart_field(chart, name)
    if len(set(names)) < len(names):
        raise WrongCall(f"Columns by {names[0]} and {names[1]} say the same twice.")
    return names


def code_columns(
    chart: ChartIndex, fields: tuple[str, ...], rows: AmountRows, counted: NDArray[np.bool_] | None = None
) -> ColumnsByCode:
    """Of all rows, or of those that are counted: the others have no column (-1)."""
    codes: list[list[str]] = []
    combined = np.zeros(len(rows), dtype=np.int64)
    for field in fields:
        known, place = rows.codes_in(chart, field)
        codes.append(known)
        combined = combined * len(known) + place if known else combined
    present, _ = numbered(combined if counted is None else combined[counted])
    keys = []
    for number in present.tolist():
        key: list[str] = []
        for known in reversed(codes):
            number, at = divmod(number, len(known))
            key.insert(0, known[at])
        keys.append(tuple(key))
    order = sorted(range(len(keys)), key=lambda i: [(not code, code) for code in keys[i]])
    rank = np.full(int(combined.max(initial=0)) + 1, -1, dtype=np.int64)
    rank[present[order]] = np.arange(len(keys))
    places = rank[combined]
    if counted is not None:
        places = np.where(counted, places, -1)
    return ColumnsByCode(tuple(keys[i] for i in order), places)
