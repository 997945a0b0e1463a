"""Calibrating a stylus on something known: effective radius in a ring or round a disc, length on a face."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.budget import ENOUGH, LOBING, ODD
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import CalibratedOn, Stylus
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.uncertainty.estimates import Effects, Estimate, combined
from brisk_anchor.lazy_dataclass import dataclass

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
    lobing: float | None = None
    """How far the radius may differ by direction beyond the table, each way; None where there is no table."""
    u_direction: float = 0.0
    """Standard uncertainty of each entry of the table."""
    on: CalibratedOn | None = None

    @property
    def change(self) -> float:
        """New less old, mm."""
        return self.value - self.was

    def stylus(self, stylus: Stylus) -> Stylus:
        """The stylus with it. Raises GeometryError when its figures make no sense then."""
        others = tuple(c for c in stylus.calibrations if c.what != self.what)
        told = replace(stylus, calibrations=(*others, self.on) if self.on is not None else others)
        if self.what == "offset":
            return replace(told, offset=self.offset, u_offset=self.u)
        if self.what == "length":
            return replace(told, length=self.value, u_length=self.u)
        if self.lobing is None:
            return replace(told, effective_radius=self.value, u_radius=self.u, by_direction=(), u_direction=0.0)
        return replace(
            told,
            effective_radius=self.value,
            u_radius=self.u,
            by_direction=self.by_direction,
            lobing=self.lobing,
            u_direction=self.u_direction,
        )


def calibrate(feature: Feature, known: float, u_known: float, at: str = "") -> Calibration:
    """What a measured ring, disc or face of known figure says of the stylus that touched it.

    A ring of radius `R` gives `r = R − ρ`, a disc `r = ρ − R`, with `ρ` the circle of ball centres; a face at a known
    machine Z gives `L = spindle Z − known`. Its uncertainty is what the measurement has beside the figure itself, and
    what the certificate has. Touched at `ENOUGH` places or more, a ring gives a table by direction.

    Args:
        feature: as measured with the stylus as it was calibrated before.
        known: certified diameter, or the face's machine Z, mm.
        u_known: standard uncertainty of that, mm.
        at: when, for the names of its errors.

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
        own = _beside(feature.estimates()["z"], stylus.length_errors)
        on = CalibratedOn("length", at, f"machine Z {known:g} of a face", u_known)
        found = Calibration("length", value, math.hypot(own, u_known), stylus.length, on=on)
    elif feature.kind.is_round and feature.size is not None:
        found = _radius(feature, stylus, known, u_known, at)
    else:
        raise GeometryError(
            f"A stylus is not calibrated on a {feature.kind.value}", "", "Take a ring, a disc, or a face below the tip"
        )
    if abs(found.change) > FURTHEST[found.what]:
        raise GeometryError(
            f"The {found.what} would change by {signed_dim(found.change, 3)}",
            "A stylus does not change so much: the certified figure, its unit or the feature is another",
            "Check the certificate, and what was touched",
        )
    found.stylus(stylus)
    return found


def _beside(figure: Estimate, itself: Effects, widened: float = 1.0) -> float:
    """Half of the ± that a figure has beside some errors that it will have no longer; its touches' own over `widened`.

    A calibrated figure is used for months as a known one: what few touches leave open is in it once and for all.
    """
    rest = {s: e / widened if s.own else e for s, e in figure.effects.items() if s not in itself}
    return Estimate(figure.value, rest).expanded / 2


