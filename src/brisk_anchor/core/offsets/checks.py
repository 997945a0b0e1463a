"""Second look: checks that catch what people get wrong, before code is written and before a value is stored.

Each finding says what was found, why it matters and what to do. A finding that stops is never stored past.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.budget import TURN
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement, propose_depth, propose_depth_check
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.conditions import Conditions, usual_growth
from brisk_anchor.core.offsets.proof import Agreement
from brisk_anchor.core.offsets.rules import Fixed, FromTable, Rule
from brisk_anchor.core.quantities import (
    deg,
    dim,
    expanded,
    num,
    signed_deg,
    signed_dim,
    um,
)
from brisk_anchor.core.uncertainty.coverage import chi_square_tail
from brisk_anchor.core.uncertainty.residuals import SMALL_ALARM
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.setup import Travel

TURN_LIMIT = 5.0
"""How far, degrees, a part may lie turned from where the set-up puts it before it is taken for a mistake."""

_ONE_TOUCH = 0.005
"""Places that one touch a wall puts off by less than that, mm, are not told."""
SEARCH_BEYOND = 5.0
"""How far, mm, a search may go on beyond where the wall can be before it is told."""


@dataclass(frozen=True, slots=True)
class ControlCondition:
    """How a control stands, as far as it tells: None where it does not."""

    homed: bool | None = None
    door_open: bool | None = None
    alarm: str | None = None
    """What alarm stands, "" for none."""
    held: str | None = None
    """The program that is under way or held, "" for none."""
    mode: str | None = None
    """The mode in which it stands, where no program can start in that; "" where one can."""
    stops: str | None = None
    """Why a program would hold after every block, "" where it runs through."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding of the second look. `stops`: going on would be wrong; else it is worth a thought."""

    stops: bool
    found: str
    why: str
    do: str

    @classmethod
    def stopping(cls, found: str, why: str, do: str) -> Finding:
        """What must not go on."""
        return cls(stops=True, found=found, why=why, do=do)

    @classmethod
    def warning(cls, found: str, why: str, do: str) -> Finding:
        """What is worth a thought."""
        return cls(stops=False, found=found, why=why, do=do)


class SecondLookError(BriskAnchorError):
    """The second look found something that stops; `looks` lists all of it."""

    def __init__(self, looks: list[Finding]) -> None:
        self.looks = looks
        first = next(look for look in looks if look.stops)
        super().__init__(first.found, first.why, first.do)


def stop_where_found(looks: list[Finding]) -> None:
    """Raises SecondLookError where a finding stops."""
    if any(look.stops for look in looks):
        raise SecondLookError(looks)


def look_at_control(condition: ControlCondition) -> list[Finding]:
    """Before a program starts: what keeps the control from running it, or makes it stop on the way."""
    looks = []
    if condition.alarm:
        why = "Nothing moves and nothing is written while it stands"
        looks.append(Finding.stopping(f"An alarm stands: {condition.alarm}", why, "Look why, then Esc resets it"))
    if condition.held:
        why = "Another program would end it where it stands"
        looks.append(
            Finding.stopping(
                f"“{condition.held}” is under way or held", why, "Let it end, or reset it at the machine: ⟨4⟩"
            )
        )
    if condition.door_open:
        looks.append(
            Finding.stopping(
                "The door is open", "Nothing moves under power", "Close it: ⟨machine:d⟩ at the machine, ⟨4⟩"
            )
        )
    if condition.homed is False:
        why = "The machine does not know where it is, so no program may run"
        looks.append(
            Finding.stopping("The machine has not been homed since power came on", why, "Send it home: ⟨bench:h⟩")
        )
    if condition.mode:
        why = "A program runs in automatic alone"
        looks.append(Finding.warning(f"The mode switch stands at {condition.mode}", why, "The start turns it"))
    if condition.stops:
        why = "The program holds after every block, the probe at the wall too"
        looks.append(
            Finding.warning(
                f"Single block is on: {condition.stops}", why, "Switch it off: ⟨machine:s⟩ at the machine, ⟨4⟩"
            )
        )
    return looks


