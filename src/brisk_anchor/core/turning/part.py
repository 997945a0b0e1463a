"""A turned part as a profile. Z is 0 on the finished front face and falls towards the chuck; X is a diameter.

Depths and lengths count from an end and are positive; a Z is signed.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass

End = Literal["front", "back"]
Outline = tuple[tuple[float, float], ...]
"""Corners (Z, diameter) of a contour, from the front to the back."""
LONGEST, LARGEST = 5_000.0, 3_000.0
"""The longest part and the largest diameter that are believed, mm."""


@dataclass(frozen=True, slots=True)
class Shoulder:
    """A cylinder of the profile: its diameter, and how far from its end of the part it goes, mm."""

    diameter: float
    to: float


@dataclass(frozen=True, slots=True)
class Groove:
    """A groove between two walls (Z of that on the chuck's side first), with the diameter of its floor."""

    chuck_wall: float
    front_wall: float
    diameter: float
    inside: bool = False


@dataclass(frozen=True, slots=True)
class Chamfer:
    """A chamfer of 45°, of so many mm, on the edge of a contour at a Z."""

    z: float
    size: float
    inside: bool = False


@dataclass(frozen=True, slots=True)
class TurnedPart:
    """A part as a drawing has it. `outside` goes over the whole length; bores begin at either end.

    Raises:
        DatumError: lengths, diameters or grooves that contradict each other.
    """

    name: str
    outside: tuple[Shoulder, ...]
    bore: tuple[Shoulder, ...] = ()
    back_bore: tuple[Shoulder, ...] = ()
    grooves: tuple[Groove, ...] = ()
    chamfers: tuple[Chamfer, ...] = ()

    def __post_init__(self) -> None:
        if not self.outside:
            raise DatumError("The part has no outside diameter", "Nothing says how long it is", "As ⌀48 to 20")
        for kind, shoulders in (("Outside", self.outside), ("Bore", self.bore), ("Back bore", self.back_bore)):
            _check_shoulders(kind, shoulders)
        for name, shoulders in (("bore", self.bore), ("back bore", self.back_bore)):
            if shoulders and shoulders[-1].to > self.length + 1e-9:
                raise DatumError(
                    f"The {name} goes {dim(shoulders[-1].to)} deep, the part ends before", "", "Shorten it"
                )
        if self.bore and self.back_bore and self.bore[-1].to + self.back_bore[-1].to > self.length + 1e-9:
            raise DatumError("The bores of both ends run into each other", "", "State one of them as through")
        for groove in self.grooves:
            self._check_groove(groove)
        for chamfer in self.chamfers:
            if not 0 < chamfer.size < self.length:
                raise DatumError(f"A chamfer of {dim(chamfer.size)} makes no sense", "", "State its size above 0")
            if not any(abs(z - chamfer.z) < 1e-9 for z, _ in self._corners(inside=chamfer.inside)):
                raise DatumError(f"There is no edge at Z {dim(chamfer.z)} to chamfer", "", "Give the Z of a shoulder")
        for z, outer in self.contour():
            inner = self.bore_at(z)
            if inner >= outer - 1e-9:
                raise DatumError(f"At Z {dim(z)} the bore is as large as the outside", "Nothing is left", "Look again")

    def _check_groove(self, groove: Groove) -> None:
        if not -self.length - 1e-9 <= groove.chuck_wall < groove.front_wall <= 1e-9 or groove.diameter <= 0:
            raise DatumError("A groove lies outside the part, or has no width", "", "As groove ⌀42 20 to 26")
        middle = (groove.chuck_wall + groove.front_wall) / 2
        around = self._plain_at(middle, inside=groove.inside)
        if (groove.diameter >= around) != groove.inside:
            side = "larger than the bore" if groove.inside else "smaller than the diameter around it"
            raise DatumError(f"The floor of a groove must be {side}, {dim(around)}", "", "Look at its diameter")

    @property
    def length(self) -> float:
        """From the finished front face to the back, mm."""
        return self.outside[-1].to

    @property
    def largest(self) -> float:
        """Its largest diameter, mm."""
        return max(shoulder.diameter for shoulder in self.outside)

    @property
    def bored_through(self) -> bool:
        """Whether the bore of the front goes through."""
        return bool(self.bore) and self.bore[-1].to >= self.length - 1e-9

    def _plain_at(self, z: float, *, inside: bool) -> float:
        """The diameter of the contour at a Z without grooves and chamfers; 0 where there is no bore."""
        depth = -z
        if not inside:
            return next((s.diameter for s in self.outside if depth <= s.to + 1e-9), self.outside[-1].diameter)
        front = next((s.diameter for s in self.bore if depth <= s.to + 1e-9), 0.0)
        back = next((s.diameter for s in self.back_bore if self.length - depth <= s.to + 1e-9), 0.0)
        return max(front, back)

    def diameter_at(self, z: float) -> float:
        """The outside diameter at a Z of the part, in a groove that of its floor; mm."""
        for groove in self.grooves:
            if not groove.inside and groove.chuck_wall <= z <= groove.front_wall:
                return groove.diameter
        return self._plain_at(z, inside=False)

    def bore_at(self, z: float) -> float:
        """The diameter of the bore at a Z of the part, 0 where there is none; mm."""
        plain = self._plain_at(z, inside=True)
        deeper = (g.diameter for g in self.grooves if g.inside and g.chuck_wall <= z <= g.front_wall)
        return max(plain, *deeper, 0.0) if plain else 0.0

    def _corners(self, *, inside: bool) -> list[tuple[float, float]]:
        """Corners of a contour with its grooves, without chamfers, from the front to the back."""
        ends = {0.0, -self.length}
        shoulders = [-s.to for s in (self.bore if inside else self.outside)]
        if inside:
            shoulders += [s.to - self.length for s in self.back_bore]
        walls = [z for g in self.grooves if g.inside == inside for z in (g.chuck_wall, g.front_wall)]
        places = sorted(ends | set(shoulders) | set(walls), reverse=True)
        found: list[tuple[float, float]] = []
        for front, back in pairwise(places):
            middle = (front + back) / 2
            diameter = self.bore_at(middle) if inside else self.diameter_at(middle)
            for corner in ((front, diameter), (back, diameter)):
                if not found or found[-1] != corner:
                    found.append(corner)
        return found

    def _chamfered(self, corners: list[tuple[float, float]], *, inside: bool) -> Outline:
        """The same with its edges broken: of an edge the corner that has metal on both sides gives way."""
        for chamfer in (c for c in self.chamfers if c.inside == inside):
            at = [n for n, (z, _) in enumerate(corners) if abs(z - chamfer.z) < 1e-9]
            n = (min if inside else max)(at, key=lambda n: corners[n][1])
            z, diameter = corners[n]
            back = n + 1 < len(corners) and corners[n + 1][1] == diameter and corners[n + 1][0] < z
            cut = (z, diameter + (2 if inside else -2) * chamfer.size)
            rest = (z - chamfer.size if back else z + chamfer.size, diameter)
            corners[n : n + 1] = [cut, rest] if back else [rest, cut]
        return tuple(corners)

    def contour(self) -> Outline:
        """The outside contour (Z, diameter), from the front to the back."""
        return self._chamfered(self._corners(inside=False), inside=False)

    def bore_contour(self) -> Outline:
        """The contour of the bores (Z, diameter), from the front to the back; nothing where there is none."""
        if not self.bore and not self.back_bore:
            return ()
        return self._chamfered(self._corners(inside=True), inside=True)

    def section(self) -> Outline:
        """The closed half-section as corners (Z, diameter): the contour from front to back, then the bore."""
        inner = self.bore_contour() or ((0.0, 0.0), (-self.length, 0.0))
        outer = self.contour()
        return (*outer, *reversed(inner), outer[0])


def _check_shoulders(kind: str, shoulders: Sequence[Shoulder]) -> None:
    for shoulder in shoulders:
        if not (0 < shoulder.diameter <= LARGEST and 0 < shoulder.to <= LONGEST):
            raise DatumError(f"{kind} ⌀{dim(shoulder.diameter)} to {dim(shoulder.to)} makes no sense", "", "Above 0")
    for first, second in pairwise(shoulders):
        if second.to <= first.to:
            raise DatumError(
                f"{kind}: a shoulder to {dim(second.to)} comes after one to {dim(first.to)}",
                "Shoulders stand in order from their end of the part",
                "Sort them",
            )


@dataclass(frozen=True, slots=True)
class TurningStock:
    """Bar or a sawn blank: its diameter, what stands before the finished face (`front`) and behind the part (`back`).

    `bore` is that of a tube, 0 for solid metal.
    """

    kind: Literal["bar", "blank"]
    diameter: float
    front: float
    back: float = 0.0
    bore: float = 0.0

    def __post_init__(self) -> None:
        if not (0 < self.diameter <= LARGEST and 0 <= self.bore < self.diameter and min(self.front, self.back) >= 0):
            raise DatumError("The stock makes no sense", "Its bore, or an allowance, is not one", "As bar ⌀65 front 1")


def stock_for(part: TurnedPart, on_diameter: float, sizes: Sequence[float], **allowances: float) -> TurningStock:
    """Bar for a part with an allowance on the diameter, rounded up to what is on the shelf.

    Args:
        part: the part.
        on_diameter: how much larger the bar is to be, at the least, mm of diameter.
        sizes: diameters on the shelf, mm.
        allowances: `front` and `back`, mm.

    Raises:
        DatumError: nothing on the shelf is large enough.
    """
    needed = part.largest + on_diameter
    fitting = [size for size in sizes if size >= needed - 1e-9]
    if not fitting:
        raise DatumError(
            f"No bar on the shelf is {dim(needed)} or more", f"The part is ⌀{dim(part.largest)}", "State a larger size"
        )
    return TurningStock("bar", min(fitting), allowances.get("front", 0.0), allowances.get("back", 0.0))


def is_slender(sticks_out: float, diameter: float, *, supported: bool) -> bool:
    """Whether what sticks out of the jaws is more than 3 times its diameter, or 10 times with a tailstock.

    The rule of thumb of the trade: beyond it the part bends away from the tool, and a measured diameter is a taper.
    """
    return diameter > 0 and sticks_out / diameter > (10.0 if supported else 3.0) + 1e-9
