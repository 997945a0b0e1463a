"""A heading on a thin rule."""

from __future__ import annotations

from rich.text import Text
from textual.widgets import Static

from brisk_anchor.tui import theme


class Heading(Static):
    """A title on a rule across the panel, with a note at its right end."""

    DEFAULT_CSS = "Heading { height: 1; }"

    def tell(self, title: str, note: str = "", colour: str = theme.QUIET) -> None:
        """Show a title and a note."""
        width = max(10, self.size.width)
        room = width - 5 - (len(note) + 2 if note else 0)
        title = title if len(title) <= room else title[: max(0, room - 1)] + "…"
        text = Text(no_wrap=True)
        text.append("─", theme.RULE)
        text.append(f" {title} ", f"bold {theme.QUIET}")
        rest = width - len(title) - 4 - (len(note) + 2 if note else 0)
        text.append("─" * max(0, rest), theme.RULE)
        if note:
            text.append(f" {note} ", colour)
        self.update(text)