def look_at_measurement(measurement: Measurement, travel: Travel) -> list[Finding]:
    """Before a measurement is written: depth against the ball, search against the uncertainty, path against travels."""
    looks = look_at_depth(measurement)
    needed = measurement.nominal_reach + measurement.slack
    if measurement.search < needed - 1e-9:
        looks.append(
            Finding.stopping(
                f"The search ends after {dim(measurement.search, 3)}; the wall may be {dim(needed, 3)} away",
                "With the start as uncertain as stated, a sound part could be missed",
                f"Search {dim(needed, 3)}, or bring the tip nearer",
            )
        )
    elif measurement.search > needed + SEARCH_BEYOND:
        looks.append(
            Finding.warning(
                f"The search goes on {dim(measurement.search - needed, 3)} beyond where the wall can be",
                "Where the part is missing, something else would be met and taken for it",
                f"Search {dim(needed, 3)}",
            )
        )
    name = measurement.title or measurement.name
    for point in measurement.extreme_points():
        for axis, value, low, high in zip(AXES, point, travel.low, travel.high, strict=True):
            if not low <= value <= high:
                looks.append(
                    Finding.stopping(
                        f"{name} needs {axis.upper()} {signed_dim(value, 3)}; "
                        f"the travel is {signed_dim(low, 3)} to {signed_dim(high, 3)}",
                        "The machine would stop with a travel alarm on the way",
                        "Move the set-up, the start or the clear height",
                    )
                )
    return list(dict.fromkeys(looks))


EDGE_TOUCHED = "The edge would be touched instead of the wall, and the place comes out wrong"
"""Why a wall is not touched where it may end, above or below."""
LESS_DEEP = "Touch it less deep, or measure its top first"
"""What to do where it may end below."""


def look_at_depth(measurement: Measurement) -> list[Finding]:
    """Whether the widest part of the ball meets the wall, not its edge, wherever the upper edge may lie."""
    m = measurement
    if m.deep_enough:
        return []
    name, ball = m.title or m.name, m.stylus.ball_diameter
    higher = m.depth_check or propose_depth_check(ball)
    check = f"touch each wall again {dim(higher)} higher (depth check)"
    if not m.depth_known:
        found = f"How far the ball stands below the upper edge of {name} is not known"
        if m.depth_is_checked:
            why = f"Each wall is touched again {dim(higher)} higher: the program stops where that shows an edge"
            return [Finding.warning(found, why, "State the depth, and each wall is touched once")]
        return [Finding.stopping(found, EDGE_TOUCHED, f"State the depth, or {check}")]
    needed = propose_depth(ball, m.height_uncertainty)
    if m.widest_part < 0:
        found = f"The ball goes {dim(m.depth, 3)} below the edge of {name}; its widest part is {dim(ball / 2, 3)} up"
        return [Finding.stopping(found, EDGE_TOUCHED, f"Go at least {dim(needed, 3)} deep")]
    found = (
        f"The widest part of the ball touches {name} {dim(m.widest_part, 3)} below the edge, "
        f"which may lie {dim(m.height_uncertainty)} lower"
    )
    if m.depth_is_checked:
        why = f"Each wall is touched again {dim(higher)} higher: the program stops where that shows an edge"
        return [
            Finding.warning(found, why, f"To be sure of an answer go {dim(needed, 3)} deep, or measure its top first")
        ]
    return [
        Finding.stopping(found, EDGE_TOUCHED, f"Go at least {dim(needed, 3)} deep, measure its top first, or {check}")
    ]


def look_at_one_touch(measurement: Measurement) -> list[Finding]:
    """Before a plan: how far a place may be off where each wall is touched once and the part may lie turned.

    A corner's walls are touched beside it, so each is off by that distance times the tangent; the middle of a pocket or
    block by the tangent of how far it may lie off; a single wall by the ball's radius over the cosine, less itself.
    """
    m, turn = measurement, math.radians(measurement.turn_uncertainty)
    if m.spread or not turn or m.kind.is_round or m.directions[0][2]:
        return []
    if m.kind.is_corner:
        off = m.standoff * math.tan(turn)
    elif m.kind.has_two_sizes:
        off = m.start_uncertainty * math.tan(turn)
    else:
        off = m.stylus.effective_radius * (1 / math.cos(turn) - 1)
    if off < _ONE_TOUCH:
        return []
    return [
        Finding.warning(
            f"{m.title or m.name} is touched once a wall: "
            f"turned by {deg(m.turn_uncertainty)} it is told {dim(off, 3)} off",
            "One touch tells nothing of how a wall lies",
            "Touch each wall twice: state spread",
        )
    ]


