"""A list with one row chosen: Textual's OptionList, told what to show and moved by the keys of the view."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace

from rich.segment import Segment
from rich.style import Style
from rich.text import Text
from textual import events
from textual.message import Message
from textual.strip import Strip
from textual.widgets import OptionList
from textual.widgets.option_list import Option

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui import theme
from brisk_anchor.tui.terminal import said_text

_MARK = " › "
_MARK_STYLE = Style.parse(f"bold {theme.SAND} on {theme.RAISED}")


@dataclass(frozen=True, slots=True)
class ListRow:
    """One row of a line or more; `choice` is its number among those that can be chosen, None for a heading."""

    text: Text
    choice: int | None

    @property
    def height(self) -> int:
        """How many lines it has."""
        return self.text.plain.count("\n") + 1


class ChoiceList(OptionList):
    """Rows that depend on the width; only those that changed are put together anew.

    The chosen row is marked where the others leave three cells free.
    """

    DEFAULT_CSS = f"""
    ChoiceList {{
        height: 1fr; padding: 0; border: none; background: {theme.GROUND}; color: {theme.TEXT};
        scrollbar-size-vertical: 1; scrollbar-color: {theme.RULE}; scrollbar-background: {theme.GROUND};
        text-wrap: nowrap; text-overflow: ellipsis;
    }}
    ChoiceList > .option-list--option, ChoiceList > .option-list--option-disabled {{
        padding: 0; color: {theme.TEXT}; background: {theme.GROUND};
    }}
    ChoiceList > .option-list--option-highlighted, ChoiceList > .option-list--option-hover {{
        background: {theme.RAISED}; color: {theme.TEXT}; text-style: none;
    }}
    """
    can_focus = False

    class Chosen(Message):
        """Someone clicked on a row; `choice` is its number among those that can be chosen."""

        def __init__(self, choice: int) -> None:
            super().__init__()
            self.choice = choice

    def __init__(self, *, id: str) -> None:
        super().__init__(id=id)
        self._make: Callable[[int], Sequence[ListRow]] | None = None
        self._key: Hashable = None
        self._rows: list[ListRow] = []
        self._choice = 0
        self._marked_line: int | None = None

    def tell(self, key: Hashable, make: Callable[[int], Sequence[ListRow]], choice: int) -> None:
        """Show the rows that `make` gives for a width in cells, one of them chosen; `key` stands for the rows."""
        self._choice = choice
        if key != self._key:
            self._key, self._make = key, make
            self._put_together()
        self._mark()

    def forget(self) -> None:
        """Put the rows together anew the next time, even with the same key: figures are shown in another unit."""
        self._key = None

    def on_resize(self, event: events.Resize) -> None:
        """Rows for the new width."""
        self._put_together()
        self._mark()

    def on_option_list_option_selected(self, event: OptionList.OptionSelected) -> None:
        """A click on a row."""
        event.stop()
        choice = self._rows[event.option_index].choice
        if choice is not None:
            self.post_message(self.Chosen(choice))

    @property
    def words(self) -> str:
        """What it shows, line by line."""
        lines = (f"{_MARK}{row.text.plain[3:]}" if row.choice == self._choice else row.text.plain for row in self._rows)
        return "\n".join(lines)

    @property
    def height_of_rows(self) -> int:
        """How many lines all rows have."""
        return sum(row.height for row in self._rows)

    def _put_together(self) -> None:
        width = self.scrollable_content_region.width or self.app.size.width // 2
        made = self._make(width) if self._make is not None else []
        rows = [replace(row, text=said_text(self.app, row.text)) if "⟨" in row.text.plain else row for row in made]
        turned = any((old.choice is None) != (new.choice is None) for old, new in zip(self._rows, rows, strict=False))
        if turned or len(rows) < len(self._rows):  # an option stays a heading, or stays none
            self.clear_options()
            self._rows = []
        for number, (old, new) in enumerate(zip(self._rows, rows, strict=False)):
            if old is not new and (old.text != new.text or old.text.spans != new.text.spans):
                self.replace_option_prompt_at_index(number, new.text)
        self.add_options(Option(row.text, disabled=row.choice is None) for row in rows[len(self._rows) :])
        self._rows = rows

    def _mark(self) -> None:
        at = next((number for number, row in enumerate(self._rows) if row.choice == self._choice), None)
        self._marked_line = None if at is None else sum(row.height for row in self._rows[:at])
        with self.prevent(OptionList.OptionHighlighted):
            self.highlighted = at

    def render_line(self, y: int) -> Strip:
        """A line of the list; the chosen one with its mark."""
        strip = super().render_line(y)
        if self._marked_line is None or y + self.scroll_offset.y != self._marked_line:
            return strip
        return Strip.join([Strip([Segment(_MARK, _MARK_STYLE)]), strip.crop(len(_MARK), strip.cell_length)])
