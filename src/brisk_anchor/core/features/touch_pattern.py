"""The touch pattern: marks around the tip say where metal is, and the marks *are* the feature (the rose, on screen).

A person marks walls with the arrow keys, says whether the tip stands inside or over the feature, and whether it is
round. There is nothing else to fill in, so signs and sides cannot contradict each other.
"""

from __future__ import annotations

import math
from dataclasses import replace
from enum import Enum
from functools import lru_cache

from brisk_anchor.core.kinds import FeatureKind, Vector, Walls, kind_touched
from brisk_anchor.lazy_dataclass import dataclass


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
    """What the marks mean: the trade's name, the kind when this version can measure it, how and from where."""

    name: str
    kind: FeatureKind | None
    hint: str
    stand: str = ""


@dataclass(frozen=True, slots=True)
class TouchPattern:
    """Marks, stance and form. `over` means the tip stands above the feature; otherwise inside it or beside the wall.

    `twice`: every wall is touched at two places, which gives an angle; a bore at two levels. `headings`, degrees from
    +X, are directions of a round feature that are not those of the marks.
    """

    marks: frozenset[Wall] = frozenset()
    over: bool = False
    round: bool = False
    twice: bool = False
    headings: tuple[float, ...] = ()

    def toggle(self, wall: Wall) -> TouchPattern:
        """Mark a wall, mark it twice for an angle, or take it off. Metal below is a feature of its own: it clears the
        sides, and the sides clear it; but over a round feature with all four it is the top of a ball.
        """
        plain = replace(self, headings=())
        if wall in self.marks:
            if not self.twice and (len(self.marks) == 1 or not self.round):
                return replace(plain, twice=True)
            return replace(plain, marks=self.marks - {wall}, twice=False)
        if wall is Wall.BELOW and self.round and self.over and self.marks == frozenset(SIDES):
            return replace(plain, marks=self.marks | {wall}, twice=False)
        keep = self.marks - {Wall.BELOW} if wall is not Wall.BELOW else frozenset()
        return replace(plain, marks=keep | {wall}, twice=self.twice and bool(keep))

    def all_round(self) -> TouchPattern:
        """All four sides, round: a bore from inside, a boss from over; again, a bore at two levels."""
        if self.round and self.marks == frozenset(SIDES):
            return replace(self, twice=not self.twice and not self.over, headings=())
        return replace(self, marks=frozenset(SIDES), round=True, twice=False, headings=())

    def at_places(self, count: int) -> TouchPattern:
        """A round touched at so many places evenly round, the first towards +X; four are the usual ones."""
        if count == len(SIDES):
            return replace(self, marks=frozenset(SIDES), headings=())
        return self.with_headings(tuple(round(360 * n / count, 6) for n in range(count)))

    def with_headings(self, headings: tuple[float, ...]) -> TouchPattern:
        """Touched in these directions, degrees from +X; the marks are the sides they are nearest to."""
        order = (Wall.RIGHT, Wall.UP, Wall.LEFT, Wall.DOWN)
        marks = frozenset(order[round(heading / 90) % 4] for heading in headings)
        return replace(self, marks=marks, round=True, twice=False, headings=headings)

    @property
    def directions(self) -> tuple[Vector, ...]:
        """Unit vectors towards what is marked; opposite walls one after the other, and what is below last."""
        if self.headings:
            turns = [math.radians(heading) for heading in self.headings]
            return tuple((math.cos(turn), math.sin(turn), 0.0) for turn in turns)
        return tuple(wall.direction for wall in (*SIDES, Wall.BELOW) if wall in self.marks)

    def read(self) -> Reading:
        """Name the feature in trade words. It is asked for a dozen times a key, so what was read is kept."""
        return _reading_of(self)

    def _read(self) -> Reading:
        marks = self.marks
        if not marks:
            return Reading("nothing marked", None, "Mark where metal is with the arrow keys; ⟨bench:d⟩ for below.")
        if self.headings:
            return self._free(len(self.headings))
        if self.round and len(marks) in (2, 3) and Wall.BELOW not in marks and (len(marks) == 3 or not self._opposite):
            return self._free(len(marks))
        walls = self._walls()
        if walls is None:
            return Reading("three walls", None, "Mark the fourth, or take one off; ⟨bench:r⟩: an interrupted round.")
        kind = kind_touched(walls, over=self.over, round=self.round, twice=self.twice and Wall.BELOW not in marks)
        if len(marks) == 1:
            kind = kind_touched(walls, over=False, round=False, twice=self.twice)
        if kind is None:
            return Reading("boss at two levels", None, "A bore can be touched at two levels; a boss at one.")
        return self._reading(kind)

    def _walls(self) -> Walls | None:
        """Which walls the marks are, None where they are none that belong together."""
        marks = self.marks
        if len(marks) == 1:
            return Walls.BELOW if Wall.BELOW in marks else Walls.SIDE
        if Wall.BELOW in marks:
            return Walls.ALL_AND_TOP
        if len(marks) == 4:
            return Walls.ALL
        if len(marks) == 2:
            return Walls.PAIR if self._opposite else Walls.CORNER
        return None

    def _reading(self, kind: FeatureKind) -> Reading:
        """What marks that mean a kind are called, and how it is touched."""
        traits = kind.traits
        name, where = traits.called or kind.value, "down"
        if len(self.marks) == 1:
            (wall,) = self.marks
            where = "down" if wall is Wall.BELOW else f"towards {wall.shown}"
            name = f"{name} below" if wall is Wall.BELOW else f"{name} {where}"
        hint = traits.hint_twice if self.twice and not kind.has_top else traits.hint
        stand = "tip above the face" if where == "down" else "tip beside the wall, below its edge"
        hint = hint.format(where=where, axis="X" if Wall.LEFT in self.marks else "Y")
        return Reading(name, kind, hint, traits.stand.format(stand=stand))

    @property
    def _opposite(self) -> bool:
        """Whether two marks face each other."""
        return len({abs(wall.direction[0]) for wall in self.marks}) == 1

    def _free(self, count: int) -> Reading:
        """A round in directions of its own: two where its diameter is known, part of it by three, or many."""
        kind = FeatureKind.BOSS if self.over else FeatureKind.BORE
        if count == 3:
            return Reading(f"interrupted {kind.value}", kind, "Three touches at any angles.", kind.traits.stand)
        if count > 3:
            return Reading(
                f"{kind.value} at {count} places", kind, f"{count} touches, least squares.", kind.traits.stand
            )
        hint = "Two touches; the diameter stands in for the others."
        return Reading(f"{kind.value} of known ⌀", kind, hint, kind.traits.stand)


@lru_cache(maxsize=512)
def _reading_of(pattern: TouchPattern) -> Reading:
    return pattern._read()
