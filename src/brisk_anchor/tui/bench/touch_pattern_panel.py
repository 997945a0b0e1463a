"""The rose: a compass around the tip with marks where metal is, search zones to scale, and what the marks mean."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.quantities import dim, shown_unit, signed_dim
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.terminal import cell_ratio
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement
    from brisk_anchor.services.measure.by_hand import ByHand
    from brisk_anchor.services.measure.measurement_request import MeasurementRequest

COLUMNS = 26


_EMPTY_ZONE = (0.0, 20.0, 19.0)
"""What is drawn while nothing is known: a search of 20 mm."""


class TouchPatternPanel(LatePanel):
    """The rose as a drawing on the left and in words on the right."""

    DEFAULT_CSS = "TouchPatternPanel { height: 4; }"

    def tell(
        self,
        request: MeasurementRequest | None,
        measurement: Measurement | None,
        uncertainty: float,
        ball: float,
        by_hand: ByHand | None = None,
        *,
        drawn: bool = True,
        near: str = "(Shift and arrows)",
    ) -> None:
        """Show what is asked for; `measurement` is None while something is missing, or where a hand measures.

        `drawn` is whether there is anything to point at, `near` how the tip comes near."""
        rows = 6 if self.app.has_class("compact") else 9
        if request is None or not request.pattern.marks:
            self.tell_text(self._nothing(near, drawn=drawn), 4)
            return
        reading = request.pattern.read()

        def make(width: int, _height: int) -> Text:
            text = Text(no_wrap=True)
            text.append(f" {cut(request.title, width - 1)}\n", f"bold {theme.SAND}")
            text.append(f" {cut(reading.stand or reading.hint, width - 1)}\n", theme.QUIET)
            compass = self._compass(request, measurement, uncertainty, ball, rows)
            words = self._words(request, measurement, uncertainty, by_hand).split("\n")
            for row, line in enumerate(compass):
                text.append_text(line)
                text.append(" ")
                if row < len(words):
                    said = words[row]
                    said.truncate(max(0, width - COLUMNS - 1), overflow="ellipsis")
                    text.append_text(said)
                text.append("\n" if row < rows - 1 else "")
            return text

        key = (request, measurement, uncertainty, ball, rows, by_hand, shown_unit())
        self.tell_late(key, make, rows + 2)

    def _nothing(self, near: str, *, drawn: bool) -> Text:
        text = Text(no_wrap=True)
        text.append(" nothing is marked\n", f"bold {theme.QUIET}")
        text.append(f" {'⟨f⟩ points at a drawn feature; or bring' if drawn else 'bring'} the tip near\n", theme.QUIET)
        text.append(f" {near} and mark metal with the arrows\n", theme.QUIET)
        return text

    def _compass(
        self,
        request: MeasurementRequest | None,
        measurement: Measurement | None,
        uncertainty: float,
        ball: float,
        rows: int,
    ) -> list[Text]:
        from brisk_anchor.tui.canvas import Canvas

        def zone(axis: int) -> tuple[float, float, float]:
            return measurement.search_zone(axis) if measurement is not None else _EMPTY_ZONE

        canvas = Canvas(COLUMNS, rows)
        tall = cell_ratio(self.app) / 2
        cx, cy = COLUMNS - 0.5, rows * 2 - 0.5
        reach = min(cx, cy * tall) - 1
        marks = {wall.name for wall in request.pattern.marks} if request else set()
        extent = ball / 2 + max(max(zone(axis)[:2]) for axis in (0, 1))
        scale = reach / extent
        radius = max(1.5, ball / 2 * scale)
        ring = [(cx + radius * math.cos(i / 8), cy + radius / tall * math.sin(i / 8)) for i in range(52)]
        canvas.polyline(ring, theme.LIVE, 5)
        for name, (dx, dy) in {"LEFT": (-1, 0), "RIGHT": (1, 0), "UP": (0, -1), "DOWN": (0, 1)}.items():
            marked = name in marks

            def at(mm: float, side: float = 0.0, dx: int = dx, dy: int = dy) -> tuple[float, float]:
                along, across = mm * scale, side * scale
                return cx + dx * along - dy * across, cy + (dy * along + dx * across) / tall

            if not marked:
                canvas.line(*at(ball / 2 + 2 / scale), *at(extent), theme.FAINT, 1, (1, 3))
                continue
            first, last, wall = zone(0 if dx else 1)
            half = extent * 0.42
            twice = bool(measurement and measurement.spread and request and request.pattern.twice)
            for side in (-0.7 * half, 0.7 * half) if twice else (0.0,):
                canvas.line(*at(first, side), *at(last, side), theme.LIVE, 2, (2, 2))
            if measurement:
                for shift in (-uncertainty, uncertainty):
                    canvas.line(*at(wall + shift, -half), *at(wall + shift, half), theme.FAINT, 1, (1, 2))
            canvas.line(*at(wall, -half), *at(wall, half), theme.SAND, 4)
        if "BELOW" in marks:
            for size in (0.35, 0.6):
                r = reach * size
                canvas.polyline(
                    [(cx + r * math.cos(i / 12), cy + r / tall * math.sin(i / 12)) for i in range(77)],
                    theme.SAND,
                    4,
                    (3, 2),
                )
            canvas.write(COLUMNS // 2 - 1, rows - 1, "−Z", f"bold {theme.SAND}")
        lines = []
        for row in range(rows):
            line = Text(no_wrap=True)
            for words, style in canvas.runs(row):
                line.append(words, style)
            line.append(" " * max(0, COLUMNS - line.cell_len))
            lines.append(line)
        return lines

    def _words(
        self,
        request: MeasurementRequest,
        measurement: Measurement | None,
        uncertainty: float,
        by_hand: ByHand | None = None,
    ) -> Text:
        text = Text(no_wrap=True)
        reading = request.pattern.read()
        if len(request.pattern.marks) == 4:
            form = "round" if request.pattern.round else "straight"
            many = len(request.pattern.headings)
            text.append(f"{many} places\n" if many > 3 else f"{form}\n", theme.QUIET)
        kind = reading.kind
        if by_hand is not None:
            text.append("by hand: ", theme.QUIET)
            text.append(f"{by_hand.tool.name}\n", f"bold {theme.TEXT}")
            for side, amount in by_hand.compensations():
                text.append(f"tip {side:<9}", theme.QUIET)
                text.append(f"{signed_dim(amount, 3):>13}\n", f"bold {theme.SAND}")
            text.append(f"{by_hand.frame.short}", theme.QUIET)
            return text
        fields = request.figures()
        lines: list[tuple[str, float | None, bool]] = [
            (word, request.figure(n), n in request.proposed) for word, n in fields.items()
        ]
        if kind is None:
            return text
        if "depth" in request.proposed and "depth" not in fields.values():
            lines.append(("below edge", request.depth, True))
        lines.append(("search", measurement.search if measurement else request.search, False))
        if measurement and measurement.depth_check:
            lines.append(("again +Z", measurement.depth_check, False))  # each wall is touched again, so much higher
        for label, value, proposed in lines:
            shown = "?" if value is None else dim(value, 3)
            text.append(f"{label:<11}", theme.QUIET)
            text.append(f"{shown:>12}", f"bold {theme.CORAL if value is None else theme.TEXT}")
            text.append(" ~\n" if proposed else "\n", theme.SAND)
        text.append(f"{'start':<11}", theme.QUIET)
        text.append(f"{'±' + dim(uncertainty, 3):>12}", theme.TEXT)
        return text
