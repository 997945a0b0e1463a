"""What was measured since the last clamping, as a list under the drawing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual.events import Click
from textual.message import Message

from brisk_anchor.core.quantities import age_words, bare, deg, shown_unit, signed_bare, signed_deg
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.session.feature_list import FeatureLine

MOST, FEW = 7, 4
"""Lines of the list in a wide window and in a small one."""


class MeasuredPanel(LatePanel):
    """One line a feature, the chosen one with its position in the row being set."""

    DEFAULT_CSS = "MeasuredPanel { height: 2; }"

    class Chosen(Message):
        """Someone clicked on a feature."""

        def __init__(self, name: str) -> None:
            super().__init__()
            self.name = name

    _names: tuple[str, ...] = ()
    """The feature that each line of the panel tells of."""

    def tell(self, lines: Sequence[FeatureLine], chosen: str | None, row: str) -> None:
        """Show the lines round the chosen one; nothing takes its room while there are none."""
        self.display = bool(lines)
        if not lines:
            return
        most = FEW if self.app.has_class("compact") else MOST
        at = next((n for n, line in enumerate(lines) if line.name == chosen), len(lines) - 1)
        first = max(0, min(at - (most - 3), len(lines) - (most - 1)))
        shown = lines[first : first + most - 1]
        self._names = tuple(line.name for line in shown for _ in range(2 if line is lines[at] else 1))

        def make(width: int, _height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            for line in shown:
                if text:
                    text.append("\n")
                _line(text, line, width, chosen=line is lines[at])
                if line is lines[at]:
                    text.append("\n")
                    _detail(text, line, row, width)
            return text

        key = (tuple((line.name, line.title, age_words(line.age)) for line in shown), tuple(lines), chosen, row)
        self.tell_late((*key, shown_unit()), make, len(shown) + 1)

    def on_click(self, event: Click) -> None:
        """Choose the feature under the mouse."""
        if event.y < len(self._names):
            self.post_message(self.Chosen(self._names[event.y]))


def _line(text: Text, line: FeatureLine, width: int, *, chosen: bool) -> None:
    wide = width > 90
    name = 26 if wide else 19
    text.append("▐" if chosen else " ", f"bold {theme.LIVE}")
    text.append(f"{line.number:>2} ", f"bold {theme.TEXT}" if chosen else theme.QUIET)
    title = cut(line.title, name - 1)
    text.append(title, f"bold underline {theme.TEXT}" if chosen else theme.TEXT)
    text.append(" " * (name - len(title)))
    for axis in "xyz" if wide else [axis for axis in "xyz" if axis in line.machine]:
        value = line.machine.get(axis)
        text.append(f"{axis.upper()} " if value is not None else "  ", theme.QUIET)
        text.append(f"{'' if value is None else signed_bare(value, 4 if wide else 3):<{12 if wide else 9}}")
    if not wide:
        return
    angle = line.machine.get("r")
    text.append(f"{'' if angle is None else signed_deg(angle, 3):>9}")
    spread = f"±{bare(line.spread, 4)}" if line.spread_is_known else "± ?"
    text.append(f"{spread:>10}", theme.QUIET)
    text.append(f"{age_words(line.age):>8}", theme.QUIET)


def _detail(text: Text, line: FeatureLine, row: str, width: int) -> None:
    """Add the chosen feature: its place in the row that is set, its sizes, its distance from the drawing."""
    parts = [f"{row} " + " ".join(f"{axis.upper()} {signed_bare(value, 3)}" for axis, value in line.in_row.items())]
    if line.sizes:
        parts.append(f"{line.size_sign or 'size'} {' × '.join(bare(size, 4) for size in line.sizes)}")
    leans = [f"{axis.upper()} {deg(line.machine[axis], 4)}" for axis in "ab" if axis in line.machine]
    if leans:
        parts.append(f"leans {' '.join(leans)}")
    if line.off_nominal:
        named = {"D": "size", "E": "2nd size"}
        off = " ".join(f"{named.get(axis, axis.upper())} {signed_bare(v, 3)}" for axis, v in line.off_nominal.items())
        parts.append(f"off the drawing {off}")
    if line.rows:
        parts.append(f"sets {', '.join(line.rows)}")
    if line.by_hand:
        parts.append("by hand")
    text.append(f"▐   {cut(' · '.join(parts), max(10, width - 5))}", theme.QUIET)
