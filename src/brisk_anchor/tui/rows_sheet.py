"""Rows that are about to change, on a sheet: what each comes to, how far it moves, what is left out and why."""

from __future__ import annotations

from collections.abc import Callable, Sequence
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
from brisk_anchor.tui.terminal import patiently, said_text
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.book_rows import RowChange
    from brisk_anchor.tui.base import Stage


_MANY = 8
"""Of more lines the end is not seen at first: what the keys do stands above them."""


class RowsSheet(Sheet):
    """Enter changes the rows that are not left out; any other key leaves all as it is."""

    def __init__(
        self,
        stage: Stage,
        title: str,
        verb: str,
        lines: Sequence[RowChange],
        change: Callable[[], tuple[str, str]],
        looks: Sequence[Finding] = (),
    ) -> None:
        """`verb` is what Enter does ("writes"), `change` does it and tells what became of it; `looks` may forbid it."""
        super().__init__()
        self.stage, self.heading, self.verb, self.lines, self.looks = stage, title, verb, lines, looks
        self._change = change

    @property
    def changed(self) -> list[str]:
        """The rows that Enter changes; none while the second look stops."""
        if any(look.stops for look in self.looks):
            return []
        return list(dict.fromkeys(line.row for line in self.lines if not line.left_out))

    def compose(self) -> ComposeResult:
        """A line a row, then what the second look found, then what Enter does."""
        text = Text(f"{self.heading}\n", f"bold {theme.SAND}")
        if long := len(self.lines) > _MANY:
            self._say_keys(text)
        unit = shown_unit().value
        text.append(f"{'':13}{'X':>12}{'Y':>12}{'Z':>12}{'moves X':>10}{'Y':>10}{'Z':>10}   {unit}\n", theme.QUIET)
        for line in self.lines:
            _line(text, line)
        text.append("\n")
        for look in self.looks:
            mark, colour = ("!", theme.CORAL) if look.stops else ("○", theme.TEXT)
            text.append(f" {mark} {look.found}. {look.do}.\n", colour)
        if not long:
            self._say_keys(text)
        with VerticalScroll():
            yield Static(said_text(self.app, text))

    def _say_keys(self, text: Text) -> None:
        if not self.changed:
            text.append(" Nothing is to be done. Any key leaves.\n", theme.QUIET)
            return
        count = counted(len(self.changed), "row", "rows")
        text.append(f" Enter {self.verb} {count}: {', '.join(self.changed)}", f"bold {theme.LIVE}")
        text.append("   any other key leaves all as it is\n", theme.QUIET)

    def on_key(self, event: events.Key) -> None:
        """Do it with Enter; else as every sheet."""
        if event.key != "enter" or not self.changed:
            super().on_key(event)
            return
        event.stop()
        self.dismiss()
        patiently(self.app, self.stage.attempt, self._change)


def _line(text: Text, line: RowChange) -> None:
    colour = theme.FAINT if line.left_out else theme.TEXT
    text.append(f" {'·' if line.left_out else '△'} ", theme.FAINT if line.left_out else theme.SAND)
    text.append(f"{line.row:<10}", f"bold {colour}")
    for axis in "xyz":
        text.append(f"{signed_bare(line.values[axis], 4) if axis in line.values else '':>12}", colour)
    for axis in "xyz":
        text.append(f"{signed_bare(line.moves[axis], 3) if axis in line.moves else '':>10}", colour)
    if angle := line.values.get("r"):
        text.append(f"  R {signed_deg(angle, 4)}", colour)
    told = f"left out: {line.left_out}" if line.left_out else line.note
    text.append(f"\n{'':13}{cut(line.title, 30)}{'  ' if line.title else ''}{told}\n", theme.QUIET)


def show_following(stage: Stage, row: str) -> None:
    """Open the sheet of what follows a row, or say that nothing does."""
    from brisk_anchor.core.offsets.checks import look_at_control
    from brisk_anchor.services.offsets.following import first_of, following, rows_to_write, write_following
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

    def write() -> tuple[str, str]:
        if (desk := view_state.desk) is not None:
            names = rows_to_write(session, row)
            desk.hand_over(f"the program that sets {names[0]}", lambda orders, told: orders.write_rows(names, told))
            return "Handing the program over …", "It is stored when the control says so."
        program, rows = write_following(session, row)
        return f"{', '.join(rows)} written by O{program.number:04d} and read back.", "Entered as stored."

    stage.open_sheet(RowsSheet(stage, f"What follows {first_of(session, row)}", "writes", lines, write, looks))
