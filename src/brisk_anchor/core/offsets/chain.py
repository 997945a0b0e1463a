"""Datum rules and the work offset they make: `offset = machine position − wanted program position`, axis by axis.

Where tool lengths are counted from the gauge line, its Z is the tip's Z at the program zero, so that
`spindle Z = offset Z + program Z + tool length`; counted from a master, the master's length is part of the offset.
Every value keeps the terms it was worked out from (its chain).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.features.budget import TURN
from brisk_anchor.core.features.feature import Feature, matrix
from brisk_anchor.core.features.touches import AXES, Origin, Touch, axis_of
from brisk_anchor.core.offsets.conditions import AS_STATED, Conditions, grown
from brisk_anchor.core.offsets.machine_effects import effects_of_machine
from brisk_anchor.core.offsets.rotated_offsets import derived_estimates, fit_residuals, straightened, turned_estimates
from brisk_anchor.core.offsets.rules import (
    MASTER,
    ROW_AXES,
    Fixed,
    FromFeature,
    FromFit,
    FromHeading,
    FromRow,
    FromTable,
    Keep,
    Rule,
    Rules,
    Turner,
    centre_source,
    features_in,
    needs,
)
from brisk_anchor.core.quantities import dim, num, signed_deg, signed_dim, um
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.core.uncertainty.budget_lines import FEW_LINES, BudgetLine, budget_of, words_of_k
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.core.uncertainty.estimates import Estimate, combined, covariance_of, folded
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Term:
    """One line of the arithmetic: `sign` is "", "+", "−" or "="; `value` mm; `u` standard uncertainty or None.

    `k` is the coverage factor of its ±.
    """

    sign: str
    label: str
    value: float
    u: float | None = None
    source: str = ""
    k: float = 2.0


@dataclass(frozen=True, slots=True)
class AxisChain:
    """One axis of one offset with the terms that end in its value. `written` is False where the axis is kept."""

    axis: str
    value: float
    u: float
    terms: tuple[Term, ...]
    written: bool = True
    stated: bool = True
    """Whether anything is known of how uncertain it is."""
    effects: tuple[tuple[Source, float], ...] = ()
    """What it depends on: by source the effect of one standard uncertainty; nothing in entries of the first version."""

    @property
    def estimate(self) -> Estimate:
        """Its value with what it depends on."""
        return Estimate(self.value, dict(self.effects) or {Source(f"{self.axis} as stored"): self.u})

    @property
    def k(self) -> float:
        """The coverage factor of its ±."""
        return self.estimate.k

    @property
    def expanded(self) -> float:
        """The ± shown on screens: at 95.45 %, in the unit of the value."""
        return self.k * self.u

    @property
    def budget(self) -> tuple[BudgetLine, ...]:
        """Its sources by share, the largest first."""
        return budget_of(self.estimate)


@dataclass(frozen=True, slots=True)
class Chain:
    """Touches → features → datum → work offset, for one row. `covariance` is 3×3 (x, y, z), mm²."""

    row: str
    axes: tuple[AxisChain, ...]
    features: tuple[Feature, ...]
    covariance: tuple[tuple[float, ...], ...]
    table: tuple[str, float] | None = None
    """The table that turns the part straight, and by how far, degrees: the values hold with it turned so."""
    without: tuple[str, ...] = ()
    """What the ± of its axes does not include, as nobody stated it."""
    notes: tuple[str, ...] = ()
    """What was done to it that its figures do not show: touches that count more than stated, as their residuals ask."""

    def axis(self, name: str) -> AxisChain:
        """The chain of one axis; KeyError when that axis is not part of it."""
        for chain in self.axes:
            if chain.axis == name:
                return chain
        raise KeyError(name)

    def own_variance(self, axis: str) -> float:
        """The part of an axis's variance that differs from run to run, mm²: the touches' own, nothing shared."""
        return self.axis(axis).estimate.u_own ** 2

    def run_to_run(self, axis: str) -> float:
        """Standard deviation of what a control finds for an axis, another time, against what is held here, mm."""
        ratio = max((max(feature.control, default=1.0) for feature in self.features), default=1.0)
        return math.sqrt(self.own_variance(axis) * (1 + max(1.0, ratio) ** 2))

    @property
    def values(self) -> dict[str, float]:
        """Values by axis, mm."""
        return {chain.axis: chain.value for chain in self.axes}

    def shifted(self, axis: str) -> float:
        """How far, mm, compensation by direction moved what an axis was worked out from: a control does without it."""
        moved = [
            abs(shift)
            for feature in self.features
            for name, shift in zip(feature.axes, feature.shifted, strict=False)
            if (name == axis) or (axis in "xy" and name in "xy")
        ]
        return max(moved, default=0.0)

    def folded(self) -> Chain:
        """The same with the scatter of touches drawn together, as the book keeps it: as few sources as say the same."""
        estimates = folded([axis.estimate for axis in self.axes])
        axes = tuple(
            replace(axis, effects=tuple(item.effects.items())) if axis.effects else axis
            for axis, item in zip(self.axes, estimates, strict=True)
        )
        return replace(self, axes=axes)


def budget_words(axis: AxisChain) -> str:
    """The budget of an axis in one line: "± from touches of bore 62 %, length of T20 38 %; k 2.4"."""
    lines = axis.budget
    parts = [f"{line.label} {num(100 * line.share, 0)} %" for line in lines[:FEW_LINES]]
    if rest := sum(line.share for line in lines[FEW_LINES:]):
        parts.append(f"{len(lines) - FEW_LINES} more {num(100 * rest, 0)} %")
    return "; ".join(filter(None, (f"± from {', '.join(parts)}", words_of_k(axis.estimate))))


def _last(label: str, estimate: Estimate) -> Term:
    """The line an axis ends in."""
    return Term("=", label, estimate.value, estimate.u, k=estimate.k)


def _feature_terms(axis: str, feature: Feature) -> list[Term]:
    """The machine coordinate of the feature, worked out in the person's own figures."""
    value, u = feature.coordinate(axis), feature.standard_uncertainty(axis)
    count = len(feature.touches)
    if not count:
        return [Term("", f"{feature.name} centre", value, u, "swept with a dial indicator")]
    if feature.kind.is_round and feature.touches[0].source is not Origin.TYPED:
        return [Term("", f"{feature.name} centre", value, u, f"circle through {count} touches")]
    if feature.kind.is_built:
        return [Term("", feature.name, value, u, f"{feature.kind.value} of measured features")]
    if feature.kind.is_corner and "r" in feature.axes:
        return [Term("", f"{feature.name}, walls cross", value, u, f"two lines through {count} touches")]
    if feature.kind.needs_spread:
        return [Term("", f"{feature.name}, middle", value, u, f"halfway between {count} touches")]
    if feature.kind.is_paired:
        return [Term("", f"{feature.name} middle", value, u, "halfway between opposite walls")]
    # A corner's axes each have touches of their own.
    touch = next(touch for touch in feature.touches if axis_of(touch.direction)[0] == AXES.index(axis))
    count = sum(axis_of(other.direction) == axis_of(touch.direction) for other in feature.touches)
    stylus = touch.stylus
    if isinstance(stylus, HandTool):
        return _hand_terms(axis, feature, stylus, touch)
    _, sign = axis_of(touch.direction)
    touched = "touched at" if count == 1 else f"mean of {count}"
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
        terms.append(
            Term(step, f"half of {tool.name}", tool.diameter / 2, tool.u_diameter / 2, f"⌀{dim(tool.diameter)}")
        )
    if tool.thickness:
        terms.append(Term(step, "between tool and metal", tool.thickness, tool.u_thickness, tool.kind.value))
    return [*terms, Term("=", feature.name, value, u)]


