"""Angles in degrees without the rounding of a trip through radians: SIN[30] is 0.5, COS[90] is 0, TAN[45] is 1.

The angle is brought into ±45° exactly (a remainder of doubles is exact), turned into radians as an unrounded sum of two
doubles h + l, and sin(h + l) taken as sin h + l·cos h. Derivation in docs/maths.md.
"""

from __future__ import annotations

import math

_RADIAN = (math.pi / 180, 2.9486522708701687e-19)
"""π/180 as a double and what it lacks."""
_DEGREE = (180 / math.pi, -1.9878495670576283e-15)
"""180/π as a double and what it lacks."""
_SPLIT = 134217729.0  # 2**27 + 1


def _product(a: float, b: float) -> tuple[float, float]:
    """a·b as a double and the exact remainder (T. J. Dekker, Numerische Mathematik 18, 1971)."""
    p = a * b
    c = _SPLIT * a
    a1 = c - (c - a)
    c = _SPLIT * b
    b1 = c - (c - b)
    a2, b2 = a - a1, b - b1
    return p, ((a1 * b1 - p) + a1 * b2 + a2 * b1) + a2 * b2


def _radians(angle: float) -> tuple[float, float]:
    high, low = _product(angle, _RADIAN[0])
    return high, low + angle * _RADIAN[1]


def _reduced(angle: float) -> tuple[int, float, float]:
    """Quarter turns (0 to 3), and sine and cosine of what is left, −45° to 45°."""
    turn = math.fmod(angle, 360.0)
    rest = math.remainder(turn, 90.0)
    high, low = _radians(rest)
    s, c = math.sin(high), math.cos(high)
    return round((turn - rest) / 90.0) % 4, s + low * c, c - low * s


def sine(angle: float) -> float:
    """Sine of an angle in degrees."""
    quarter, s, c = _reduced(angle)
    return (s, c, -s, -c)[quarter] + 0.0


def cosine(angle: float) -> float:
    """Cosine of an angle in degrees."""
    quarter, s, c = _reduced(angle)
    return (c, -s, -c, s)[quarter] + 0.0


def tangent(angle: float) -> float:
    """Tangent of an angle in degrees. Raises ZeroDivisionError at odd quarter turns."""
    rest = math.remainder(angle, 90.0)
    quarter, s, c = _reduced(angle)
    if abs(rest) == 45.0:
        s, c = math.copysign(1.0, rest), 1.0
    return (s / c if quarter % 2 == 0 else -c / s) + 0.0


def degrees(angle: float) -> float:
    """Radians in degrees, rounded once."""
    high, low = _product(angle, _DEGREE[0])
    return high + (low + angle * _DEGREE[1])
