"""What a rollout brings: its items taken apart into single things."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Literal, NamedTuple

from core.codes.selectors import pick
from core.definitions.state import State
from core.definitions.tables import Code, Company, PairingRule, QuickCode, Rollout, RolloutItem, Statement
from core.structures.charts import ChartIndex, Field, chart_index

ThingKind = Literal["account", "code", "string", "rule", "quick_code", "place"]
ORDER: tuple[ThingKind, ...] = ("code", "account", "rule", "string", "quick_code", "place")
"""Each needs only what stands before it."""
MOST_THINGS = 5_000


class Thing(NamedTuple):
    """One thing of the source: a code of a `field`, an account, a string, a rule, a quick code, or where an
    account stands on the statement `field`."""

    kind: ThingKind
    field: str
    name: str

    @property
    def key(self) -> str:
        return f"{self.kind}.{self.field}.{self.name}" if self.field else f"{self.kind}.{self.name}"


class Things(NamedTuple):
    """All things of a rollout in the order in which they are brought, and sentences on items that say
    nothing."""

    things: tuple[Thing, ...]
    faults: tuple[str, ...]


def swapped_field(rollout: Rollout, index: ChartIndex) -> Field | None:
    """The field whose code is swapped, if the rollout swaps one."""
    return index.field(rollout.swap_field) if rollout.swap_field and rollout.swap_to else None


def things_of(state: State, rollout: Rollout, strings: Iterable[str]) -> Things:
    """`strings` are the account strings that the source company has posted to, as kept."""
    source = state.get(Company, rollout.company)
    index = chart_index(state, source.chart) if source else None
    if index is None:
        return Things((), (f"There is no company {rollout.company} with a chart.",))
    in_use = sorted({*strings, *(index.listed or ())})
    faults: list[str] = []
    things: dict[Thing, None] = {}
    if field := swapped_field(rollout, index):
        things[Thing("code", field.name, rollout.swap_from)] = None
    items = sorted(state.part(RolloutItem, rollout.rollout).values(), key=lambda row: row.position)
    for item in items:
        things |= dict.fromkeys(_of_item(state, index, item, in_use, faults))
    ordered = sorted(things, key=lambda thing: ORDER.index(thing.kind))
    if len(ordered) > MOST_THINGS:
        faults.append(f"A rollout brings at most {MOST_THINGS:,} things; these are {len(ordered):,}.")
    return Things(tuple(ordered[:MOST_THINGS]), tuple(dict.fromkeys(faults)))


def _of_item(
    state: State, index: ChartIndex, item: RolloutItem, in_use: list[str], faults: list[str]
) -> Iterator[Thing]:
    match item.kind:
        case "account" | "code" | "place":
            yield from _of_codes(state, index, item, faults)
        case "strings":
            yield from _carrying(state, index, item, in_use, faults)
        case "string":
            yield Thing("string", "", index.normal(item.account))
        case "rule":
            if state.get(PairingRule, index.chart, item.name) is None:
                faults.append(f"{index.name} has no pairing rule {item.name}.")
            else:
                yield Thing("rule", "", item.name)
        case _:
            if state.get(QuickCode, index.chart, item.name) is None:
                faults.append(f"{index.name} has no quick code {item.name}.")
            else:
                yield Thing("quick_code", "", item.name)


def item_field(index: ChartIndex, item: RolloutItem) -> Field | None:
    """The field whose codes an item names: the natural account, where it isn't about another."""
    if item.kind in ("account", "place"):
        return index.segments[index.natural] if index.natural >= 0 else None
    return index.field(item.field)


def _of_codes(state: State, index: ChartIndex, item: RolloutItem, faults: list[str]) -> Iterator[Thing]:
    field = item_field(index, item)
    if field is None:
        faults.append(f"{index.name} has no segment or dimension {item.field}.")
        return
    if item.kind == "place" and _statement_fault(state, index, item.field, faults):
        return
    picked = pick(state, field.code_list, item.codes)
    faults += [fault for fault in picked.faults if fault not in faults]
    codes = sorted({*picked.codes, *(_rollups(state, field, item.codes) if item.kind != "place" else ())})
    named = item.field if item.kind in ("code", "place") else ""
    kind: ThingKind = "place" if item.kind == "place" else "code" if item.kind == "code" else "account"
    yield from (Thing(kind, named, code) for code in codes)


def _rollups(state: State, field: Field, selector: str) -> list[str]:
    """Rollup codes that are named by themselves: no selector picks those, but they can be brought."""
    names = [name for part in selector.split(",") if (name := part.strip())]
    rows = [row for name in names if (row := state.get(Code, field.code_list, name)) is not None]
    return [row.code for row in rows if row.rollup]


def _statement_fault(state: State, index: ChartIndex, statement: str, faults: list[str]) -> bool:
    row = state.get(Statement, statement)
    if row is None or row.chart != index.chart:
        faults.append(f"{index.name} has no statement {statement}.")
        return True
    return False


def _carrying(
    state: State, index: ChartIndex, item: RolloutItem, in_use: list[str], faults: list[str]
) -> Iterator[Thing]:
    """Strings in use one of whose codes an item picks."""
    place = index.index.get(item.field, -1)
    if not 0 <= place < len(index.segments):
        faults.append(f"{index.name} has no segment {item.field}.")
        return
    picked = pick(state, index.segments[place].code_list, item.codes)
    faults += [fault for fault in picked.faults if fault not in faults]
    yield from (Thing("string", "", text) for text in in_use if index.codes_of(text)[place] in picked.codes)