def _check(row: str, axis: str, rule: Rule, features: Mapping[str, Feature], present: Mapping[str, float]) -> None:
    """Refuse a rule that cannot be worked out. Raises DatumError."""
    name = f"{row} {axis.upper()}"
    if isinstance(rule, Keep) and axis not in present:
        raise DatumError(f"{name} is to be kept, but nothing is known to stand there", "", "Read the table")
    if isinstance(rule, Fixed) and (not math.isfinite(rule.value) or rule.u < 0):
        raise DatumError(f"The fixed value of {name} is no number", "", "Type it again")
    belongs = {
        "r": FromHeading | FromFit | Fixed | Keep | FromRow,
        "z": FromFeature | Fixed | Keep | FromRow | FromTable,
    }
    if not isinstance(rule, belongs.get(axis, FromFeature | FromFit | Fixed | Keep | FromRow | FromTable)):
        raise DatumError(f"{name} has a rule that belongs to another axis", "", "Choose another")
    needed = needs(rule, axis)
    for feature_name in features_in(rule):
        feature = features.get(feature_name)
        lacking = [item for item in needed if feature is not None and item not in feature.axes]
        if feature is None or lacking:
            why = "has not been measured yet" if feature is None else f"does not locate {lacking[0].upper()}"
            raise DatumError(
                f"{name} is to come from {feature_name}, which {why}", "The offset is not complete", "Measure it"
            )


