"""Help for the view one is in: what the action table says of it."""

from __future__ import annotations

from collections.abc import Sequence

from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.sheet import Sheet


class HelpScreen(Sheet):
    """What can be done in a view."""

    def __init__(self, about: str, keys: Sequence[tuple[str, str]]) -> None:
        """`about` is what the view is for; `keys` each key with what it does."""
        super().__init__()
        self.about, self.keys = about, keys

    def compose(self) -> ComposeResult:
        """What the view is for, then its keys."""
        table = Table.grid(padding=(0, 2))
        table.add_column(justify="right", no_wrap=True, min_width=14)
        table.add_column()
        for shown, words in self.keys:
            table.add_row(Text(shown, f"bold {theme.SAND}"), Text(words, theme.TEXT))
        states = Text()
        for state, (shape, colour) in theme.STATE_SHAPES.items():
            states.append(f"{shape} {state}   ", colour)
        with VerticalScroll():
            yield Static(Text(self.about + "\n", theme.QUIET))
            yield Static(table)
            yield Static(Text("\n").append_text(states))
            yield Static(
                Text("\nCtrl+P finds any action by name. Arrows scroll; any other key leaves this sheet.", theme.QUIET)
            )
