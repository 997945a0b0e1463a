"""What a control works out of its own touches, worked out again: by the steps of its program, figure by figure.

The control and the application are two functions of the same touches. So two questions are asked of them, each with its
own answer: whether the control did the sums it was given (only rounding may lie between), and whether the two functions
agree as far as the touches' own uncertainty lets them: by the covariance of their difference, not of either.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.expressions import Binary, Expression, Function, Name, Number
from brisk_anchor.core.features.budget import patterns_of
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.specs.spec import KnownSize
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.proof import Agreement
from brisk_anchor.core.uncertainty.coverage import normal_limit
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.cycles import Cycle
from brisk_anchor.nc.programs.reports import PRINTED
from brisk_anchor.nc.programs.steps import Compute, Report, Step, TouchStep

NEAR = 0.001
"""Figures no further apart than that, mm or degrees, are the same where nobody asks more thoroughly."""
_REFUSED = 1e-5
"""How often an honest measurement may be refused because the control's figure and ours differ."""


class Sloped(NamedTuple):
    """A figure, and how much it changes when a touch goes 1 mm further: one slope for each touch, or 0.0 for all."""

    value: float
    slopes: Array | float = 0.0


def evaluate(value: Expression, known: Mapping[str, Sloped]) -> Sloped:
    """A sum of the program with figures in the place of its names, and its slopes by the chain rule.

    Raises:
        KeyError: one of the names is not known. ArithmeticError: the sum divides by nothing.
    """
    match value:
        case Number(figure):
            return Sloped(figure)
        case Name(name):
            return known[name]
        case Binary(left, operator, right):
            (a, a_slopes), (b, b_slopes) = evaluate(left, known), evaluate(right, known)
            match operator:
                case "+":
                    return Sloped(a + b, a_slopes + b_slopes)
                case "-":
                    return Sloped(a - b, a_slopes - b_slopes)
                case "*":
                    return Sloped(a * b, a * b_slopes + b * a_slopes)
                case "/":
                    return Sloped(a / b, (a_slopes - a / b * b_slopes) / b)
        case Function("SQRT", (inner,)):
            a, a_slopes = evaluate(inner, known)
            root = math.sqrt(max(0.0, a))
            return Sloped(root, a_slopes / (2 * root) if root else 0.0)
        case Function("SIN", (inner,)):
            a, a_slopes = evaluate(inner, known)
            return Sloped(math.sin(math.radians(a)), math.radians(math.cos(math.radians(a))) * a_slopes)
        case Function("COS", (inner,)):
            a, a_slopes = evaluate(inner, known)
            return Sloped(math.cos(math.radians(a)), -math.radians(math.sin(math.radians(a))) * a_slopes)
        case Function("ATAN", (rise, run)):
            (a, a_slopes), (b, b_slopes) = evaluate(rise, known), evaluate(run, known)
            turned = (b * a_slopes - a * b_slopes) / (a * a + b * b)
            return Sloped(math.degrees(math.atan2(a, b)), turned * math.degrees(1.0))
    raise KeyError(repr(value))


@lru_cache(maxsize=64)
def control_of(measurement: Measurement) -> ControlSolution:
    """The sums of a measurement; a proof asks for the same ones with every part."""
    return ControlSolution(measurement)


class ControlSolution:
    """The sums of one measurement, as the control does them."""

    def __init__(self, measurement: Measurement) -> None:
        self.measurement = measurement
        steps: list[Step] = []
        located: dict[tuple[str, str], ControlResult] = {}
        # Heights of the way count from a top that another measurement found; no figure depends on them.
        Cycle(steps, replace(measurement, top=None), 1, 0, located, height=measurement.clear_z, wanted=True).run()
        self._steps = [step for step in steps if isinstance(step, Compute | TouchStep | Report)]

    def figures(self, places: Sequence[Vector]) -> dict[str, float]:
        """Coordinates, angles and sizes by letter from machine positions of all touches, in order."""
        return {
            letter: figure.value for letter, figure in self._found([[Sloped(p) for p in at] for at in places]).items()
        }

    def derivatives(self, touches: Sequence[Touch]) -> dict[str, Array]:
        """By letter, its change for every mm that each touch goes further along its own approach."""
        own = np.eye(len(touches))
        places = [
            [Sloped(p, d * own[n]) for p, d in zip(touch.position, touch.direction, strict=True)]
            for n, touch in enumerate(touches)
        ]
        return {letter: figure.slopes + np.zeros(len(touches)) for letter, figure in self._found(places).items()}

    def _found(self, places: Sequence[Sequence[Sloped]]) -> dict[str, Sloped]:
        known: dict[str, Sloped] = {}
        found: dict[str, Sloped] = {}
        for step in self._steps:
            match step:
                case TouchStep():
                    known |= dict(zip(step.names, places[step.number - 1], strict=True))
                case Compute():
                    known[step.name] = evaluate(step.value, known)
                case Report():
                    found |= {letter: evaluate(value, known) for letter, value, _ in step.values if letter != "M"}
        return found


