"""The rose: marks around the tip say where metal is, and the marks *are* the feature.

A person marks walls with the arrow keys, says whether the tip stands inside or over the feature, and whether it is
round. There is nothing else to fill in, so signs and sides cannot contradict each other.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

from brisk_anchor.core.kinds import FeatureKind, Vector


class Wall(Enum):
    """Where metal is, seen from the tip; the value is the direction of the touch."""

    RIGHT = (1.0, 0.0, 0.0)
    LEFT = (-1.0, 0.0, 0.0)
    UP = (0.0, 1.0, 0.0)
    DOWN = (0.0, -1.0, 0.0)
    BELOW = (0.0, 0.0, -1.0)

    @property
    def direction(self) -> Vector:
        """Unit vector towards the wall, machine axes."""
        x, y, z = self.value
        return x, y, z

    @property
    def shown(self) -> str:
        """The axis and sense in words a machinist reads: "+X"."""
        return {"RIGHT": "+X", "LEFT": "−X", "UP": "+Y", "DOWN": "−Y", "BELOW": "−Z"}[self.name]


SIDES = (Wall.LEFT, Wall.RIGHT, Wall.DOWN, Wall.UP)


@dataclass(frozen=True, slots=True)
class Reading:
    """What the marks mean: the trade's name, and the kind when this version can measure it."""

    name: str
    kind: FeatureKind | None
    hint: str


@dataclass(frozen=True, slots=True)
class Rose:
    """Marks, stance and form. `over` means the tip stands above the feature; otherwise inside it or beside the wall."""

    marks: frozenset[Wall] = frozenset()
    over: bool = False
    round: bool = False

    def toggle(self, wall: Wall) -> Rose:
        """Mark or unmark a wall. Metal below is a feature of its own: it clears the sides, and the sides clear it."""
        if wall in self.marks:
            return replace(self, marks=self.marks - {wall})
        keep = self.marks - {Wall.BELOW} if wall is not Wall.BELOW else frozenset()
        return replace(self, marks=keep | {wall})

    def all_round(self) -> Rose:
        """All four sides, round: a bore from inside, a boss from over."""
        return replace(self, marks=frozenset(SIDES), round=True)

    def read(self) -> Reading:
        """Name the feature in trade words."""
        marks = self.marks
        if not marks:
            return Reading("nothing marked", None, "Mark where metal is with the arrow keys; d for below.")
        if marks == {Wall.BELOW}:
            return Reading("surface below", FeatureKind.SURFACE, "One touch down.")
        if len(marks) == 1:
            (wall,) = marks
            return Reading(f"surface towards {wall.shown}", FeatureKind.SURFACE, f"One touch towards {wall.shown}.")
        if len(marks) == 4:
            if self.round:
                kind = FeatureKind.BOSS if self.over else FeatureKind.BORE
                return Reading(kind.value, kind, "Four touches, centred after the first two.")
            kind = FeatureKind.BLOCK if self.over else FeatureKind.POCKET
            return Reading(kind.value, kind, "Four touches: middle and size along X and along Y.")
        if len(marks) == 2 and len({abs(wall.direction[0]) for wall in marks}) == 1:
            kind = FeatureKind.WEB if self.over else FeatureKind.SLOT
            along = "X" if Wall.LEFT in marks else "Y"
            return Reading(kind.value, kind, f"Two touches: the middle along {along}, and the width.")
        if len(marks) == 2:
            corner = FeatureKind.OUTSIDE_CORNER if self.over else FeatureKind.INSIDE_CORNER
            return Reading(corner.value, corner, "One touch on each wall, square to the axes.")
        return Reading("three walls", None, "Mark the fourth, or take one off.")
