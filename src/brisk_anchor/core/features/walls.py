"""Features between walls: pairs and corners, square to the axes from one touch a wall, at any skew from two.

A wall that was touched at two places is a line of its own: where it lies and how far it is turned, both as estimates.
Middles, sizes and crossings are worked out from those, so what walls share (the tool's radius) leaves a middle and
stays in a size. Formulas in docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.feature import Feature, SharedEffect, matrix, mean_place, solve_surface
from brisk_anchor.core.features.shapes import solve_edge
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.quantities import mm
from brisk_anchor.core.uncertainty.estimates import SHARED, Estimate, correlated, covariance_of, derive

SHALLOW = 10.0
"""Lines that meet at a smaller angle than this, degrees, cross nowhere in particular."""
_APART = 0.5
"""Touches of a wall further apart along it than this, mm, say how it is turned; nearer ones are repeats."""


def by_wall(touches: Sequence[Touch]) -> dict[int, dict[int, list[Touch]]]:
    """Touches by the axis they came along and their sense."""
    walls: dict[int, dict[int, list[Touch]]] = {}
    for touch in touches:
        axis, sign = axis_of(touch.direction)
        walls.setdefault(axis, {}).setdefault(sign, []).append(touch)
    return walls


def is_long(touches: Sequence[Touch]) -> bool:
    """Whether touches of one wall lie apart along it."""
    along = 1 - axis_of(touches[0].direction)[0]
    places = [touch.ball_centre[along] for touch in touches]
    return max(places) - min(places) > _APART


def feature_of(
    name: str,
    kind: FeatureKind,
    axes: Sequence[str],
    estimates: Sequence[Estimate],
    touches: Sequence[Touch],
    residuals: Sequence[float],
    **more: object,
) -> Feature:
    """A feature whose coordinates are estimates: their own part as a covariance, the shared part by source."""
    sources = sorted({source for item in estimates for source in item.effects})

    def effects(*, shared: bool) -> tuple[SharedEffect, ...]:
        return tuple(
            SharedEffect(source.removeprefix(SHARED), tuple(item.effects.get(source, 0.0) for item in estimates))
            for source in sources
            if source.startswith(SHARED) == shared
        )

    return Feature(
        name=name,
        kind=kind,
        axes=tuple(axes),
        coordinates=tuple(item.value for item in estimates),
        covariance=matrix(covariance_of(estimates, own=True)),
        shared=effects(shared=True),
        own=effects(shared=False) if kind.is_built else (),
        touches=tuple(touches),
        residuals=tuple(residuals),
        **more,  # type: ignore[arg-type]
    )


@dataclass(frozen=True, slots=True)
class WallLine:
    """A wall as a line in XY: across `axis`, at `place` (mm) where the other coordinate is `at`.

    `turn`, degrees, is counter-clockwise from the machine axis the wall runs along.
    """

    axis: int
    at: float
    place: Estimate
    turn: Estimate
    residuals: tuple[float, ...]
    z: float

    @property
    def spot(self) -> Vector:
        """The place on the metal, with the height of the ball's centre."""
        return (self.place.value, self.at, self.z) if self.axis == 0 else (self.at, self.place.value, self.z)


def wall_line(name: str, touches: Sequence[Touch]) -> WallLine:
    """A wall from two touches or more along it. Raises GeometryError."""
    edge = solve_edge(name, touches)
    normal = np.array(edge.normal)
    axis = int(np.argmax(np.abs(normal)))
    heading = math.degrees(math.atan2(normal[1], normal[0])) - (0.0 if axis == 0 else 90.0)
    turn0 = heading - 180.0 * round(heading / 180.0)
    tool = touches[0].stylus
    away, turned = correlated(name, (0.0, 0.0), edge.covariance)
    radius = Estimate(0.0, {f"{SHARED}T{tool.tool_number} radius": tool.u_radius})

    *spot, z = mean_place(touches)
    at = spot[1 - axis]

    def work(x: Array) -> tuple[float, float]:
        # Turned by x[1] about its fitted place and x[0] + x[2] beyond it along its normal; where that is at `at`:
        c, s = math.cos(x[1]), math.sin(x[1])
        n = (c * normal[0] - s * normal[1], s * normal[0] + c * normal[1])
        beyond = x[0] + x[2] - n[1 - axis] * (at - edge.point[1 - axis])
        return edge.point[axis] + beyond / n[axis], turn0 + math.degrees(x[1])

    place, turn = derive(work, (away, turned, radius))
    return WallLine(axis, at, place, turn, edge.residuals, z)


