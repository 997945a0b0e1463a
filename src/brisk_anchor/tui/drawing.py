"""The widget that shows a picture: plan above, front view below, one scale. The ground is drawn once and kept."""

from __future__ import annotations

from functools import lru_cache

from rich.segment import Segment
from rich.style import Style
from textual.strip import Strip
from textual.widget import Widget

from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.picture import Picture, draw_ground, draw_live, projections

_CELL_RATIO = 2.25
"""Height of a character cell over its width, where the terminal does not tell."""


class Drawing(Widget):
    """Plan and front view of the set-up, to scale."""

    DEFAULT_CSS = "Drawing { height: 1fr; width: 1fr; }"
    can_focus = False

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.picture: Picture | None = None
        self._grounds: tuple[object, list[tuple[Canvas, Projection]]] | None = None
        self._canvases: list[Canvas] = []
        self._note = ""

    def show(self, picture: Picture) -> None:
        """Show a picture; called as often as anything moves."""
        self.picture = picture
        self._redraw()
        self.refresh()

    def on_resize(self) -> None:
        """Draw for the new size."""
        self._redraw()

    def _redraw(self) -> None:
        columns, rows = self.size.width, self.size.height
        if self.picture is None or columns < 10 or rows < 8:
            self._canvases = []
            return
        front_rows = max(6, round((rows - 2) * 0.36))
        plan_rows = rows - 2 - front_rows
        ratio = getattr(self.app, "cell_ratio", _CELL_RATIO)
        picture = self.picture
        key = (
            columns,
            rows,
            ratio,
            picture.zoom,
            picture.centre if picture.zoom == "feature" else None,
            id(picture.setup),
        )
        if self._grounds is None or self._grounds[0] != key:
            views = projections(picture, columns, plan_rows, front_rows, ratio / 2)
            grounds = []
            for view, height, front in zip(views, (plan_rows, front_rows), (False, True), strict=True):
                canvas = Canvas(columns, height)
                draw_ground(canvas, picture, view, front=front)
                grounds.append((canvas, view))
            self._grounds = (key, grounds)
        self._canvases = []
        for (ground, view), front in zip(self._grounds[1], (False, True), strict=True):
            canvas = ground.copy()
            draw_live(canvas, picture, view, front=front)
            self._canvases.append(canvas)
        scale = self._grounds[1][0][1].scale
        bar = next((size for size in (5, 10, 20, 50, 100, 200, 500) if size * scale >= 12), 1000)
        self._note = f"{picture.zoom}   {bar} mm ├{'─' * max(0, round(bar * scale / 2) - 2)}┤"

    def render_line(self, y: int) -> Strip:
        """One line of the two drawings and their headings."""
        width = self.size.width
        if not self._canvases:
            return Strip.blank(width, _style(""))
        plan, front = self._canvases
        if y == 0 or y == plan.rows + 1:
            title = " from above  X →  Y ↑ " if y == 0 else " from the front  X →  Z ↑ "
            note = self._note if y == 0 else ""
            rule = "─" * max(0, width - len(title) - len(note) - 3)
            segments = [
                Segment("─", _style(theme.RULE)),
                Segment(title, _style(theme.QUIET)),
                Segment(rule + " ", _style(theme.RULE)),
                Segment(note + " ", _style(theme.QUIET)),
            ]
            return Strip(segments).adjust_cell_length(width, _style(""))
        canvas, row = (plan, y - 1) if y <= plan.rows else (front, y - plan.rows - 2)
        if row >= canvas.rows:
            return Strip.blank(width, _style(""))
        return Strip([Segment(words, _style(style)) for words, style in canvas.runs(row)], width)


@lru_cache(maxsize=128)
def _style(style: str) -> Style:
    """A style, on the common ground where it names none."""
    return Style.parse(style if "on #" in style else f"{style} on {theme.GROUND}")