def look_at_start(measurement: Measurement, centre: Vector) -> list[Finding]:
    """Before a feature with a centre is measured: whether the tip starts at its nominal centre (tip, machine mm).

    The error of position is counted from where it starts, and walls touched off their middle tell another size.
    """
    off = math.hypot(measurement.start[0] - centre[0], measurement.start[1] - centre[1])
    if not (measurement.kind.is_round or measurement.kind.has_two_sizes) or off <= measurement.start_uncertainty + 1e-6:
        return []
    return [
        Finding.warning(
            f"The tip starts {dim(off, 3)} from where the drawing puts the centre of {measurement.title}",
            "Its error of position is counted from there, and the search may not reach",
            "Point at it with ⟨bench:f⟩, or bring the tip to the middle",
        )
    ]


def look_at_feature(
    feature: Feature, size: float | None, size_y: float | None, size_limit: float | None
) -> list[Finding]:
    """After a measurement: sizes against nominal ones (mm, None unknown), form against what the tool can explain."""
    looks: list[Finding] = []
    sign = feature.kind.size_sign
    for wanted, found in ((size, feature.size), (size_y, feature.size_y)):
        if wanted is None or found is None or size_limit is None:
            continue
        error = found - wanted
        if abs(error) > size_limit:
            looks.append(
                Finding.stopping(
                    f"{feature.name} measures {sign}{dim(found, 4)}, {signed_dim(error, 4)} from {sign}{dim(wanted)}",
                    _guess(error, wanted, max((t.stylus.ball_diameter for t in feature.touches), default=0.0)),
                    "Check which feature was touched, and with which stylus",
                )
            )
    noise = max((touch.u for touch in feature.touches), default=0.0)
    widest = math.sqrt(max((feature.covariance[i][i] for i in range(len(feature.axes))), default=0.0))
    if feature.kind.is_round and noise and widest > _SHORT_ARC * noise:
        looks.append(
            Finding.warning(
                f"The touches of {feature.name} lie on a short arc: its centre is known to ±{dim(2 * widest, 4)} only",
                f"Each touch is good to {expanded(noise)}; on a short arc that counts {num(widest / noise, 0)} times",
                "Touch further round, or give the diameter where it is known",
            )
        )
    return looks + look_at_residuals(feature)


_NAMED = 4
"""So many touches that may be off are named."""


def look_at_residuals(feature: Feature) -> list[Finding]:
    """What residuals say that are larger than stated: which touch, and what was done to the ±."""
    misfit = feature.misfit
    if misfit is None or not misfit.too_large:
        return []
    count = len(feature.touches) or len(feature.residuals)
    off = um(abs(misfit.off), 1)
    suspects = [str(n + 1) for n in misfit.suspects]
    again = "Wipe all of it and touch it again: ⟨bench:y⟩"
    if misfit.worst_is_known and feature.touches:
        again = "Wipe it there and make that touch again: ⟨bench:y⟩" if not feature.kind.has_top else again
        found = f"Touch {misfit.worst + 1} of {feature.name} lies {off} from where the other {count - 1} put it"
    elif 1 < len(suspects) < count and feature.touches:
        again = "Wipe it there and make those touches again: ⟨bench:y⟩" if not feature.kind.has_top else again
        if len(suspects) > _NAMED:
            suspects = [*suspects[: _NAMED - 1], f"one of {len(suspects) - _NAMED + 1} more"]
        found = f"Touch {', '.join(suspects[:-1])} or {suspects[-1]} of {feature.name} lies about {off} off"
    else:
        far = um(max(map(abs, feature.residuals)), 1)
        found = f"The {count} touches of {feature.name} lie {far} off a true shape, and nobody can tell which it is"
    square = f"; it is out of square by {deg(abs(feature.square), 3)}" if feature.square is not None else ""
    times = f"its touches count {num(feature.widened, 1)} times in the ±"
    return [
        Finding.warning(
            found + square,
            f"Dirt, a burr, a loose stylus, or its form: {times}",
            f"{again}; or state its form",
        )
    ]


ENOUGH_FREEDOM = 12
"""Residuals of so many degrees of freedom, over all features, are asked whether they are too small."""


