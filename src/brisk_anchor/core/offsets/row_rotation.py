"""The rotation of an offset row: places in a rotated row, and where they were before the row changed."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_anchor.core.geometry.degrees import cosine, sine


def turned(x: float, y: float, angle: float) -> tuple[float, float]:
    """Rotate a vector in the plane counter-clockwise by an angle in degrees; exact for multiples of 90°."""
    if not angle:
        return x, y
    c, s = cosine(angle), sine(angle)
    return c * x - s * y, s * x + c * y


def place_before(
    x: float, y: float, values: Mapping[str, float], difference: Mapping[str, float]
) -> tuple[float, float]:
    """The machine position, mm, that a place had before its row was changed.

    `values` are those of the row now, `difference` now less before (`x`, `y` mm, `r` degrees). A place of the program
    is `p = R⁻¹(m − z)` now, and was at `z' + R' p`, so `m' = z − Δz + R(−Δr)(m − z)`.
    """
    zero_x, zero_y = values.get("x", 0.0), values.get("y", 0.0)
    dx, dy = turned(x - zero_x, y - zero_y, -difference.get("r", 0.0))
    return zero_x - difference.get("x", 0.0) + dx, zero_y - difference.get("y", 0.0) + dy
