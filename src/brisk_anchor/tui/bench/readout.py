"""The big readout: where the tip is, what it does, how far it has to go."""

from __future__ import annotations

from rich.text import Text
from textual.widgets import Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.digits import large


class Readout(Static):
    """Three axes in large figures, and a line on what the machine does."""

    DEFAULT_CSS = "Readout { height: auto; }"

    def tell(
        self,
        figures: tuple[str, str, str],
        frame: str,
        doing: str,
        to_go: float | None,
        share: float,
        *,
        live: bool,
    ) -> None:
        """`figures` are signed positions as text; `doing` is one short line; `share` of the move is done."""
        compact = bool(self.app.has_class("compact"))
        text = Text(no_wrap=True)
        colour = theme.LIVE if live else theme.TEXT
        for axis, figure in zip("XYZ", figures, strict=True):
            if compact:
                text.append(f" {axis} ", f"bold {theme.QUIET}")
                text.append(f"{figure:>12}", f"bold {colour}")
                text.append("\n" if axis != "Z" else "")
                continue
            rows = zip(large(axis), large(figure.rjust(8)), strict=True)
            for letter, digits in rows:
                text.append(" " + letter.ljust(7), theme.QUIET)
                text.append(digits + "\n", colour)
            if axis != "Z":
                text.append("\n")
        if compact:
            text.append("\n")
        text.append(f" {frame}, mm", theme.QUIET)
        text.append("\n ")
        if to_go is None:
            text.append(doing, f"bold {theme.LIVE if live else theme.QUIET}")
        else:
            text.append(f"{doing}  ", f"bold {theme.LIVE}")
            full = round(14 * share)
            text.append("━" * full, theme.LIVE)
            text.append("─" * (14 - full), theme.FAINT)
            text.append(f" {to_go:.2f} to go", f"bold {theme.LIVE}")
        self.update(text)
