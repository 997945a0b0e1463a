"""What kinds with walls have in common: places along each wall, checks of directions, pockets and corners in full."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Expression, Name, Number, add, half_sum, over, plus, root, subtract, times
from brisk_anchor.core.features.specs.spec import Sums, report_point
from brisk_anchor.core.features.specs.wall_sums import LineExpression, along, crossing, wall, wall_turn
from brisk_anchor.core.features.touch_pattern import Wall
from brisk_anchor.core.features.touch_place import LEAST_SPREAD, TouchPlace
from brisk_anchor.core.features.touches import AXES, Touch, axis_of
from brisk_anchor.core.features.walls import by_wall, is_long
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import dim

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement


def wall_contacts(m: Measurement) -> tuple[TouchPlace, ...]:
    """One place on each wall, or two `spread` apart; each wall is gone along back from where the last ended."""
    found: list[TouchPlace] = []
    half = m.spread / 2
    for direction in m.directions:
        if not m.spread or m.kind.is_round or direction[2]:
            found.append(TouchPlace(direction))
            continue
        along = 1 - m.axis_along(direction)
        shifts = (-half, half)
        if m.kind.is_corner:  # where the tip stands, and away from the other wall
            other = next(d for d in m.directions if d != direction)
            shifts = (-m.spread * other[along], 0.0)
        for shift in shifts if len(found) % 4 == 0 else shifts[::-1]:
            found.append(TouchPlace(direction, (shift, 0.0, 0.0) if along == 0 else (0.0, shift, 0.0)))
    return tuple(found)


def across_wall(walls: Sequence[str]) -> str:
    """The axis across the first of the walls."""
    direction: Vector = Wall[walls[0]].direction
    return AXES[max(range(3), key=lambda i: abs(direction[i]))]


def check_one_direction(m: Measurement, *, below: bool | None = None) -> None:
    """Raises PlanError unless there is one direction: down, beside, or any (None)."""
    down = m.directions[0][2] < -0.5 if m.directions else False
    if len(m.directions) != 1 or (below is not None and down != below):
        raise PlanError(f"{m.name}: {m.kind.one} takes one direction", "", "Mark one wall")


def check_spread(m: Measurement) -> None:
    """Raises PlanError unless its touches lie far enough apart to tell an angle."""
    if m.spread < LEAST_SPREAD:
        raise PlanError(
            f"{m.name}: its touches lie {dim(m.spread)} apart",
            "An angle from touches so near to each other means nothing",
            f"Touch at least {dim(LEAST_SPREAD)} apart",
        )


def check_opposite(m: Measurement, wanted: int) -> None:
    """Raises PlanError unless its directions are so many walls in opposite pairs, one of an odd number below."""
    senses = {axis_of(direction) for direction in m.directions} - {(2, -1)}
    below = len(m.directions) - len(senses)
    lacking = any((axis, -sign) not in senses for axis, sign in senses)
    if len(m.directions) != wanted or below != wanted % 2 or lacking:
        raise PlanError(f"{m.name}: {m.kind.one} takes {wanted} touches, in opposite pairs", "", "Mark its walls")


def check_sizes(m: Measurement) -> None:
    """Raises PlanError unless its sizes are known, and the ball goes in wherever the walls may lie."""
    if m.size is None or (m.kind.has_two_sizes and m.size_y is None):
        what = "diameter" if m.kind.is_round else "size"
        raise PlanError(
            f"{m.name}: the nominal {what} is not known",
            "The search distance and the size guard depend on it",
            f"Give the {what} from the drawing",
        )
    narrow = min(m.across(axis) for axis in {m.axis_along(direction) for direction in m.directions})
    if not m.kind.is_outside and narrow <= m.stylus.ball_diameter + 2 * m.slack:
        sign = m.kind.size_sign
        raise PlanError(
            f"{m.name}: the ball of ⌀{dim(m.stylus.ball_diameter)} hardly goes into {sign}{dim(narrow)}",
            f"With the wall known to ±{dim(m.slack)} it may land on the edge",
            "Bring the tip nearer and state a smaller uncertainty, or take a smaller ball",
        )


def touched_twice(touches: Sequence[Touch]) -> bool:
    """Whether a wall was touched at two places, far enough apart to tell an angle."""
    return any(is_long(group) for sides in by_wall(touches).values() for group in sides.values())


def long_walls(sums: Sums) -> None:
    """Corner, slot, web, pocket or block with two touches on every wall."""
    m = sums.measurement
    kind, ball = m.kind, m.stylus.effective_radius
    lines: dict[int, LineExpression] = {}
    widths: dict[int, Expression] = {}
    for axis in sorted({axis_of(direction)[0] for direction in m.directions}):
        letter = AXES[axis]
        ends: dict[int, LineExpression] = {}
        for sign in (-1, 1):
            if pair := sums.names_at(axis, sign):
                name = f"m{sums.index}{letter}{'ab'[sign > 0]}"
                single = kind.is_paired and not kind.has_two_sizes
                found = wall(sums, name, axis, pair, sums.ball_sign * sign * ball, keep=single)
                place = sums.compute(f"{letter}{'ab'[sign > 0]}p", found.place, f"the wall across {letter.upper()}")
                ends[sign] = LineExpression(place, found.at, found.slope)
        if kind.is_corner:
            (lines[axis],) = ends.values()
            continue
        low, high = ends[-1], ends[1]
        slope = sums.compute(f"{letter}k", half_sum(low.slope, high.slope), "slope halfway between the walls")
        middle = sums.compute(f"{letter}p", half_sum(low.place, high.place), "halfway between the walls")
        lines[axis] = LineExpression(middle, low.at, slope)
        square = root(add(Number(1), times(slope, slope)))
        widths[axis] = sums.compute(
            f"m{sums.index}{'de'[axis and len(m.directions) == 4]}",
            over(subtract(high.place, low.place), square),
            "distance of the walls, square to them",
        )
    if len(lines) == 1:
        ((axis, line),) = lines.items()
        letter = AXES[axis]
        place = sums.compute(f"m{sums.index}{letter}", line.place, f"middle {letter.upper()}", keep=True)
        turn = sums.compute(f"m{sums.index}r", wall_turn(axis, line.slope), "how far it is turned", keep=True)
        sums.locate(letter, place, line.at)
        sums.locate("r", turn)
        sums.report({letter: place, "r": turn, "d": widths[axis]})
        sums.guard_size(widths[axis], axis)
        return
    x = sums.compute(f"m{sums.index}x", crossing(lines[0], lines[1]), "where they cross, X", keep=True)
    y = sums.compute(f"m{sums.index}y", along(lines[1], x), "where they cross, Y", keep=True)
    turns = [
        sums.compute(f"{AXES[axis]}r", wall_turn(axis, lines[axis].slope), f"turn of the walls across {AXES[axis]}")
        for axis in (0, 1)
    ]
    r = sums.compute(f"m{sums.index}r", half_sum(turns[0], turns[1]), "how far it is turned", keep=True)
    sizes = {letter: widths[axis] for letter, axis in zip("de", sorted(widths), strict=False)}
    report_point(sums, {"x": x, "y": y, "r": r, **sizes})
    for axis, width in widths.items():
        sums.guard_size(width, axis)


def pair_sums(sums: Sums) -> None:
    """Sizes between opposite walls; the middles were worked out on the way.

    A diameter comes from the last pair alone: that one ran through the centre found by the first.
    """
    m = sums.measurement
    kind = m.kind
    axes = sorted({axis_of(direction)[0] for direction in m.directions})
    sized = [axis_of(m.directions[-1])[0]] if kind.is_round else axes
    found: dict[str, Expression] = {AXES[axis]: Name(f"m{sums.index}{AXES[axis]}") for axis in axes}
    for axis in axes:
        other: Expression = found.get(AXES[1 - axis], Number(m.start[1 - axis]))
        if not kind.is_round and axis == 0:
            other = Number(m.start[1])  # the walls across X were touched before the middle of Y was known
        sums.locate(AXES[axis], found[AXES[axis]], other)
    what = "diameter" if kind.is_round else "size"
    for letter, axis in zip("de", sized, strict=False):
        (low,), (high,) = sums.names_at(axis, -1), sums.names_at(axis, 1)
        across = subtract(Name(high[axis]), Name(low[axis]))
        size = plus(across, sums.ball_sign * 2 * m.stylus.effective_radius)
        along = "" if kind.is_round else f" along {AXES[axis].upper()}"
        why = f"{what}{along}: distance {'less' if kind.is_outside else 'plus'} the ball"
        found[letter] = sums.compute(f"m{sums.index}{letter}", size, why)
    sums.report(found)
    for letter, axis in zip("de", sized, strict=False):
        sums.guard_size(found[letter], axis)
