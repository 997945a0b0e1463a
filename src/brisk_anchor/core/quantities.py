"""Figures as people read them: one formatter for every quantity that is shown.

A figure has a true minus sign and never reads −0.000; an uncertainty is shown as ± with its coverage factor.
"""

from __future__ import annotations

from enum import Enum
from fractions import Fraction

MM_PER_INCH = Fraction(254, 10)
MINUS = "−"
COVERAGE = 2.0
"""Coverage factor k of every ± that is shown: about 95 %."""
_MOST_DECIMALS = 4
"""Of a figure that is shown with as few as it needs: 0.1 µm, 0.0001°."""


class Unit(Enum):
    """A unit of length at the edge of the application; inside, everything is millimetres."""

    MM = "mm"
    INCH = "in"

    @property
    def in_mm(self) -> Fraction:
        """Millimetres in one of this unit, exactly."""
        return Fraction(1) if self is Unit.MM else MM_PER_INCH

    @property
    def decimals(self) -> int:
        """Decimals that show the same fineness in either unit (0.1 µm; 0.00001 in)."""
        return 4 if self is Unit.MM else 5


_shown = [Unit.MM]
"""The unit that lengths are shown and typed in by this process: the one thing a person's screen has for all."""


def shown_unit() -> Unit:
    """The unit that lengths are shown in, and that bare figures are typed in."""
    return _shown[0]


def show_in(unit: Unit) -> None:
    """Show lengths in a unit from now on, and read bare figures in it. Nothing that is kept changes by it."""
    _shown[0] = unit


class Dimension(Enum):
    """What a quantity is."""

    LENGTH = "length, mm inside, shown in the unit of the edge"
    FINE = "length, mm inside, shown in micrometres"
    ANGLE = "angle, degrees"
    NUMBER = "anything else, shown without a unit"


def fixed(value: float, decimals: int, *, signed: bool = False) -> str:
    """A plain decimal with an ASCII minus sign and no negative zero, as NC text wants it."""
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return f"+{text}" if signed and not text.startswith("-") and float(text) != 0 else text


def quantity(
    value: float,
    dimension: Dimension = Dimension.LENGTH,
    decimals: int | None = None,
    *,
    signed: bool = False,
    u: float | None = None,
    k: float = COVERAGE,
    unit: Unit = Unit.MM,
    bare: bool = False,
) -> str:
    """A quantity as it is shown: figure, unit, ±.

    >>> quantity(-12.5, decimals=3), quantity(0.2, Dimension.ANGLE, signed=True), quantity(0.00222, Dimension.FINE, 2)
    ('−12.500 mm', '+0.2°', '2.22 µm')
    >>> quantity(25.4, decimals=4, u=0.001, unit=Unit.INCH)
    '1.0000 in ±0.0001'

    Args:
        value: mm, degrees, or whatever it is.
        dimension: what it is.
        decimals: how many are shown; None as few as it needs, 4 at the most.
        signed: whether a plus is shown.
        u: its standard uncertainty, in the unit of `value`; None shows no ±.
        k: the coverage factor of the ±.
        unit: the unit of lengths.
        bare: leave the unit out, where a heading or another figure has it.
    """
    by = 1.0
    if dimension is Dimension.FINE:
        by = 1000.0
    elif dimension is Dimension.LENGTH and unit is not Unit.MM:
        by = 1 / float(unit.in_mm)
    mark = {Dimension.LENGTH: f" {unit.value}", Dimension.FINE: " µm", Dimension.ANGLE: "°", Dimension.NUMBER: ""}
    spread = "" if u is None else f" ±{_digits(k * u * by, decimals)}"
    return f"{_digits(value * by, decimals, signed=signed)}{'' if bare else mark[dimension]}{spread}"


def _digits(value: float, decimals: int | None, *, signed: bool = False) -> str:
    text = fixed(value, _MOST_DECIMALS if decimals is None else decimals, signed=signed)
    if decimals is None:
        text = text.rstrip("0").rstrip(".")
    return text.replace("-", MINUS)


def entered(value: float) -> str:
    """A length, mm, as it would be typed: in the unit that is shown, without it, with an ASCII minus.

    >>> entered(-12.5)
    '-12.5'
    """
    return _digits(value / float(shown_unit().in_mm), None).replace(MINUS, "-")


# -- short words for what is shown most often ------------------------------------------------------------------


def mm(value: float, decimals: int | None = None, *, u: float | None = None) -> str:
    """A length, mm, with its unit; `u` is its standard uncertainty."""
    return quantity(value, Dimension.LENGTH, decimals, u=u)


def signed_mm(value: float, decimals: int | None = None, *, u: float | None = None) -> str:
    """A length with its sign and unit."""
    return quantity(value, Dimension.LENGTH, decimals, signed=True, u=u)


def um(value: float, decimals: int = 2) -> str:
    """A small length, mm, in µm."""
    return quantity(value, Dimension.FINE, decimals)


def deg(value: float, decimals: int | None = None) -> str:
    """An angle, degrees, with its sign of degrees."""
    return quantity(value, Dimension.ANGLE, decimals)


def signed_deg(value: float, decimals: int | None = None) -> str:
    """An angle with its sense."""
    return quantity(value, Dimension.ANGLE, decimals, signed=True)


def num(value: float, decimals: int | None = None) -> str:
    """A figure without a unit: one that stands elsewhere in the line, or none."""
    return quantity(value, Dimension.NUMBER, decimals)


def signed_num(value: float, decimals: int | None = None) -> str:
    """A figure with its sign and without a unit."""
    return quantity(value, Dimension.NUMBER, decimals, signed=True)


def expanded(u: float, decimals: int = 4, *, k: float = COVERAGE) -> str:
    """The ± of a standard uncertainty, without a unit; `k` its coverage factor.

    >>> expanded(0.00105)
    '±0.0021'
    """
    return f"±{_digits(k * u, decimals)}"
