"""The half-section to scale: chuck at the left, axis below the part (above it with a front turret)."""

from __future__ import annotations

from functools import lru_cache

from rich.segment import Segment
from rich.style import Style
from textual.strip import Strip
from textual.widget import Widget

from brisk_anchor.core.quantities import shown_unit
from brisk_anchor.services.turning.half_section import HalfSection
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.terminal import cell_ratio

_LOOK: dict[str, tuple[str, str, int]] = {
    "chuck": (theme.RULE, theme.TABLE_GROUND, 1),
    "jaws": (theme.FIXTURE, theme.FIXTURE_GROUND, 1),
    "stock": (theme.PART, theme.PART_GROUND, 2),
    "part": (theme.LIVE, "", 3),
    "turret": (theme.RULE, theme.TABLE_GROUND, 1),
    "neighbour": (theme.FAINT, "", 1),
    "tool": (theme.FIXTURE, theme.FIXTURE_GROUND, 4),
    "edge": (theme.SAND, "", 5),
}
"""Line, ground and layer by role."""
_DASHED = ("part", "neighbour")
_NAMED = {"jaws": "jaws", "tool": "", "turret": "turret", "chuck": ""}
_STEPS_MM, _STEPS_INCH = (1, 2, 5, 10, 20, 50, 100, 200), (0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10)


class SectionDrawing(Widget):
    """Shows a half-section; called as often as anything moves."""

    DEFAULT_CSS = "SectionDrawing { height: 1fr; width: 1fr; }"
    can_focus = False

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.section: HalfSection | None = None
        self._rows: list[list[tuple[str, str]]] = []

    def show(self, section: HalfSection) -> None:
        """Show a half-section."""
        self.section = section
        self._redraw()
        self.refresh()

    def on_resize(self) -> None:
        """Draw for the new size."""
        self._redraw()
        self.refresh()

    def _redraw(self) -> None:
        columns, rows = self.size.width, self.size.height
        section = self.section
        if section is None or columns < 12 or rows < 6:
            self._rows = []
            return
        low_z, high_z, low_r, high_r = section.window
        low, high = (low_r, high_r) if not section.below else (-high_r, -low_r)
        canvas = Canvas(columns, rows - 1)
        tall = cell_ratio(self.app) / 2
        view = Projection.fit((low_z, low), (high_z, high), columns, rows - 1, tall)
        side = -1.0 if section.below else 1.0
        for outline in section.outlines:
            line, ground, layer = _LOOK[outline.role]
            ring = [
                view(z, side * (max(r, low_r - 5) if section.axis else r)) for z, r in (*outline.ring, outline.ring[0])
            ]
            if ground:
                canvas.fill([ring], ground)
            canvas.polyline(ring, line, layer, dash=(2, 2) if outline.role in _DASHED else None)
        for outline in section.outlines:
            if outline.role in _NAMED:
                _name(canvas, view, outline.role, [(z, side * r) for z, r in outline.ring], section.window)
        if section.axis:
            _axis(canvas, view, low_z, high_z)
        _marks(canvas, view, section, side)
        self._rows = [_heading(view, columns, section), *(canvas.runs(row) for row in range(canvas.rows))]

    def render_line(self, y: int) -> Strip:
        """One line of the drawing."""
        if y >= len(self._rows):
            return Strip.blank(self.size.width, _style(theme.TEXT))
        segments = [Segment(words, _style(style)) for words, style in self._rows[y]]
        return Strip(segments).adjust_cell_length(self.size.width, _style(theme.TEXT))


def _name(
    canvas: Canvas,
    view: Projection,
    role: str,
    ring: list[tuple[float, float]],
    window: tuple[float, float, float, float],
) -> None:
    """The word for a solid in the middle of what is seen of it."""
    words = _NAMED[role]
    if not words:
        return
    left, right = max(min(z for z, _ in ring), window[0]), min(max(z for z, _ in ring), window[1])
    radii = [r for _, r in ring]
    low, high = max(min(radii), -window[3]), min(max(radii), window[3])
    if right <= left or high <= low:
        return
    column, row = view.cell((left + right) / 2, (low + high) / 2)
    start = max(1, column - len(words) // 2)
    if canvas.free(start, row, len(words)):
        canvas.write(start, row, words, theme.QUIET)


def _axis(canvas: Canvas, view: Projection, low_z: float, high_z: float) -> None:
    """The spindle's axis, in long and short dashes."""
    (x0, y), (x1, _) = view(low_z - 500, 0.0), view(high_z + 500, 0.0)
    at = max(0.0, x0)
    while at < min(x1, canvas.columns * 2):
        canvas.line(at, y, at + 9, y, theme.QUIET, 6)
        canvas.line(at + 13, y, at + 14, y, theme.QUIET, 6)
        at += 18


def _marks(canvas: Canvas, view: Projection, section: HalfSection, side: float) -> None:
    """Zero, target and tip, each with its word."""
    if section.zero is not None:
        x, y = view(section.zero, 0.0)
        _, top = view(section.zero, side * section.window[3])
        canvas.line(x, min(y, top), x, max(y, top), theme.LIVE, 5, dash=(1, 3))
        canvas.label(
            int(x // 2), int(y // 4) + (1 if side > 0 else -1), f"{section.zero_label} zero", f"bold {theme.LIVE}"
        )
    for z, radius in section.targets:
        if z is not None:
            x, _ = view(z, 0.0)
            canvas.line(x, 0, x, canvas.rows * 4, theme.SAND, 4, dash=(1, 5))
        if radius is not None:
            _, y = view(section.window[0], side * radius)
            canvas.line(0, y, canvas.columns * 2, y, theme.SAND, 4, dash=(1, 5))
    if section.tip is not None:
        z, radius = section.tip
        column, row = view.cell(z, side * radius)
        inside = 0 <= column < canvas.columns and 0 <= row < canvas.rows
        if inside:
            canvas.write(column, row, "◆", f"bold {theme.SAND}")
        else:
            words = "tool this way " + ("→" if column >= canvas.columns else "↑" if row < 0 else "←")
            canvas.write(max(0, canvas.columns - len(words) - 1), 0, words, f"bold {theme.SAND}")


def _heading(view: Projection, columns: int, section: HalfSection) -> list[tuple[str, str]]:
    unit = shown_unit()
    one = float(unit.in_mm)
    steps = _STEPS_MM if one == 1.0 else _STEPS_INCH
    size = next((step for step in steps if step * one * view.scale >= 12), steps[-1])
    bar = f"{size} {unit.value} ├{'─' * max(0, round(size * one * view.scale / 2) - 2)}┤ "
    title = f" {'half-section' if section.axis else 'tip'}  Z →  X {'↓' if section.below else '↑'} "
    rule = "─" * max(0, columns - len(title) - len(bar) - 3)
    return [("─", theme.RULE), (title, theme.QUIET), (f"{rule} ", theme.RULE), (bar, theme.QUIET)]


@lru_cache(maxsize=128)
def _style(style: str) -> Style:
    """A style, on the common ground where it names none."""
    return Style.parse(style if "on #" in style else f"{style} on {theme.GROUND}")
