"""The common fixtures by their own figures: vice, chuck, angle plate, plate with a grid of holes, made into solids."""

from __future__ import annotations

import math
from typing import Annotated, Self

from pydantic import Field, model_validator

from brisk_anchor.core.quantities import dim
from brisk_anchor.standin.solid_file import FileSection, HoleSection, Length, Point, SolidSection

_MOST_HOLES = 400


def _block(name: str, low: Point, high: Point, bottom: float, top: float) -> SolidSection:
    return SolidSection(name=name, shape="block", low=low, high=high, bottom=bottom, top=top)


class Vice(FileSection):
    """A vice along Y; its zero is the left front corner of the bed, below.

    `fixed_jaw` is the Y of the face the part lies against, `opening` how far the moving jaw stands in front of it. A
    `stop` is a place (x, y) on the bed with its right side at x; the part lies against that.
    """

    bed_length: Length
    bed_width: Length
    bed_height: Length
    jaw_length: Length
    jaw_thickness: Length
    jaw_height: Length
    fixed_jaw: Length
    opening: Length
    stop: Point | None = None

    @model_validator(mode="after")
    def _on_the_bed(self) -> Self:
        front, back = self.fixed_jaw - self.opening - self.jaw_thickness, self.fixed_jaw + self.jaw_thickness
        if front < 0 or back > self.bed_width or self.jaw_length > self.bed_length:
            raise ValueError(
                f"the jaws reach from Y {dim(front)} to {dim(back)} over {dim(self.jaw_length)}; "
                f"the bed has {dim(self.bed_width)} by {dim(self.bed_length)}"
            )
        return self

    def solids(self) -> list[SolidSection]:
        """Bed, fixed jaw, moving jaw, and the stop."""
        left = (self.bed_length - self.jaw_length) / 2
        right, top = left + self.jaw_length, self.bed_height + self.jaw_height
        made = [_block("bed", (0.0, 0.0), (self.bed_length, self.bed_width), 0.0, self.bed_height)]
        moving = self.fixed_jaw - self.opening
        for name, y0, y1 in (
            ("fixed jaw", self.fixed_jaw, self.fixed_jaw + self.jaw_thickness),
            ("moving jaw", moving - self.jaw_thickness, moving),
        ):
            made.append(_block(name, (left, y0), (right, y1), self.bed_height, top))
        if self.stop is not None:
            x, y = self.stop
            side = self.jaw_height * 0.5
            made.append(_block("stop", (x - side, y - side / 2), (x, y + side / 2), self.bed_height, top))
        return made


class Chuck(FileSection):
    """A chuck standing on its back; its zero is the middle of that. The jaws grip a round of `grip` from outside."""

    diameter: Length
    height: Length
    grip: Length
    jaw_length: Length
    jaw_width: Length
    jaw_height: Length
    jaws: Annotated[int, Field(ge=2, le=6)] = 3

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.grip / 2 + self.jaw_length > self.diameter / 2 * 1.5:
            raise ValueError(f"its jaws stand out too far for a body of ⌀{dim(self.diameter)}")
        return self

    def solids(self) -> list[SolidSection]:
        """The body, and the jaws round it, the first towards +X."""
        made = [
            SolidSection(
                name="body", shape="round", centre=(0.0, 0.0), diameter=self.diameter, bottom=0.0, top=self.height
            )
        ]
        inner, outer, half = self.grip / 2, self.grip / 2 + self.jaw_length, self.jaw_width / 2
        for number in range(self.jaws):
            angle = 2 * math.pi * number / self.jaws
            c, s = math.cos(angle), math.sin(angle)
            corners = ((inner, -half), (outer, -half), (outer, half), (inner, half))
            points: list[Point] = [(round(x * c - y * s, 6), round(x * s + y * c, 6)) for x, y in corners]
            top = self.height + self.jaw_height
            made.append(
                SolidSection(name=f"jaw {number + 1}", shape="outline", points=points, bottom=self.height, top=top)
            )
        return made


class AnglePlate(FileSection):
    """An angle plate; its zero is the left front corner below. The part lies against the wall's front face."""

    length: Length
    depth: Length
    height: Length
    thickness: Length

    @model_validator(mode="after")
    def _thin(self) -> Self:
        if self.thickness >= min(self.depth, self.height):
            raise ValueError("it is thicker than it is deep or high")
        return self

    def solids(self) -> list[SolidSection]:
        """The base, and the wall at its back."""
        base = _block("base", (0.0, 0.0), (self.length, self.depth), 0.0, self.thickness)
        wall = _block(
            "wall", (0.0, self.depth - self.thickness), (self.length, self.depth), self.thickness, self.height
        )
        return [base, wall]


class Plate(FileSection):
    """A sub-plate or pallet; its zero is the left front corner below. `first`, `pitch` and `hole` make a grid."""

    length: Length
    width: Length
    height: Length
    hole: Length | None = None
    first: Point | None = None
    pitch: Point | None = None

    @model_validator(mode="after")
    def _whole_grid(self) -> Self:
        given = [part is not None for part in (self.hole, self.first, self.pitch)]
        if any(given) and not all(given):
            raise ValueError("a grid of holes needs hole, first and pitch")
        if self.pitch and min(self.pitch) <= 0:
            raise ValueError("the pitch of the holes must be above zero")
        if len(self._places()) > _MOST_HOLES:
            raise ValueError(f"the grid has more than {_MOST_HOLES} holes")
        return self

    def _places(self) -> list[Point]:
        if self.hole is None or self.first is None or self.pitch is None:
            return []
        ends = (self.length - self.hole / 2, self.width - self.hole / 2)
        columns, rows = (
            max(0, min(_MOST_HOLES, math.floor((end - first) / pitch + 1e-9)) + 1) if first <= end else 0
            for first, end, pitch in zip(self.first, ends, self.pitch, strict=True)
        )
        x, y = self.first
        return [(x + i * self.pitch[0], y + j * self.pitch[1]) for j in range(rows) for i in range(columns)]

    def solids(self) -> list[SolidSection]:
        """The plate with its holes."""
        holes = [HoleSection(at=place, diameter=self.hole or 0.0) for place in self._places()]
        return [
            _block("plate", (0.0, 0.0), (self.length, self.width), 0.0, self.height).model_copy(update={"holes": holes})
        ]
