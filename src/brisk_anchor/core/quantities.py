"""Figures as people read them: one formatter for every quantity that is shown.

A figure has a true minus sign and never reads −0.000; an uncertainty is shown as ± with its coverage factor.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from enum import Enum
from fractions import Fraction
from typing import Literal

MM_PER_INCH = Fraction(254, 10)
MINUS = "−"
COVERAGE = 2.0
"""Coverage factor k of every ± that is shown: about 95 %."""
_MOST_DECIMALS = 4
"""Of a figure that is shown with as few as it needs: 0.1 µm, 0.0001°."""


_FINE_DECIMALS = 5
"""Of an inch: what is a µm, or a fourth decimal of a millimetre, is shown so."""


class Unit(Enum):
    """A unit of length at the edge of the application; inside, everything is millimetres."""

    MM = "mm"
    INCH = "in"

    @property
    def word(self) -> Literal["mm", "inch"]:
        """Return the unit as a word: mm or inch."""
        return "mm" if self is Unit.MM else "inch"

    @property
    def in_mm(self) -> Fraction:
        """Millimetres in one of this unit, exactly."""
        return Fraction(1) if self is Unit.MM else MM_PER_INCH

    @property
    def decimals(self) -> int:
        """Decimals that show the same fineness in either unit (0.1 µm; 0.00001 in)."""
        return 4 if self is Unit.MM else 5


def unit_named(word: str) -> Unit | None:
    """The unit that a word names: mm, in, inch, inches; None for another word."""
    return {"mm": Unit.MM, "in": Unit.INCH, "inch": Unit.INCH, "inches": Unit.INCH}.get(word.strip().lower())


_shown = [Unit.MM]
"""The unit that lengths are shown and typed in by this process: the one thing a person's screen has for all."""


_preferred: list[Unit] = []
"""What the person at the screen asked for, whatever a job says; empty where nothing was."""


def prefer(unit: Unit) -> None:
    """Show lengths in a unit whatever a job or a machine says: a person asked for it."""
    _preferred[:] = [unit]
    show_in(unit)


def show_as_described(unit: Unit) -> None:
    """Show lengths in the unit of a job or machine, unless the person asked for another."""
    show_in(_preferred[0] if _preferred else unit)


def shown_unit() -> Unit:
    """The unit that lengths are shown in, and that bare figures are typed in."""
    return _shown[0]


def show_in(unit: Unit) -> None:
    """Show lengths in a unit from now on, and read bare figures in it. Nothing that is kept changes by it."""
    _shown[0] = unit


@contextmanager
def figures_in(unit: Unit) -> Iterator[None]:
    """Show lengths, and read bare figures, in a unit for a while."""
    before = shown_unit()
    show_in(unit)
    try:
        yield
    finally:
        show_in(before)


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
    unit: Unit | None = None,
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
        unit: the unit of lengths; None is the one that is shown, where an inch has one decimal more than asked for.
        bare: leave the unit out, where a heading or another figure has it.
    """
    by, most, mark = 1.0, _MOST_DECIMALS, {Dimension.ANGLE: "°", Dimension.NUMBER: ""}.get(dimension, " µm")
    chosen = unit or shown_unit()
    if dimension is Dimension.FINE and chosen is Unit.INCH:
        dimension, decimals = Dimension.LENGTH, _FINE_DECIMALS
    elif dimension is Dimension.FINE:
        by = 1000.0
    if dimension is Dimension.LENGTH:
        by, most, mark = 1 / float(chosen.in_mm), chosen.decimals, f" {chosen.value}"
        if unit is None and chosen is Unit.INCH and decimals is not None:
            decimals = min(decimals + 1, _FINE_DECIMALS)
    spread = "" if u is None else f" ±{_digits(k * u * by, decimals, most=most)}"
    return f"{_digits(value * by, decimals, signed=signed, most=most)}{'' if bare else mark}{spread}"


def _digits(value: float, decimals: int | None, *, signed: bool = False, most: int = _MOST_DECIMALS) -> str:
    text = fixed(value, most if decimals is None else decimals, signed=signed)
    if decimals is None:
        text = text.rstrip("0").rstrip(".")
    return text.replace("-", MINUS)


def entered(value: float) -> str:
    """A length, mm, as it would be typed: in the unit that is shown, without it, with an ASCII minus.

    >>> entered(-12.5)
    '-12.5'
    """
    return bare(value).replace(MINUS, "-")


def plain(value: float) -> str:
    """A figure that is no length, as it would be typed."""
    return _digits(value, None).replace(MINUS, "-")


# -- short words for what is shown most often ------------------------------------------------------------------


def dim(value: float, decimals: int | None = None, *, u: float | None = None) -> str:
    """A length, mm, in the unit that is shown, with that unit; `u` is its standard uncertainty.

    `decimals` are those in mm: an inch has one more.
    """
    return quantity(value, Dimension.LENGTH, decimals, u=u)


def signed_dim(value: float, decimals: int | None = None, *, u: float | None = None) -> str:
    """A length with its sign and unit."""
    return quantity(value, Dimension.LENGTH, decimals, signed=True, u=u)


def bare(value: float, decimals: int | None = None) -> str:
    """A length, mm, in the unit that is shown, where that unit stands elsewhere in the line."""
    return quantity(value, Dimension.LENGTH, decimals, bare=True)


def signed_bare(value: float, decimals: int | None = None) -> str:
    """A length with its sign, where its unit stands elsewhere in the line."""
    return quantity(value, Dimension.LENGTH, decimals, signed=True, bare=True)


def titled(value: float) -> str:
    """A size for a title that is kept: as on a drawing in mm, with its unit where it is in inches.

    >>> titled(38.0)
    '38'
    """
    return bare(value) if shown_unit() is Unit.MM else dim(value)


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


def expanded(u: float, decimals: int = 4, *, k: float = COVERAGE, axis: str = "") -> str:
    """The ± of a standard uncertainty of a length, without its unit; of an angle where `axis` is r.

    `k` is its coverage factor.

    >>> expanded(0.00105)
    '±0.0021'
    """
    return f"±{quantity(k * u, _dimension(axis), decimals, bare=True).rstrip('°')}"


def along(axis: str, value: float, decimals: int | None = 4, *, signed: bool = True, bare: bool = False) -> str:
    """A figure of an axis: a length along X, Y, Z with its unit; an angle, r, in degrees. `bare` leaves a length's out.

    >>> along("x", -12.5), along("r", 0.25)
    ('−12.5000 mm', '+0.2500°')
    """
    return quantity(value, _dimension(axis), decimals, signed=signed, bare=bare and axis != "r")


def _dimension(axis: str) -> Dimension:
    return Dimension.ANGLE if axis == "r" else Dimension.LENGTH


def in_shown(value: float) -> float:
    """A length, mm, as a number of the unit that is shown: for charts."""
    return value / float(shown_unit().in_mm)


def age_words(seconds: float) -> str:
    """An age in words: "now", "5 min", "3 h", "12 d"."""
    for size, word in ((86_400, "d"), (3600, "h"), (60, "min")):
        if seconds >= size:
            return f"{int(seconds // size)} {word}"
    return "now"
