"""A segment added behind those of a structure that was posted to: the strings that are there read as empty in
it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Set

from core.definitions.row_faults import fault
from core.definitions.state import Edit, State
from core.definitions.tables import Chart, ChartSegment, Structure, StructureSegment
from core.faults import Fault


def appended_faults(after: State, segment: StructureSegment, posted: Set[str]) -> Iterator[Fault]:
    """Why a segment can't be added to a structure of the charts `posted`: there it is optional, or has a
    default."""
    for chart in sorted(after.rows(Chart)):
        if chart.structure != segment.structure or chart.chart not in posted:
            continue
        own = after.get(ChartSegment, chart.chart, segment.segment)
        if own is None or (own.required and not own.default_code):
            what = (
                f"Account strings of {chart.name} were posted to without {segment.name}, so it is optional"
                " there or has a default."
            )
            way_out = "Say no to required, or give a default; the strings that are there stay empty in it."
            yield fault(segment, "required", what, way_out, "fixed")


def tails(before: State, edits: Iterable[Edit]) -> dict[str, str]:
    """What the kept account strings of each chart get at their end, by chart: a separator for each segment
    added."""
    added = Counter(edit.key[0] for edit in edits if edit.table == "structure_segments" and edit.old is None)
    added.subtract(edit.key[0] for edit in edits if edit.table == "structure_segments" and edit.new is None)
    heads = {structure: before.get(Structure, structure) for structure, count in added.items() if count > 0}
    return {
        chart.chart: structure_row.separator * added[chart.structure]
        for chart in before.rows(Chart)
        if (structure_row := heads.get(chart.structure)) is not None
    }
