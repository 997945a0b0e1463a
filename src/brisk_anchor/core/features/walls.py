"""Features between walls: pairs and corners, square to the axes from one touch a wall, at any skew from two.

A wall that was touched at two places is a line of its own: where it lies and how far it is turned. Middles, sizes and
crossings are worked out from those, so what walls share (the tool's radius) leaves a middle and stays in a size.
Formulas and derivatives in docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.circle import one_tool
from brisk_anchor.core.features.shapes import solve_edge
from brisk_anchor.core.features.solution import OwnTurns, Solution, mean_place, sigma_of
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass

SHALLOW = 10.0
"""Lines that meet at a smaller angle than this, degrees, cross nowhere in particular."""
_APART = 0.5
"""Touches of a wall further apart along it than this, mm, say how it is turned; nearer ones are repeats."""
_DEGREE = math.radians(1.0)


def by_wall(touches: Sequence[Touch]) -> dict[int, dict[int, list[Touch]]]:
    """Touches by the axis they came along and their sense."""
    walls: dict[int, dict[int, list[Touch]]] = {}
    for axis, sides in _numbers_by_wall(touches).items():
        walls[axis] = {sign: [touches[n] for n in numbers] for sign, numbers in sides.items()}
    return walls


def _numbers_by_wall(touches: Sequence[Touch]) -> dict[int, dict[int, list[int]]]:
    walls: dict[int, dict[int, list[int]]] = {}
    for number, touch in enumerate(touches):
        axis, sign = axis_of(touch.direction)
        walls.setdefault(axis, {}).setdefault(sign, []).append(number)
    return walls


def is_long(touches: Sequence[Touch]) -> bool:
    """Whether touches of one wall lie apart along it."""
    along = 1 - axis_of(touches[0].direction)[0]
    places = [touch.ball_centre[along] for touch in touches]
    return max(places) - min(places) > _APART


def _directions(touches: Sequence[Touch]) -> Array:
    return np.array([touch.direction for touch in touches], dtype=float)


# -- one touch a wall ------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, eq=False)
class Face:
    """A wall square to an axis: where along it, and what a step of each touch into the metal does to that (n,)."""

    axis: int
    value: float
    gain: Array
    residuals: dict[int, float]
    place: Vector


def _face(name: str, touches: Sequence[Touch], numbers: Sequence[int]) -> Face:
    """A wall from some of the touches: their mean by 1/u², one effective radius beyond the ball centres.

    Raises:
        GeometryError: no touches, or touches of several tools, along different axes or from different sides.
    """
    own = [touches[n] for n in numbers]
    if not own:
        raise GeometryError(f"{name} was not touched", "", "Touch it at least once")
    senses = {axis_of(touch.direction) for touch in own}
    if len(senses) > 1 or len({touch.stylus for touch in own}) > 1:
        raise GeometryError(
            f"The touches of {name} differ in direction or stylus",
            "They belong to different surfaces",
            "Measure them apart",
        )
    index, sign = senses.pop()
    values = np.array([touch.ball_centre[index] + sign * touch.stylus.effective_radius for touch in own])
    weights = 1 / sigma_of(own) ** 2
    value = float((weights * values).sum() / weights.sum())
    gain = np.zeros(len(touches))
    gain[list(numbers)] = sign * weights / weights.sum()
    residuals = {n: float(sign * (v - value)) for n, v in zip(numbers, values, strict=True)}
    return Face(index, value, gain, residuals, mean_place(own))


def _wall_design(touches: Sequence[Touch], turns: int) -> Array | None:
    """Derivatives of how far along its approach each touch lies: by the place of each wall, and by how they are turned.

    `turns`: 0 not at all, 1 all alike, 2 those along X and those along Y each by their own. None where there are no
    more touches than unknowns.
    """
    groups = [numbers for sides in _numbers_by_wall(touches).values() for numbers in sides.values()]
    unknown = len(groups) + turns
    if len(touches) <= unknown:
        return None
    design = np.zeros((len(touches), unknown))
    for column, numbers in enumerate(groups):
        design[numbers, column] = 1.0
    places = np.array([touch.ball_centre for touch in touches])
    x, y = (places - places.mean(axis=0))[:, :2].T
    directions = _directions(touches)
    if turns:
        design[:, -turns] += x * directions[:, 1]
        design[:, -1] -= y * directions[:, 0]
    return design


def _wall_residuals(touches: Sequence[Touch], design: Array) -> tuple[float, ...]:
    """How far touches lie off walls that are flat, parallel and square, mm into the metal."""
    places = np.array([touch.ball_centre for touch in touches])
    found = ((places - places.mean(axis=0)) * _directions(touches)).sum(axis=1)
    sigma = sigma_of(touches)
    fitted, *_ = np.linalg.lstsq(design / sigma[:, None], found / sigma, rcond=None)
    return tuple(float(value) for value in found - design @ fitted)


def solve_surface(name: str, touches: tuple[Touch, ...]) -> Solution:
    """A surface square to one axis, from one or more touches along that axis, all from the same side.

    Raises:
        GeometryError: no touches, or touches askew, along different axes or from different sides.
    """
    face = _face(name, touches, range(len(touches)))
    return Solution(
        (AXES[face.axis],),
        (face.value,),
        face.gain[None, :],
        _directions(touches),
        tuple(face.residuals[n] for n in range(len(touches))),
        _wall_design(touches, 0),
        (face.place,),
    )


def solve_pairs(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Solution:
    """Slot, web, pocket or block square to the axes: each axis lies halfway between its two walls.

    A wall is where `solve_surface` puts it, so the ball's radius leaves the middle and stays, doubled, in the size.
    A bore or boss by hand too: its second pair runs through the middle that the first found, and gives the diameter.

    Raises:
        GeometryError: a wall of a pair is missing, a touch came along Z or askew, or inside and outside are exchanged.
    """
    walls = _numbers_by_wall(touches)
    wanted = 2 if kind.has_two_sizes or kind.is_round else 1
    if len(walls) != wanted or any(len(pair) != 2 for pair in walls.values()) or 2 in walls:
        raise GeometryError(
            f"The touches of {name} are no opposite pairs", f"A {kind.value} is touched on both sides", "Touch it again"
        )
    one_tool(name, touches, 2)
    middles, sizes, rows, spans, residuals = [], [], [], [], dict[int, float]()
    places: list[Vector] = []
    for axis in sorted(walls):
        low, high = (_face(name, touches, walls[axis][sign]) for sign in ((1, -1) if kind.is_outside else (-1, 1)))
        residuals |= low.residuals | high.residuals
        if high.value <= low.value:
            exchanged(name, high.value - low.value)
        spot = list(mean_place([touches[n] for group in walls[axis].values() for n in group]))
        spot[axis] = (low.value + high.value) / 2
        places.append((spot[0], spot[1], spot[2]))
        middles.append((low.value + high.value) / 2)
        rows.append((low.gain + high.gain) / 2)
        sizes.append(high.value - low.value)
        spans.append(high.gain - low.gain)
    if kind.is_round:
        sizes, spans, places = sizes[1:], spans[1:], []
    return Solution(
        tuple(AXES[axis] for axis in sorted(walls)),
        (*middles, *sizes),
        np.array([*rows, *spans]),
        _directions(touches),
        tuple(residuals[n] for n in range(len(touches))),
        _wall_design(touches, 0),
        tuple(places),
    )


def solve_corner(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Solution:
    """A corner square to the axes, one wall along X and one along Y, each where `solve_surface` puts it.

    Raises:
        GeometryError: a wall is missing, or a touch came along Z or askew.
    """
    walls = _numbers_by_wall(touches)
    if set(walls) != {0, 1} or any(len(sides) != 1 for sides in walls.values()):
        raise GeometryError(f"The touches of {name} are not on two walls", "A corner has one along X, one along Y", "")
    one_tool(name, touches, 2)
    x, y = (_face(name, touches, next(iter(walls[axis].values()))) for axis in (0, 1))
    residuals = x.residuals | y.residuals
    return Solution(
        ("x", "y"),
        (x.value, y.value),
        np.array([x.gain, y.gain]),
        _directions(touches),
        tuple(residuals[n] for n in range(len(touches))),
        _wall_design(touches, 0),
        (x.place, y.place),
    )


# -- two touches a wall ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, eq=False)
class WallLine:
    """A wall as a line in XY: across `axis`, at `place` (mm) where the other coordinate is `at`.

    `turn`, degrees, is counter-clockwise from the machine axis the wall runs along. `gain` (2 × n) is what a step of
    each touch into the metal does to place (mm) and turn (degrees); `normals` (n × 3) point into it.
    """

    axis: int
    at: float
    place: float
    turn: float
    gain: Array
    normals: Array
    residuals: tuple[float, ...]
    z: float

    @property
    def spot(self) -> Vector:
        """The place on the metal, with the height of the ball's centre."""
        return (self.place, self.at, self.z) if self.axis == 0 else (self.at, self.place, self.z)