def _radius(feature: Feature, stylus: Stylus, known: float, u_known: float, at: str) -> Calibration:
    size = feature.size_estimates()["D"]
    sense = -1.0 if feature.kind.is_outside else 1.0
    # Counted from the middle of all touches, so that a table that was used for them is out of it again.
    value = sense * (known / 2 - size.value / 2) + stylus.effective_radius
    directions = tuple(
        (math.degrees(math.atan2(touch.direction[1], touch.direction[0])) % 360, value - sense * residual)
        for touch, residual in zip(feature.touches, feature.residuals, strict=True)
        if abs(touch.direction[2]) < 0.7
    )
    table = sorted(directions)
    whole = len({round(heading) for heading, _ in table}) >= ENOUGH and _widest_gap(table) <= 60
    # What differs by direction is in the table then, and no scatter of the touches.
    itself = dict(stylus.radius_errors)
    if whole:  # waves that go round three times or five have no mean all round
        itself |= {s: e for s, e in size.effects.items() if s.words.startswith(LOBING)}
    own = _beside(size, itself, feature.widened if whole else 1.0) / 2
    on = CalibratedOn("radius", at, f"⌀{known:g} of {feature.name}", u_known / 2)
    u = math.hypot(own, u_known / 2)
    if not whole:
        return Calibration("radius", value, u, stylus.effective_radius, directions, on=on)
    each = max(touch.u for touch in feature.touches) / math.sqrt(len(table) / len({round(h) for h, _ in table}))
    left = _left(table, each)
    return Calibration("radius", value, u, stylus.effective_radius, tuple(table), lobing=left, u_direction=each, on=on)


def _widest_gap(table: Sequence[tuple[float, float]]) -> float:
    headings = [heading for heading, _ in table]
    return max(b - a for a, b in pairwise([*headings, headings[0] + 360]))


def _left(table: Sequence[tuple[float, float]], u: float) -> float:
    """How far the radius may bend between the entries of a table, each way, mm: at most an eighth of the second
    difference. What the entries' own scatter `u` makes of that is none: six of their variances are in its square.
    """
    radii = [radius for _, radius in table]
    bends = np.array(
        [a - 2 * b + c for a, b, c in zip(radii, radii[1:] + radii[:1], radii[2:] + radii[:2], strict=True)]
    )
    real = max(0.0, float((bends**2).mean()) - 6 * u**2)
    return math.sqrt(2 * real) / 8


def _half_of_difference(one: Feature, other: Feature) -> float:
    """Half of the ± of half the difference of two centres, the larger of X and Y: what both have in common is gone.

    Turned half round, the stylus meets the same wall with its other side: lobing that is opposite there is in half of
    the difference in full, and what is alike is in none of it.
    """
    found = []
    for axis in "xy":
        a, b = one.estimates()[axis], other.estimates()[axis]
        every = {s: e for s, e in a.effects.items() if s.words.startswith(LOBING)}
        lobing = {s: e for s, e in every.items() if ODD in s.name}
        shared = {s for s in a.effects if s in b.effects and s not in lobing and not s.own}
        theirs = {
            replace(s, name=f"{s.name}, turned") if s.own else s: e for s, e in b.effects.items() if s not in lobing
        }
        mine = {s: e for s, e in a.effects.items() if s not in every}
        rest = combined((0.5, mine), (-0.5, theirs), (1.0, lobing))
        found.append(Estimate(0.0, {s: e for s, e in rest.items() if s not in shared}).expanded / 2)
    return max(found)


def calibrate_offset(
    stylus: Stylus,
    found: Feature,
    opposite: Feature | None,
    known: tuple[float, float] | None,
    u_known: float = 0.0,
    at: str = "",
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
        at: when, for the names of its errors.

    Raises:
        GeometryError: it has no centre, nothing tells where that is, or the ball would stand too far aside.
    """
    if not found.kind.is_round or not {"x", "y"} <= set(found.axes):
        raise GeometryError(f"{found.name} has no centre", "It says nothing of where the ball stands", "Take a ring")
    # What the ball's present place was off by is in the figure that it gives, with the other sign: it goes.
    itself = stylus.offset_errors("x") | stylus.offset_errors("y")
    u_found = max(_beside(item, itself) for axis, item in found.estimates().items() if axis in "xy")
    if opposite is not None:
        offset = tuple((opposite.coordinate(a) - found.coordinate(a)) / 2 for a in "xy")
        u = _half_of_difference(found, opposite)
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
    on = CalibratedOn("offset", at)
    result = Calibration("offset", away, u, math.hypot(*stylus.offset), offset=(offset[0], offset[1]), on=on)
    if away > FURTHEST["offset"]:
        raise GeometryError(
            f"The ball would stand {dim(away, 3)} beside the spindle's axis",
            "No stylus runs out so far: the ring moved, or another was measured",
            "Measure both again",
        )
    return result