def _estimate(row: str, axis: str, rule: Rule, features: Mapping[str, Feature]) -> Estimate:
    """One axis of a row that is not turned."""
    if isinstance(rule, Fixed):
        own = centre_source(rule.centre_of, axis) if rule.centre_of else Source(f"{row} {axis.upper()} by hand")
        return Estimate(rule.value, {own: rule.u} if rule.u else {})
    if isinstance(rule, FromFeature):
        mean = _mean(axis, [features[name] for name in rule.features])
        value = mean.value - rule.drawing + rule.allowance + rule.master
        return Estimate(value, combined((1.0, mean.effects), (rule.u_master, {MASTER: 1.0})))
    return Estimate(0.0)


def _without(
    rules: Rules, used: Sequence[Feature], conditions: Conditions, axes: Sequence[AxisChain]
) -> tuple[str, ...]:
    """What its ± does not include, by feature and by machine."""
    if not used:
        return ()
    lines = [f"{feature.name}, {words}" for feature in used for words in feature.without]
    reach = [rule.drawing for rule in rules.values() if isinstance(rule, FromFeature)]
    reach += [size for feature in used for size in feature.sizes.values()]
    tightest = min((axis.expanded for axis in axes if axis.axis in AXES and axis.written), default=0.0)
    lines += conditions.without(max(map(abs, reach), default=0.0), tightest)
    return tuple(lines)


def _notes(used: Sequence[Feature]) -> tuple[str, ...]:
    """What was done to features that their figures do not show."""
    found = [
        f"touches of {feature.name} count {num(feature.widened, 1)} times what is stated: so their residuals say"
        for feature in used
        if feature.widened > 1
    ]
    for feature in used:
        if (moved := max(map(abs, feature.shifted), default=0.0)) > _MOVED:
            found.append(
                f"{feature.name} by the radius of each direction; a control knows one, and has it ±{um(moved, 1)}"
            )
    return tuple(found)


_MOVED = 0.0001
"""Places that compensation by direction moves by less than that, mm, are not told."""


def _unstated_centres(rules: Rules, turner: Turner | None) -> tuple[str, ...]:
    """Centres of rotation that a row depends on and of which nobody said how well they are known."""
    letters = [rule.letter for rule in rules.values() if isinstance(rule, FromTable) and rule.u_centre is None]
    letters += [rule.centre_of for rule in rules.values() if isinstance(rule, Fixed) and rule.centre_of and not rule.u]
    if turner is not None and turner.u_centre is None:
        letters.append(turner.letter)
    return tuple(f"centre of {letter}: not stated" for letter in dict.fromkeys(letters))


def _axis(
    axis: str,
    row: str,
    rule: Rule,
    features: Mapping[str, Feature],
    present: Mapping[str, float],
    estimate: Estimate,
    turn: float,
) -> AxisChain:
    if isinstance(rule, Keep):
        value = present[axis]
        return AxisChain(axis, value, 0.0, (Term("", f"{row} {axis.upper()} kept as it is", value),), written=False)
    if isinstance(rule, Fixed):
        return AxisChain(
            axis,
            rule.value,
            rule.u,
            (
                Term(
                    "",
                    f"centre of {rule.centre_of}" if rule.centre_of else f"{row} {axis.upper()} given by hand",
                    rule.value,
                    rule.u,
                ),
            ),
            effects=tuple(estimate.effects.items()),
        )
    if not isinstance(rule, FromFeature):
        raise DatumError(f"{row} {axis.upper()} has a rule that belongs to another axis", "", "Choose another")
    value = estimate.value
    used = [features[name] for name in rule.features]
    middle = sum(feature.coordinate(axis) for feature in used) / len(used)
    terms = _feature_terms(axis, used[0])
    if len(used) > 1:
        terms += _feature_terms(axis, used[1])
        terms.append(
            Term("=", "halfway between them", middle, _mean(axis, used).u, f"{used[0].name} and {used[1].name}")
        )
    known = rule.allowance + rule.master
    place = middle + known - value
    if abs(place) > 5e-7:
        label = f"place turned {signed_deg(turn, 4)}" if turn else "its place on the drawing"
        sign = "−" if place > 0 else "+"
        terms.append(Term(sign, label, abs(place), None, f"{axis.upper()} on the drawing"))
    if rule.allowance:
        sign = "+" if rule.allowance > 0 else "−"
        terms.append(Term(sign, "allowance", abs(rule.allowance), None, "so the first cut cleans up"))
    if rule.master:
        terms.append(
            Term("+", "length of the master", rule.master, rule.u_master or None, "tool lengths are counted from it")
        )
    terms.append(_last(f"{row} {axis.upper()}", estimate))
    return AxisChain(axis, value, estimate.u, tuple(terms), effects=tuple(estimate.effects.items()))


