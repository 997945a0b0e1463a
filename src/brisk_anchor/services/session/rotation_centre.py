"""The centre of rotation of a table from what was measured on the bench, taken into the machine's description."""

from __future__ import annotations

import math
from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES, axis_of
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.rotation_centre import RotationCentre, Sight, direction_between, sense_of, solve_centre
from brisk_anchor.core.quantities import dim, expanded, num, signed_deg, signed_dim, um
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.rows.working_state import Measured
from brisk_anchor.services.session.session import Session

FORMS = (
    "B faces S1 S2 S3 (one face at three angles), B points P1 P2 P3 (one point), "
    "B direction P1 P2 P3 / Q1 Q2 Q3 (points at two heights), B sense P1 P2 (after a small turn)"
)
_LARGEST = 0.02
"""A residual, mm, above which what was measured belongs to no one centre."""
_MOST_LEANING = 0.05
"""How far, degrees, an axis may lean before that is taken for a mistake."""
_FURTHEST = 5.0
"""How far, mm, a centre may move before it is taken for a mistake."""


@dataclass(frozen=True, slots=True)
class FoundCentre:
    """What the person's words come to: a centre, or a proved sense, with what it does to the machine's description."""

    axis: RotaryAxis
    centre: RotationCentre | None
    sense: int | None
    words: str
    height: float | None = None
    """Where along the axis the centre was measured, machine mm of the tip."""
    leaning: tuple[Vector, float] | None = None
    """Its direction, and the standard uncertainty of that, degrees."""


def angle_of(measured: Measured, letter: str) -> float:
    """Where an axis stood when a feature was measured, degrees. Raises PlanError: nobody knows."""
    table = dict(measured.measurement.options.table) if measured.measurement is not None else {}
    if letter not in table:
        raise PlanError(
            f"Where {letter} stood for {measured.feature.name} is not known",
            "It was measured by hand, or on a machine without that axis",
            "Measure it with the probe",
        )
    return table[letter]


def _sight(target: str, measured: Measured, letter: str) -> Sight:
    feature = measured.feature
    return Sight(target, angle_of(measured, letter), feature.estimates(), _looks(feature))


def _looks(feature: Feature) -> int:
    """+1 or −1 where a feature is one face, by the way it looks along its axis; 0 for a point."""
    if len(feature.axes) != 1 or not feature.touches:
        return 0
    _, towards = axis_of(feature.touches[0].direction)
    return -towards


def read_centre(session: Session, words: str) -> FoundCentre:
    """What was measured since the last clamping, as a centre of rotation or as the proof of a sense.

    Args:
        session: the job.
        words: the axis, "faces", "points" or "sense", and names of what was measured, as `FORMS` has them.

    Raises:
        PlanError: the words mean nothing, or something was not measured. GeometryError: it tells no centre.
    """
    letter, _, rest = words.strip().partition(" ")
    what, (names, above) = rest.split()[:1], _two_lists(session, rest)
    axis = next((axis for axis in session.setup.machine.rotary if axis.letter == letter.upper()), None)
    kind = what[0].lower() if what else ""
    if axis is None or kind not in ("faces", "points", "sense", "direction") or not names:
        raise PlanError("These words name no axis and nothing that was measured", "", FORMS)
    known = [session.working.measured[name] for name in names]
    if bool(above) != (kind == "direction"):
        raise PlanError(
            "A direction needs points at two heights", "Those of one and of the other, with / between", FORMS
        )
    if kind == "sense":
        return _sense(axis, known)
    low = _found(axis, known, "faces" if kind == "faces" else "points")
    if not above:
        return low
    high = _found(axis, [session.working.measured[name] for name in above], "points")
    return _direction(axis, low, high)


def _direction(axis: RotaryAxis, low: FoundCentre, high: FoundCentre) -> FoundCentre:
    """The direction of an axis from its centre at two heights."""
    if low.centre is None or high.centre is None or low.height is None or high.height is None:
        raise PlanError(f"How high along {axis.letter} these lie is not known", "They tell no direction", FORMS)
    direction, u = direction_between(axis, (low.height, low.centre), (high.height, high.centre))
    along = max(range(3), key=lambda i: abs(direction[i]))
    leans = [(AXES[i], math.degrees(direction[i] / direction[along])) for i in range(3) if i != along]
    if max(abs(angle) for _, angle in leans) > _MOST_LEANING:
        told = ", ".join(f"{signed_deg(angle, 3)} towards {a.upper()}" for a, angle in leans)
        raise PlanError(
            f"{axis.letter} would lean {told}", "That is nearly always a wrong point or angle", "Look again"
        )
    told = "  ".join(f"{signed_deg(angle, 4)} towards {a.upper()}" for a, angle in leans)
    words = f"{axis.letter} leans {told}, ± {num(2 * u, 4)}°, over {dim(abs(high.height - low.height), 1)}; {low.words}"
    return replace(low, words=words, leaning=(direction, u))


