"""The one budget of a feature: every error that its figures depend on, each by the derivatives of its solution.

An error at a touch is how much further the metal lies along the touch's normal than was found. The scatter of touches,
the ball's radius and the tool's length, where the ball stands beside the axis, lobing, form, and a part that lies
turned are all such errors; they differ in which touches they are at, and with which sign. Derivations in docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from brisk_anchor.core.features.feature import Feature, Row
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.stated import NOTHING, Stated
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import deg
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.core.uncertainty.estimates import independent, numbered
from brisk_anchor.core.uncertainty.residuals import Misfit, judge
from brisk_anchor.core.uncertainty.sources import Source

SCALE, GROWTH, SQUARENESS = map(Source, ("scale of the machine", "temperature", "squareness of X and Y"))
TURN = "turn of the part"
LOBING, ODD = "lobing", "odd"
"""Words that the names of sources by direction begin with, or have in them."""
SECTOR = 10.0
"""Directions within so many degrees of each other have the same lobing and form."""
_ROUNDING = 1e-12
"""Effects no larger than that are what is left where errors cancel, mm or degrees."""
ENOUGH = 8
"""With so many touches round a feature its form shows in their residuals."""


def feature_of(
    name: str, kind: FeatureKind, touches: Sequence[Touch], solution: Solution, stated: Stated = NOTHING
) -> Feature:
    """The feature of a solution, with its budget and what its residuals say."""
    s = solution
    u = np.array([touch.u for touch in touches])
    alike = _alike(touches, u)
    lobing = _lobes(s, touches, stated)
    form = _form(kind, s, touches, (stated.form or 0.0) / 2)
    one_of_each = [touches[numbers[0]] for numbers in alike]
    misfit = _misfit(s, one_of_each, u, lobing, form)
    widened = misfit.birge if misfit is not None and misfit.too_large else 1.0
    rows: list[Row] = []
    for which, solved, told in _judged_apart(name, s, misfit, lambda it: _misfit(it, one_of_each, u, lobing, form)):
        wide = told.birge if told is not None and told.too_large else 1.0
        rows += _scatter(which, solved, touches, alike, u * wide, stated, told if wide > 1 else None)
    rows += _of_the_tool(s, touches, stated)
    rows += [
        (Source(f"{LOBING} of {_tool(touches)}, {where}", f"{LOBING} of {_tool(touches)}", bounded=True), effect)
        for where, errors in lobing.items()
        if any(effect := _effect(s, errors))
    ]
    rows += _of_the_table(s, touches)
    # A single touch lies anywhere within the zone of its form; several of them, or waves round a circle, do not.
    rows += _folded(Source(f"form of {name}", f"form of {name}", bounded=True, uniform=len(form) == 1), s.gain @ form.T)
    rows += _of_the_turn(name, kind, s, touches, stated)
    rows += _of_the_sizes(s, stated)
    rows += s.known
    sizes = s.sizes
    return Feature(
        name=name,
        kind=kind,
        axes=s.axes,
        coordinates=s.values[: len(s.axes)],
        effects=tuple((source, effect) for source, effect in rows if max(map(abs, effect)) > _ROUNDING),
        touches=tuple(touches),
        residuals=s.residuals,
        size=sizes[0] if sizes else None,
        size_y=sizes[1] if len(sizes) > 1 else None,
        form=max(s.residuals) - min(s.residuals) if s.design is not None else None,
        places=s.places,
        square=s.square,
        misfit=misfit,
        widened=widened,
        without=tuple(_without(kind, s, touches, stated)),
        along=stated.aim if kind.is_one_pair and "r" in s.axes else 0.0,
    )


def _judged_apart(
    name: str, solution: Solution, misfit: Misfit | None, judged: Callable[[Solution], Misfit | None]
) -> Iterator[tuple[str, Solution, Misfit | None]]:
    """What its touches scatter is asked of: all figures by its residuals; how far from square it is by others.

    What makes walls that should be square lie off them is no scatter of the angle between them: it is that angle.
    """
    own_turns = solution.own_turns
    if own_turns is None:
        yield name, solution, misfit
        return
    last = np.arange(len(solution.values)) == len(solution.values) - 1
    yield name, replace(solution, gain=np.where(last[:, None], 0.0, solution.gain)), misfit
    square = replace(
        solution,
        gain=np.where(last[:, None], solution.gain, 0.0),
        residuals=own_turns.residuals,
        design=own_turns.design,
    )
    yield f"{name}, square", square, judged(square)


def _tool(touches: Sequence[Touch]) -> str:
    stylus = touches[0].stylus
    return f"T{stylus.tool_number} {stylus.name}" if isinstance(stylus, Stylus) else stylus.name


def _effect(solution: Solution, errors: Array) -> tuple[float, ...]:
    return tuple((solution.gain @ errors).tolist())


def _folded(source: Source, effects: Array) -> list[Row]:
    """Independent errors with their effects on each figure (k × n), as few as say the same."""
    if not effects.size:
        return []
    roots = independent(effects @ effects.T)
    return [(numbered(source, n), tuple(root)) for n, root in enumerate(roots)]


def _scatter(
    name: str,
    solution: Solution,
    touches: Sequence[Touch],
    alike: Sequence[Sequence[int]],
    u: Array,
    stated: Stated,
    misfit: Misfit | None,
) -> list[Row]:
    """What touches have each for itself. Widened by their residuals, it has the freedom of those."""
    label = f"touches of {name}"
    key = f"{label}, {stated.measurement}" if stated.measurement else label
    groups: dict[tuple[str, float | None], list[int]] = {}
    for numbers in alike:
        first = touches[numbers[0]]
        estimate = (f"residuals of {key}", float(misfit.freedom)) if misfit else (first.group, first.freedom)
        groups.setdefault(estimate, []).extend(numbers)
    found: list[Row] = []
    for number, ((group, freedom), numbers) in enumerate(groups.items()):
        own = Source(key + (f" ({number})" if number else ""), label, own=True, group=group, freedom=freedom)
        whole = len(numbers) == len(touches)
        effects = solution.gain * u if whole else solution.gain[:, numbers] * u[numbers]
        if effects.any():
            found += _folded(own, effects)
    return found


def _alike(touches: Sequence[Touch], u: Array) -> list[list[int]]:
    """Numbers of touches whose uncertainty comes from the same estimate and is the same: nearly always all."""
    first = touches[0]
    alike = all(touch.scatter is first.scatter and touch.stylus is first.stylus for touch in touches)
    if alike and bool(np.all(u == first.u)):
        return [list(range(len(touches)))]
    found: dict[tuple[int, float], list[int]] = {}
    for n, touch in enumerate(touches):
        found.setdefault((id(touch.scatter or touch.stylus), touch.u), []).append(n)
    return list(found.values())


def _of_the_tool(solution: Solution, touches: Sequence[Touch], stated: Stated) -> Iterator[Row]:
    """Radius and length are the same at every touch, and so is where the ball stands beside the spindle's axis.

    The radius moves the metal that is touched from beside and, as the ball's centre is counted from its end, none
    that is touched from above; the length moves what is touched from above.
    """
    stylus = touches[0].stylus
    down = solution.normals[:, 2]
    for errors, at in ((stylus.radius_errors, 1 + down), (stylus.length_errors, -down)):
        for source, u in errors.items():
            yield source, _effect(solution, u * at)
    if isinstance(stylus, Stylus) and stylus.u_offset and not stated.half_turn:
        for i, axis in enumerate("xy"):
            for source, u in stylus.offset_errors(axis).items():
                yield source, _effect(solution, u * solution.normals[:, i])


def _of_the_table(solution: Solution, touches: Sequence[Touch]) -> Iterator[Row]:
    """Each entry of a table by direction has the scatter of the touch it was calibrated with."""
    stylus = touches[0].stylus
    if not isinstance(stylus, Stylus) or not stylus.by_direction or not stylus.u_direction:
        return
    label = f"radius of T{stylus.tool_number} by direction"
    at = stylus.calibration("radius").at
    sectors: dict[int, list[int]] = {}
    for n, heading in enumerate(_headings(solution)):
        if heading is not None:
            sectors.setdefault(heading[2], []).append(n)
    for sector, numbers in sectors.items():
        errors = np.zeros(len(touches))
        errors[numbers] = stylus.u_direction
        yield Source(f"{label}, {stylus.name} {at}, {sector}", label), _effect(solution, errors)


def _sectors(solution: Solution) -> Array:
    """(n,) By touch the number of the sector its direction lies in; −1 for one from above."""
    x, y, z = solution.normals.T
    found = np.rint(np.degrees(np.arctan2(y, x)) / SECTOR).astype(int) % round(360 / SECTOR)
    return np.where(np.abs(z) > 0.7, -1, found)


def _headings(solution: Solution) -> list[tuple[int, int, int] | None]:
    """By touch the sector of its direction within half a turn, and on which side; None for one from above."""
    half = round(180 / SECTOR)
    return [
        None if sector < 0 else (sector % half, 1 if sector < half else -1, sector)
        for sector in _sectors(solution).tolist()
    ]


def _by_direction(
    solution: Solution, limit: float, even: float = 1.0, *, half_turn: bool = False, levels: Sequence[int] = ()
) -> dict[str, Array]:
    """Errors that go with the direction of a touch, never further than `limit`: by direction, at each touch, mm.

    How many waves they have round the circle is not known, so opposite touches are taken to be off by the same and by
    the opposite, each a sine's u = limit/√2: the one goes into a size, the other into a middle. `even` is the share of
    that which is alike on opposite sides. Directions without their opposite, at three places say, may all be off alike,
    which is a size, or each by its own. Turned half round between two touches, what is opposite falls out of their
    mean. `levels` have errors of their own.
    """
    if not limit:
        return {}
    headings = [None if h is None else (*h, levels[n] if levels else 0) for n, h in enumerate(_headings(solution))]
    met = {(sector, level, side) for sector, side, _, level in filter(None, headings)}
    found: dict[str, Array] = {}
    for n, heading in enumerate(headings):
        if heading is None:
            continue
        sector, side, _, level = heading
        pair = (sector, level, -side) in met
        sine = limit / math.sqrt(2)
        kinds = [(f"{ODD} {sector}", side * (sine if pair else _ALONE * limit))]
        kinds.append((f"even {sector}", even * sine) if pair else ("alike", limit / 2))
        for words, size in kinds:
            if not (half_turn and words.startswith(ODD)):
                found.setdefault(f"{words} {level}", np.zeros(len(solution.normals)))[n] = size
    return found


_ALONE = 0.55
"""The part of a limit that a direction without its opposite has for itself; another half is alike in all of them."""
_EVEN_LOBES = 0.5
"""The share of a probe's lobing that is alike on opposite sides: its seat has three points, and so has the lobing."""


