"""Sums of turning: where zero lies, how far a tool reaches, what wear is due. X figures are diameters throughout.

`machine = work + geometry + wear + program`, in X and in Z: what is not known follows from the rest. The sums are the
same for a front and a rear turret, as +X leads away from the axis on the turret's side. A figure of a radius table is
half of what stands here. Touched figures belong to the sharp corner of a tool.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.uncertainty.estimates import Estimate, combined
from brisk_anchor.lazy_dataclass import dataclass

Edge = Literal["chuck", "front"]
"""Which edge of a blade its offset belongs to: that on the chuck's side, or the other."""
_LIKE_HALF = 0.1
"""A figure this near, as a share, to half or twice what is expected was meant as the other of radius and diameter."""
NOTHING = Estimate(0.0)
MACHINE_POSITION = "machine position"
"""What the first term of a sum is called that comes of where the machine stood."""


@dataclass(frozen=True, slots=True)
class TurningTerm:
    """One line of a sum: added or taken off."""

    sign: Literal["+", "−"]
    label: str
    figure: Estimate


@dataclass(frozen=True, slots=True)
class TurningSum:
    """A sum with its terms; `axis` is "x" (diameters) or "z"."""

    name: str
    axis: str
    terms: tuple[TurningTerm, ...]

    @property
    def result(self) -> Estimate:
        """What it comes to, with what it depends on."""
        signed = [(1.0 if term.sign == "+" else -1.0, term.figure) for term in self.terms]
        value = math.fsum(sign * figure.value for sign, figure in signed)
        return Estimate(value, combined(*((sign, figure.effects) for sign, figure in signed)))

    @property
    def as_radius(self) -> float:
        """The same for a table of radii, mm; of Z as it is."""
        return self.result.value / 2 if self.axis == "x" else self.result.value


def work_offset(
    axis: str, machine: Estimate, geometry: Estimate, program: Estimate, wear: Estimate = NOTHING
) -> TurningSum:
    """W = M − G − w − P: where zero lies, by a tool whose own figures are right."""
    return _rest(f"work offset {axis.upper()}", axis, machine, ("geometry", geometry), wear, program)


def geometry(axis: str, machine: Estimate, work: Estimate, program: Estimate, wear: Estimate = NOTHING) -> TurningSum:
    """G = M − W − w − P: how far a tool reaches, by a zero that is right. A wear that is kept is taken off."""
    return _rest(f"geometry {axis.upper()}", axis, machine, ("work offset", work), wear, program)


def _rest(
    name: str, axis: str, machine: Estimate, other: tuple[str, Estimate], wear: Estimate, program: Estimate
) -> TurningSum:
    label, figure = other
    terms = [TurningTerm("+", MACHINE_POSITION, machine), TurningTerm("−", label, figure)]
    if wear.value or wear.effects:
        terms.append(TurningTerm("−", "wear that is kept", wear))
    what = "diameter there" if axis == "x" else "place there"
    return TurningSum(name, axis, (*terms, TurningTerm("−", what, program)))


def face_terms(
    measured: Estimate, wanted: Estimate, later: float, zero_from_face: float, known: str, leads: float = 0.0
) -> tuple[TurningTerm, ...]:
    """Where a tool stands that has just cut a face: what was measured from a known face, less what is wanted there.

    `later` is left for facing it again; `zero_from_face` the program Z of the finished face; `leads` how far before
    the edge that its offset belongs to the tool cuts, mm (`TurningTool.leads`).
    """
    terms = [TurningTerm("+", f"measured from the {known}", measured), TurningTerm("−", "wanted there", wanted)]
    if later:
        terms.append(TurningTerm("−", "left to be faced later", Estimate(later)))
    if zero_from_face:
        terms.append(TurningTerm("+", "finished face in the program", Estimate(zero_from_face)))
    return (*terms, *_width(leads))


def _width(leads: float) -> tuple[TurningTerm, ...]:
    """The width of a blade that meets a face with its other edge, where it does."""
    return (TurningTerm("+", "width of the blade", Estimate(leads)),) if leads else ()


def turned_terms(diameter: Estimate, *, beyond: bool) -> tuple[TurningTerm, ...]:
    """The X of a diameter that was just cut; beyond the axis it is negative."""
    label = "diameter, cut beyond the axis" if beyond else "diameter that was cut"
    return (TurningTerm("−" if beyond else "+", label, diameter),)


def felt_terms(
    axis: str, at: Estimate, thickness: Estimate, *, inside: bool, leads: float = 0.0
) -> tuple[TurningTerm, ...]:
    """Where a tool stands that holds a feeler against a known face (`at` its Z) or a known diameter.

    `leads` is how far before the edge that its offset belongs to it meets a face, mm (`TurningTool.leads`).
    """
    if axis == "z":
        known = (TurningTerm("+", "face in the program", at),) if at.value or at.effects else ()
        return (*known, TurningTerm("+", "feeler", thickness), *_width(leads))
    sign: Literal["+", "−"] = "−" if inside else "+"
    return TurningTerm("+", "known diameter", at), TurningTerm(sign, "feeler, twice", doubled(thickness))


def doubled(radius: Estimate) -> Estimate:
    """A figure of one side, as it counts in a diameter; mm."""
    return Estimate(2 * radius.value, combined((2.0, radius.effects)))


def _place(axis: str, terms: tuple[TurningTerm, ...]) -> Estimate:
    """The program position of the tip that its terms come to."""
    return TurningSum("place", axis, terms).result


