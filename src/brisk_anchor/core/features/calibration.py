"""Calibrating a stylus on something known: effective radius in a ring or round a disc, length on a face."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import mm, signed_mm

FURTHEST = {"radius": 0.1, "length": 5.0, "offset": 0.5}
"""How far, mm, a calibration may move a radius or a length before it is taken for a mistake."""


@dataclass(frozen=True, slots=True)
class Calibration:
    """A new effective radius or length (`what`), mm, with its standard uncertainty and what it was.

    `by_direction` holds the radius at each touch: the heading of the touch, degrees, and the radius there.
    """

    what: str
    value: float
    u: float
    was: float
    by_direction: tuple[tuple[float, float], ...] = ()
    offset: tuple[float, float] = (0.0, 0.0)
    """Where the ball stands beside the spindle's axis, X and Y, where that was calibrated; `value` is how far."""

    @property
    def change(self) -> float:
        """New less old, mm."""
        return self.value - self.was

    def stylus(self, stylus: Stylus) -> Stylus:
        """The stylus with it. Raises GeometryError when its figures make no sense then."""
        if self.what == "offset":
            return replace(stylus, offset=self.offset, u_offset=self.u)
        if self.what == "length":
            return replace(stylus, length=self.value, u_length=self.u)
        return replace(stylus, effective_radius=self.value, u_radius=self.u)


def calibrate(feature: Feature, known: float, u_known: float) -> Calibration:
    """What a measured ring, disc or face of known figure says of the stylus that touched it.

    A ring of radius `R` gives `r = R − ρ`, a disc `r = ρ − R`, with `ρ` the circle of ball centres; a face at a known
    machine Z gives `L = spindle Z − known`.

    Args:
        feature: as measured with the stylus as it was calibrated before.
        known: certified diameter, or the face's machine Z, mm.
        u_known: standard uncertainty of that, mm.

    Raises:
        GeometryError: it is no feature to calibrate on, the figures are none, or the result is too far from before.
    """
    if not math.isfinite(known) or not 0 <= u_known < 1:
        raise GeometryError("The certified figure or its ± is none", "The stylus would be wrong everywhere", "Type it")
    stylus = next((touch.stylus for touch in feature.touches), None)
    if not isinstance(stylus, Stylus):
        raise GeometryError(f"{feature.name} was not touched by the probe", "It says nothing of its stylus", "")
    if feature.kind is FeatureKind.SURFACE and feature.axes == ("z",):
        value = stylus.length + feature.coordinates[0] - known
        found = Calibration("length", value, math.hypot(math.sqrt(feature.covariance[0][0]), u_known), stylus.length)
    elif feature.kind.is_round and feature.size is not None and feature.u_size is not None:
        sense = -1.0 if feature.kind.is_outside else 1.0
        rho = feature.size / 2 - sense * stylus.effective_radius
        value = sense * (known / 2 - rho)
        own = math.sqrt(max(0.0, feature.u_size**2 - (2 * stylus.u_radius) ** 2)) / 2
        directions = tuple(
            (math.degrees(math.atan2(touch.direction[1], touch.direction[0])) % 360, value - sense * residual)
            for touch, residual in zip(feature.touches, feature.residuals, strict=True)
            if not touch.direction[2]
        )
        found = Calibration("radius", value, math.hypot(own, u_known / 2), stylus.effective_radius, directions)
    else:
        raise GeometryError(
            f"A stylus is not calibrated on a {feature.kind.value}", "", "Take a ring, a disc, or a face below the tip"
        )
    if abs(found.change) > FURTHEST[found.what]:
        raise GeometryError(
            f"The {found.what} would change by {signed_mm(found.change, 3)}",
            "A stylus does not change so much: the certified figure, its unit or the feature is another",
            "Check the certificate, and what was touched",
        )
    found.stylus(stylus)
    return found


def calibrate_offset(
    stylus: Stylus, found: Feature, opposite: Feature | None, known: tuple[float, float] | None, u_known: float = 0.0
) -> Calibration:
    """Where the ball stands beside the spindle's axis, from a ring or disc measured with it.

    With the spindle turned half round between two measurements, the ball changes sides and the ring does not:
    `offset = (centre turned − centre) / 2` in the present offset's terms. Without that the centre must be known, swept
    with a dial indicator say: `offset = present + known − centre`.

    Args:
        stylus: as it was calibrated before.
        found: the ring, the spindle as it always stands.
        opposite: the same with the spindle turned half round.
        known: machine X and Y of its centre, mm, where it was not turned; `u_known` the standard uncertainty of each.

    Raises:
        GeometryError: it has no centre, nothing tells where that is, or the ball would stand too far aside.
    """
    if not found.kind.is_round or not {"x", "y"} <= set(found.axes):
        raise GeometryError(f"{found.name} has no centre", "It says nothing of where the ball stands", "Take a ring")
    u_found = max(found.standard_uncertainty(axis) for axis in "xy")
    if opposite is not None:
        offset = tuple((opposite.coordinate(a) - found.coordinate(a)) / 2 for a in "xy")
        own = max(math.sqrt(found.covariance[i][i] + opposite.covariance[i][i]) for i in (0, 1))
        u = own / 2
    elif known is not None and all(math.isfinite(value) for value in known):
        offset = tuple(stylus.offset[i] + known[i] - found.coordinate("xy"[i]) for i in (0, 1))
        u = math.hypot(u_found, u_known)
    else:
        raise GeometryError(
            "Nothing tells where the ring's centre is",
            "The ball's place cannot be told from the ring's",
            "Turn the spindle half round and measure it again, or give its centre as swept",
        )
    away = math.hypot(*offset)
    result = Calibration("offset", away, u, math.hypot(*stylus.offset), offset=(offset[0], offset[1]))
    if away > FURTHEST["offset"]:
        raise GeometryError(
            f"The ball would stand {mm(away, 3)} beside the spindle's axis",
            "No stylus runs out so far: the ring moved, or another was measured",
            "Measure both again",
        )
    return result
