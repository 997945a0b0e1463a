"""Modal state of a control."""

from __future__ import annotations

from dataclasses import field

from brisk_anchor.lazy_dataclass import dataclass

PLANE_AXES: dict[int, tuple[int, int, int]] = {17: (0, 1, 2), 18: (2, 0, 1), 19: (1, 2, 0)}
"""Plane → its two axes in the sense of a counter-clockwise arc, and the axis across it."""


@dataclass(slots=True)
class Modal:
    """Modal state. Lengths are mm whatever the units; `length` is the tool length in force (number of H, extra mm)."""

    motion: float | None = None
    plane: int = 17
    absolute: bool = True
    inches: bool = False
    feed_mode: int = 94
    feed: float = 0.0
    spindle_speed: float = 0.0
    spindle: int = 5
    coolant: frozenset[int] = frozenset()
    path: int = 64
    offset: str = ""
    length: int = 0
    length_shift: float = 0.0
    local_shift: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    set_shift: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    kept_set_shift: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    rotation: float = 0.0
    rotation_centre: tuple[float, float] = (0.0, 0.0)
    prepared_tool: int = 0

    @property
    def written_feed(self) -> float:
        """The feed as an F word has it: in the unit of the program, but for inverse time."""
        return self.feed if self.feed_mode == 93 else self.feed / self.unit

    @property
    def feed_word(self) -> str:
        """That as a word: F3000, F118.11."""
        return f"F{self.written_feed:.5g}"

    @property
    def unit(self) -> float:
        """Millimetres in one programmed unit."""
        return 25.4 if self.inches else 1.0