def _lobes(solution: Solution, touches: Sequence[Touch], stated: Stated) -> dict[str, Array]:
    stylus = touches[0].stylus
    limit = (stylus.lobing or 0.0) if isinstance(stylus, Stylus) else 0.0
    return _by_direction(solution, limit, _EVEN_LOBES, half_turn=stated.half_turn)


def _form(kind: FeatureKind, solution: Solution, touches: Sequence[Touch], limit: float) -> Array:
    """Form within a zone of ± `limit`, errors by touch (m × n): round by direction, else every place has its own."""
    if not limit:
        return np.zeros((0, len(touches)))
    if kind.is_round:
        levels = [round(touch.ball_centre[2]) for touch in touches] if kind.has_levels else ()
        return np.array(list(_by_direction(solution, limit, levels=levels).values()))
    return u_within(limit) * np.eye(len(touches))


def patterns_of(kind: FeatureKind, solution: Solution, touches: Sequence[Touch], stated: Stated) -> list[Array]:
    """Errors that last and differ from touch to touch, by touch, mm: lobing and form."""
    lobing = _lobes(solution, touches, stated)
    return [*lobing.values(), *_form(kind, solution, touches, (stated.form or 0.0) / 2)]


def _misfit(
    solution: Solution, touches: Sequence[Touch], u: Array, lobing: dict[str, Array], form: Array
) -> Misfit | None:
    """What the residuals say. Lobing and form that are stated may be in them, a touch's own in full.

    `touches` are one of each kind that differs in where its uncertainty comes from.
    """
    if solution.design is None or not np.all(u > 0):
        return None
    stylus = touches[0].stylus
    table = stylus.u_direction if isinstance(stylus, Stylus) and stylus.by_direction else 0.0
    variance = u**2 + table**2 + (form**2).sum(axis=0)
    for errors in lobing.values():
        variance = variance + errors**2
    freedoms = [touch.freedom for touch in touches]
    known = None if any(f is None for f in freedoms) else min(f for f in freedoms if f is not None)
    return judge(np.array(solution.residuals), np.sqrt(variance), solution.design, known)


