"""Sums that a control works out: trees of values, names and operators. Pure data; a writer turns them into its words.

An angle is taken as `45 − ATAN[u − v]/[u + v]`: both arguments are above zero for anything within ±45°, so it does not
matter whether a control's ATAN goes from 0 to 360 degrees or from −180 to 180.
"""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Number:
    """A figure in an expression, mm."""

    value: float


@dataclass(frozen=True, slots=True)
class Name:
    """A value the program works out; the writer gives it a variable."""

    name: str


@dataclass(frozen=True, slots=True)
class Variable:
    """A variable of the control itself, by number."""

    number: int


@dataclass(frozen=True, slots=True)
class RowValue:
    """What stands in the offset table: a row and "x", "y", "z" (mm) or "r" (degrees)."""

    row: str
    axis: str


@dataclass(frozen=True, slots=True)
class LengthInTable:
    """What the control's table holds for the length of a tool; `known`, mm, where a program cannot read it."""

    number: int
    known: float


@dataclass(frozen=True, slots=True)
class WearInTable:
    """What the control's table holds for the wear of a tool; `column` is "length wear" or "radius wear"."""

    number: int
    column: str


@dataclass(frozen=True, slots=True)
class Binary:
    """Two values joined by + - * or /."""

    left: Expression
    operator: str
    right: Expression


@dataclass(frozen=True, slots=True)
class Function:
    """A function of values: "SQRT", "SIN", "COS", or "ATAN" of two (the angle whose tangent is their quotient)."""

    name: str
    values: tuple[Expression, ...]


Expression = Number | Name | Variable | RowValue | LengthInTable | WearInTable | Binary | Function


def plus(base: Expression, by: float) -> Expression:
    """A value and a figure together: worked out now where it can be."""
    if isinstance(base, Number):
        return Number(base.value + by)
    if not by:
        return base
    if isinstance(base, Binary) and base.operator in "+-" and isinstance(base.right, Number):
        return plus(base.left, by + (base.right.value if base.operator == "+" else -base.right.value))
    return Binary(base, "+" if by >= 0 else "-", Number(abs(by)))


def known_difference(a: Expression, b: Expression | None) -> float | None:
    """How far two values lie apart where that is known before the program runs, mm; None where it is not."""
    (base, more), (other, less) = _parts(a), _parts(b)
    return more - less if base == other else None


def _parts(value: Expression | None) -> tuple[Expression | None, float]:
    """A value as something the program finds and a figure on top of it."""
    if isinstance(value, Number):
        return Number(0.0), value.value
    if isinstance(value, Binary) and value.operator in "+-" and isinstance(value.right, Number):
        return value.left, value.right.value if value.operator == "+" else -value.right.value
    return value, 0.0


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


def sine_and_cosine(angle: Expression) -> tuple[Expression, Expression]:
    """Of an angle in degrees."""
    return Function("SIN", (angle,)), Function("COS", (angle,))


def heading(dx: Expression, dy: Expression, near: float) -> Expression:
    """How far a direction is turned from a heading it lies within 45° of, degrees."""
    s, c = sine_and_cosine(Number(near))
    return small_angle(subtract(times(c, dy), times(s, dx)), add(times(c, dx), times(s, dy)))
