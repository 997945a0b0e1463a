"""Sums of a program that need more than a middle: walls at a skew, circles through three touches, planes.

An angle is taken as `45 − ATAN[u − v]/[u + v]`: both arguments are above zero for anything within ±45°, so it does not
matter whether a control's ATAN goes from 0 to 360 degrees or from −180 to 180.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from brisk_anchor.core.features.touches import AXES, axis_of
from brisk_anchor.nc.programs.steps import Binary, Expression, Function, Name, Number, plus

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.cycles import Cycle, Names


def add(a: Expression, b: Expression) -> Expression:
    """a + b."""
    return Binary(a, "+", b)


def subtract(a: Expression, b: Expression) -> Expression:
    """a − b."""
    return Binary(a, "-", b)


def times(a: Expression, b: Expression) -> Expression:
    """a · b."""
    return Binary(a, "*", b)


def over(a: Expression, b: Expression) -> Expression:
    """a / b."""
    return Binary(a, "/", b)


def less(a: Expression, by: float) -> Expression:
    """A value less a figure."""
    return Binary(a, "-", Number(by))


def scaled(a: Expression, by: float, parts: float = 1.0) -> Expression:
    """A value times a figure, or over one."""
    if by == 1:
        return Binary(a, "/", Number(parts)) if parts != 1 else a
    return Binary(a, "*", Number(by / parts))


def half_sum(a: Expression, b: Expression) -> Expression:
    """Halfway between two values."""
    return a if a == b else Binary(Binary(a, "+", b), "/", Number(2))


def root(a: Expression) -> Expression:
    """Square root."""
    return Function("SQRT", (a,))


def small_angle(rise: Expression, run: Expression, sense: int = 1) -> Expression:
    """The angle whose tangent is rise over run, degrees, within ±45; `run` above zero. `sense` −1 turns its sign."""
    angle = Function("ATAN", (subtract(run, rise), add(run, rise)))
    return subtract(Number(45), angle) if sense > 0 else subtract(angle, Number(45))


@dataclass(frozen=True, slots=True)
class LineExpression:
    """A wall: across an axis at `place` where the other coordinate is `at`; `slope` is the change of one by it."""

    place: Expression
    at: Expression
    slope: Expression


def wall(cycle: Cycle, name: str, axis: int, pair: list[Names], radius: float, *, keep: bool = False) -> LineExpression:
    """The wall through two touches; `radius` (signed) leads from the ball's centre to the metal.

    `keep`: where along the wall it was touched is needed after the measurement too.
    """
    (first, last), along = (pair[0], pair[-1]), 1 - axis
    rise = subtract(Name(last[axis]), Name(first[axis]))
    run = subtract(Name(last[along]), Name(first[along]))
    slope = cycle.compute(f"{name}k", over(rise, run), "slope of the wall")
    middle = half_sum(Name(first[axis]), Name(last[axis]))
    if radius:
        reach = times(Number(abs(radius)), root(add(Number(1), times(slope, slope))))
        middle = Binary(middle, "+" if radius > 0 else "-", reach)
    at = cycle.compute(f"{name}a", half_sum(Name(first[along]), Name(last[along])), "where along it that is", keep=keep)
    return LineExpression(middle, at, slope)


def wall_turn(axis: int, slope: Expression) -> Expression:
    """How far a wall is turned counter-clockwise from the machine axis it runs along, degrees."""
    return small_angle(slope, Number(1), -1 if axis == 0 else 1)


def long_walls(cycle: Cycle) -> None:
    """Corner, slot, web, pocket or block with two touches on every wall."""
    m = cycle.measurement
    kind, ball = m.kind, m.stylus.effective_radius
    lines: dict[int, LineExpression] = {}
    widths: dict[int, Expression] = {}
    for axis in sorted({axis_of(direction)[0] for direction in m.directions}):
        letter = AXES[axis]
        ends: dict[int, LineExpression] = {}
        for sign in (-1, 1):
            if pair := cycle.names_at(axis, sign):
                name = f"m{cycle.index}{letter}{'ab'[sign > 0]}"
                single = kind.is_paired and not kind.has_two_sizes
                found = wall(cycle, name, axis, pair, cycle.ball_sign * sign * ball, keep=single)
                place = cycle.compute(f"{letter}{'ab'[sign > 0]}p", found.place, f"the wall across {letter.upper()}")
                ends[sign] = LineExpression(place, found.at, found.slope)
        if kind.is_corner:
            (lines[axis],) = ends.values()
            continue
        low, high = ends[-1], ends[1]
        slope = cycle.compute(f"{letter}k", half_sum(low.slope, high.slope), "slope halfway between the walls")
        middle = cycle.compute(f"{letter}p", half_sum(low.place, high.place), "halfway between the walls")
        lines[axis] = LineExpression(middle, low.at, slope)
        square = root(add(Number(1), times(slope, slope)))
        widths[axis] = cycle.compute(
            f"m{cycle.index}{'de'[axis and len(m.directions) == 4]}",
            over(subtract(high.place, low.place), square),
            "distance of the walls, square to them",
        )
    if len(lines) == 1:
        ((axis, line),) = lines.items()
        letter = AXES[axis]
        place = cycle.compute(f"m{cycle.index}{letter}", line.place, f"middle {letter.upper()}", keep=True)
        turn = cycle.compute(f"m{cycle.index}r", wall_turn(axis, line.slope), "how far it is turned", keep=True)
        cycle.along_wall(letter, place, line.at, turn, widths[axis])
        cycle.guard_size(widths[axis], axis)
        return
    x = cycle.compute(f"m{cycle.index}x", crossing(lines[0], lines[1]), "where they cross, X", keep=True)
    y = cycle.compute(f"m{cycle.index}y", along(lines[1], x), "where they cross, Y", keep=True)
    turns = [
        cycle.compute(f"{AXES[axis]}r", wall_turn(axis, lines[axis].slope), f"turn of the walls across {AXES[axis]}")
        for axis in (0, 1)
    ]
    r = cycle.compute(f"m{cycle.index}r", half_sum(turns[0], turns[1]), "how far it is turned", keep=True)
    sizes = {letter: widths[axis] for letter, axis in zip("de", sorted(widths), strict=False)}
    cycle.solved({"x": x, "y": y, "r": r, **sizes})
    for axis, width in widths.items():
        cycle.guard_size(width, axis)


def plane(cycle: Cycle) -> None:
    """Height and lean of a plane from three touches down."""
    m = cycle.measurement
    p, q, r = (names for _, names in cycle.made)
    u = [subtract(Name(q[i]), Name(p[i])) for i in range(3)]
    v = [subtract(Name(r[i]), Name(p[i])) for i in range(3)]
    d = cycle.compute("pd", subtract(times(u[0], v[1]), times(u[1], v[0])), "twice the triangle's area")
    along = [
        cycle.compute(
            f"p{AXES[i]}",
            over(subtract(times(u[2], v[1 - i]), times(u[1 - i], v[2])), d if i == 0 else subtract(Number(0), d)),
            f"slope along {AXES[i].upper()}",
        )
        for i in (0, 1)
    ]
    mean = Binary(add(add(Name(p[2]), Name(q[2])), Name(r[2])), "/", Number(3))
    squares = add(Number(1), add(times(along[0], along[0]), times(along[1], along[1])))
    ball = m.stylus.effective_radius
    # The ball's centre lies one radius over the metal along the normal: further up, where the plane leans.
    height = subtract(less(mean, m.stylus.length - ball), times(Number(ball), root(squares)))
    z = cycle.compute(f"m{cycle.index}z", height, "height halfway between the touches", keep=True)
    a = cycle.compute(f"m{cycle.index}a", small_angle(along[1], Number(1)), "how it leans about X", keep=True)
    b = cycle.compute(f"m{cycle.index}b", small_angle(along[0], Number(1), -1), "how it leans about Y", keep=True)
    cycle.solved({"z": z, "a": a, "b": b})
    if {"i", "j", "k"} & {letter for letter, _ in m.keep}:
        cycle.results |= _tilted_plane(cycle, along[0], along[1], squares)


def _tilted_plane(cycle: Cycle, px: Expression, py: Expression, squares: Expression) -> dict[str, Expression]:
    """Turns about Z, the new X and the new Z that lay the XY plane into a plane of these slopes (docs/maths.md).

    A level plane has no heading of its own: a trace of slope along Y keeps the quotient sound, and turns by nothing.
    """
    ahead = plus(times(Number(1000), py), 0.001)
    i = cycle.compute("pi", Function("ATAN", (times(Number(-1000), px), ahead)), "plane: turn about Z")
    slope = root(subtract(squares, Number(1)))
    j = cycle.compute("pj", small_angle(slope, Number(1)), "plane: lean about the new X")
    return {"i": i, "j": j, "k": cycle.compute("pk", subtract(Number(0), i), "plane: back about the new Z")}


def free_circle(cycle: Cycle) -> None:
    """Centre and diameter of the circle through three touches."""
    m = cycle.measurement
    p, q, r = (names for _, names in cycle.made)
    u = [cycle.compute(f"u{AXES[i]}", subtract(Name(q[i]), Name(p[i])), "first to second touch") for i in (0, 1)]
    v = [cycle.compute(f"v{AXES[i]}", subtract(Name(r[i]), Name(p[i])), "first to third touch") for i in (0, 1)]
    uu = cycle.compute("uu", add(times(u[0], u[0]), times(u[1], u[1])), "its square")
    vv = cycle.compute("vv", add(times(v[0], v[0]), times(v[1], v[1])), "its square")
    area = cycle.compute("ud", scaled(subtract(times(u[0], v[1]), times(u[1], v[0])), 2), "four times the area")
    cx = cycle.compute("ucx", over(subtract(times(v[1], uu), times(u[1], vv)), area), "first touch to centre, X")
    cy = cycle.compute("ucy", over(subtract(times(u[0], vv), times(v[0], uu)), area), "first touch to centre, Y")
    x = cycle.compute(f"m{cycle.index}x", add(Name(p[0]), cx), "centre X: where three touches put it", keep=True)
    y = cycle.compute(f"m{cycle.index}y", add(Name(p[1]), cy), "centre Y", keep=True)
    across = scaled(root(add(times(cx, cx), times(cy, cy))), 2)
    size = plus(across, cycle.ball_sign * 2 * m.stylus.effective_radius)
    d = cycle.compute(f"m{cycle.index}d", size, "diameter: twice that, and the ball")
    cycle.solved({"x": x, "y": y, "d": d})
    cycle.guard_size(d, 0)


def known_circle(cycle: Cycle) -> None:
    """Centre of a bore or boss of known diameter from two touches."""
    m = cycle.measurement
    rho = (m.size or 0.0) / 2 - cycle.ball_sign * m.stylus.effective_radius
    p, q = (names for _, names in cycle.made)
    half = [
        cycle.compute(f"u{AXES[i]}", Binary(subtract(Name(q[i]), Name(p[i])), "/", Number(2)), "half of the chord")
        for i in (0, 1)
    ]
    square = cycle.compute("uu", add(times(half[0], half[0]), times(half[1], half[1])), "its square")
    away = root(less(over(Number(rho * rho), square), 1.0))
    # Both touches lie out along their directions, so the centre lies back from the chord against their sum.
    first, second = cycle.measurement.directions
    chord = [b - a for a, b in zip(first, second, strict=True)]
    outward = -chord[1] * (first[0] + second[0]) + chord[0] * (first[1] + second[1])
    k = cycle.compute("uk", away, "from the chord to the centre, in halves of it")
    sign = -1 if outward > 0 else 1
    found = []
    for i, (across, sense) in enumerate(((half[1], -sign), (half[0], sign))):
        middle = half_sum(Name(p[i]), Name(q[i]))
        value = Binary(middle, "+" if sense > 0 else "-", times(across, k))
        found.append(cycle.compute(f"m{cycle.index}{AXES[i]}", value, f"centre {AXES[i].upper()}", keep=True))
    cycle.solved({"x": found[0], "y": found[1]})


def crossing(across_x: LineExpression, across_y: LineExpression) -> Expression:
    """X where a wall across X and one across Y meet: x = a + k (y − ya) and y = b + q (x − xb), solved for x."""
    a, b = across_x, across_y
    rest = subtract(subtract(b.place, times(b.slope, b.at)), a.at)
    return over(add(a.place, times(a.slope, rest)), subtract(Number(1), times(a.slope, b.slope)))


def along(wall: LineExpression, x: Expression) -> Expression:
    """Y of a wall across Y at some X."""
    return add(wall.place, times(wall.slope, subtract(x, wall.at)))


def slope_of(turn: Expression | None, axis: int) -> Expression:
    """The change of a wall's place along it, from its turn; None is no turn."""
    if turn is None:
        return Number(0)
    sine, cosine = sine_and_cosine(turn)
    return over(sine if axis == 1 else subtract(Number(0), sine), cosine)


def sine_and_cosine(angle: Expression) -> tuple[Expression, Expression]:
    """Of an angle in degrees."""
    return Function("SIN", (angle,)), Function("COS", (angle,))


def heading(dx: Expression, dy: Expression, near: float) -> Expression:
    """How far a direction is turned from a heading it lies within 45° of, degrees."""
    s, c = sine_and_cosine(Number(near))
    return small_angle(subtract(times(c, dy), times(s, dx)), add(times(c, dx), times(s, dy)))
