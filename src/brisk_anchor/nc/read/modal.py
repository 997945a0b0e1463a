"""Modal state of a control, and the groups of codes of which a block may hold one each."""

from __future__ import annotations

from dataclasses import dataclass, field

_GROUPS: dict[str, tuple[float, ...]] = {
    "motion": (0, 1, 2, 3, 38.2, 38.3, 38.4, 38.5, 80),
    "plane": (17, 18, 19),
    "distance": (90, 91),
    "feed mode": (93, 94, 95),
    "units": (20, 21),
    "radius compensation": (40,),
    "tool length": (43, 43.1, 49),
    "offset": (54, 55, 56, 57, 58, 59, 59.1, 59.2, 59.3, 54.1),
    "path": (61, 64),
    "rotation": (68, 69),
}
_ONE_BLOCK = (4, 10, 28, 30, 31, 52, 53, 65, 92, 92.1, 92.2, 92.3)
GROUP_OF: dict[float, str] = {code: group for group, codes in _GROUPS.items() for code in codes} | {
    code: "machine coordinates" if code == 53 else "one block" for code in _ONE_BLOCK
}
M_GROUP_OF: dict[float, str] = {
    **dict.fromkeys((0, 1, 2, 30, 98, 99), "program"),
    **dict.fromkeys((3, 4, 5, 19), "spindle"),
    **dict.fromkeys((7, 8, 9), "coolant"),
    6: "tool change",
}
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
    def unit(self) -> float:
        """Millimetres in one programmed unit."""
        return 25.4 if self.inches else 1.0
