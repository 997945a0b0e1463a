"""Panels whose words depend on their size: they are put together when they are drawn, not before."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from rich.console import RenderableType
from rich.text import Text
from textual.widget import Widget

from brisk_anchor.tui import theme
from brisk_anchor.tui.terminal import said, said_in
from brisk_anchor.tui.words import cut


class Same:
    """Stands in a key for one object, and is equal to what stands for that object alone.

    It holds it: the number that tells an object apart (`id`) is given to another as soon as the first is gone. A key of
    such numbers would then take a changed set-up for the one that is shown.
    """

    __slots__ = ("_thing",)

    def __init__(self, thing: object) -> None:
        self._thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other._thing is self._thing

    def __hash__(self) -> int:
        return id(self._thing)


class LatePanel(Widget):
    """Shows what a function makes of its width and height, each time it is drawn."""

    DEFAULT_CSS = "LatePanel { text-wrap: nowrap; text-overflow: ellipsis; }"
    can_focus = False

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._make: Callable[[int, int], RenderableType] | None = None
        self._key: Hashable = None

    def tell_late(self, key: Hashable, make: Callable[[int, int], RenderableType], rows: int | None = None) -> None:
        """Show what `make` returns for the width and height in cells; `key` stands for what it will show.

        The same key again draws nothing, and nothing else is laid out anew: that is what keeps keys quick. `rows`
        changes the height where it must.
        """
        if rows is not None and (self.styles.height is None or self.styles.height.value != rows):
            self.styles.height = rows
        elif key == self._key:
            return
        self._key, self._make = key, make
        self.refresh()

    def forget(self) -> None:
        """Draw it anew the next time, even with the same key: figures are shown in another unit."""
        self._key = None

    def tell_text(self, text: Text, rows: int | None = None) -> None:
        """Show words that do not depend on the size."""
        self.tell_late((text.plain, tuple(text.spans)), lambda _width, _height: text, rows)

    def render(self) -> RenderableType:
        """Put the words together for the present size."""
        return said_in(self.app, self._make(self.size.width, self.size.height)) if self._make else Text()


class Heading(LatePanel):
    """A title on a rule across the panel, with a note at its right end."""

    DEFAULT_CSS = "Heading { height: 1; }"

    def tell(self, title: str, note: str = "", colour: str = theme.QUIET) -> None:
        """Show a title and a note; where they do not both fit, the title is cut."""
        title, note = said(self.app, title), said(self.app, note)

        def make(width: int, _height: int) -> Text:
            room = width - 5 - (len(note) + 2 if note else 0)
            shown = cut(title, room)
            text = Text(no_wrap=True)
            text.append("─", theme.RULE)
            text.append(f" {shown} ", f"bold {theme.QUIET}")
            text.append("─" * max(0, room - len(shown) + 1), theme.RULE)
            if note:
                text.append(f" {note} ", colour)
            return text

        self.tell_late((title, note, colour), make)
