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

_WORDS = {
    "bench": "The bench measures. Point at a drawn feature, or bring the tip near by hand and mark where metal is: the "
    "marks are the feature. Each value of the offset is the end of a chain that starts with the touches.",
    "book": "The book keeps every figure that was measured, stored or proved, with the touches it came from. It only "
    "grows. What is typed here has a reason, and s writes it to the control: guarded, read back, entered as stored.",
    "code": "The code does on a control what was done on the bench. Run it here on a twin first: contacts, "
    "guards and the offset it writes are those of the real program.",
    "setup": "The set-up as it is described: what is drawn, whether the probe reaches it, and which feature each axis "
    "of an offset's zero comes from. A zero moved off what cannot be reached keeps its distance in the chain.",
    "tools": "The shelf keeps what every measurement hangs on: radius and length of the probe, figures of the tools of "
    "the hand, the tool setter with its own reference offset, lengths of cutters. A change says what it makes void.",
    "plan": "The plan is a list of measurements for a whole set-up. Every figure that is not stated is proposed and "
    "says why. Its program is proved on 200 parts drawn within what is stated; the proof is of that text alone.",
    "machine": "The machine is the stand-in as it stands at its control: what is done here moves it and writes its "
    "tables. Programs that set offsets here are seen in the book as a difference to the control.",
}


class HelpScreen(Sheet):
    """What can be done in a view."""

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
