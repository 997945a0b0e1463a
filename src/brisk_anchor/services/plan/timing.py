"""How long a measuring program takes, how long the same touches would take at the least, and where the rest goes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touches import axis_of
from brisk_anchor.core.geometry.string_path import Place, string_length
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.setup import Machine
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.standin.motion import Motion, MoveKind, move_seconds

_ROUND = 48
"""Corners of a round outline: inside the circle, so that the way round it is never overstated."""


@dataclass(frozen=True, slots=True)
class Times:
    """Seconds of one run by what they went into, and the least that the same touches take at the same speeds."""

    search: float
    touch: float
    guarded: float
    rapid: float
    waiting: float
    turning: float
    least: float
    touches: int

    @property
    def total(self) -> float:
        """All of it."""
        return self.search + self.touch + self.guarded + self.rapid + self.waiting + self.turning

    @property
    def over(self) -> float:
        """How much longer than the least it takes, as a share."""
        return self.total / self.least - 1.0 if self.least else 0.0

    def shares(self) -> tuple[tuple[str, float], ...]:
        """What the time goes into, seconds, in words."""
        return (
            ("searching", self.search),
            ("backing off, touching slowly", self.touch),
            ("guarded moves", self.guarded),
            ("rapid moves", self.rapid),
            ("waiting", self.waiting),
            ("turning the table", self.turning),
        )


def times_of(
    machine: Machine, profile: Profile, measurements: Sequence[Measurement], motions: Sequence[Motion]
) -> Times | None:
    """Times of a run that ended well; None where it made other touches than the plan's (a tool on the setter, say).

    The least: each touch as it was made (search, back off, slow touch), and between touches the straight way at the
    speed that is allowed there. Within a feature that is a guarded move, over the top of one that stands, or tight
    round it where it is to be gone round; between features straight up, across at the clear height, and straight down;
    from home and back at rapid. A table turns with the tool at home, as long as it turns.
    """
    met = [m for m in motions if m.kind is MoveKind.SKIP and m.contact is not None]
    wanted = sum(m.touch_count for m in measurements)
    if profile.probing is None or len(met) != 2 * wanted or not wanted:
        return None
    feed, back = profile.probing.guarded_feed, profile.probing.back_off

    def guarded(way: float) -> float:
        return move_seconds(way, feed, machine.acceleration)

    def rapid(way: float) -> float:
        return move_seconds(way, machine.rapid, machine.acceleration)

    searches, slow = met[::2], met[1::2]
    search = sum(m.seconds for m in searches)
    touching = sum(m.seconds for m in slow)
    off = move_seconds(back, profile.probing.search_feed, machine.acceleration)
    waiting = sum(m.seconds for m in motions if m.kind is MoveKind.DWELL)
    turning = sum(m.seconds for m in motions if m.angles)
    least = search + touching + off * len(searches) + waiting + turning
    left = list(zip(searches, slow, strict=True))
    here: Vector = machine.home
    before: float | None = None
    table = measurements[0].options.table
    for m in measurements:
        own, left = left[: m.touch_count], left[m.touch_count :]
        first, outline = own[0][0].start, _outline(m, [slow.end for _, slow in own])
        if before is not None and m.options.table != table:  # by way of home
            least += guarded(before - here[2]) + rapid(machine.home[2] - before)
            here, before = (here[0], here[1], machine.home[2]), None
        table = m.options.table
        level = m.clear_z if before is None else max(before, m.clear_z)
        least += rapid(math.dist(here[:2], first[:2]))
        least += rapid(machine.home[2] - level) if before is None else guarded(level - here[2])
        least += guarded(level - first[2])
        for (_, touched), (following, _) in pairwise(own):
            least += guarded(_way(m, touched.end, following.start, outline))
        here, before = own[-1][1].end, m.clear_z
    if before is not None:
        least += guarded(before - here[2]) + rapid(machine.home[2] - before)
    return Times(
        search=search,
        touch=touching + sum(m.seconds for m in motions if m.kind is MoveKind.FEED),
        guarded=sum(m.seconds for m in motions if m.kind is MoveKind.SKIP and m.contact is None),
        rapid=sum(m.seconds for m in motions if m.kind is MoveKind.RAPID and not m.angles),
        turning=turning,
        waiting=waiting,
        least=least,
        touches=wanted,
    )


def _way(m: Measurement, start: Vector, end: Vector, outline: list[Place]) -> float:
    """The shortest way from a touch to where the next search begins, mm; over the top of what stands, or round it."""
    apart = [abs(a - b) for a, b in zip(start, end, strict=True)]
    if m.goes_over and apart[0] + apart[1] > m.stylus.ball_diameter:
        return math.hypot(apart[0], apart[1]) + 2 * m.depth
    if outline:
        return math.hypot(string_length(start[:2], end[:2], outline), apart[2])
    return math.hypot(*apart)


def _outline(m: Measurement, touched: Sequence[Vector]) -> list[Place]:
    """Of a boss or block that is gone round: its outline no larger than it was found, without the ball's radius."""
    if m.goes_over or not m.kind.is_outside or not m.kind.is_paired:
        return []
    contacts, radius = m.contacts(), m.stylus.ball_diameter / 2
    walls = [axis_of(contact.direction) for contact in contacts for _ in range(m.touch_count // len(contacts))]

    def inner(axis: int, sign: int) -> float:
        found = [place[axis] for place, wall in zip(touched, walls, strict=True) if wall == (axis, sign)]
        return max(found) + radius if sign < 0 else min(found) - radius

    (x0, x1), (y0, y1) = ((inner(axis, -1), inner(axis, 1)) for axis in (0, 1))
    if not m.kind.is_round:
        return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    x, y, reach = (x0 + x1) / 2, (y0 + y1) / 2, (y1 - y0) / 2
    turns = (2 * math.pi * n / _ROUND for n in range(_ROUND))
    return [(x + reach * math.cos(turn), y + reach * math.sin(turn)) for turn in turns]