def _is_once(kind: FeatureKind, solution: Solution) -> bool:
    """Whether its walls were touched once each, so that nothing tells how they are turned."""
    return not kind.is_round and "r" not in solution.axes and not np.any(np.abs(solution.normals[:, 2]) > 0.7)


def _of_the_turn(
    name: str, kind: FeatureKind, solution: Solution, touches: Sequence[Touch], stated: Stated
) -> Iterator[Row]:
    """What a part that lies turned within its limits does to walls that were touched once each.

    First order: turned by θ about the feature's own point, the metal at a touch lies `θ (ẑ × away) · n` further. All
    of one clamping is turned alike. Second order: the ball meets a wall askew, `r (1/cos θ − 1)` nearer than its
    normal says, and a size reads `1/cos θ` too large. A slot's middle, aimed at within ± s, is off by θ s.
    """
    if not stated.turn or not _is_once(kind, solution):
        return
    limit = math.radians(stated.turn)
    turned = Source(f"{TURN}, {stated.clamping}" if stated.clamping else TURN, TURN, bounded=True, uniform=True)
    middle = np.array([solution.values[solution.axes.index(a)] if a in solution.axes else np.nan for a in "xy"])
    radius = touches[0].stylus.effective_radius
    contacts = np.array([touch.ball_centre for touch in touches])[:, :2] + radius * solution.normals[:, :2]
    if not kind.is_open and not np.isnan(middle).any():
        away = contacts - middle
        levers = away[:, 0] * solution.normals[:, 1] - away[:, 1] * solution.normals[:, 0]
        yield turned, _effect(solution, u_within(limit) * levers)
    elif kind.is_one_pair and stated.aim:
        aside = (solution.normals[:, 0] + solution.normals[:, 1]) * u_within(limit) * u_within(stated.aim)
        yield (
            Source(f"where {name} is met along it, {stated.measurement}", TURN, bounded=True),
            _effect(solution, aside),
        )
    # θ² of a θ that is anywhere within its limits: its root mean square is 1/√5 of the largest.
    askew = (1 / math.cos(limit) - 1) / math.sqrt(5)
    effect = np.array(_effect(solution, np.full(len(touches), radius * askew)))
    sign = -1.0 if kind.is_outside else 1.0
    for i, size in enumerate(solution.sizes, len(solution.axes)):
        effect[i] = (size - sign * 2 * radius) * askew
    square = Source(f"{turned.name}, squared", turned.words, bounded=True)
    yield square, tuple(effect.tolist())


