"""Datum rules and the work offset they make: `offset = machine position − wanted program position`, axis by axis.

Where tool lengths are counted from the gauge line, its Z is the tip's Z at the program zero, so that
`spindle Z = offset Z + program Z + tool length`; counted from a master, the master's length is part of the offset.
Every value keeps the terms it was worked out from (its chain).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.features import COVERAGE_FACTOR, Feature
from brisk_anchor.core.frames import Array
from brisk_anchor.core.hand_tools import HandTool
from brisk_anchor.core.touches import AXES, Source, Touch, axis_of


@dataclass(frozen=True, slots=True)
class FromFeature:
    """The feature lands on `drawing`, its place on the drawing along this axis, mm; then the zero moves by `allowance`.

    A casting's top touched with an allowance of −1.5 puts the zero 1.5 mm below what was touched. `master` is the
    length of the tool that lengths are counted from, where they are not counted from the gauge line; along Z only.
    With an `other` feature it is the middle between the two that lands there: the left and the right face, say.
    """

    feature: str
    drawing: float = 0.0
    allowance: float = 0.0
    master: float = 0.0
    other: str = ""

    @property
    def features(self) -> tuple[str, ...]:
        """The one or two features it is taken from."""
        return (self.feature, self.other) if self.other else (self.feature,)


@dataclass(frozen=True, slots=True)
class Fixed:
    """A value given by hand, machine mm, with its standard uncertainty."""

    value: float
    u: float = 0.0


@dataclass(frozen=True, slots=True)
class Keep:
    """What stands in the table stays there."""


Rule = FromFeature | Fixed | Keep
Rules = Mapping[str, Rule]


@dataclass(frozen=True, slots=True)
class Term:
    """One line of the arithmetic: `sign` is "", "+", "−" or "="; `value` mm; `u` standard uncertainty or None."""

    sign: str
    label: str
    value: float
    u: float | None = None
    source: str = ""


@dataclass(frozen=True, slots=True)
class AxisChain:
    """One axis of one offset with the terms that end in its value. `written` is False where the axis is kept."""

    axis: str
    value: float
    u: float
    terms: tuple[Term, ...]
    written: bool = True

    @property
    def expanded(self) -> float:
        """The ± shown on screens: k = 2."""
        return COVERAGE_FACTOR * self.u


@dataclass(frozen=True, slots=True)
class Chain:
    """Touches → features → datum → work offset, for one row. `covariance` is 3×3 (x, y, z), mm²."""

    row: str
    axes: tuple[AxisChain, ...]
    features: tuple[Feature, ...]
    covariance: tuple[tuple[float, ...], ...]

    def axis(self, name: str) -> AxisChain:
        """The chain of one axis; KeyError when that axis is not part of it."""
        for chain in self.axes:
            if chain.axis == name:
                return chain
        raise KeyError(name)

    def own_variance(self, axis: str) -> float:
        """The part of an axis's variance that differs from run to run, mm²: the touches' own, nothing shared."""
        found = [feature for feature in self.features if axis in feature.axes]
        return max((f.covariance[f.axes.index(axis)][f.axes.index(axis)] for f in found), default=0.0)

    @property
    def values(self) -> dict[str, float]:
        """Values by axis, mm."""
        return {chain.axis: chain.value for chain in self.axes}


def _feature_terms(axis: str, feature: Feature) -> list[Term]:
    """The machine coordinate of the feature, worked out in the person's own figures."""
    value, u = feature.coordinate(axis), feature.standard_uncertainty(axis)
    count = len(feature.touches)
    if not count:
        return [Term("", f"{feature.name} centre", value, u, "swept with a dial indicator")]
    if feature.kind.is_round and feature.touches[0].source is not Source.TYPED:
        return [Term("", f"{feature.name} centre", value, u, f"circle through {count} touches")]
    if feature.kind.is_paired:
        return [Term("", f"{feature.name} middle", value, u, "halfway between opposite walls")]
    # A corner's axes each have touches of their own.
    touch = next(touch for touch in feature.touches if axis_of(touch.direction)[0] == AXES.index(axis))
    count = sum(axis_of(other.direction) == axis_of(touch.direction) for other in feature.touches)
    stylus = touch.stylus
    if isinstance(stylus, HandTool):
        return _hand_terms(axis, feature, stylus, touch)
    _, sign = axis_of(touch.direction)
    touched = "touched at" if count == 1 else f"{count} touches, mean"
    i = feature.axes.index(axis)
    own = math.sqrt(feature.covariance[i][i])
    if axis == "z" and sign < 0:
        spindle = value + stylus.length
        return [
            Term("", f"{touched}, spindle {axis.upper()}", spindle, own, "machine position at contact"),
            Term("−", f"length of T{stylus.tool_number}", stylus.length, stylus.u_length, "from the gauge line"),
            Term("=", feature.name, value, u),
        ]
    return [
        Term("", f"{touched}, ball centre", value - sign * stylus.effective_radius, own, "machine position at contact"),
        Term("+" if sign > 0 else "−", "ball radius", stylus.effective_radius, stylus.u_radius, "effective"),
        Term("=", feature.name, value, u),
    ]


