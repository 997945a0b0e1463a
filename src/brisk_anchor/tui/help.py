"""Help for the view one is in: made from the action table."""

from __future__ import annotations

from rich.table import Table
from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import of_view

_WORDS = {
    "bench": "The bench measures. Point at a drawn feature, or bring the tip near by hand and mark where metal is: the "
    "marks are the feature. Each value of the offset is the end of a chain that starts with the touches.",
    "book": "The book keeps every figure that was measured, stored or proved, with the touches it came from. It only "
    "grows. The control's own table is compared beside it.",
    "code": "The code does on a control what was done on the bench. Run it here on a twin first: contacts, "
    "guards and the offset it writes are those of the real program.",
    "setup": "The set-up as it is described: what is drawn, whether the probe reaches it, and which feature each axis "
    "of an offset's zero comes from. A zero moved off what cannot be reached keeps its distance in the chain.",
    "machine": "The machine is the stand-in as it stands at its control: what is done here moves it and writes its "
    "tables. Programs that set offsets here are seen in the book as a difference to the control.",
}


class HelpScreen(ModalScreen[None]):
    """A sheet over the view; any key leaves it."""

    DEFAULT_CSS = f"""
    HelpScreen {{ align: center middle; background: {theme.GROUND} 70%; }}
    HelpScreen VerticalScroll {{
        width: 96; max-width: 96%; height: auto; max-height: 98%;
        background: {theme.RAISED}; border: round {theme.RULE}; padding: 0 3;
        scrollbar-size-vertical: 1; scrollbar-color: {theme.RULE}; scrollbar-background: {theme.RAISED};
    }}
    """

    def __init__(self, view: str) -> None:
        super().__init__()
        self.view = view

    def compose(self) -> ComposeResult:
        """What the view is for, then its keys."""
        table = Table.grid(padding=(0, 2))
        table.add_column(justify="right", no_wrap=True, min_width=14)
        table.add_column()
        for action in of_view(self.view):
            table.add_row(Text(action.shown, f"bold {theme.SAND}"), Text(action.help, theme.TEXT))
        states = Text()
        for state, (shape, colour) in theme.STATE_SHAPES.items():
            states.append(f"{shape} {state}   ", colour)
        with VerticalScroll():
            yield Static(Text(_WORDS[self.view] + "\n", theme.QUIET))
            yield Static(table)
            yield Static(Text("\n").append_text(states))
            yield Static(
                Text("\nCtrl+P finds any action by name. Arrows scroll; any other key leaves this sheet.", theme.QUIET)
            )

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