def _of_the_sizes(solution: Solution, stated: Stated) -> Iterator[Row]:
    """What the machine's scale and the temperature do to sizes."""
    for u, name in ((stated.scale, SCALE), (stated.growth, GROWTH)):
        if u:
            sizes = range(len(solution.axes), len(solution.axes) + len(solution.sizes))
            yield name, tuple(u * v if i in sizes else 0.0 for i, v in enumerate(solution.values))


def _without(kind: FeatureKind, solution: Solution, touches: Sequence[Touch], stated: Stated) -> Iterator[str]:
    """What the ± does not include, as nobody stated it."""
    stylus = touches[0].stylus
    beside = bool(np.any(np.abs(solution.normals[:, 2]) < 0.7))
    if isinstance(stylus, Stylus) and stylus.lobing is None and beside:
        yield f"lobing of T{stylus.tool_number}: not stated"
    if stated.form is None:
        if kind.is_round and len(set(_sectors(solution).tolist()) - {-1}) < ENOUGH:
            yield f"form: not bounded below {ENOUGH} touches"
        elif not kind.is_round:
            yield "form: not stated"
    if kind.is_open and _is_once(kind, solution) and stated.turn:
        yield f"the part turned by up to {deg(stated.turn)}: the wall holds where it was touched"


def compensated(touches: Sequence[Touch], *, half_turn: bool = False) -> tuple[Touch, ...]:
    """Touches as they are with the radius that was calibrated in their own direction, where there is a table of that.

    Between two headings of the table the radius is interpolated, round the circle. A touch that is the mean of two, the
    spindle turned half round between, was made by both sides of the ball.
    """
    stylus = touches[0].stylus if touches else None
    if not isinstance(stylus, Stylus) or not stylus.by_direction:
        return tuple(touches)
    headings, radii = zip(*sorted(stylus.by_direction), strict=True)
    sides = (0.0, 180.0) if half_turn else (0.0,)
    found = []
    for touch in touches:
        dx, dy, dz = touch.direction
        if abs(dz) > 0.7:
            found.append(touch)
            continue
        heading = math.degrees(math.atan2(dy, dx))
        met = np.interp([(heading + side) % 360 for side in sides], headings, radii, period=360)
        more = float(np.mean(met)) - stylus.effective_radius
        x, y, z = touch.position
        found.append(replace(touch, position=(x + more * dx, y + more * dy, z)))
    return tuple(found)
