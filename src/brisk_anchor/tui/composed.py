"""What is composed once and stays so: its parts are found once."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from textual.containers import Horizontal


class Composed(Horizontal):
    """A view whose parts neither come nor go.

    Textual looks for a part anew after each change of view and keeps what it found before, up to 1,024 times for each
    view: megabytes of a day's work.
    """

    def __init__(self, *, id: str) -> None:
        super().__init__(id=id)
        self._parts_found: dict[tuple[object, ...], Any] = {}

    if not TYPE_CHECKING:  # its types are those of what it stands for

        def query_one(self, *asked):
            """The part that is asked for; as `Widget.query_one`."""
            if asked not in self._parts_found:
                self._parts_found[asked] = super().query_one(*asked)
            return self._parts_found[asked]
