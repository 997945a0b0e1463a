"""How a row that holds an angle turns what stands in it: the one formula everything else uses."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_anchor.core.geometry.degrees import cosine, sine


def turned(x: float, y: float, angle: float) -> tuple[float, float]:
    """A step in the plane, turned by an angle in degrees, counter-clockwise; by whole quarters exactly."""
    if not angle:
        return x, y
    c, s = cosine(angle), sine(angle)
    return c * x - s * y, s * x + c * y


def place_before(
    x: float, y: float, values: Mapping[str, float], difference: Mapping[str, float]
) -> tuple[float, float]:
    """Where what now stands at a place (machine mm) stood before its row was changed.

    `values` are those of the row now, `difference` now less before (`x`, `y` mm, `r` degrees). A place of the program
    is `p = R⁻¹(m − z)` now, and was at `z' + R' p`, so `m' = z − Δz + R(−Δr)(m − z)`.
    """
    zero_x, zero_y = values.get("x", 0.0), values.get("y", 0.0)
    dx, dy = turned(x - zero_x, y - zero_y, -difference.get("r", 0.0))
    return zero_x - difference.get("x", 0.0) + dx, zero_y - difference.get("y", 0.0) + dy