def _means(measurement: Measurement) -> Array:
    """(counted × made) which touches that were made each one is the mean of, that the feature is worked out from."""
    numbers = measurement.counted(list(range(measurement.touch_count)))
    groups = [[n] for n in numbers]
    if measurement.options.half_turn:
        each = measurement.repeats
        groups = [
            [numbers[first + i], numbers[first + each + i]]
            for first in range(0, len(numbers), 2 * each)
            for i in range(each)
        ]
    shares = np.zeros((len(groups), measurement.touch_count))
    for row, group in enumerate(groups):
        shares[row, group] = 1 / len(group)
    return shares


def agreements(
    measurement: Measurement,
    touches: Sequence[Touch],
    told: Mapping[str, float],
    feature: Feature,
    stated: Stated,
    *,
    thorough: bool = True,
) -> tuple[Agreement, ...]:
    """Compare each figure that the control told with its own sums and with ours.

    Args:
        measurement: what was measured.
        touches: all it made, as reported.
        told: the control's figures by letter.
        feature: ours, from the same touches.
        stated: what is stated of it.
        thorough: whether the two functions are compared by their derivatives; else they are held to rounding alone, and
            to derivatives only where they lie further apart than that.

    Raises:
        GeometryError: the touches define nothing.
    """
    control = control_of(measurement)
    try:
        expected = control.figures([touch.position for touch in touches])
    except (ArithmeticError, ValueError, KeyError) as error:
        raise GeometryError(
            f"The control's sums for {feature.name} cannot be done with these touches",
            "They divide by nothing, or take the root of less",
            "Measure it again",
        ) from error
    letters = [axis.upper() for axis in feature.axes]
    letters += [] if measurement.known_size else list(feature.sizes)
    rows = {letter: row for row, letter in enumerate(letters) if letter in told}
    ours = dict(zip(letters, (*feature.coordinates, *feature.sizes.values()), strict=False))
    near = all(abs(ours[letter] - told[letter]) <= NEAR for letter in rows)
    if near and not thorough:
        return tuple(_agreement(feature, letter, ours, told, expected, NEAR, 0.0) for letter in rows)
    known = KnownSize(measurement.size or 0.0) if measurement.known_size else None
    # A feature keeps its touches as they were before compensation by direction: the control knows one radius.
    plain = spec_of(measurement.kind).solve(feature.name, measurement.kind, feature.touches, known)
    ours = dict(zip(letters, plain.values, strict=False))
    slopes = control.derivatives(touches)
    shares = _means(measurement)
    square = np.abs((plain.normals * [touch.direction for touch in feature.touches]).sum(axis=1))
    u = np.array([touch.u for touch in touches])
    own = np.array([touch.u for touch in feature.touches])
    freedom = min((f for touch in touches if (f := touch.freedom) is not None), default=None)
    # Residuals that widened the ± widen what may lie between two ways to read the same touches.
    widened = feature.widened if feature.misfit is not None else 1.0
    limit = normal_limit(_REFUSED, feature.misfit.freedom if feature.misfit and widened > 1 else freedom)
    lasting = patterns_of(measurement.kind, plain, feature.touches, stated)
    found = []
    for letter, row in rows.items():
        gain = plain.gain[row] * square
        apart = gain @ shares - slopes[letter]
        variance = float(((apart * u) ** 2).sum()) * widened**2
        # What lasts is at the places touched: taken there by both, each by its own weight.
        by_place = gain - slopes[letter] @ np.linalg.pinv(shares)
        variance += sum(float(by_place @ errors) ** 2 for errors in lasting)
        rounding = PRINTED * (1.0 + float(np.abs(slopes[letter]).sum()) / 2)
        explained = limit * math.sqrt(variance) + rounding + PRINTED * float(np.abs(apart).sum()) / 2
        mine = math.sqrt(float(((gain * own) ** 2).sum()))
        theirs = math.sqrt(float(((slopes[letter] * u) ** 2).sum()))
        found.append(
            _agreement(feature, letter, ours, told, expected, rounding, explained, theirs / mine if mine else 1.0)
        )
    return tuple(found)


def _agreement(
    feature: Feature,
    letter: str,
    ours: Mapping[str, float],
    told: Mapping[str, float],
    expected: Mapping[str, float],
    rounding: float,
    explained: float,
    ratio: float = 1.0,
) -> Agreement:
    return Agreement(
        feature.name,
        letter,
        ours[letter],
        told[letter],
        letter in "DE",
        expected=expected.get(letter, told[letter]),
        rounding=rounding,
        explained=max(explained, rounding),
        ratio=ratio,
    )
