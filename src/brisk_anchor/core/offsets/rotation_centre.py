"""The centre of rotation of a table, from what was measured with it at known angles; and which way it turns.

A point `q` of the table, given with the table at 0, is met at `p = c + R(θ)(q − c)`; a face met along a machine axis at
`c + s d`, with `s` the way it looks along that axis and `d` its distance from the axis. Both are linear in the centre
`c` and in `q` or `d`: least squares, every error of a measurement carried on by its derivatives (docs/maths.md).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import deg, dim
from brisk_anchor.core.uncertainty.estimates import Estimate, linear
from brisk_anchor.lazy_dataclass import dataclass

AXES = "xyz"
_SQUARE = 1e-3
"""How far a face may look from a machine axis, as a sine, and still be taken to lie square to it."""
_OPEN = 1e-6
"""A singular value below this, in parts of the largest, leaves a direction open."""


@dataclass(frozen=True, slots=True)
class Sight:
    """One measurement with the table at `angle`, degrees. The same `target` is the same point or face.

    `found` are the coordinates that were measured, machine mm, by axis. A face has one, along the axis that it looks
    along, and `looks` is +1 where its outside is towards + there; a point has none of that.
    """

    target: str
    angle: float
    found: Mapping[str, Estimate]
    looks: int = 0


@dataclass(frozen=True, slots=True)
class RotationCentre:
    """Where an axis of rotation runs: machine mm by the two axes across it, with what they depend on.

    `residuals` are how far each coordinate lies off what was fitted, mm, and `freedom` how many there are beyond need:
    with none of them nothing tests the centre.
    """

    letter: str
    place: Mapping[str, Estimate]
    residuals: tuple[float, ...]
    freedom: int

    @property
    def worst(self) -> float:
        """The largest residual, mm."""
        return max(map(abs, self.residuals), default=0.0)


def _across(axis: RotaryAxis) -> tuple[int, list[int]]:
    along = max(range(3), key=lambda i: abs(axis.direction[i]))
    if abs(axis.direction[along]) < 1 - _SQUARE**2:
        raise GeometryError(
            f"Axis {axis.letter} does not run along X, Y or Z",
            "Its centre is measured with what carries it at 0",
            "Turn the outer axis to where it does",
        )
    return along, [i for i in range(3) if i != along]


def solve_centre(axis: RotaryAxis, sights: Sequence[Sight]) -> RotationCentre:
    """The centre of an axis from points and faces that were measured at several angles.

    Args:
        axis: as stated; its direction and sense count, its centre does not.
        sights: what was measured, the axis at `angle` each time, all else as it stood.

    Raises:
        GeometryError: too little was measured, or a face does not lie square where it was touched.
    """
    _, across = _across(axis)
    targets = list(dict.fromkeys(sight.target for sight in sights))
    columns: dict[tuple[str, int], int] = {("", n): n for n in range(2)}
    for name in targets:
        faces = [sight for sight in sights if sight.target == name]
        for k in range(1 if faces[0].looks else 2):
            columns[name, k] = len(columns)
    rows: list[list[float]] = []
    values: list[Estimate] = []
    for sight in sights:
        turn = axis.frame(sight.angle).rotation[np.ix_(across, across)]
        for letter, estimate in sight.found.items():
            i = AXES.index(letter)
            if i not in across:
                continue  # along the axis nothing of the centre shows
            row, at = [0.0] * len(columns), across.index(i)
            if sight.looks:
                row[at], row[columns[sight.target, 0]] = 1.0, float(sight.looks)
            else:
                for k in range(2):
                    row[k] = float(k == at) - float(turn[at, k])
                    row[columns[sight.target, k]] = float(turn[at, k])
            rows.append(row)
            values.append(estimate)
    design = np.array(rows).reshape(-1, len(columns))
    if len(design) < len(columns) or np.linalg.svd(design, compute_uv=False)[-1] < _OPEN * max(
        1.0, np.abs(design).max()
    ):
        raise GeometryError(
            f"This does not tell where {axis.letter} turns",
            "A point needs two angles, a face three: from both sides and facing the spindle",
            "Measure the same at another angle",
        )
    inverse = np.linalg.pinv(design)
    # Counted from a place near by, so that no digits go with figures of hundreds of mm.
    base = float(np.mean([value.value for value in values]))
    shift = design @ np.array([base if column < 2 else 0.0 for column in range(len(columns))])
    figures = inverse @ (np.array([value.value for value in values]) - shift)
    fitted = design @ figures + shift
    found = linear([figures[0] + base, figures[1] + base], inverse[:2], values)
    residuals = tuple(float(v.value - f) for v, f in zip(values, fitted, strict=True))
    place = {AXES[i]: item for i, item in zip(across, found, strict=True)}
    return RotationCentre(axis.letter, place, residuals, len(design) - len(columns))


def direction_between(
    axis: RotaryAxis, low: tuple[float, RotationCentre], high: tuple[float, RotationCentre]
) -> tuple[Vector, float]:
    """The direction of an axis from its centre at two heights along it, and its standard uncertainty, degrees.

    Raises:
        GeometryError: the heights are the same.
    """
    along, across = _across(axis)
    rise = high[0] - low[0]
    if abs(rise) < 1.0:
        raise GeometryError(
            f"The two places lie {dim(abs(rise))} apart along {axis.letter}",
            "That tells no direction",
            "Measure further apart",
        )
    direction = [0.0, 0.0, 0.0]
    direction[along] = 1.0
    spread = 0.0
    for i in across:
        one, two = low[1].place[AXES[i]], high[1].place[AXES[i]]
        shared = sum(effect * two.effects.get(source, 0.0) for source, effect in one.effects.items())
        spread = max(spread, math.sqrt(max(0.0, one.u**2 + two.u**2 - 2 * shared)) / abs(rise))
        direction[i] = (two.value - one.value) / rise
    length = math.hypot(*direction) * math.copysign(1.0, axis.direction[along])
    x, y, z = (value / length for value in direction)
    return (x, y, z), math.degrees(spread)


def sense_of(axis: RotaryAxis, point: Vector, found: Vector, by: float) -> int:
    """Which way a table turns, proved by a small turn: +1 or −1 as `RotaryAxis.sense` has it.

    Args:
        axis: direction and centre count; the sense that is stated does not.
        point: a point of the table, machine mm.
        found: where it was found after the table had turned.
        by: by how much its angle was changed, degrees.

    Raises:
        GeometryError: the point moved neither way, or too little to tell.
    """
    ways = {}
    for sense in (1, -1):
        turned = RotaryAxis(axis.letter, axis.direction, axis.centre, sense, None, None, 1.0).frame(by)
        ways[sense] = math.dist(turned.point(point), found)
    apart = abs(ways[1] - ways[-1])
    best = min(ways, key=lambda sense: ways[sense])
    moved = math.dist(point, found)
    if apart < 0.2 * max(ways.values()) or max(ways.values()) < 0.05 or ways[best] > 0.5 * moved + 0.05:
        raise GeometryError(
            f"A turn of {deg(by, 3)} does not tell which way {axis.letter} turns",
            f"The point moved {dim(moved, 3)}: neither way, or too little to tell",
            "Take a point further from the axis, and turn by 5° or so",
        )
    return best


# -- bringing a face to the spindle --------------------------------------------------------------------------------


def angles_facing(axes: tuple[RotaryAxis, ...], normal: Vector, *, tolerance: float = 1e-9) -> list[dict[str, float]]:
    """Every pair of angles (degrees) that brings a normal of the table (all axes at 0) to +Z, within the axes' limits.

    Of two axes the inner one brings it into the plane across the outer one, the outer one then turns it up: two ways
    round, and every angle where the normal runs along the inner axis (that one is given with it at 0). With one axis
    only normals across it can be brought up.

    Raises:
        GeometryError: the machine has no rotary axis, or none of its angles brings it there.
    """
    if not axes:
        raise GeometryError("The machine has no rotary axis", "No face can be turned to the spindle", "Clamp it so")
    up = np.array((0.0, 0.0, 1.0))
    n = np.array(normal) / np.linalg.norm(normal)
    found: list[dict[str, float]] = []
    outer, inner = axes[0], axes[-1]
    if len(axes) == 1:
        candidates: list[tuple[dict[str, float], Array]] = [({}, n)]
    else:
        candidates = [({inner.letter: angle}, inner.frame(angle).turn(n)) for angle in _into_plane(inner, outer, n)]
    for held, turned in candidates:
        angle = _turning(outer, turned, up)
        if angle is None:
            continue
        whole = {outer.letter: angle, **held}
        if np.linalg.norm(_table_turn(axes, whole) @ n - up) > max(tolerance, 1e-9):
            continue
        for choice in _within_limits(axes, whole):
            if not any(all(abs(choice[k] - other[k]) < 1e-6 for k in choice) for other in found):
                found.append(choice)
    if not found:
        raise GeometryError(
            f"No angle of {' and '.join(axis.letter for axis in axes)} turns this face to the spindle",
            "It needs another axis, or lies beyond their limits",
            "Clamp the part another way round",
        )
    return found


def _table_turn(axes: tuple[RotaryAxis, ...], angles: Mapping[str, float]) -> Array:
    turn = np.eye(3)
    for axis in axes:
        turn = turn @ axis.frame(angles.get(axis.letter, 0.0)).rotation
    return turn


def _into_plane(inner: RotaryAxis, outer: RotaryAxis, normal: Array) -> list[float]:
    """Angles of the inner axis that bring a normal to have along the outer axis what +Z has, degrees: two, or any."""
    a, b = np.array(outer.direction), np.array(inner.direction)
    wanted = float(a[2])
    along = float(normal @ b)
    across = normal - along * b
    if np.linalg.norm(across) < 1e-9:
        return [0.0]
    side = np.cross(b, across)
    # a·(along b + cos t across + sin t side) = wanted
    p, q, rest = float(a @ across), float(a @ side), wanted - along * float(a @ b)
    size = math.hypot(p, q)
    if size < 1e-12 or abs(rest) > size * (1 + 1e-12):
        return []
    middle, half = math.atan2(q, p), math.acos(max(-1.0, min(1.0, rest / size)))
    return [inner.sense * math.degrees(middle + way * half) for way in (1, -1)]


def _turning(axis: RotaryAxis, start: Array, end: Array) -> float | None:
    """The angle of an axis that brings one direction onto another, degrees; None where none does."""
    n = np.array(axis.direction)
    u, v = start - (start @ n) * n, end - (end @ n) * n
    if abs(float(start @ n - end @ n)) > 1e-7 or min(np.linalg.norm(u), np.linalg.norm(v)) < 1e-12:
        return 0.0 if np.linalg.norm(start - end) < 1e-9 else None
    return axis.sense * math.degrees(math.atan2(float(np.cross(u, v) @ n), float(u @ v)))


def _within_limits(axes: tuple[RotaryAxis, ...], angles: Mapping[str, float]) -> list[dict[str, float]]:
    """The same angles as the axes can stand at them: within half a turn, or a whole turn on where that is needed."""
    choices: list[dict[str, float]] = [{}]
    for axis in axes:
        angle = round(math.remainder(angles.get(axis.letter, 0.0), 360.0), 9) + 0.0
        able = [a for a in (angle, angle + 360, angle - 360) if not axis.why_not_at(a)]
        choices = [{**choice, axis.letter: able[0]} for choice in choices] if able else []
    return choices


@dataclass(frozen=True, slots=True)
class Levelling:
    """What brings a plane level that leans `a` about X and `b` about Y, degrees, with the table that there is.

    `turns` by rotary axis, degrees; `left` what still leans about X and about Y after that.
    """

    turns: Mapping[str, float]
    left: tuple[float, float]


def levelling(axes: tuple[RotaryAxis, ...], lean: tuple[float, float]) -> Levelling:
    """How far to turn which axis so that a plane is level, small angles; what no axis takes out is left.

    An axis along X takes out what leans about X, one along Y what leans about Y; one along Z takes out neither.
    """
    left = [lean[0], lean[1]]
    turns: dict[str, float] = {}
    for axis in axes:
        for i in (0, 1):
            if abs(axis.direction[i]) > 1 - _SQUARE and left[i]:
                turns[axis.letter] = -left[i] * axis.sense * math.copysign(1.0, axis.direction[i])
                left[i] = 0.0
    return Levelling(turns, (left[0], left[1]))


def level_angles(
    axes: tuple[RotaryAxis, ...], stands: Mapping[str, float], lean: tuple[float, float]
) -> dict[str, float]:
    """Where two axes bring a plane level that leans so, degrees, with them standing at `stands`: the nearest way.

    Raises:
        GeometryError: none of their angles does.
    """
    a, b = (math.tan(math.radians(angle)) for angle in lean)
    here = _table_turn(axes, stands).T @ np.array((b, -a, 1.0))
    x, y, z = (float(value) for value in here)

    def far(way: Mapping[str, float]) -> float:
        return sum(abs(math.remainder(way[letter] - stands.get(letter, 0.0), 360.0)) for letter in way)

    return min(angles_facing(axes, (x, y, z)), key=far)


def shims(lean: tuple[float, float], feet: Sequence[tuple[str, float, float]]) -> list[tuple[str, float]]:
    """How much to put under each foot so that a plane that leans is level, mm; the highest foot stays as it is.

    Args:
        lean: about X and about Y, degrees: a plane with (a, b) rises by `tan a` along Y and falls by `tan b` along X.
        feet: name, X and Y of each foot, mm.
    """
    rise = [math.tan(math.radians(lean[0])) * y - math.tan(math.radians(lean[1])) * x for _, x, y in feet]
    highest = max(rise, default=0.0)
    return [(name, highest - height) for (name, _, _), height in zip(feet, rise, strict=True)]
