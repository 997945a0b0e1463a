"""A feature of any kind from its touches."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.core.features.feature import Feature, SharedEffect
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.specs.spec import KnownSize
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.kinds import FeatureKind


def solve(
    name: str, kind: FeatureKind, touches: tuple[Touch, ...], *, diameter: float | None = None, u_diameter: float = 0.0
) -> Feature:
    """Solve a feature of any kind from its touches.

    Args:
        name: what it is called.
        kind: what it is.
        touches: of one tool.
        diameter: mm, where it is known and stands in for a touch: a bore or boss from two.
        u_diameter: standard uncertainty of that, mm.

    Raises:
        GeometryError: the touches do not define it.
    """
    known = KnownSize(diameter, u_diameter) if diameter is not None and kind.may_be_free else None
    found = spec_of(kind).solve(name, kind, touches, known)
    stylus = touches[0].stylus if touches else None
    if not isinstance(stylus, Stylus) or not stylus.u_offset:
        return found
    aside = (
        SharedEffect(
            f"T{stylus.tool_number} {axis} of the ball", tuple(stylus.u_offset * (a == axis) for a in found.axes)
        )
        for axis in "xy"
    )
    return replace(found, shared=(*found.shared, *(effect for effect in aside if any(effect.effect))))