def _hand_terms(axis: str, feature: Feature, tool: HandTool, touch: Touch) -> list[Term]:
    """What was read on the control, and what lies between the spindle and the metal."""
    value, u = feature.coordinate(axis), feature.standard_uncertainty(axis)
    _, sign = axis_of(touch.direction)
    below = axis == "z"
    i = feature.axes.index(axis)
    own = math.sqrt(feature.covariance[i][i])
    read = value + tool.length if below else value - sign * tool.effective_radius
    terms = [Term("", f"read on the control, {axis.upper()}", read, own, "machine position, typed")]
    step = "−" if below or sign < 0 else "+"
    if below:
        terms.append(Term(step, f"length of {tool.name}", tool.bare_length or 0.0, tool.u_bare_length, "gauge line"))
    elif tool.diameter:
        terms.append(Term(step, f"half of {tool.name}", tool.diameter / 2, tool.u_diameter / 2, f"⌀{tool.diameter:g}"))
    if tool.thickness:
        terms.append(Term(step, "between tool and metal", tool.thickness, tool.u_thickness, tool.kind.value))
    return [*terms, Term("=", feature.name, value, u)]


def _axis(axis: str, row: str, rule: Rule, features: Mapping[str, Feature], present: Mapping[str, float]) -> AxisChain:
    if isinstance(rule, Keep):
        if axis not in present:
            raise DatumError(
                f"{row} {axis.upper()} is to be kept, but nothing is known to stand there", "", "Read the table"
            )
        value = present[axis]
        return AxisChain(axis, value, 0.0, (Term("", f"{row} {axis.upper()} kept as it is", value),), written=False)
    if isinstance(rule, Fixed):
        if not math.isfinite(rule.value) or rule.u < 0:
            raise DatumError(f"The fixed value of {row} {axis.upper()} is no number", "", "Type it again")
        return AxisChain(
            axis, rule.value, rule.u, (Term("", f"{row} {axis.upper()} given by hand", rule.value, rule.u),)
        )
    used = []
    for name in rule.features:
        feature = features.get(name)
        if feature is None or axis not in feature.axes:
            why = "has not been measured yet" if feature is None else f"does not locate {axis.upper()}"
            raise DatumError(
                f"{row} {axis.upper()} is to come from {name}, which {why}", "The offset is not complete", "Measure it"
            )
        used.append(feature)
    middle = sum(feature.coordinate(axis) for feature in used) / len(used)
    own, shared = _effects(axis, rule, features)
    u = math.sqrt(own + sum(effect**2 for effect in shared.values()))
    terms = _feature_terms(axis, used[0])
    if len(used) > 1:
        terms += _feature_terms(axis, used[1])
        terms.append(Term("=", "halfway between them", middle, u, f"{used[0].name} and {used[1].name}"))
    if rule.drawing:
        sign = "−" if rule.drawing > 0 else "+"
        terms.append(Term(sign, "its place on the drawing", abs(rule.drawing), None, f"{axis.upper()} on the drawing"))
    value = middle - rule.drawing
    if rule.allowance:
        sign = "+" if rule.allowance > 0 else "−"
        terms.append(Term(sign, "allowance", abs(rule.allowance), None, "so the first cut cleans up"))
        value += rule.allowance
    if rule.master:
        terms.append(Term("+", "length of the master", rule.master, None, "tool lengths are counted from it"))
        value += rule.master
    terms.append(Term("=", f"{row} {axis.upper()}", value, u))
    return AxisChain(axis, value, u, tuple(terms))


def _effects(axis: str, rule: FromFeature, features: Mapping[str, Feature]) -> tuple[float, dict[str, float]]:
    """Own variance (mm²) of what a rule takes, and what each shared error does to it (mm), over its features."""
    share = 1 / len(rule.features)
    own, shared = 0.0, dict[str, float]()
    for name in rule.features:
        feature = features[name]
        i = feature.axes.index(axis)
        own += feature.covariance[i][i] * share**2
        for effect in feature.shared:
            shared[effect.source] = shared.get(effect.source, 0.0) + effect.effect[i] * share
    return own, shared


def _covariance(axes: list[AxisChain], rules: Rules, features: Mapping[str, Feature]) -> Array:
    """3×3 covariance in x, y, z: own parts within a feature, shared effects across features of one stylus."""
    total = np.zeros((3, 3))
    shared: dict[str, Array] = {}
    for chain in axes:
        i = AXES.index(chain.axis)
        rule = rules[chain.axis]
        if not isinstance(rule, FromFeature):
            total[i, i] += chain.u**2
            continue
        for other in axes:
            other_rule = rules[other.axis]
            if not isinstance(other_rule, FromFeature):
                continue
            share = 1 / (len(rule.features) * len(other_rule.features))
            for name in set(rule.features) & set(other_rule.features):
                feature = features[name]
                own = feature.covariance[feature.axes.index(chain.axis)][feature.axes.index(other.axis)]
                total[i, AXES.index(other.axis)] += own * share
        for source, effect in _effects(chain.axis, rule, features)[1].items():
            shared.setdefault(source, np.zeros(3))[i] += effect
    for vector in shared.values():
        total += np.outer(vector, vector)
    return total


def solve_offset(
    row: str, rules: Rules, features: Mapping[str, Feature], present: Mapping[str, float] | None = None
) -> Chain:
    """Work out one row of the offset table.

    Args:
        row: name of the row, "G54" say.
        rules: a rule for each axis that belongs to the offset.
        features: the measured features by name, machine mm of the tip.
        present: what stands in the table now, mm, for `Keep`.

    Raises:
        DatumError: a feature that is missing or does not locate the axis, or nothing to keep.
    """
    axes = [_axis(axis, row, rules[axis], features, present or {}) for axis in AXES if axis in rules]
    used = {name for rule in rules.values() if isinstance(rule, FromFeature) for name in rule.features}
    covariance = _covariance(axes, rules, features)
    return Chain(
        row=row,
        axes=tuple(axes),
        features=tuple(feature for name, feature in features.items() if name in used),
        covariance=tuple(tuple(float(value) for value in line) for line in covariance),
    )
