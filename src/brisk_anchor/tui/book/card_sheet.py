"""A card to type from, for a control that takes no program: large figures, ticked off one by one, and sums to check."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.sheet import Sheet

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.book_files import CardRow


class CardSheet(Sheet):
    """One figure large, the others listed with their ticks."""

    def __init__(self, rows: Sequence[CardRow]) -> None:
        super().__init__()
        self.rows = rows
        self.done = 0

    @property
    def _all(self) -> list[tuple[CardRow, str, str]]:
        return [(row, axis, figure) for row in self.rows for axis, figure in row.figures]

    def compose(self) -> ComposeResult:
        """The card."""
        with VerticalScroll():
            yield Static(self._text(), id="card")

    def _text(self) -> Text:
        text = Text()
        every = self._all
        if self.done < len(every):
            row, axis, figure = every[self.done]
            text.append(f"\n {row.row}  {row.title}\n\n", f"bold {theme.SAND}")
            for line in large(f"{axis} {figure.replace('-', '−')}"):
                text.append(f"   {line}\n", f"bold {theme.TEXT}")
            text.append("\n Enter ticks it off; Backspace goes back; Esc leaves\n\n", theme.QUIET)
        else:
            text.append("\n All figures are typed. Compare the sums, then leave with Esc.\n\n", f"bold {theme.LIVE}")
        at = 0
        for row in self.rows:
            text.append(f" {row.row:<10}", f"bold {theme.TEXT}")
            for axis, figure in row.figures:
                ticked = at < self.done
                text.append("● " if ticked else "○ ", theme.LIVE if ticked else theme.QUIET)
                text.append(f"{axis} {figure:<12}", theme.QUIET if ticked else theme.TEXT)
                at += 1
            text.append(f" sum {row.check}\n", theme.SAND)
        return text

    def on_key(self, event: events.Key) -> None:
        """Tick, go back; the rest as on any sheet."""
        if event.key in ("enter", "backspace"):
            event.stop()
            event.prevent_default()  # or the sheet's own handler would leave it
            step = 1 if event.key == "enter" else -1
            self.done = max(0, min(len(self._all), self.done + step))
            self.query_one("#card", Static).update(self._text())
