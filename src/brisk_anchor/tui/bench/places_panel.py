"""The map of a fixture's places on the bench: a line a face, each place with its row and how that stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text
from textual.events import Click
from textual.message import Message

from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.session.places_map import MapFace

_CELL, _LABEL = 11, 15
_USUAL = 52
"""Width that is taken before the panel has one."""
_SHAPES = {"empty": ("·", theme.QUIET), "no offset": ("!", theme.CORAL)}


class PlacesPanel(LatePanel):
    """Shows the map; a click on a place tells which."""

    DEFAULT_CSS = "PlacesPanel { height: 4; }"

    class Chosen(Message):
        """Someone clicked on a place."""

        def __init__(self, name: str) -> None:
            super().__init__()
            self.name = name

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._names: dict[tuple[int, int], str] = {}

    def tell(self, faces: Sequence[MapFace], chosen: str, width: int) -> None:
        """Show the faces, with the chosen place in brackets; nothing takes its room where there are none."""
        self.display = bool(faces)
        if not faces:
            return
        each = max(1, ((width or _USUAL) - _LABEL) // _CELL)
        text, names, line = Text(no_wrap=True), {}, 0
        for face in faces:
            for first in range(0, len(face.places), each):
                label = f"{'▸' if face.looks else ' '}face {face.face} {face.angle}" if first == 0 else ""
                text.append(f"{cut(label, _LABEL - 1):<{_LABEL}}", f"bold {theme.LIVE}" if face.looks else theme.QUIET)
                for column, known in enumerate(face.places[first : first + each]):
                    shape, colour = _SHAPES.get(known.state) or theme.STATE_SHAPES[known.state]
                    name = known.place.name
                    names[line, column] = name
                    here = name == chosen
                    words = f"[{name}]" if here else f" {name} "
                    text.append(f"{shape}", f"bold {colour}")
                    text.append(words, f"bold {theme.TEXT}{f' on {theme.CHOSEN}' if here else ''}")
                    row = cut(known.short_row, _CELL - 2 - len(words))
                    text.append(f"{row:<{_CELL - 1 - len(words)}}", theme.LIVE if known.looked_at else theme.QUIET)
                text.append("\n")
                line += 1
        self._names = names
        self.tell_text(text, line)

    def on_click(self, event: Click) -> None:
        """Choose the place under the mouse."""
        if (name := self._names.get((event.y, (event.x - _LABEL) // _CELL))) is not None:
            self.post_message(self.Chosen(name))