def wall_line(name: str, touches: Sequence[Touch], numbers: Sequence[int] | None = None) -> WallLine:
    """A wall from two touches or more along it, some of those given. Raises GeometryError."""
    numbers = range(len(touches)) if numbers is None else numbers
    own = [touches[n] for n in numbers]
    edge = solve_edge(name, own)
    normal = edge.normal
    axis = int(abs(normal[1]) > abs(normal[0]))
    heading = math.degrees(math.atan2(normal[1], normal[0])) - (0.0 if axis == 0 else 90.0)
    *spot, z = mean_place(own)
    at = spot[1 - axis]
    # Turned by dθ about its middle the wall's place at `at` moves by ∓Δ/n² dθ, and by 1/n of a step along its normal.
    n, beside = normal[axis], at - edge.point[1 - axis]
    step, turned = edge.gain
    rows = np.array([step / n + (-beside if axis == 0 else beside) / n**2 * turned, turned / _DEGREE])
    gain, normals = np.zeros((2, len(touches))), np.zeros((len(touches), 3))
    gain[:, list(numbers)] = rows
    normals[list(numbers), :2] = normal
    return WallLine(
        axis,
        at,
        edge.point[axis] - normal[1 - axis] * beside / n,
        heading - 180.0 * round(heading / 180.0),
        gain,
        normals,
        edge.residuals,
        z,
    )


