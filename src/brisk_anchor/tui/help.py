"""Help for the view one is in: made from the action table."""

from __future__ import annotations

from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import of_view
from brisk_anchor.tui.sheet import Sheet
from brisk_anchor.tui.views import view_entry


class HelpScreen(Sheet):
    """What can be done in a view."""

    def __init__(self, view: str, *, linked: bool = False) -> None:
        """`linked`: a real control is at the other end."""
        super().__init__()
        self.view, self.linked = view, linked

    def compose(self) -> ComposeResult:
        """What the view is for, then its keys."""
        table = Table.grid(padding=(0, 2))
        table.add_column(justify="right", no_wrap=True, min_width=14)
        table.add_column()
        for action in of_view(self.view, linked=self.linked):
            table.add_row(Text(action.shown, f"bold {theme.SAND}"), Text(action.help, theme.TEXT))
        states = Text()
        for state, (shape, colour) in theme.STATE_SHAPES.items():
            states.append(f"{shape} {state}   ", colour)
        with VerticalScroll():
            yield Static(Text(view_entry(self.view).help + "\n", theme.QUIET))
            yield Static(table)
            yield Static(Text("\n").append_text(states))
            yield Static(
                Text("\nCtrl+P finds any action by name. Arrows scroll; any other key leaves this sheet.", theme.QUIET)
            )
