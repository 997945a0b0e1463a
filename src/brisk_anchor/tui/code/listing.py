"""The program as a list of lines with a cursor, the running block, and every line's meaning at hand."""

from __future__ import annotations

from collections.abc import Sequence

from rich.segment import Segment
from rich.style import Style
from textual.events import Click, MouseScrollDown, MouseScrollUp
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from brisk_anchor.tui import theme

_WHEEL = 3
"""Lines that one step of the wheel goes on."""


class Listing(Widget):
    """NC text. Line numbers count from 1, as the control's alarms do."""

    DEFAULT_CSS = "Listing { height: 1fr; }"
    can_focus = False

    class Pointed(Message):
        """Someone clicked on a line, counted from 1."""

        def __init__(self, line: int) -> None:
            super().__init__()
            self.line = line

    class Scrolled(Message):
        """Someone turned the wheel: on by so many lines."""

        def __init__(self, by: int) -> None:
            super().__init__()
            self.by = by

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id or "listing")
        self.lines: Sequence[tuple[str, bool]] = ()
        self.cursor = 1
        self.running = 0
        self._top = 1

    def tell(self, lines: Sequence[tuple[str, bool]], cursor: int, running: int) -> None:
        """Show lines as (text, is a heading); `running` 0 when nothing runs."""
        self.lines = lines
        self.cursor = max(1, min(cursor, len(lines) or 1))
        self.running = running
        watched, height = running or self.cursor, max(1, self.size.height)
        if not self._top + 1 <= watched <= self._top + height - 3:
            self._top = max(1, min(watched - height // 3, len(lines) - height + 1))
        self.refresh()

    def on_click(self, event: Click) -> None:
        """Point at the line under the mouse."""
        if (line := self._top + event.y) <= len(self.lines):
            self.post_message(self.Pointed(line))

    def on_mouse_scroll_up(self, event: MouseScrollUp) -> None:
        """Back."""
        event.stop()
        self.post_message(self.Scrolled(-_WHEEL))

    def on_mouse_scroll_down(self, event: MouseScrollDown) -> None:
        """On."""
        event.stop()
        self.post_message(self.Scrolled(_WHEEL))

    def render_line(self, y: int) -> Strip:
        """One line of the list."""
        number, width = self._top + y, self.size.width
        if number > len(self.lines):
            return Strip.blank(width, Style(bgcolor=theme.GROUND))
        text, heading = self.lines[number - 1]
        chosen, runs = number == self.cursor, number == self.running
        ground = theme.RULE if runs else (theme.RAISED if chosen else theme.GROUND)
        sign = "▶" if runs else ("›" if chosen else " ")
        code, bracket, comment = text.partition("(")
        segments = [
            Segment(f" {sign} ", Style(color=theme.LIVE if runs else theme.SAND, bgcolor=ground, bold=True)),
            Segment(f"{number:>3}  ", Style(color=theme.FAINT, bgcolor=ground)),
            Segment(code, Style(color=theme.SAND if heading else theme.TEXT, bgcolor=ground, bold=heading)),
            Segment(
                bracket + comment, Style(color=theme.SAND if heading else theme.QUIET, bgcolor=ground, bold=heading)
            ),
        ]
        return Strip(segments).extend_cell_length(width, Style(bgcolor=ground)).crop(0, width)