def crossing(first: Array, second: Array) -> tuple[float, float]:
    """Where a line across X and a line across Y meet; each is (place, at, turn in degrees).

    Raises:
        GeometryError: they run within SHALLOW of the same way.
    """
    (a, ya, ra), (b, xb, rb) = first, second
    if abs(math.cos(math.radians(ra - rb))) < math.sin(math.radians(SHALLOW)):
        raise GeometryError("Two walls are nearly parallel", "They meet nowhere near", "Look which walls were touched")
    ta, tb = math.tan(math.radians(ra)), math.tan(math.radians(rb))
    x = (a - ta * (b - tb * xb - ya)) / (1 + ta * tb)
    return x, b + tb * (x - xb)


def solve_edge_feature(name: str, touches: Sequence[Touch]) -> Feature:
    """An edge: where it lies along the axis across it, at the middle of its touches, and how far it is turned.

    Raises:
        GeometryError: touches on one spot, or from different sides.
    """
    line = wall_line(name, touches)
    axes = (AXES[line.axis], "r")
    form = float(np.ptp(line.residuals)) if len(touches) > 2 else None
    estimates = (line.place, line.turn)
    return feature_of(
        name, FeatureKind.EDGE, axes, estimates, touches, line.residuals, form=form, places=(line.spot, line.spot)
    )


def _middle(low: WallLine, high: WallLine) -> tuple[float, list[Estimate]]:
    """The line halfway between two walls: where it is told, and its place, turn and width as estimates."""
    at = (low.at + high.at) / 2
    sign = -1.0 if low.axis == 0 else 1.0

    def work(x: Array) -> tuple[float, float, float]:
        a, ra, b, rb = x
        pa = a + sign * math.tan(math.radians(ra)) * (at - low.at)
        pb = b + sign * math.tan(math.radians(rb)) * (at - high.at)
        turn = (ra + rb) / 2
        return (pa + pb) / 2, turn, (pb - pa) * math.cos(math.radians(turn))

    return at, derive(work, (low.place, low.turn, high.place, high.turn))


