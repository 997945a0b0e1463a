"""Whether a program fits: what it reaches against the travels, in plan and elevation, and what to do."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.core.quantities import signed_bare, signed_dim
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.sheet import Sheet
from brisk_anchor.tui.terminal import cell_ratio

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.fits import Fit
    from brisk_anchor.services.session.session import Session

_COLUMNS, _ROWS = 42, 11


class FitsSheet(Sheet):
    """The verdict, the figures, the drawing."""

    def __init__(self, session: Session, fit: Fit, told: Sequence[str], files: Sequence[str]) -> None:
        super().__init__()
        self.session, self.fit, self.told, self.files = session, fit, told, files

    def compose(self) -> ComposeResult:
        """Everything on one sheet."""
        fit = self.fit
        text = Text()
        good = fit.fits
        text.append("● " if good else "! ", theme.LIVE if good else theme.CORAL)
        verdict = "fits" if good else "does not fit, or not all of it is known"
        text.append(f"{fit.name} {verdict}", f"bold {theme.LIVE if good else theme.CORAL}")
        text.append(f"   {fit.blocks} blocks read\n\n", theme.QUIET)
        for row in fit.rows:
            for tool in row.tools:
                text.append(f" {row.row:<9}T{tool.tool:<4}", f"bold {theme.TEXT}")
                for axis in tool.axes:
                    out = axis.beyond_low or axis.beyond_high
                    text.append(f" {axis.axis.upper()} ", theme.QUIET)
                    text.append(
                        f"{signed_bare(axis.low, 3)} … {signed_bare(axis.high, 3)}", theme.CORAL if out else theme.TEXT
                    )
                text.append("\n")
            for letter, room in row.room.items():
                told = f"{signed_bare(room[0], 3)} to {signed_dim(room[1], 3)}" if room else "no move helps"
                text.append(f"{'':<14} {letter.upper()} of its zero may move {told}\n", theme.QUIET)
        text.append("\n")
        for line in self.told:
            text.append(f"{line}\n", theme.CORAL if line.startswith("!") else theme.TEXT)
        text.append_text(self._drawing())
        text.append(f"\n {' and '.join(self.files)} are written. Any key leaves.", theme.QUIET)
        with VerticalScroll():
            yield Static(text)

    def _drawing(self) -> Text:
        """Travels and what each tool reaches, from above and from the front."""
        travel = self.session.setup.machine.travel
        tall = cell_ratio(self.app) / 2
        canvases = []
        for up in (1, 2):
            canvas = Canvas(_COLUMNS, _ROWS)
            boxes = []
            for row in self.fit.rows:
                for tool in row.tools:
                    found = {axis.axis: (axis.low, axis.high) for axis in tool.axes}
                    if "x" in found and "xyz"[up] in found:
                        boxes.append((found["x"], found["xyz"[up]], tool.fits))
            lows = [travel.low[0], *(x[0] for x, _, _ in boxes)], [travel.low[up], *(y[0] for _, y, _ in boxes)]
            highs = [travel.high[0], *(x[1] for x, _, _ in boxes)], [travel.high[up], *(y[1] for _, y, _ in boxes)]
            low, high = (min(lows[0]) - 20, min(lows[1]) - 20), (max(highs[0]) + 20, max(highs[1]) + 20)
            view = Projection.fit(low, high, _COLUMNS, _ROWS, tall)

            def ring(x: tuple[float, float], y: tuple[float, float], v: Projection = view) -> list[tuple[float, float]]:
                return [v(x[0], y[0]), v(x[1], y[0]), v(x[1], y[1]), v(x[0], y[1]), v(x[0], y[0])]

            canvas.polyline(
                ring((travel.low[0], travel.high[0]), (travel.low[up], travel.high[up])), theme.QUIET, 0, (3, 3)
            )
            for x, y, inside in boxes:
                canvas.polyline(ring(x, y), theme.LIVE if inside else theme.CORAL, 2)
            canvases.append(canvas)
        text = Text(f"\n{'from above, X Y: travels dashed':<{_COLUMNS + 2}}from the front, X Z\n", theme.QUIET)
        for number in range(_ROWS):
            for canvas in canvases:
                for words, style in canvas.runs(number):
                    text.append(words, style)
                text.append("  ")
            text.append("\n")
        return text
