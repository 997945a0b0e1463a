"""The panels of the machine view: mode and switches, and the tables of the control."""

from __future__ import annotations

from dataclasses import replace

from rich.text import Text

from brisk_anchor.services.machine.machine_panel import Table
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.words import cut


class ModePanel(LatePanel):
    """The mode switch, what a move by hand does, the operator's switches, and the alarm."""

    DEFAULT_CSS = "ModePanel { height: 7; }"

    def tell(
        self,
        mode: str,
        modes: tuple[str, ...],
        hand: str,
        switches: tuple[tuple[str, str, bool], ...],
        modal: str,
        alarm: str,
    ) -> None:
        """`switches` are (key, words, on); `hand` says what ↑ and ↓ do now; `alarm` "" is none."""

        def make(width: int, _height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            text.append(" ⟨m⟩ ", f"bold {theme.SAND}")
            for one in modes:
                chosen = one == mode
                text.append(
                    f"[{one}]" if chosen else f" {one} ",
                    f"bold {theme.TEXT} on {theme.CHOSEN}" if chosen else theme.QUIET,
                )
                text.append(" ")
            text.append(f"\n   {hand}\n\n", theme.TEXT)
            used = 0
            for key, words, on in switches:
                if used + len(words) + 6 > width:
                    text.append("\n")
                    used = 0
                text.append(f" {key} ", f"bold {theme.SAND}")
                text.append(f"{'■' if on else '□'} {words} ", theme.LIVE if on else theme.QUIET)
                used += len(words) + 6
            text.append("\n")
            if alarm:
                text.append(f" ! {alarm}\n", f"bold {theme.CORAL}")
            else:
                text.append(f" {modal}\n", theme.QUIET)
            return text

        self.tell_late((mode, hand, switches, modal, alarm), make)


def table_text(table: Table, width: int, height: int) -> Text:
    """A table with its columns set by their widest word; rows that do not fit are counted."""
    text = Text(no_wrap=True, overflow="ellipsis")
    widths = [max([len(name), *(len(row[i]) for row in table.rows)]) for i, name in enumerate(table.columns)]
    rest = width - 3 - sum(widths[:-1]) - 2 * len(widths)
    if table.columns[-1] == "name" and widths[-1] > rest:  # a name gives way to figures
        kept = len(table.columns) if rest > 4 else len(table.columns) - 1
        short = tuple((*row[:-1], cut(row[-1], rest))[:kept] for row in table.rows)
        table, widths[-1] = replace(table, columns=table.columns[:kept], rows=short), rest
    figures = {i for i, name in enumerate(table.columns) if i and name not in ("name", "ended", "program", "")}
    text.append("   ")
    for i, name in enumerate(table.columns):
        text.append((name.rjust(widths[i]) if i in figures else name.ljust(widths[i])) + "  ", theme.QUIET)
    room = max(1, height - 3)
    first = max(0, min(table.marked - room // 2, len(table.rows) - room)) if table.marked >= 0 else 0
    for number, row in list(enumerate(table.rows))[first : first + room]:
        here = number == table.marked
        text.append("\n ▸ " if here else "\n   ", f"bold {theme.LIVE}")
        for i, word in enumerate(row):
            shown = word.rjust(widths[i]) if i in figures else word.ljust(widths[i])
            quiet = row[1:] and all(not any(digit in word for digit in "123456789") for word in row[1:])
            style = f"bold {theme.TEXT}" if here else (theme.QUIET if quiet else theme.TEXT)
            text.append(shown + "  ", style)
    if not table.rows:
        text.append("\n   nothing yet", theme.QUIET)
    hidden = len(table.rows) - room
    if hidden > 0:
        text.append(f"\n   {hidden} more", theme.QUIET)
    elif table.note and len(table.rows) < room:
        text.append(f"\n   {table.note}"[:width], theme.QUIET)
    return text


class TablePanel(LatePanel):
    """One of the control's tables."""

    DEFAULT_CSS = "TablePanel { height: 1fr; }"

    def tell(self, table: Table) -> None:
        """Show a table."""
        self.tell_late(table, lambda width, height: table_text(table, width, height))
