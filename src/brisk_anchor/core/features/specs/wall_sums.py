"""Walls at a skew, on the control: the line through two touches, its turn, where two of them meet."""

from __future__ import annotations

from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Name,
    Number,
    add,
    half_sum,
    over,
    root,
    sine_and_cosine,
    small_angle,
    subtract,
    times,
)
from brisk_anchor.core.features.specs.spec import Names, Sums
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class LineExpression:
    """A wall: across an axis at `place` where the other coordinate is `at`; `slope` is the change of one by it."""

    place: Expression
    at: Expression
    slope: Expression


def wall(sums: Sums, name: str, axis: int, pair: list[Names], radius: float, *, keep: bool = False) -> LineExpression:
    """The wall through two touches; `radius` (signed) leads from the ball's centre to the metal.

    `keep`: where along the wall it was touched is needed after the measurement too.
    """
    (first, last), along = (pair[0], pair[-1]), 1 - axis
    rise = subtract(Name(last[axis]), Name(first[axis]))
    run = subtract(Name(last[along]), Name(first[along]))
    slope = sums.compute(f"{name}k", over(rise, run), "slope of the wall")
    middle = half_sum(Name(first[axis]), Name(last[axis]))
    if radius:
        reach = times(Number(abs(radius)), root(add(Number(1), times(slope, slope))))
        middle = Binary(middle, "+" if radius > 0 else "-", reach)
    at = sums.compute(f"{name}a", half_sum(Name(first[along]), Name(last[along])), "where along it that is", keep=keep)
    return LineExpression(middle, at, slope)


def wall_turn(axis: int, slope: Expression) -> Expression:
    """How far a wall is turned counter-clockwise from the machine axis it runs along, degrees."""
    return small_angle(slope, Number(1), -1 if axis == 0 else 1)


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
