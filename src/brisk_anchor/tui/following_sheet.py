"""Every row that follows another one, on a sheet: what it comes to, how far it moves, what is left out and why."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.numbers import counted
from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.quantities import shown_unit, signed_bare, signed_deg
from brisk_anchor.tui import theme
from brisk_anchor.tui.sheet import Sheet
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.following import FollowingRow
    from brisk_anchor.tui.base import Stage


class FollowingSheet(Sheet):
    """Enter writes the rows that are shown as to be written; any other key leaves all as it is."""

    def __init__(self, stage: Stage, head: str, lines: Sequence[FollowingRow], looks: Sequence[Finding]) -> None:
        super().__init__()
        self.stage, self.head, self.lines, self.looks = stage, head, lines, looks

    @property
    def written(self) -> list[str]:
        """The rows that Enter writes; none while the second look stops."""
        return [] if any(look.stops for look in self.looks) else [line.row for line in self.lines if not line.left_out]

    def compose(self) -> ComposeResult:
        """A line a row, then what the second look found, then what Enter does."""
        text = Text(f"What follows {self.head}\n", f"bold {theme.SAND}")
        text.append(f"{'':13}{'to be written':>26}{'moves by':>36}   {shown_unit().value}\n", theme.QUIET)
        for line in self.lines:
            _line(text, line)
        text.append("\n")
        for look in self.looks:
            text.append(
                f" {'!' if look.stops else '○'} {look.found}. {look.do}.\n", theme.CORAL if look.stops else theme.TEXT
            )
        if self.written:
            text.append(
                f" Enter writes {counted(len(self.written), 'row', 'rows')}: {', '.join(self.written)}",
                f"bold {theme.LIVE}",
            )
            text.append("   any other key leaves them\n", theme.QUIET)
        else:
            text.append(" Nothing is to be written. Any key leaves.\n", theme.QUIET)
        with VerticalScroll():
            yield Static(text)

    def on_key(self, event: events.Key) -> None:
        """Write with Enter; else as every sheet."""
        if event.key != "enter" or not self.written:
            super().on_key(event)
            return
        event.stop()
        self.dismiss()
        self.stage.attempt(self._write)

    def _write(self) -> tuple[str, str]:
        from brisk_anchor.services.offsets.following import write_following

        view_state = self.stage.view_state
        if view_state is None:
            return "Nothing was written.", ""
        program, rows = write_following(view_state.session, self.head)
        return (
            f"{', '.join(rows)} written by O{program.number:04d} and read back.",
            "Entered as stored; p proves the row being set.",
        )


def _line(text: Text, line: FollowingRow) -> None:
    colour = theme.FAINT if line.left_out else theme.TEXT
    text.append(f" {'·' if line.left_out else '△'} ", theme.FAINT if line.left_out else theme.SAND)
    text.append(f"{line.row:<10}", f"bold {colour}")
    text.append("".join(f"{signed_bare(line.values[axis], 4):>12}" for axis in "xyz" if axis in line.values), colour)
    text.append("".join(f"{signed_bare(line.moves[axis], 3):>10}" for axis in "xyz" if axis in line.moves), colour)
    if angle := line.values.get("r"):
        text.append(f"  R {signed_deg(angle, 4)}", colour)
    told = f"left out: {line.left_out}" if line.left_out else f"follows {line.parent}"
    text.append(f"\n{'':13}{cut(line.title, 30)}{'  ' if line.title else ''}{told}\n", theme.QUIET)


def show_following(stage: Stage, row: str) -> None:
    """Open the sheet of what follows a row, or say that nothing does."""
    from brisk_anchor.core.offsets.checks import look_at_control
    from brisk_anchor.services.offsets.following import first_of, following
    from brisk_anchor.services.offsets.offset_book import look_before_writing

    view_state = stage.free()
    if view_state is None:
        return
    session = view_state.session
    try:
        lines = following(session, row)
        looks = look_at_control(session.link.condition)
        looks += look_before_writing(session, [line.row for line in lines if not line.left_out])
    except BriskAnchorError as error:
        stage.complain(error)
        return
    stage.open_sheet(FollowingSheet(stage, first_of(session, row), lines, looks))