def crossing(first: Array, second: Array) -> tuple[tuple[float, float], Array]:
    """Where a line across X and a line across Y meet; each is (place, at, turn in degrees).

    Returns:
        The place, and its derivatives (2 × 4) by place and turn of the first, place and turn of the second.

    Raises:
        GeometryError: they run within SHALLOW of the same way.
    """
    (a, ya, ra), (b, xb, rb) = (tuple(map(float, line)) for line in (first, second))
    if abs(math.cos(math.radians(ra - rb))) < math.sin(math.radians(SHALLOW)):
        raise GeometryError("Two walls are nearly parallel", "They meet nowhere near", "Look which walls were touched")
    ta, tb = math.tan(math.radians(ra)), math.tan(math.radians(rb))
    below = 1 + ta * tb
    reach = b - tb * xb - ya
    x = (a - ta * reach) / below
    dx = np.array((1 / below, -(reach + x * tb) / below, -ta / below, ta * (xb - x) / below))
    dy = tb * dx + np.array((0.0, 0.0, 1.0, x - xb))
    by_degree = np.array((1.0, (1 + ta**2) * _DEGREE, 1.0, (1 + tb**2) * _DEGREE))
    return (x, b + tb * (x - xb)), np.array([dx, dy]) * by_degree


def solve_edge_feature(name: str, touches: Sequence[Touch]) -> Solution:
    """An edge: where it lies along the axis across it, at the middle of its touches, and how far it is turned.

    Raises:
        GeometryError: touches on one spot, or from different sides.
    """
    line = wall_line(name, touches)
    design = _wall_design(touches, 1)
    residuals = line.residuals if design is None else _wall_residuals(touches, design)
    return Solution(
        (AXES[line.axis], "r"),
        (line.place, line.turn),
        line.gain,
        line.normals,
        residuals,
        design,
        (line.spot, line.spot),
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Middle:
    """The line halfway between two walls: place, turn and width with derivatives (3 × n), told where it is `at`."""

    at: float
    values: tuple[float, float, float]
    gain: Array


def _middle(low: WallLine, high: WallLine) -> _Middle:
    at = (low.at + high.at) / 2
    sign = -1.0 if low.axis == 0 else 1.0
    ends, gains = [], []
    for line in (low, high):
        slope = math.tan(math.radians(line.turn))
        ends.append(line.place + sign * slope * (at - line.at))
        gains.append(line.gain[0] + sign * (1 + slope**2) * _DEGREE * (at - line.at) * line.gain[1])
    turn = (low.turn + high.turn) / 2
    turned = (low.gain[1] + high.gain[1]) / 2
    cos, sin = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    apart = ends[1] - ends[0]
    width = cos * (gains[1] - gains[0]) - apart * sin * _DEGREE * turned
    return _Middle(
        at, ((ends[0] + ends[1]) / 2, turn, apart * cos), np.array([(gains[0] + gains[1]) / 2, turned, width])
    )


def solve_walls(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Solution:
    """Corner, slot, web, pocket or block from two touches or more on every wall, at any skew.

    A corner and the middle of a pocket are points; a slot or web is told at the middle of its touches. `square` is how
    far the angle between the walls along X and along Y is from 90°, positive where it opens. Residuals are those from
    walls that are flat, parallel and square.

    Raises:
        GeometryError: walls missing, touched at one place only, or inside and outside exchanged.
    """
    walls = _numbers_by_wall(touches)
    wanted = (2, 1) if kind.is_corner else ((2, 2) if kind.has_two_sizes else (1, 2))
    groups = [group for sides in walls.values() for group in sides.values()]
    twice = all(is_long([touches[n] for n in group]) for group in groups)
    if 2 in walls or (len(walls), *{len(sides) for sides in walls.values()}) != wanted or not twice:
        raise GeometryError(f"Every wall of {name} takes two touches apart along it", "", "Touch it again")
    one_tool(name, touches, 4)
    lines: dict[int, _Middle] = {}
    normals = np.zeros((len(touches), 3))
    for axis, sides in sorted(walls.items()):
        made = {s: wall_line(f"{name} {AXES[axis]}{s:+d}", touches, group) for s, group in sides.items()}
        normals += sum(line.normals for line in made.values())
        if kind.is_corner:
            (line,) = made.values()
            lines[axis] = _Middle(line.at, (line.place, line.turn, 0.0), line.gain)
            continue
        low, high = (made[s] for s in ((1, -1) if kind.is_outside else (-1, 1)))
        lines[axis] = _middle(low, high)
        if lines[axis].values[2] <= 0:
            exchanged(name, lines[axis].values[2])
    design = _wall_design(touches, 1)
    residuals = (0.0,) * len(touches) if design is None else _wall_residuals(touches, design)
    z = mean_place(touches)[2]
    if len(lines) == 1:
        ((axis, middle),) = lines.items()
        place, turn, width = middle.values
        spot = (place, middle.at, z) if axis == 0 else (middle.at, place, z)
        return Solution((AXES[axis], "r"), (place, turn, width), middle.gain, normals, residuals, design, (spot, spot))
    across, along = lines[0], lines[1]
    first = np.array((across.values[0], across.at, across.values[1]))
    second = np.array((along.values[0], along.at, along.values[1]))
    point, derivatives = crossing(first, second)
    gain = [*(derivatives @ np.vstack([across.gain[:2], along.gain[:2]])), (across.gain[1] + along.gain[1]) / 2]
    values = [*point, (across.values[1] + along.values[1]) / 2]
    if not kind.is_corner:
        gain += [across.gain[2], along.gain[2]]
        values += [across.values[2], along.values[2]]
    # Not the turn of both, of which each has half: the whole of each is in the angle between them.
    gain.append(across.gain[1] - along.gain[1])
    values.append(across.values[1] - along.values[1])
    free = _wall_design(touches, 2)
    own_turns = OwnTurns((0.0,) * len(touches) if free is None else _wall_residuals(touches, free), free)
    return Solution(("x", "y", "r"), tuple(values), np.array(gain), normals, residuals, design, own_turns=own_turns)


def exchanged(name: str, width: float) -> None:
    """Raises GeometryError: walls that face each other come out the wrong way round."""
    raise GeometryError(
        f"{name} comes out {dim(width, 3)} wide",
        "A wall was touched from the other side",
        "Is the tip inside it, or over it?",
    )