def _found(axis: RotaryAxis, known: list[Measured], kind: str) -> FoundCentre:
    """The centre of an axis from one face or one point at several angles."""
    sights = [_sight("it", measured, axis.letter) for measured in known]
    if any((sight.looks != 0) != (kind == "faces") for sight in sights):
        raise PlanError(f"What is named are no {kind}", "A face tells one axis, a point its place", FORMS)
    centre = solve_centre(axis, sights)
    if centre.freedom and centre.worst > _LARGEST:
        raise PlanError(
            f"These do not go round one centre: {um(centre.worst)} are left",
            "Another face was touched, an angle is another, or the part moved",
            "Measure them again",
        )
    moves = {a: item.value - axis.centre[AXES.index(a)] for a, item in centre.place.items()}
    if max(map(abs, moves.values())) > _FURTHEST:
        words_ = ", ".join(f"{a.upper()} {signed_dim(by, 3)}" for a, by in moves.items())
        raise PlanError(
            f"The centre would move by {words_}", "That is nearly always a wrong angle or face", "Look again"
        )
    told = "  ".join(
        f"{a.upper()} {signed_dim(item.value, 4)} {expanded(item.u)}, moves {signed_dim(moves[a], 4)}"
        for a, item in centre.place.items()
    )
    tested = f"tested by {num(centre.freedom)} more: {um(centre.worst)} left" if centre.freedom else "tested by nothing"
    return FoundCentre(axis, centre, None, f"centre of {axis.letter}: {told}; {tested}", _height(axis, known))


def _height(axis: RotaryAxis, known: list[Measured]) -> float | None:
    """How far along an axis the touches lie, machine mm of the tip; None where they were typed as places."""
    along = max(range(3), key=lambda i: abs(axis.direction[i]))
    found = [
        touch.position[along] - (touch.stylus.length if along == 2 else 0.0)
        for measured in known
        for touch in measured.feature.touches
    ]
    return math.fsum(found) / len(found) if found else None


def _two_lists(session: Session, rest: str) -> tuple[list[str], list[str]]:
    words = rest.partition(" ")[2].strip()
    first, _, second = words.partition(" / ")
    return _names(session, first), _names(session, second)


def _names(session: Session, left: str) -> list[str]:
    """Names of what was measured that stand in some words, in their order; names may have blanks in them."""
    left = left.strip()
    known = sorted((name for name in session.working.measured if session.working.holds(name)), key=len, reverse=True)
    found = []
    while left:
        name = next((name for name in known if left.lower().startswith(name.lower())), None)
        if name is None:
            raise PlanError(f"“{left[:24]}” was not measured since the last clamping", "", FORMS)
        found.append(name)
        left = left[len(name) :].strip(" ,")
    return found


def _sense(axis: RotaryAxis, known: list[Measured]) -> FoundCentre:
    if len(known) != 2:
        raise PlanError("A sense is proved by one point, before and after a small turn", "", FORMS)
    first, second = known
    by = angle_of(second, axis.letter) - angle_of(first, axis.letter)
    places = []
    for measured in known:
        values = dict(zip(measured.feature.axes, measured.feature.coordinates, strict=True))
        places.append(tuple(values.get(a, axis.centre[n]) for n, a in enumerate(AXES)))
    (x, y, z), (u, v, w) = places
    sense = sense_of(axis, (x, y, z), (u, v, w), by)
    same = "as stated" if sense == axis.sense else "the other way round than stated"
    return FoundCentre(axis, None, sense, f"{axis.letter} turns {same}")


def take_centre(session: Session, found: FoundCentre, today: str) -> str:
    """Put a centre, or a proved sense, into the machine's file; what to do next, in words.

    Raises:
        PlanError: the job has no files. JobError, ExportError: they could not be changed.
    """
    editor = session.editor.changing()
    number = next(n for n, axis in enumerate(session.setup.machine.rotary) if axis.letter == found.axis.letter)
    axis = found.axis
    if found.centre is not None:
        place = list(axis.centre)
        for letter, item in found.centre.place.items():
            place[AXES.index(letter)] = item.value
        if found.height is not None:  # a table that leans has another centre at every height
            place[max(range(3), key=lambda i: abs(axis.direction[i]))] = found.height
        u = max(item.expanded / 2 for item in found.centre.place.values())
        direction, u_direction = found.leaning or (None, None)
        change = editor.rotary_figures(
            number,
            centre=(place[0], place[1], place[2]),
            u_centre=u,
            direction=direction,
            u_direction=u_direction,
            measured=today,
        )
    else:
        change = editor.rotary_figures(number, sense=found.sense, proved=today)
    session.editor.change(change)
    session.working.crashed = session.working.crashed and found.centre is None
    return f"{found.words}. Rows that follow {axis.letter} are worked out anew."
