"""The widget that shows a picture: plan above, front view below, one scale. The ground is drawn once and kept."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

from rich.segment import Segment
from rich.style import Style
from textual.events import Click, MouseScrollDown, MouseScrollUp
from textual.geometry import Region
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from brisk_anchor.core.quantities import shown_unit
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import Same
from brisk_anchor.tui.terminal import cell_ratio

if TYPE_CHECKING:  # what draws is loaded with the first picture, after the first paint
    from brisk_anchor.tui.canvas import Canvas, Projection
    from brisk_anchor.tui.picture import Picture


class Drawing(Widget):
    """Plan and front view of the set-up, to scale."""

    DEFAULT_CSS = "Drawing { height: 1fr; width: 1fr; }"
    can_focus = False

    class Pointed(Message):
        """Someone clicked on the plan; `x` and `y` are machine mm."""

        def __init__(self, x: float, y: float) -> None:
            super().__init__()
            self.x = x
            self.y = y

    class Scrolled(Message):
        """Someone turned the mouse wheel over the drawing: 1 is nearer, -1 further away."""

        def __init__(self, sense: int) -> None:
            super().__init__()
            self.sense = sense

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.picture: Picture | None = None
        self._grounds: tuple[object, list[tuple[Canvas, Projection]]] | None = None
        self._rows: list[list[tuple[str, str]]] = []

    def show(self, picture: Picture) -> None:
        """Show a picture; called as often as anything moves."""
        self.picture = picture
        before = self._rows
        self._redraw()
        if len(before) != len(self._rows):
            self.refresh()
            return
        changed = [y for y, (old, new) in enumerate(zip(before, self._rows, strict=True)) if old != new]
        if changed:
            self.refresh(*(Region(0, y, self.size.width, 1) for y in changed))

    def on_resize(self) -> None:
        """Draw for the new size, all of it: lines kept from the old one may not have been painted."""
        self._redraw()
        self.refresh()

    def on_click(self, event: Click) -> None:
        """Tell where on the plan the click was."""
        if self._grounds is None:
            return
        plan, view = self._grounds[1][0]
        if 1 <= event.y <= plan.rows:
            self.post_message(self.Pointed(*view.place(event.x, event.y - 1)))

    def on_mouse_scroll_up(self, event: MouseScrollUp) -> None:
        """Nearer."""
        event.stop()
        self.post_message(self.Scrolled(1))

    def on_mouse_scroll_down(self, event: MouseScrollDown) -> None:
        """Further away."""
        event.stop()
        self.post_message(self.Scrolled(-1))

    @property
    def millimetres_across(self) -> float:
        """How much of the set-up fits across the plan, mm; 0 before it is drawn."""
        return self.size.width * 2 / self._grounds[1][0][1].scale if self._grounds else 0.0

    def _redraw(self) -> None:
        columns, rows = self.size.width, self.size.height
        if self.picture is None or columns < 10 or rows < 8:
            self._rows = []
            return
        from brisk_anchor.tui.canvas import Canvas
        from brisk_anchor.tui.picture import draw_ground, draw_live, projections

        front_rows = max(6, round((rows - 2) * 0.36))
        plan_rows = rows - 2 - front_rows
        ratio = cell_ratio(self.app)
        picture = self.picture
        key = (
            columns,
            rows,
            ratio,
            picture.zoom,
            picture.magnify,
            picture.pan,
            picture.centre if picture.zoom == "feature" else None,
            Same(picture.setup),
        )
        if self._grounds is None or self._grounds[0] != key:
            views = projections(picture, columns, plan_rows, front_rows, ratio / 2)
            grounds = []
            for view, height, front in zip(views, (plan_rows, front_rows), (False, True), strict=True):
                canvas = Canvas(columns, height)
                draw_ground(canvas, picture, view, front=front)
                grounds.append((canvas, view))
            self._grounds = (key, grounds)
        scale = self._grounds[1][0][1].scale
        unit = shown_unit()
        one = float(unit.in_mm)
        steps = (5, 10, 20, 50, 100, 200, 500, 1000) if one == 1.0 else (0.25, 0.5, 1, 2, 5, 10, 20, 40)
        bar = next((size for size in steps if size * one * scale >= 12), steps[-1])
        larger = f" ×{picture.magnify:.3g}" if picture.magnify != 1 else ""
        table = f"{picture.table}   " if picture.table else ""
        note = f"{table}{picture.zoom}{larger}   {bar} {unit.value} ├{'─' * max(0, round(bar * one * scale / 2) - 2)}┤"
        lies = picture.setup.machine.is_horizontal
        above, front_words = ("as the spindle sees it", "from above") if lies else ("from above", "from the front")
        lines = [_heading(f" {above}  X →  Y ↑ ", note, columns)]
        for (ground, view), front in zip(self._grounds[1], (False, True), strict=True):
            canvas = ground.copy()
            draw_live(canvas, picture, view, front=front)
            if front:
                lines.append(_heading(f" {front_words}  X →  Z ↑ ", "", columns))
            lines += [canvas.runs(row) for row in range(canvas.rows)]
        self._rows = lines

    def render_line(self, y: int) -> Strip:
        """One line of the two drawings and their headings."""
        if y >= len(self._rows):
            return Strip.blank(self.size.width, _style(theme.TEXT))
        return Strip([Segment(words, _style(style)) for words, style in self._rows[y]]).adjust_cell_length(
            self.size.width, _style(theme.TEXT)
        )


def _heading(title: str, note: str, width: int) -> list[tuple[str, str]]:
    rule = "─" * max(0, width - len(title) - len(note) - 3)
    return [("─", theme.RULE), (title, theme.QUIET), (f"{rule} ", theme.RULE), (f"{note} ", theme.QUIET)]


@lru_cache(maxsize=128)
def _style(style: str) -> Style:
    """A style, on the common ground where it names none."""
    return Style.parse(style if "on #" in style else f"{style} on {theme.GROUND}")