def look_at_scatter(features: Sequence[Feature]) -> list[Finding]:
    """Over many features: whether touches scatter less than is stated of them, and every ± is larger than need be."""
    known = [feature.misfit for feature in features if feature.misfit is not None and feature.misfit.scatter is None]
    square, freedom = sum(misfit.square for misfit in known), sum(misfit.freedom for misfit in known)
    if freedom < ENOUGH_FREEDOM or chi_square_tail(square, freedom) <= 1 - SMALL_ALARM:
        return []
    times = num(math.sqrt(freedom / square), 1) if square else "many"
    return [
        Finding.warning(
            f"Touches scatter {times} times less than is stated of them",
            f"So say the residuals of {len(known)} features; their ± is larger than it need be",
            "Measure one 25 times with ⟨bench:Y⟩, and take that with u",
        )
    ]


def _guess(error: float, wanted: float, ball: float) -> str:
    for amount, reason in (
        (ball, "That is one ball diameter: was the ball compensated the wrong way"),
        (2 * ball, "That is two ball diameters: inside and outside may be exchanged"),
        (wanted * 24.4, "That is a factor of 25.4: one of the two is in inches"),
    ):
        if amount and math.isclose(abs(error), amount, rel_tol=0.02):
            return reason
    return "A difference of this size is nearly always the wrong feature, stylus or unit"


_SHORT_ARC = 3.0
"""How many times a touch's uncertainty a centre's may be; round the whole feature it is less than one."""
_SEATING = 0.3
"""How far, mm, a part may lie from its place beside the error that is guessed at."""


def _guess_jump(jump: float, value: float, reference: float, chain: Chain) -> str:
    """Which rule was broken, by the size of a jump (mm); the common causes in words where none fits."""
    for tool in dict.fromkeys(touch.stylus for feature in chain.features for touch in feature.touches):
        for amount, reason in (
            (tool.effective_radius, f"one radius of {tool.name}: it was not taken into account"),
            (2 * tool.effective_radius, f"one diameter of {tool.name}: it was counted to the wrong side"),
            (tool.length, f"the length of {tool.name}: it was left out, or counted twice"),
        ):
            if amount > 0.05 and math.isclose(abs(jump), amount, rel_tol=0.02, abs_tol=_SEATING):
                return f"That is near {reason}"
    if reference and any(math.isclose(value * f, reference, rel_tol=0.02) for f in (25.4, 1 / 25.4)):
        return "That is a factor of 25.4: one of the two is in inches"
    if reference and math.isclose(value, -reference, rel_tol=0.02):
        return "The sign is the other way round"
    return "A jump like this is nearly always a wrong tool, unit, row or drawing figure"


def look_at_jump(chain: Chain, held: Mapping[str, float], limit: float | None) -> list[Finding]:
    """Before a store of a row with a limit of its own (mm, None for none): how far it moves from what is held."""
    looks = []
    for axis in chain.axes:
        moved = axis.value - held.get(axis.axis, axis.value)
        if limit is not None and axis.axis in AXES and axis.written and abs(moved) > limit:
            looks.append(
                Finding.stopping(
                    f"{chain.row} {axis.axis.upper()} moves {signed_dim(moved, 3)}; this row's limit is {dim(limit)}",
                    "Someone set the limit because a jump of that size has been a mistake",
                    "Measure again; if it is meant, change the limit in the book first",
                )
            )
    return looks


def look_at_store(
    chain: Chain,
    reference: Mapping[str, float] | None,
    reference_name: str,
    jump_limit: float,
    *,
    stale: bool,
    agreements: Sequence[Agreement] = (),
) -> list[Finding]:
    """Before a store.

    Args:
        chain: what is to be stored.
        reference: values the new ones should lie near, mm (the last stored, or the nominal place); None when unknown.
        reference_name: what the reference is, in words.
        jump_limit: largest believable distance from it along an axis, mm.
        stale: the part was clamped again after the measurement.
        agreements: figures of its features that the control worked out too.
    """
    looks: list[Finding] = []
    turn = chain.values.get("r", 0.0) - (reference or {}).get("r", 0.0)
    if abs(turn) > TURN_LIMIT:
        looks.append(
            Finding.stopping(
                f"The part lies turned by {signed_deg(turn, 3)}, "
                f"further than {deg(TURN_LIMIT)} from where the set-up puts it",
                "That is nearly always a touch on the wrong wall, or a part the wrong way round",
                "Look how it lies; if that is meant, turn it in the description too",
            )
        )
    if stale:
        looks.append(
            Finding.stopping(
                f"{chain.row} was measured before the last clamping",
                "Tightening moves the part; the figures describe where it was",
                "Measure again",
            )
        )
    for axis, value in chain.values.items():
        if reference is not None and axis in reference and axis != "r" and chain.axis(axis).written:
            jump = value - reference[axis]
            if abs(jump) > jump_limit:
                looks.append(
                    Finding.stopping(
                        f"{chain.row} {axis.upper()} jumps {signed_dim(jump, 3)} from {reference_name} "
                        f"(limit {dim(jump_limit)})",
                        _guess_jump(jump, value, reference[axis], chain),
                        "Check the drawing position and the stylus; measure again",
                    )
                )
    looks += [look for agreement in agreements for look in look_at_agreement(agreement)]
    return looks + look_at_turn(chain)


