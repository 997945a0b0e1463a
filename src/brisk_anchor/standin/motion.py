"""A move as it happened, how long it took, and the probe as it really is."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from enum import Enum

from numpy.random import Generator

from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass


class MoveKind(Enum):
    """How a move was made."""

    RAPID = "rapid"
    FEED = "feed"
    SKIP = "skip"
    DWELL = "dwell"


@dataclass(frozen=True, slots=True)
class Motion:
    """One move as it happened; positions are the spindle's, machine mm. `contact` is the place on the metal."""

    kind: MoveKind
    line: int
    start: Vector
    end: Vector
    feed: float
    seconds: float
    contact: Vector | None = None
    solid: str = ""
    angles: tuple[tuple[str, float], ...] = ()
    """Where the rotary axes stand at its end, those that turned."""

    def at(self, share: float) -> Vector:
        """Position after a share (0 to 1) of the way."""
        x, y, z = (a + (b - a) * share for a, b in zip(self.start, self.end, strict=True))
        return x, y, z


def motions_at(motions: Sequence[Motion], before: Mapping[str, float], table: Mapping[str, float]) -> list[Motion]:
    """Those made with rotary axes at the angles of `table`, or turning there; `before` is where they stood at first."""
    now = dict(before)
    found = []
    for motion in motions:
        now |= dict(motion.angles)
        if now == dict(table):
            found.append(motion)
    return found


@dataclass(frozen=True, slots=True)
class RealProbe:
    """The probe as it really is. Pre-travel is `pre_travel + lobing·cos(3·heading)` mm; noise is 1σ, mm.

    The signal comes `delay` seconds late, so that a fast touch reads worse than a slow one. A probe that is "absent"
    never signals, one that is "stuck" always does, and one with an empty "battery" falls silent after three signals.
    """

    stylus: Stylus
    length: float
    pre_travel: float
    lobing: float
    noise: float
    over_travel: float
    delay: float = 0.0
    fault: str = ""
    offset: tuple[float, float] = (0.0, 0.0)

    def pre_travel_along(self, direction: Vector, random: Generator | None) -> float:
        """How far past the contact the ball goes before the signal, mm; `random` None leaves the noise out."""
        heading, level = math.atan2(direction[1], direction[0]), math.hypot(direction[0], direction[1])
        late = self.pre_travel + self.lobing * level * math.cos(3 * heading)
        return late + (float(random.normal(0.0, self.noise)) if random is not None else 0.0)


def touches_in(motions: Iterable[Motion]) -> list[Motion]:
    """The touches that count among the moves of a measuring program: each place is met twice, searching and slowly."""
    return [m for m in motions if m.kind is MoveKind.SKIP and m.contact is not None][1::2]


def move_seconds(distance: float, feed: float, acceleration: float) -> float:
    """Time of a move from rest to rest with a trapezoid of speed. `feed` mm/min, `acceleration` mm/s², result s."""
    if distance <= 0:
        return 0.0
    speed = feed / 60.0
    ramp = speed * speed / acceleration
    if distance >= ramp:
        return distance / speed + speed / acceleration
    return 2 * math.sqrt(distance / acceleration)