def solve_walls(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Feature:
    """Corner, slot, web, pocket or block from two touches or more on every wall, at any skew.

    A corner and the middle of a pocket are points; a slot or web is told at the middle of its touches. `square` is how
    far the angle between the walls along X and along Y is from 90°, positive where it opens.

    Raises:
        GeometryError: walls missing, touched at one place only, or inside and outside exchanged.
    """
    walls = by_wall(touches)
    wanted = (2, 1) if kind.is_corner else ((2, 2) if kind.has_two_sizes else (1, 2))
    groups = [group for sides in walls.values() for group in sides.values()]
    if 2 in walls or (len(walls), *{len(sides) for sides in walls.values()}) != wanted or not all(map(is_long, groups)):
        raise GeometryError(f"Every wall of {name} takes two touches apart along it", "", "Touch it again")
    lines: dict[int, tuple[float, list[Estimate]]] = {}
    residuals: list[float] = []
    for axis, sides in sorted(walls.items()):
        made = {s: wall_line(f"{name} {AXES[axis]}{s:+d}", group) for s, group in sides.items()}
        residuals += [r for line in made.values() for r in line.residuals]
        if kind.is_corner:
            (line,) = made.values()
            lines[axis] = (line.at, [line.place, line.turn])
            continue
        low, high = (made[s] for s in ((1, -1) if kind.is_outside else (-1, 1)))
        lines[axis] = _middle(low, high)
        if lines[axis][1][2].value <= 0:
            _exchanged(name, lines[axis][1][2].value)
    z = mean_place(touches)[2]
    if len(lines) == 1:
        ((axis, (at, (place, turn, width))),) = lines.items()
        spot = (place.value, at, z) if axis == 0 else (at, place.value, z)
        size = {"size": width.value, "u_size": width.u}
        return feature_of(name, kind, (AXES[axis], "r"), (place, turn), touches, residuals, places=(spot, spot), **size)
    (at_x, across), (at_y, along) = lines[0], lines[1]

    def work(x: Array) -> tuple[float, float, float]:
        place = crossing(np.array((x[0], at_x, x[1])), np.array((x[2], at_y, x[3])))
        return (*place, (x[1] + x[3]) / 2)

    found = derive(work, (across[0], across[1], along[0], along[1]))
    sizes: dict[str, float] = {"square": across[1].value - along[1].value}
    if not kind.is_corner:
        sizes |= {"size": across[2].value, "u_size": across[2].u, "size_y": along[2].value, "u_size_y": along[2].u}
    return feature_of(name, kind, ("x", "y", "r"), found, touches, residuals, **sizes)


def _exchanged(name: str, width: float) -> None:
    raise GeometryError(
        f"{name} comes out {mm(width, 3)} wide",
        "A wall was touched from the other side",
        "Is the tip inside it, or over it?",
    )


def solve_pairs(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Feature:
    """Slot, web, pocket or block square to the axes: each axis lies halfway between its two walls.

    A wall is where `solve_surface` puts it, so the ball's radius leaves the middle and stays, doubled, in the size.
    A bore or boss by hand too: its second pair runs through the middle that the first found, and gives the diameter.

    Raises:
        GeometryError: a wall of a pair is missing, a touch came along Z or askew, or inside and outside are exchanged.
    """
    walls = by_wall(touches)
    wanted = 2 if kind.has_two_sizes or kind.is_round else 1
    if len(walls) != wanted or any(len(pair) != 2 for pair in walls.values()) or 2 in walls:
        raise GeometryError(
            f"The touches of {name} are no opposite pairs", f"A {kind.value} is touched on both sides", "Touch it again"
        )
    middles, variances, sizes, spreads, residuals = [], [], [], [], dict[str, float]()
    places: list[Vector] = []
    radius_effect = 2 * touches[0].stylus.u_radius
    for axis in sorted(walls):
        sides = {sign: solve_surface(name, tuple(group)) for sign, group in walls[axis].items()}
        for sign, side in sides.items():
            residuals |= {t.label: r * sign for t, r in zip(walls[axis][sign], side.residuals, strict=True)}
        low, high = (sides[sign].coordinates[0] for sign in ((1, -1) if kind.is_outside else (-1, 1)))
        if high <= low:
            _exchanged(name, high - low)
        spot = list(mean_place([touch for group in walls[axis].values() for touch in group]))
        spot[axis] = (low + high) / 2
        places.append((spot[0], spot[1], spot[2]))
        own = sum(side.covariance[0][0] for side in sides.values())
        middles.append((low + high) / 2)
        variances.append(own / 4)
        sizes.append(high - low)
        spreads.append(math.hypot(math.sqrt(own), radius_effect))
    if kind.is_round:
        sizes, spreads, places = sizes[1:], spreads[1:], []
    return Feature(
        name=name,
        kind=kind,
        axes=tuple(AXES[axis] for axis in sorted(walls)),
        coordinates=tuple(middles),
        covariance=matrix(np.diag(variances)),
        shared=(),
        touches=touches,
        residuals=tuple(residuals[touch.label] for touch in touches),
        size=sizes[0],
        u_size=spreads[0],
        size_y=sizes[1] if len(sizes) > 1 else None,
        u_size_y=spreads[1] if len(sizes) > 1 else None,
        form=float(np.ptp(list(residuals.values()))) if len(touches) > 2 * wanted else None,
        places=tuple(places),
    )


def solve_corner(name: str, kind: FeatureKind, touches: tuple[Touch, ...]) -> Feature:
    """A corner square to the axes, one wall along X and one along Y, each where `solve_surface` puts it.

    Raises:
        GeometryError: a wall is missing, or a touch came along Z or askew.
    """
    walls: dict[int, list[Touch]] = {}
    for touch in touches:
        walls.setdefault(axis_of(touch.direction)[0], []).append(touch)
    if set(walls) != {0, 1}:
        raise GeometryError(f"The touches of {name} are not on two walls", "A corner has one along X, one along Y", "")
    x, y = (solve_surface(name, tuple(walls[axis])) for axis in (0, 1))
    source = x.shared[0].source
    both = (SharedEffect(source, (x.shared[0].effect[0], y.shared[0].effect[0])),)
    return Feature(
        name=name,
        kind=kind,
        axes=("x", "y"),
        coordinates=(x.coordinates[0], y.coordinates[0]),
        covariance=matrix(np.diag([x.covariance[0][0], y.covariance[0][0]])),
        shared=both,
        touches=touches,
        residuals=(*x.residuals, *y.residuals),
        places=(*x.places, *y.places),
    )
