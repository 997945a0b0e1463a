"""The repeatability run on a sheet: spread and range of each figure, and a chart of its runs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.core.quantities import Dimension, quantity, signed_num, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas
from brisk_anchor.tui.sheet import Sheet
from brisk_anchor.tui.terminal import patiently, said_text

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from brisk_anchor.services.session.repeatability import Repeated

_COLUMNS, _ROWS = 60, 4


class RepeatSheet(Sheet):
    """What a repeatability run found."""

    def __init__(
        self, title: str, found: Sequence[Repeated], write: Callable[[], str], keep: Callable[[], str]
    ) -> None:
        """`write` puts the chart in files and tells their names; `keep` takes the spread as the probe's."""
        super().__init__()
        self.heading, self.found, self._write, self._keep = title, found, write, keep

    def compose(self) -> ComposeResult:
        """One block for each figure."""
        count = len(self.found[0].values)
        text = Text(f"{self.heading}, measured {count} times from the same start\n", f"bold {theme.SAND}")
        text.append("spread is one standard deviation; stated is what one measurement claims of itself\n", theme.QUIET)
        for figure in self.found:
            good = figure.honest
            text.append(f"\n{figure.label:<9}", f"bold {theme.TEXT}")
            text.append(f"{quantity(figure.mean, Dimension.NUMBER, 4, signed=figure.label in 'XYZ'):>10}", theme.TEXT)
            for label, value in (("spread", figure.spread), ("range", figure.range), ("stated", figure.stated)):
                text.append(f"  {label} ", theme.QUIET)
                text.append(f"{um(value)}", theme.TEXT)
            text.append("  ● as stated\n" if good else "  ! beyond it\n", theme.LIVE if good else theme.CORAL)
            if (over := figure.over) is not None:
                text.append(f"{'':<9}over {over.clampings} clampings: ", theme.QUIET)
                text.append(f"reproducibility {um(over.reproducibility)}", f"bold {theme.TEXT}")
                text.append(f", of it from clamping {um(over.between)}\n", theme.QUIET)
            text.append_text(_chart(figure))
        text.append(
            "\nu takes this spread as the probe's ±, with its count; t writes the chart as SVG and PDF.\n"
            "⟨bench:k⟩ on the bench: clamped again; the next run then tells the reproducibility.\n"
            "Any other key leaves.",
            theme.QUIET,
        )
        with VerticalScroll():
            yield Static(said_text(self.app, text))
            yield Static(id="written")

    def on_key(self, event: events.Key) -> None:
        """t writes the chart, u keeps the spread; the rest as on any sheet."""
        if event.key not in ("t", "u"):
            return
        event.stop()
        event.prevent_default()  # or the sheet's own handler would leave it
        if event.key == "u":
            patiently(self.app, lambda: self._tell(self._keep()))
        else:
            self._tell("Drawing the chart …")
            self.run_worker(self._draw, thread=True, exclusive=True, group="chart")

    def _draw(self) -> None:
        """Write the chart, in a thread: that takes a second or two."""
        told = self._write()
        if self.is_attached:
            self.app.call_from_thread(self._tell, told)

    def _tell(self, words: str) -> None:
        for part in self.query("#written").results(Static):  # none where the sheet is left meanwhile
            part.update(Text(words, theme.LIVE))


def _chart(figure: Repeated) -> Text:
    """A dot for every run over the mean, with the range at its side."""
    canvas = Canvas(_COLUMNS, _ROWS)
    low, high = min(figure.values), max(figure.values)
    span = max(high - low, 1e-9)
    tall = _ROWS * 4 - 1

    def level(value: float) -> float:
        return tall * (high - value) / span

    canvas.line(0, level(figure.mean), _COLUMNS * 2 - 1, level(figure.mean), theme.FAINT, 0, (1, 2))
    for number, value in enumerate(figure.values):
        x = (_COLUMNS * 2 - 3) * number / max(1, len(figure.values) - 1)
        for dx in (0, 1):
            canvas.dot(x + dx, level(value), theme.LIVE, 1)
    text = Text()
    for row in range(_ROWS):
        edge = {0: high, _ROWS - 1: low}.get(row)
        label = f"{signed_num((edge - figure.mean) * 1000, 2)} µm" if edge is not None else ""
        text.append(f"{label:>12} ", theme.QUIET)
        for words, style in canvas.runs(row):
            text.append(words, style)
        text.append("\n")
    return text
