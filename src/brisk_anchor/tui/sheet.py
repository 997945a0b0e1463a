"""A sheet that lies over a view: words and tables to be read, left with any key."""

from __future__ import annotations

from textual import events
from textual.containers import VerticalScroll
from textual.screen import ModalScreen

from brisk_anchor.tui import theme
from brisk_anchor.tui.overlay import LeavesOnce


class Sheet(LeavesOnce, ModalScreen[None]):
    """Arrows and page keys scroll; any other key, or a click, leaves it. Its content is a VerticalScroll."""

    DEFAULT_CSS = f"""
    Sheet {{ align: center middle; background: {theme.GROUND} 70%; }}
    Sheet VerticalScroll {{
        width: 96; max-width: 96%; height: auto; max-height: 98%;
        background: {theme.RAISED}; border: round {theme.RULE}; padding: 0 3;
        scrollbar-size-vertical: 1; scrollbar-color: {theme.RULE}; scrollbar-background: {theme.RAISED};
    }}
    """

    def on_key(self, event: events.Key) -> None:
        """Scroll with the arrow and page keys; leave with any other."""
        sheet = self.query_one(VerticalScroll)
        scroll = {
            "up": sheet.scroll_up,
            "down": sheet.scroll_down,
            "pageup": sheet.scroll_page_up,
            "pagedown": sheet.scroll_page_down,
        }.get(event.key)
        event.stop()
        if scroll:
            scroll()
        else:
            self.dismiss()

    def on_click(self) -> None:
        """Leave."""
        self.dismiss()