def _turn_chain(row: str, rule: Rule, turn: Estimate) -> AxisChain:
    """How far the row is turned about Z, degrees, and what that was worked out from."""
    terms: list[Term] = []
    if isinstance(rule, FromHeading):
        heading, label = turn.value + rule.drawing, f"heading of {rule.feature}, °"
        if rule.other:
            label = f"heading {rule.feature} to {rule.other}, °"
        terms.append(Term("", label, heading, turn.u, "counter-clockwise"))
        if rule.drawing:
            terms.append(Term("−" if rule.drawing > 0 else "+", "as it is drawn, °", abs(rule.drawing)))
    elif isinstance(rule, FromFit):
        terms.append(Term("", f"best fit of {len(rule.names)} features, °", turn.value, turn.u))
    else:
        terms.append(Term("", f"{row} R given by hand, °", turn.value, turn.u))
    terms.append(_last(f"{row} R, °", turn))
    return AxisChain("r", turn.value, turn.u, tuple(terms), effects=tuple(turn.effects.items()))


def _fit_chain(axis: str, row: str, rule: FromFit, estimate: Estimate, residuals: Mapping[str, float]) -> AxisChain:
    """One axis of a best fit: where it puts the zero, and how far each feature lies off it."""
    terms = [Term("", f"best fit of {len(rule.names)} features", estimate.value, estimate.u)]
    terms += [Term("", f"{name} lies off it by", residuals[name], None, "measured less fitted") for name in rule.names]
    terms.append(_last(f"{row} {axis.upper()}", estimate))
    return AxisChain(axis, estimate.value, estimate.u, tuple(terms), effects=tuple(estimate.effects.items()))


def _derived_chain(axis: str, row: str, rule: FromRow, estimate: Estimate, parent: Mapping[str, Estimate]) -> AxisChain:
    """One axis of a row that follows another."""
    own = parent.get(axis, Estimate(0.0))
    unit = ", °" if axis == "r" else ""
    terms = [Term("", f"{rule.row} {axis.upper()}{unit}", own.value, own.u, "the row it is derived from")]
    angle = parent.get("r", Estimate(0.0)).value
    away = estimate.value - own.value
    if abs(away) > 5e-7:
        label = "shift in its frame" + (f", {signed_deg(angle, 4)}" if angle and axis in "xy" else "")
        terms.append(
            Term("+" if away > 0 else "−", label, abs(away), None, f"{signed_dim(rule.shift)} along its own axis")
        )
    terms.append(_last(f"{row} {axis.upper()}{unit}", estimate))
    return AxisChain(axis, estimate.value, estimate.u, tuple(terms), effects=tuple(estimate.effects.items()))


def _carried_chain(
    axis: str, row: str, rule: FromTable, estimate: Estimate, parent: Mapping[str, Estimate]
) -> AxisChain:
    """One axis of a zero that a rotary table has carried round."""
    i = AXES.index(axis)
    own = parent[axis]
    terms = [Term("", f"{rule.row} {axis.upper()}", own.value, own.u, "the row it is derived from")]
    if abs(rule.direction[i]) < 1:
        if rule.shift[i]:
            terms.append(Term("+" if rule.shift[i] > 0 else "−", "its place on the fixture", abs(rule.shift[i])))
        arm = own.value + rule.shift[i] - rule.centre[i]
        turned = f"{rule.letter} {signed_deg(rule.angle)} about {signed_dim(rule.centre[i], 4)}"
        terms.append(Term("−" if arm > 0 else "+", f"from the centre of {rule.letter}", abs(arm), None, turned))
        carried = estimate.value - rule.centre[i]
        terms.append(Term("+" if carried > 0 else "−", "after the turn", abs(carried), None, "from the centre"))
    terms.append(_last(f"{row} {axis.upper()}", estimate))
    return AxisChain(axis, estimate.value, estimate.u, tuple(terms), effects=tuple(estimate.effects.items()))


def _carried_straight(
    row: str, axis: AxisChain, straight: Mapping[str, Estimate], table: tuple[str, float]
) -> AxisChain:
    """An axis as it is once the table has turned the part straight."""
    letter, by = table
    estimate = straight[axis.axis]
    unit = ", °" if axis.axis == "r" else ""
    away = estimate.value - axis.value
    terms = (
        *axis.terms[:-1],
        Term("=", f"{row} {axis.axis.upper()} before {letter} turns{unit}", axis.value, axis.u),
        Term("+" if away >= 0 else "−", f"table {letter} turns by", abs(away), None, f"{signed_deg(by, 4)}"),
        _last(f"{row} {axis.axis.upper()}{unit}", estimate),
    )
    return replace(axis, value=estimate.value, u=estimate.u, terms=terms, effects=tuple(estimate.effects.items()))