def look_at_centres(rules: Mapping[str, Rule], *, crashed: bool) -> list[Finding]:
    """Whether a row depends on a centre of rotation that a crash may have moved."""
    letters = [rule.letter for rule in rules.values() if isinstance(rule, FromTable)]
    letters += [rule.centre_of for rule in rules.values() if isinstance(rule, Fixed) and rule.centre_of]
    if not crashed or not letters:
        return []
    return [
        Finding.stopping(
            f"The machine has crashed since the centre of {letters[0]} was measured",
            "A table that was hit may turn about another place",
            "Measure the centre again: ⟨bench:C⟩ on the bench",
        )
    ]


TURN_SHARE = 0.5
"""Where what is not known of a part's turn is more than that of an axis's variance, it is told before a store."""


def look_at_turn(chain: Chain) -> list[Finding]:
    """Whether a second touch a wall would make a figure better: most of its ± is that the part may lie turned."""
    found = []
    for axis in chain.axes:
        share = sum(line.share for line in axis.budget if line.label == TURN)
        if share > TURN_SHARE and axis.axis in AXES and axis.expanded > _ONE_TOUCH:
            found.append(f"{axis.axis.upper()} ±{dim(axis.expanded, 3)}")
    if not found:
        return []
    return [
        Finding.warning(
            f"The part may lie turned: {' and '.join(found)} of {chain.row}, nearly all from that",
            "Its walls were touched once each, which tells nothing of how they lie",
            "⟨bench:T⟩ touches each wall twice; or state in the job how true it lies",
        )
    ]


def look_at_temperature(
    chain: Chain, bands: Sequence[tuple[str, float, float]], conditions: Conditions
) -> list[Finding]:
    """Whether a temperature that nobody stated may count more than a tolerance, or more than a ± and not by little.

    `bands` are features with a tolerance: what it is called, how far apart its limits lie and how long it is, mm.
    """
    if conditions.temperature is not None:
        return []
    why = "A part warm from its last cut is longer than its drawing, and so is the machine"
    do = "Let it cool, or state material and temperature in the job"
    found = [
        Finding.warning(f"5 K are {um(usual_growth(size), 1)} of {title}, held to {um(band, 1)}", why, do)
        for title, band, size in bands
        if usual_growth(size) > band
    ]
    tight = [axis.expanded for axis in chain.axes if axis.axis in AXES and axis.written and axis.stated]
    places = [term.value for axis in chain.axes for term in axis.terms if term.label.startswith("its place")]
    reach = max(places, default=0.0)
    if tight and usual_growth(reach) > max(min(tight), _ONE_TOUCH):
        words = (
            f"5 K are {um(usual_growth(reach), 1)} over {dim(reach)} of steel; {chain.row} says ±{um(min(tight), 1)}"
        )
        found.append(Finding.warning(words, why, do))
    return found


def look_at_agreement(agreement: Agreement) -> list[Finding]:
    """Whether the control did its sums, and whether they and ours agree as far as uncertain touches let them."""

    def told(value: float) -> str:
        return deg(value, 5) if agreement.is_angle else um(value)

    name = f"{agreement.label} of {agreement.feature}"
    if not agreement.did_its_sums:
        off = abs(agreement.controls - (agreement.expected or 0.0))
        return [
            Finding.stopping(
                f"{name} on the control is {told(off)} from what its own touches give",
                "Its program has another radius or length, or its touches were mixed up",
                "Write the program again with the probe as it is calibrated now, and measure again",
            )
        ]
    if not agreement.is_explained:
        return [
            Finding.stopping(
                f"{name}: the control's sum and ours lie {told(abs(agreement.difference))} apart",
                f"The touches' own ± explains {told(agreement.explained)} between two ways to read them",
                "Measure again; if it comes back, state the form of the feature, or touch it at more places",
            )
        ]
    return []
