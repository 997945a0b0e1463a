"""What the set-up view lists: features, points a zero can be put on, operations, words of the drawing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.quantities import bare, shown_unit, signed_bare
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ListRow
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.core.kinds import Vector
    from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
    from brisk_anchor.services.measure.reach import Reach

PAGES = ("features", "points", "operations", "words")
NOTES = {
    "features": "! out of reach  ● measured",
    "points": "Enter puts the zero there",
    "operations": "Enter gives it the chosen offset",
    "words": "what is written on the drawing",
}


@dataclass(frozen=True, slots=True)
class Item:
    """One line of a list: where it lies (machine mm), the axes it means, what is said of it."""

    title: str
    machine: Vector | None = None
    axes: str = ""
    body: str = ""
    size: str = ""
    reason: str = ""
    measured: bool = False
    used: str = ""
    drawn: DrawnFeature | None = None


def feature_items(setup: Setup, reaches: Sequence[Reach], measured: frozenset[str]) -> list[Item]:
    """Drawn features with what the probe can do about them and the offsets that come from them."""
    from brisk_anchor.core.offsets.rules import features_in
    from brisk_anchor.services.measure.datum_rules import axes_of

    used: dict[str, dict[str, str]] = {}
    for plan in setup.rows:
        for axis, rule in plan.rules.items():
            for name in features_in(rule):
                by_row = used.setdefault(name, {})
                by_row[plan.row] = by_row.get(plan.row, "") + axis.upper()
    items = []
    for reach in reaches:
        drawn = reach.drawn
        axes = axes_of(drawn)
        words = ", ".join(f"{row} {letters}" for row, letters in used.get(drawn.name, {}).items())
        title, size = drawn.numbered_title, drawn.size_words or f"{axes.upper()} face"
        items.append(
            Item(title, drawn.machine, axes, drawn.body, size, reach.reason, drawn.name in measured, words, drawn)
        )
    return items


def point_items(setup: Setup) -> list[Item]:
    """Corners, middles, centres and heights."""
    return [
        Item(point.title, point.machine, point.axes, point.body, " ".join(point.axes.upper())) for point in setup.points
    ]


def operation_items(setup: Setup) -> list[Item]:
    """Operations, with the offset each uses."""
    return [Item(o.name, body=o.comment, used=o.offset) for o in setup.card.operations]


def word_items(setup: Setup) -> list[Item]:
    """Words and dimensions of the part's drawing."""
    return [Item(word.text, word.machine) for word in setup.words]


def list_rows(items: Sequence[Item], page: str, width: int) -> list[ListRow]:
    """A row an item, for a list so many cells wide."""
    if not items:
        return [ListRow(Text(f" there are no {page}", theme.QUIET), None)]
    room = max(16, min(34, width - 38))
    rows = []
    for number, item in enumerate(items):
        text = Text("   ", no_wrap=True, overflow="ellipsis")
        if page == "features":
            sign = "!" if item.reason else ("●" if item.measured else "○")
            colour = theme.CORAL if item.reason else (theme.LIVE if item.measured else theme.QUIET)
            text.append(f"{sign} ", colour)
        text.append(f"{cut(item.title, room):<{room}} ", theme.TEXT)
        body = cut(item.body, 14)
        text.append(f"{body:<{8 if page == 'features' else 15}} {item.size:<8} ", theme.QUIET)
        text.append(item.used, theme.SAND)
        rows.append(ListRow(text, number))
    return rows


def item_text(item: Item, zero: Vector) -> Text:
    """Where the chosen one lies: on the drawing, on the machine, from the zero."""
    text = Text(no_wrap=True, overflow="ellipsis")
    places = [("on the machine", item.machine)]
    if item.drawn is not None:
        places.insert(0, ("on the drawing", item.drawn.drawing))
    if item.machine is not None:
        x, y, z = (a - b for a, b in zip(item.machine, zero, strict=True))
        places.append(("from the zero", (x, y, z)))
    for label, place in places:
        if place is None:
            continue
        text.append(f" {label:<16}", theme.QUIET)
        for axis, value in zip("XYZ", place, strict=True):
            text.append(f" {axis} ", theme.QUIET)
            text.append(f"{signed_bare(value, 3):>10}", theme.TEXT)
        text.append("\n")
    drawn = item.drawn
    if drawn is not None and drawn.size:
        text.append(f" {drawn.kind.value} {drawn.size_words} {shown_unit().value}", theme.TEXT)
        if drawn.tolerance:
            low, high = (signed_bare(value, 3) for value in drawn.tolerance)
            text.append(f" {low} {high}", theme.TEXT)
        text.append(f", measured must lie within {bare(drawn.size_limit or 0)}\n", theme.QUIET)
    if item.reason:
        text.append(f" ! {item.reason}\n", theme.CORAL)
    return text