def _mean(axis: str, used: Sequence[Feature]) -> Estimate:
    found = [feature.estimates()[axis] for feature in used]
    share = 1 / len(found)
    effects = [*(item.effects for item in found), *(_met_along(axis, feature) for feature in used)]
    return Estimate(sum(item.value for item in found) * share, combined(*((share, each) for each in effects)))


def _met_along(axis: str, feature: Feature) -> dict[Source, float]:
    """What it does to an axis of a row that is not turned that a turned slot was met beside its drawn middle, mm.

    See docs/maths.md, *Turn*. A turned row takes it as the line that it is, and where it was met does not matter.
    """
    if not feature.along or axis not in ("x", "y"):
        return {}
    lean = math.tan(math.radians(feature.coordinate("r")))
    return {Source(f"where {feature.name} is met along it", TURN, bounded=True): u_within(feature.along) * abs(lean)}


def solve_offset(
    row: str,
    rules: Rules,
    features: Mapping[str, Feature],
    present: Mapping[str, float] | None = None,
    parents: Mapping[str, Mapping[str, Estimate]] | None = None,
    turner: Turner | None = None,
    conditions: Conditions = AS_STATED,
) -> Chain:
    """Work out one row of the offset table.

    Args:
        row: name of the row, "G54" say.
        rules: a rule for each axis that belongs to the offset.
        features: the measured features by name, machine mm of the tip.
        present: what stands in the table now, mm, for `Keep`.
        parents: what is known of rows that others are derived from, by row and axis.
        turner: a table that turns the part straight, in place of an angle in the row.
        conditions: what is stated of machine and room.

    Raises:
        DatumError: a feature that is missing or does not locate the axis, or nothing to keep.
    """
    rules = grown(rules, conditions)
    for axis, rule in rules.items():
        _check(row, axis, rule, features, present or {})
    derived = derived_estimates(row, rules, parents or {})
    turned = turned_estimates(row, rules, features) | derived
    turn = turned["r"].value if "r" in turned else 0.0
    plain = {axis: turned.get(axis) or _estimate(row, axis, rule, features) for axis, rule in rules.items()}
    kept = {axis: (present or {})[axis] for axis in AXES if isinstance(rules.get(axis), Keep)}
    values = {axis: plain[axis].value for axis in AXES if axis in rules} | kept
    axes: list[AxisChain] = []
    estimates: dict[str, Estimate] = {}
    for axis in (axis for axis in ROW_AXES if axis in rules):
        rule = rules[axis]
        estimate = plain[axis]
        if machine := effects_of_machine(axis, rules, features, values, parents or {}, conditions):
            estimate = Estimate(estimate.value, combined((1.0, estimate.effects), (1.0, machine)))
        estimates[axis] = estimate
        if isinstance(rule, FromTable):
            axes.append(_carried_chain(axis, row, rule, estimate, (parents or {})[rule.row]))
        elif isinstance(rule, FromRow):
            axes.append(_derived_chain(axis, row, rule, estimate, (parents or {})[rule.row]))
        elif axis == "r" and not isinstance(rule, Keep):
            axes.append(_turn_chain(row, rule, estimate))
        elif isinstance(rule, FromFit):
            axes.append(_fit_chain(axis, row, rule, estimate, fit_residuals(rule, features, axis, turn)))
        else:
            axes.append(_axis(axis, row, rule, features, present or {}, estimate, turn))
    table = None
    if turner is not None and {"x", "y", "r"} <= turned.keys():
        straight, by = straightened(turned | {axis: estimates[axis] for axis in "xyr"}, turner)
        table = (turner.letter, by)
        axes = [_carried_straight(row, axis, straight, table) if axis.axis in straight else axis for axis in axes]
        estimates |= straight
    names = {name for rule in rules.values() for name in features_in(rule)}
    used = tuple(feature for name, feature in features.items() if name in names)
    return Chain(
        row=row,
        axes=tuple(axes),
        features=used,
        covariance=matrix(covariance_of([estimates.get(axis, Estimate(0.0)) for axis in AXES])),
        table=table,
        without=(*_without(rules, used, conditions, axes), *_unstated_centres(rules, turner)),
        notes=_notes(used),
    )
