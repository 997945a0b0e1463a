"""A measured feature, with everything its figures depend on.

Fitting the centres of the ball and moving out by its radius at the end has no cosine error, whatever direction the
ball came from. Uncertainty has two parts that must not be mixed: what each touch has for itself, which averages out,
and what all touches of one stylus share (radius, length), which does not. See docs/maths.md.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from brisk_anchor.core.features.touches import AXES, Touch
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.residuals import Misfit
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

Row = tuple[Source, tuple[float, ...]]
"""A source, and its effect on each coordinate, then on each size, then on how far the walls are from square."""


@dataclass(frozen=True, slots=True)
class Feature:
    """A measured feature, in machine coordinates of the tip (spindle position less tool length), mm.

    `axes` names the coordinates it locates: "x", "y", "z" in mm; "r", how far it is turned about Z from the axis it
    runs along; "a" and "b", how far its own axis leans about X and about Y, degrees. `coordinates` follow that order.
    `size` is the diameter of a bore or boss; of a slot or web it is the width, of a pocket or block that along X, and
    `size_y` that along Y. `effects` say, by source, what one standard uncertainty does to each coordinate, to each size
    and to `square`. `residuals` are one a touch; `form` is their range, None when there are no more touches than
    unknowns, and `misfit` what they say. `square` is how far, degrees, its walls are from square.

    `places` says where each coordinate was found, as the place of the tip that touched: along a wall, X holds only at
    the Y where it was touched. Empty for what is a point, a bore's centre say. `widened` is by what its touches count
    more than stated, as their residuals ask; `shifted` what compensation by direction did to each coordinate, mm;
    `control` how much more the control's own figure scatters than ours, by coordinate; and `without` names what its ±
    does not include. `along` is how far, mm each way, the drawn middle of a slot or web that was found turned may lie
    along it from where it was met.
    """

    name: str
    kind: FeatureKind
    axes: tuple[str, ...]
    coordinates: tuple[float, ...]
    effects: tuple[Row, ...]
    touches: tuple[Touch, ...]
    residuals: tuple[float, ...]
    size: float | None = None
    size_y: float | None = None
    form: float | None = None
    places: tuple[Vector, ...] = ()
    square: float | None = None
    misfit: Misfit | None = None
    widened: float = 1.0
    shifted: tuple[float, ...] = ()
    control: tuple[float, ...] = ()
    without: tuple[str, ...] = ()
    along: float = 0.0

    @property
    def sizes(self) -> dict[str, float]:
        """What was measured between its walls, by the letter it is reported with: D, and E for the second, mm."""
        pairs = (("D", self.size), ("E", self.size_y))
        return {letter: value for letter, value in pairs if value is not None}

    def coordinate(self, axis: str) -> float:
        """The coordinate along `axis` ("x", "y", "z"), mm; KeyError when the feature does not locate that axis."""
        if axis not in self.axes:
            raise KeyError(axis)
        return self.coordinates[self.axes.index(axis)]

    @property
    def angles(self) -> dict[str, float]:
        """The coordinates that are angles, degrees."""
        return {a: value for a, value in zip(self.axes, self.coordinates, strict=True) if a not in AXES}

    def _estimate(self, value: float, i: int) -> Estimate:
        return Estimate(value, {source: effect[i] for source, effect in self.effects if effect[i]})

    def estimates(self) -> dict[str, Estimate]:
        """Its coordinates with what they depend on, by axis."""
        pairs = zip(self.axes, self.coordinates, strict=True)
        return {axis: self._estimate(value, i) for i, (axis, value) in enumerate(pairs)}

    def size_estimates(self) -> dict[str, Estimate]:
        """Its sizes with what they depend on, by letter."""
        first = len(self.axes)
        return {letter: self._estimate(value, first + i) for i, (letter, value) in enumerate(self.sizes.items())}

    def square_estimate(self) -> Estimate | None:
        """How far its walls are from square, degrees, with what that depends on; None where it has no such angle.

        A feature of a book from before this was kept does not say what it depends on: it counts as having none.
        """
        last = len(self.axes) + len(self.sizes)
        if self.square is None or any(len(effect) <= last for _, effect in self.effects):
            return None
        return self._estimate(self.square, last)

    @property
    def u_size(self) -> float | None:
        """Standard uncertainty of `size`, mm."""
        found = self.size_estimates().get("D")
        return None if found is None else found.u

    @property
    def covariance(self) -> tuple[tuple[float, ...], ...]:
        """Covariance of its coordinates as far as it is the touches' own: what differs from run to run; mm²."""
        own = [effect[: len(self.axes)] for source, effect in self.effects if source.own]
        rows = np.array(own).reshape(-1, len(self.axes))
        return matrix(rows.T @ rows)

    def standard_uncertainty(self, axis: str) -> float:
        """Standard uncertainty along `axis`, everything included, mm."""
        return self.estimates()[axis].u


def matrix(array: np.ndarray) -> tuple[tuple[float, ...], ...]:
    """A matrix as plain tuples, in the unit it has."""
    return tuple(tuple(float(value) for value in row) for row in array)


def rows_of(estimates: Mapping[str, Estimate]) -> tuple[Row, ...]:
    """What figures depend on, by source, for a feature that has them as its coordinates."""
    sources = sorted({source for item in estimates.values() for source in item.effects}, key=lambda s: s.name)
    return tuple((source, tuple(item.effects.get(source, 0.0) for item in estimates.values())) for source in sources)
