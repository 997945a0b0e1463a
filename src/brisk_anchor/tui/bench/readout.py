"""The big readout: where the tip is, what it does, how far it has to go."""

from __future__ import annotations

from rich.text import Text

from brisk_anchor.core.quantities import bare, shown_unit
from brisk_anchor.tui import theme
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.panels import LatePanel

_STEADY_ROWS = 19
"""Rows of the large readout with a distance to go."""


class Readout(LatePanel):
    """Three axes in large figures, and a line on what the machine does."""

    DEFAULT_CSS = "Readout { height: 13; }"

    def tell_linked(self, big: str, what: str, doing: str, *, live: bool) -> None:
        """A control that tells no position: what it is at, in large letters; `what` these are."""
        text = Text(no_wrap=True, overflow="ellipsis")
        for digits in large(big) if big else ():
            text.append(f" {digits}\n", theme.LIVE if live else theme.SAND if big else theme.FAINT)
        text.append(f" {what}\n", theme.QUIET)
        text.append(f" {doing}", f"bold {theme.LIVE if live else theme.QUIET}")
        self.tell_text(text, text.plain.count("\n") + 2)

    def tell(
        self,
        figures: tuple[str, str, str],
        frame: str,
        doing: str,
        to_go: float | None,
        share: float,
        *,
        live: bool,
        chosen: str = "",
        steady: bool = False,
        doubt: str = "",
    ) -> None:
        """`figures` are signed positions as text; `doing` is one short line; `share` of the move is done.

        `doubt` says why the figures are not to be trusted, "" where they are.
        `chosen` is the axis that moves by hand; `steady` keeps the height of a move when there is none.
        In a touch `to_go` is the distance to where the drawing puts the wall, for where it is nobody knows yet."""
        compact = bool(self.app.has_class("compact"))
        text = Text(no_wrap=True)
        colour = theme.FAINT if doubt else theme.LIVE if live else theme.TEXT
        for axis, figure in zip("XYZ", figures, strict=True):
            rows = zip(large(axis), large(figure.rjust(8)), strict=True)
            for letter, digits in rows:
                text.append(" " + letter.ljust(7), theme.SAND if axis == chosen else theme.QUIET)
                text.append(digits + "\n", colour)
            if axis != "Z":
                text.append("\n")
        text.append(f" {frame}, {shown_unit().word}", theme.QUIET)
        text.append(f"  ? {doubt}" if doubt else "", f"bold {theme.SAND}")
        text.append("  " if compact else "\n")
        if to_go is None:
            text.append("\n" if steady and not compact else "")
            words = "" if compact and doubt else doing
            text.append(f" {words}", f"bold {theme.LIVE if live else theme.QUIET}")
            lines = text.plain.rstrip("\n").count("\n") + 1
            self.tell_text(text, _STEADY_ROWS if steady and not compact else lines)
            return
        wall = doing.startswith("touch")
        full = round(20 * share)
        text.append("\n")
        text.append(f" {doing:<20}", f"bold {theme.LIVE}")
        text.append("━" * full, theme.LIVE)
        text.append("─" * (20 - full), theme.FAINT)
        if compact and steady:
            text.append(f" {bare(to_go, 2)}", f"bold {theme.LIVE}")
        else:
            text.append("\n" if compact else "\n\n")
            for row, digits in enumerate(large(f"{bare(to_go, 2)}".replace("-", "−").rjust(7))):
                label = ((" to the", " wall as", " drawn") if wall else ("", " to go", ""))[row]
                text.append(label.ljust(10), theme.QUIET)
                text.append(digits + "\n", theme.SAND)
        self.tell_text(text, text.plain.rstrip("\n").count("\n") + (1 if compact else 2))
