"""The book: the offset table with its evidence, and the history of the chosen row."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.numbers import format_length
from brisk_anchor.tui import theme
from brisk_anchor.tui.base import View
from brisk_anchor.tui.bench.chain_panel import chain_text
from brisk_anchor.tui.rule import Heading, LatePanel

if TYPE_CHECKING:
    from brisk_anchor.book.store import Entry
    from brisk_anchor.tui.desk import Desk


def age_of(moment: datetime, now: datetime) -> str:
    """An age in words: "now", "5 min", "3 h", "12 d"."""
    seconds = (now - moment).total_seconds()
    if seconds < 60:
        return "now"
    for size, word in ((86400, "d"), (3600, "h"), (60, "min")):
        if seconds >= size:
            return f"{int(seconds // size)} {word}"
    return "now"


class BookView(View):
    """Rows at the top left, history below, the chain of the chosen entry at the right."""

    def __init__(self) -> None:
        super().__init__(id="book")
        self.row = ""
        self.entry = 0
        """How many entries back from the newest."""

    def compose(self) -> ComposeResult:
        """Table, history, chain."""
        with Vertical(id="book-left"):
            yield Heading(id="table-heading")
            yield LatePanel(id="book-table")
            yield Heading(id="history-heading")
            yield LatePanel(id="book-history")
        with Vertical(id="book-side"):
            yield Heading(id="entry-heading")
            yield LatePanel(id="book-entry")

    def show(self) -> None:
        """Bring everything up to date."""
        desk = self.desk
        if desk is None:
            return
        rows = self._rows(desk)
        if self.row not in rows:
            self.row = desk.row
        self.query_one("#table-heading", Heading).tell(
            f"offsets of {desk.workshop.setup.machine.name}", "± is k = 2, mm"
        )
        table = self._table(desk, rows)
        self.query_one("#book-table", LatePanel).tell_text(table, table.plain.count("\n") + 1)
        entries = desk.workshop.history(self.row)
        self.entry = min(self.entry, max(0, len(entries) - 1))
        self.query_one("#history-heading", Heading).tell(
            f"history of {self.row}", f"{len(entries)} entries, newest first"
        )
        key = (self.row, self.entry, len(entries))
        self.query_one("#book-history", LatePanel).tell_late(key, lambda _width, height: self._history(entries, height))
        chosen = entries[len(entries) - 1 - self.entry] if entries else None
        note = f"{chosen.kind.value} {chosen.at.astimezone():%Y-%m-%d %H:%M}" if chosen else ""
        self.query_one("#entry-heading", Heading).tell("chain of the entry", note)
        from brisk_anchor.services.guide import size_words

        words = Text(no_wrap=True)
        if chosen and chosen.chain:
            settled = chosen.kind.value in ("stored", "proved")
            words = chain_text(chosen.chain, [], chosen.proof, [], settled=settled)
            for feature in chosen.chain.features:
                words.append(f"\n {feature.name}", f"bold {theme.TEXT}")
                size = size_words(feature)
                form = f"  form {feature.form * 1000:.1f} µm" if feature.form is not None else ""
                words.append(f"{size}{form}\n", theme.QUIET)
                for touch in feature.touches:
                    place = "  ".join(
                        f"{a} {format_length(v, decimals=4, signed=True)}"
                        for a, v in zip("XYZ", touch.position, strict=True)
                    )
                    words.append(f"   × {place}\n", theme.QUIET)
            words.append("\n touches are spindle positions, machine\n", theme.FAINT)
        elif chosen:
            words.append(f" {chosen.note}\n", theme.QUIET)
        else:
            words.append(" Nothing was ever stored in this row.\n", theme.QUIET)
        self.query_one("#book-entry", LatePanel).tell_text(words)

    def _table(self, desk: Desk, rows: list[str]) -> Text:
        wide = self.app.size.width >= 130
        text = Text(no_wrap=True)
        turned = any("r" in e.values for row in rows for e in desk.workshop.history(row)[-1:])
        head = f"   {'row':<5}{'state':<14}" + "".join(f"{axis:>11}{'±':>7}" for axis in "XYZ")
        head += f"{'R °':>8}" if turned else ""
        text.append(head + (f"{'age':>7}  control\n" if wide else "\n"), theme.QUIET)
        now = datetime.now(UTC)
        names = {row.row: row.title for row in desk.workshop.setup.rows}
        for row in rows:
            entries = desk.workshop.history(row)
            valued = next((e for e in reversed(entries) if e.values), None)
            state = desk.workshop.state(row).value
            shape, colour = theme.STATE_SHAPES[state]
            chosen = row == self.row
            text.append(" › " if chosen else "   ", f"bold {theme.SAND}")
            text.append(f"{row:<5}", f"bold {theme.SAND if chosen else theme.TEXT}")
            text.append(f"{shape} {state:<12}", colour)
            held = desk.workshop.table_values(row)
            control = [held[axis] for axis in "xyz"]
            if valued is not None:
                for axis in "xyz":
                    text.append(f"{format_length(valued.values[axis], decimals=4, signed=True):>11}", theme.TEXT)
                    text.append(f"{2 * valued.u[axis]:7.4f}", theme.QUIET)
                if turned:
                    angle = valued.values.get("r")
                    shown = "—" if angle is None else format_length(angle, decimals=4, signed=True)
                    text.append(f"{shown:>8}", theme.TEXT if angle else theme.FAINT)
                if wide:
                    text.append(f"{age_of(valued.at, now):>7}  ", theme.QUIET)
                    step = desk.workshop.profile.resolution
                    worst = max(abs(valued.values[axis] - held[axis]) for axis in "xyz")
                    turned_off = abs(valued.values.get("r", 0.0) - held.get("r", 0.0)) > step
                    words = "turned" if turned_off else f"by {format_length(worst, decimals=3)}"
                    same = worst <= step and not turned_off
                    text.append("same" if same else words, theme.LIVE if same else theme.SAND)
            elif any(control):
                for value in control:
                    text.append(f"{format_length(value, decimals=4, signed=True):>11}{'':7}", theme.FAINT)
            else:
                text.append(f"{'—':>11}{'':7}" * 3, theme.FAINT)
            text.append("\n")
            if row in names:
                doubt = (
                    ""
                    if valued is not None or not any(control)
                    else "; the control holds these figures, nothing tells why"
                )
                text.append(f"        {names[row]}{doubt}\n", theme.QUIET)
        common = desk.workshop.profile.common_shift
        shift = desk.workshop.machine.offset(common) if common else (0.0, 0.0, 0.0)
        if any(shift):
            figures = "  ".join(
                f"{a} {format_length(v, decimals=4, signed=True)}" for a, v in zip("XYZ", shift, strict=True)
            )
            text.append(f" ! common shift on top of all rows: {figures}\n", theme.CORAL)
        return text

    def _history(self, entries: list[Entry], height: int) -> Text:
        text = Text(no_wrap=True)
        room = max(3, height)
        first = max(0, self.entry - room + 2)
        for back in range(first, min(len(entries), first + room)):
            entry = entries[len(entries) - 1 - back]
            chosen = back == self.entry
            text.append(" › " if chosen else "   ", f"bold {theme.SAND}")
            text.append(f"{entry.at.astimezone():%Y-%m-%d %H:%M:%S}  ", theme.TEXT if chosen else theme.QUIET)
            shape, colour = theme.STATE_SHAPES[entry.kind.value]
            text.append(f"{shape} {entry.kind.value:<9}", colour)
            values = "  ".join(
                f"{a.upper()} {format_length(v, decimals=4, signed=True):>10}" for a, v in entry.values.items()
            )
            text.append(f"{values}  ", theme.TEXT if chosen else theme.QUIET)
            text.append(f"{entry.note}\n", theme.QUIET)
        if not entries:
            text.append("   no entries yet\n", theme.FAINT)
        return text

    @staticmethod
    def _rows(desk: Desk) -> list[str]:
        profile = desk.workshop.profile
        return [row for row in profile.offsets if row != profile.common_shift]

    def move(self, step: int) -> None:
        """Choose another row."""
        desk = self.desk
        if desk is None:
            return
        rows = self._rows(desk)
        self.row = rows[(rows.index(self.row) + step) % len(rows)]
        self.entry = 0
        if any(plan.row == self.row for plan in desk.workshop.setup.rows):
            desk.row = self.row
        self.owner.show_all()

    def turn(self, step: int) -> None:
        """Choose another entry of the history."""
        self.entry = max(0, self.entry + step)
        self.show()

    def stop(self) -> None:
        """Back to the newest entry."""
        self.entry = 0
        self.show()

    def chosen_row(self, row: str) -> None:
        """Follow the offset chosen elsewhere."""
        self.row, self.entry = row, 0