def faced(measured: Estimate, wanted: float, leads: float = 0.0) -> Estimate:
    """Where a tool stands that has just cut a face, zero on the finished one: by how much the part is too long."""
    return _place("z", face_terms(measured, Estimate(wanted), 0.0, 0.0, "known face", leads))


def turned_to(diameter: Estimate, *, beyond: bool = False) -> Estimate:
    """The X of a diameter that was just cut; `beyond` the axis it is negative."""
    return _place("x", turned_terms(diameter, beyond=beyond))


def felt_on_face(thickness: Estimate, at: float = 0.0, leads: float = 0.0) -> Estimate:
    """Where a tool stands that holds a feeler against a face at `at`."""
    return _place("z", felt_terms("z", Estimate(at), thickness, inside=False, leads=leads))


def felt_on_diameter(diameter: Estimate, thickness: Estimate, *, inside: bool) -> Estimate:
    """The X of a tool that holds a shim on a known diameter; in a bore it stands nearer to the axis."""
    return _place("x", felt_terms("x", diameter, thickness, inside=inside))


def groove_places(chuck_wall: float, front_wall: float, width: float, edge: Edge) -> tuple[float, float]:
    """Z of the tool when it cuts the wall on the chuck's side, and the other, of a groove.

    Raises:
        DatumError: the blade is wider than the groove.
    """
    if front_wall - chuck_wall < width - 1e-9:
        raise DatumError(
            f"The groove is {dim(front_wall - chuck_wall)} wide, the blade {dim(width)}", "It does not fit", ""
        )
    return (chuck_wall, front_wall - width) if edge == "chuck" else (chuck_wall + width, front_wall)


def parting_place(length: float, allowance: float, width: float, edge: Edge) -> float:
    """Z (mm) of a parting blade that leaves a part of a length, and so much on it for facing its other end."""
    return -(length + allowance) - (width if edge == "chuck" else 0.0)


def stop_plane(work: Estimate, length: float) -> Estimate:
    """Z of the plane that parts are pushed against, from the zero of one of that length."""
    return Estimate(work.value - length, work.effects)


def on_stop(stop: Estimate, length: float) -> Estimate:
    """The zero, Z, of a part of a length against a stop."""
    return Estimate(stop.value + length, stop.effects)


def family(work: Estimate, length: float, others: Sequence[float]) -> list[Estimate]:
    """Zeros of parts that are alike but for their length, on one back stop."""
    return [on_stop(stop_plane(work, length), other) for other in others]


def soft_jaws(face: Estimate, step: float, length: float) -> tuple[Estimate, Estimate]:
    """The plane of a step that is so deep below the jaws' face, and the zero of a part against it."""
    plane = Estimate(face.value - step, face.effects)
    return plane, on_stop(plane, length)


def wear_due(wanted: float, actual: Estimate) -> Estimate:
    """How much a wear changes: wanted less actual: of an outer diameter, of a bore, or of a shoulder's Z."""
    return Estimate(wanted - actual.value, combined((-1.0, actual.effects)))


def first_cut_wear(allowance: float, *, inside: bool) -> float:
    """The X wear of a new insert until its first cut was measured, mm: too large outside, too small inside."""
    return -allowance if inside else allowance


def nose_centre(corner: float, radius: float, direction: int, *, axis: str) -> float:
    """The figure of a tool that is referred to its nose's centre, from that of its sharp corner.

    `direction` is +1 where the nose's centre lies further along the axis than the corner. The program names the
    centre then, which is so much further, and the sum of the four stays: the figure is R less in Z, 2R in diameters.
    """
    return corner - direction * radius * (2.0 if axis == "x" else 1.0)


def taper_of(first: float, second: float, apart: float) -> float:
    """Half angle, degrees, of a taper found from two diameters so far apart along Z: told, never put into wear."""
    return math.degrees(math.atan2((second - first) / 2, apart))


def meant_other(typed: float, expected: float) -> bool:
    """Whether a figure looks like a radius where a diameter is meant, or the other way round."""
    if not typed or not expected:
        return False
    share = abs(typed / expected)
    return abs(share - 0.5) < 0.5 * _LIKE_HALF or abs(share - 2.0) < 2.0 * _LIKE_HALF


def passes(present: float, target: float, depth: float, finish: float, spring: int = 0) -> list[float]:
    """Diameters to cut one after another: roughing in even cuts, the finishing allowance, then the spring passes.

    Args:
        present: diameter now, mm; `target` that wanted. Inside or outside shows by which is larger.
        depth: the deepest cut, on one side.
        finish: what the last cut takes, on one side; 0 for no finishing cut.
        spring: so many passes more at the target.

    Raises:
        DatumError: nothing is to be cut, or depths that make no sense.
    """
    if present == target or depth <= 0 or finish < 0 or not 0 <= spring <= 20:
        raise DatumError("There is nothing to cut, or the depth of a cut makes no sense", "", "Depths lie above 0")
    inward = 1.0 if present > target else -1.0
    rough = max(0.0, abs(present - target) / 2 - finish)
    count = math.ceil(rough / depth - 1e-9)
    stops = [present - inward * 2 * rough * n / count for n in range(1, count + 1)] if count else []
    if not stops or abs(stops[-1] - target) > 1e-9:
        stops.append(target)
    return [*stops, *[target] * spring]
