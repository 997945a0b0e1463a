"""The centre of rotation of a table from what was measured on the bench, taken into the machine's description."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES, axis_of
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.offsets.rotation_centre import RotationCentre, Sight, sense_of, solve_centre
from brisk_anchor.core.quantities import expanded, num, signed_dim, um
from brisk_anchor.services.rows.working_state import Measured
from brisk_anchor.services.session.session import Session

FORMS = "B faces S1 S2 S3 (one face at three angles), B points P1 P2 P3 (one point), B sense P1 P2 (after a small turn)"
_LARGEST = 0.02
"""A residual, mm, above which what was measured belongs to no one centre."""
_FURTHEST = 5.0
"""How far, mm, a centre may move before it is taken for a mistake."""


@dataclass(frozen=True, slots=True)
class FoundCentre:
    """What the person's words come to: a centre, or a proved sense, with what it does to the machine's description."""

    axis: RotaryAxis
    centre: RotationCentre | None
    sense: int | None
    words: str


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
    what, names = rest.split()[:1], _names(session, rest)
    axis = next((axis for axis in session.setup.machine.rotary if axis.letter == letter.upper()), None)
    kind = what[0].lower() if what else ""
    if axis is None or kind not in ("faces", "points", "sense") or not names:
        raise PlanError("These words name no axis and nothing that was measured", "", FORMS)
    known = [session.working.measured[name] for name in names]
    if kind == "sense":
        return _sense(axis, known)
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
    return FoundCentre(axis, centre, None, f"centre of {axis.letter}: {told}; {tested}")


def _names(session: Session, rest: str) -> list[str]:
    """Names of what was measured that stand in some words, in their order; names may have blanks in them."""
    left = rest.partition(" ")[2].strip()
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
        u = max(item.expanded / 2 for item in found.centre.place.values())
        change = editor.rotary_figures(number, centre=(place[0], place[1], place[2]), u_centre=u, measured=today)
    else:
        change = editor.rotary_figures(number, sense=found.sense, proved=today)
    session.editor.change(change)
    session.working.crashed = session.working.crashed and found.centre is None
    return f"{found.words}. Rows that follow {axis.letter} are worked out anew."
