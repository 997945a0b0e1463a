"""The places of a fixture that hold the job's part, and the offsets and operations that belong to them."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import field
from itertools import combinations

import numpy as np

from brisk_anchor.core.errors import Fault
from brisk_anchor.core.geometry.frames import Array, Frame
from brisk_anchor.core.geometry.rotary import RotaryAxis, carried, table_frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.job.job_models import FixtureFile, JobFile, Variation
from brisk_anchor.standin.row_file import RowSection, RuleSection, TurnRuleSection
from brisk_anchor.standin.scene_file import OperationSection

Drawn = dict[str, object]
Box = tuple[tuple[float, float], tuple[float, float]]


@dataclass(frozen=True, slots=True)
class SeatedPlace:
    """A place as the job uses it. `at` is its zero, machine mm of the tip with rotary axes at `stance`, degrees.

    `column` and `row` count from 1; both are 0 for a place that is located on its own.
    """

    name: str
    face: int
    column: int
    row: int
    at: Vector
    turn: float
    stance: dict[str, float]
    empty: bool = False
    variation: Variation | None = None

    @property
    def frame(self) -> Frame:
        """Its own frame, with rotary axes at its stance."""
        return Frame.from_angles(self.at, c=self.turn)

    def called(self, name: str) -> str:
        """The name something of the part has at this place."""
        return f"{name} {self.name}"


def face_origin(fixture: FixtureFile, axes: tuple[RotaryAxis, ...], face: int) -> tuple[Vector, dict[str, float]]:
    """Where a face's zero lies when it looks at the spindle, machine mm, and where the table stands then."""
    faces = fixture.faces
    if faces is None:
        return fixture.at, {}
    stance: dict[str, float] = {faces.letter: faces.angle(face)}
    x, y, z = carried(fixture.at, axes, {}, stance)
    return (x - faces.width / 2, y, z + faces.distance), stance


def every_place(fixture: FixtureFile, axes: tuple[RotaryAxis, ...], numbering: str = "rows") -> list[SeatedPlace]:
    """All places a fixture has, face by face; none where it is a fixture for a single part."""
    count = fixture.faces.count if fixture.faces is not None else 1
    found = []
    for face in range(1, count + 1):
        origin, stance = face_origin(fixture, axes, face)
        frame = Frame.from_angles(origin, c=fixture.at_turn)
        front = f"{face}-" if count > 1 else ""
        if (grid := fixture.places) is not None:
            cells = [(c, r) for r in range(grid.rows) for c in range(grid.columns)]
            for number, (c, r) in enumerate(sorted(cells) if numbering == "columns" else cells, 1):
                x, y, z = grid.first
                at = frame.point((x + c * grid.pitch[0], y + r * grid.pitch[1], z))
                turn = fixture.at_turn + grid.turn
                found.append(SeatedPlace(f"{front}{number}", face, c + 1, r + 1, at, turn, stance))
        for nest in (nest for nest in fixture.place if nest.face == face):
            at, turn = frame.point(nest.at), fixture.at_turn + nest.turn
            name = f"{front}{nest.name}"
            found.append(SeatedPlace(name, face, 0, 0, at, turn, stance, variation=nest.variation))
    return found


def used_places(job: JobFile, fixture: FixtureFile, axes: tuple[RotaryAxis, ...]) -> list[SeatedPlace]:
    """The places that the job uses, in their numbering, empty ones among them.

    Raises:
        ValueError: it uses more than there are, or one that is empty is none of them.
    """
    repeat = job.repeat
    if repeat is None:
        return []
    every = every_place(fixture, axes, repeat.numbering)
    if not every:
        raise ValueError("the fixture has no places: give it [places] or [[place]]")
    faces, columns, rows = (max(getattr(place, word) for place in every) for word in ("face", "column", "row"))
    for word, wanted, there in (
        ("faces", repeat.face_count, faces),
        ("columns", repeat.columns, columns),
        ("rows", repeat.rows, rows),
    ):
        if wanted is not None and wanted > there:
            raise ValueError(f"it uses {wanted} {word}, the fixture has {there}")
    most = (repeat.face_count or faces, repeat.columns or columns, repeat.rows or rows)
    cells = [p for p in every if p.face <= most[0] and p.column <= most[1] and p.row <= most[2]]
    names = [place.name for place in cells]
    if fixture.places is not None and most[1:] != (columns, rows):  # fewer are used: they are numbered without gaps
        names = _numbered(cells, several=faces > 1)
    unknown = [name for name in repeat.empty if name not in names]
    if unknown:
        raise ValueError(f"there is no place {unknown[0]}; there are {names[0]} to {names[-1]}")
    own = {item.name: item.variation for item in (fixture.places.own if fixture.places is not None else ())}
    if len(repeat.empty) == len(names):
        raise ValueError("every place is empty")
    found = []
    for place, name in zip(cells, names, strict=True):
        found.append(
            SeatedPlace(
                name,
                place.face,
                place.column,
                place.row,
                place.at,
                place.turn,
                place.stance,
                name in repeat.empty,
                own.get(name, place.variation),
            )
        )
    return found


def _numbered(cells: Sequence[SeatedPlace], *, several: bool) -> list[str]:
    counts: dict[int, int] = {}
    names = []
    for place in cells:
        counts[place.face] = counts.get(place.face, 0) + 1
        names.append(f"{place.face}-{counts[place.face]}" if several else f"{counts[place.face]}")
    return names


# -- what belongs to a place ---------------------------------------------------------------------------------------


def faults_of_places(places: Sequence[SeatedPlace], fixture: FixtureFile, seat: Frame, part: Box) -> list[Fault]:
    """Parts that stand out over their face, or into each other; `part` is the part's extent in its own X and Y, mm."""
    found = []
    boxes = {}
    for place in places:
        frame = place.frame @ seat
        corners = [frame.point((x, y, 0.0)) for x in (part[0][0], part[1][0]) for y in (part[0][1], part[1][1])]
        xs, ys = [x for x, _, _ in corners], [y for _, y, _ in corners]
        boxes[place.name] = (place.face, min(xs), min(ys), max(xs), max(ys))
    for name, (face, x0, y0, x1, y1) in boxes.items():
        if fixture.faces is None:
            break
        origin = next(place for place in places if place.face == face)
        left, below = _corner(origin, fixture)
        out = max(left - x0, below - y0, x1 - left - fixture.faces.width, y1 - below - fixture.faces.height)
        if out > 1e-6:
            found.append(Fault("repeat", f"the part at place {name} stands {dim(out)} out over its face"))
    for (one, a), (two, b) in combinations(boxes.items(), 2):
        if a[0] == b[0] and min(a[3], b[3]) - max(a[1], b[1]) > 1e-6 and min(a[4], b[4]) - max(a[2], b[2]) > 1e-6:
            found.append(Fault("repeat", f"the parts at places {one} and {two} overlap"))
            break
    return found


def _corner(place: SeatedPlace, fixture: FixtureFile) -> tuple[float, float]:
    """The left corner below of a place's face, machine X and Y with the table at its stance."""
    nest = next((nest for nest in fixture.place if place.name.endswith(nest.name)), None)
    if fixture.places is not None:
        x, y, _ = fixture.places.first
        c, r = place.column - 1, place.row - 1
        away = (x + c * fixture.places.pitch[0], y + r * fixture.places.pitch[1])
    else:
        away = nest.at[:2] if nest is not None else (0.0, 0.0)
    return place.at[0] - away[0], place.at[1] - away[1]


_EXTENDED = re.compile(r"^(G54\.1 P)([0-9]+)$")
_STANDARD = ("G54", "G55", "G56", "G57", "G58", "G59")


def following_rows(first: str, count: int) -> list[str]:
    """The names of so many rows of a table from one on.

    Raises:
        ValueError: there are not so many of that sort.
    """
    if (extended := _EXTENDED.match(first)) is not None:
        return [f"{extended[1]}{int(extended[2]) + n}" for n in range(count)]
    rows = _STANDARD[_STANDARD.index(first) :] if first in _STANDARD else (first,)
    if len(rows) < count:
        raise ValueError(
            f"{count} rows from {first} on, and there are {len(rows)}: begin at an extended one (G54.1 P1), or take "
            'offsets = "face" or "centre"'
        )
    return list(rows[:count])


@dataclass(frozen=True, slots=True)
class PlacedOffsets:
    """The rows of a job with many places, and its operations, each with the row it uses."""

    rows: list[RowSection]
    operations: list[OperationSection]
    used: dict[str, list[str]] = field(default_factory=dict)
    """By place the rows that are used there."""


def offsets_of_places(
    job: JobFile,
    fixture: FixtureFile,
    places: Sequence[SeatedPlace],
    axes: tuple[RotaryAxis, ...],
    own: tuple[set[str], set[str]],
    seat: Frame,
    drawn: dict[str, Vector],
    located: Variation,
    part_name: str,
) -> PlacedOffsets:
    """Rows and operations at every place, by what the job says its rows stand for.

    Args:
        job: with the offsets of one part, at its first place.
        fixture: what holds the parts.
        places: those that are used.
        axes: rotary axes of the machine.
        own: names of features that are on every part, and of those on every face.
        seat: the part's frame in a place.
        drawn: where the part's features lie on its drawing, by name.
        located: how far parts lie from their places, each way; the fixture's own is added.
        part_name: what the part is called.

    Raises:
        ValueError: there are not enough rows, or a rule cannot be taken to another place.
    """
    repeat = job.repeat
    held = [place for place in places if not place.empty]
    if repeat is None or not held:
        return PlacedOffsets(list(job.offset), list(job.operation))
    first_of_face = {place.face: place for place in reversed(held)}
    rows: list[RowSection] = []
    used: dict[tuple[str, str], str] = {}
    for template in job.offset:
        match repeat.offsets:
            case "face":
                chosen = [first_of_face[face] for face in sorted(first_of_face)]
            case "centre":
                chosen = held[:1]
            case _:
                chosen = list(places)  # a place keeps its row, whether another one is empty or not
        names = dict(zip((p.name for p in chosen), following_rows(template.row, len(chosen)), strict=True))
        base, named = held[0], (part_name, fixture.name)
        for place in chosen:
            if place.empty:
                continue
            row = names[place.name]
            title = f"{template.title} {place.name}"[:60]
            if repeat.offsets == "centre":
                made = _on_the_centre(template, base, axes, own, fixture, seat, drawn)
            elif repeat.offsets == "derived" and place is not base:
                made = _derived(template, names[base.name], base, place, axes, seat, drawn, (named, located, fixture))
            else:
                made = _at_place(template, place, own)
            rows.append(made.model_copy(update={"row": row, "title": title}))
        for place in held:
            key = first_of_face[place.face].name if repeat.offsets == "face" else place.name
            used[template.row, place.name] = names[base.name if repeat.offsets == "centre" else key]
    operations = [
        operation.model_copy(
            update={"name": place.called(operation.name)[:60], "offset": used[operation.offset, place.name]}
        )
        for operation in job.operation
        for place in held
    ]
    taken = [row.row for row in rows]
    if twice := sorted({row for row in taken if taken.count(row) > 1}):
        raise ValueError(f"{twice[0]} would be set twice: let the offsets begin further apart")
    by_place: dict[str, list[str]] = {}
    for (_, place_name), row in used.items():
        by_place.setdefault(place_name, []).append(row)
    return PlacedOffsets(rows, operations, by_place)


def _named(name: str | None, place: SeatedPlace, own: tuple[set[str], set[str]]) -> str | None:
    """The name of a feature at a place: those of the part and of its face are there once each."""
    if name in own[0]:
        return place.called(name)
    return f"{name} {place.face}" if name in own[1] else name


def _at_place(template: RowSection, place: SeatedPlace, own: tuple[set[str], set[str]]) -> RowSection:
    """The rules of a template with the features of a place."""

    def at(rule: RuleSection) -> RuleSection:
        fit = [str(_named(name, place, own)) for name in rule.fit] if rule.fit is not None else None
        names = {"feature": _named(rule.feature, place, own), "other": _named(rule.other, place, own)}
        return rule.model_copy(update={**names, "fit": fit})

    turn = template.r
    if turn is not None:
        names = {"feature": _named(turn.feature, place, own), "other": _named(turn.other, place, own)}
        turn = turn.model_copy(update=names)
    return template.model_copy(update={"x": at(template.x), "y": at(template.y), "z": at(template.z), "r": turn})


def _zero(template: RowSection, place: SeatedPlace, seat: Frame, drawn: dict[str, Vector]) -> Vector:
    """Where a template's zero lies at a place by the description, machine mm with the table at its stance.

    Raises:
        ValueError: an axis comes from no feature of the part.
    """
    frame, found = place.frame @ seat, []
    for i, axis in enumerate("xyz"):
        rule: RuleSection = getattr(template, axis)
        names = [name for name in (rule.feature, rule.other) if name is not None]
        if not names or any(name not in drawn for name in names):
            raise ValueError(f"{template.row} {axis.upper()} comes from no feature of the part: give each part its row")
        middle = sum(frame.point(drawn[name])[i] for name in names) / len(names)
        found.append(middle - rule.drawing + rule.allowance)
    return found[0], found[1], found[2]


def _touched(template: RowSection, place: SeatedPlace, seat: Frame, drawn: dict[str, Vector]) -> Array:
    """(3 × 3) By axis of a row the place it is set from, machine mm with the table at its stance."""
    frame, found = place.frame @ seat, []
    for axis in "xyz":
        rule: RuleSection = getattr(template, axis)
        names = [name for name in (rule.feature, rule.other) if name is not None]
        found.append(np.mean([frame.point(drawn[name]) for name in names], axis=0))
    return np.array(found)


def _derived(
    template: RowSection,
    parent: str,
    base: SeatedPlace,
    place: SeatedPlace,
    axes: tuple[RotaryAxis, ...],
    seat: Frame,
    drawn: dict[str, Vector],
    located: tuple[tuple[str, str], Variation, FixtureFile],
) -> RowSection:
    """A place's row from the measured one: by the fixture's known distances, carried by the table to another face.

    Raises:
        ValueError: the places are turned differently, or a turned row would be carried to another face.
    """
    if math.fmod(place.turn - base.turn, 360):
        raise ValueError(f"places {base.name} and {place.name} are turned differently: give each part its row")
    here, there = (_zero(template, p, seat, drawn) for p in (base, place))
    touched = (_touched(template, base, seat, drawn), _touched(template, place, seat, drawn))
    u = _placed(located[0], located[1], located[2], (base, place), touched, seat, axes)
    if place.stance == base.stance:
        away = tuple(round(b - a, 9) for a, b in zip(here, there, strict=True))
        rules = {a: RuleSection(parent=parent, shift=s, placed=v) for a, s, v in zip("xyz", away, u, strict=True)}
        turn = TurnRuleSection(parent=parent) if template.r is not None else None
        return template.model_copy(update={**rules, "r": turn})
    if template.r is not None:
        raise ValueError(f"{template.row} is turned, which no table carries to another face: give each face its row")
    (letter,) = place.stance
    before = carried(there, axes, place.stance, base.stance)
    away = tuple(round(b - a, 9) for a, b in zip(here, before, strict=True))
    angle = round(place.stance[letter] - base.stance[letter], 9)
    rules = {
        a: RuleSection(parent=parent, shift=s, placed=v, table=letter, angle=angle)  # type: ignore[arg-type]
        for a, s, v in zip("xyz", away, u, strict=True)
    }
    return template.model_copy(update={**rules, "r": None})


Errors = dict[str, Array]
"""By error its effect on X, Y and Z of a row, mm, for one standard uncertainty; each is uniform within its limits."""


def _off(name: str, variation: Variation, arms: Array, *, shift: bool = True) -> Errors:
    """What lies off within limits, mm and degrees, on a row's zero.

    `arms` (3 × 3) has by axis how far what the axis is set from lies from where that turns. Turned by small angles θ
    about the axes a place moves by `θ × arm`.
    """
    (_, y0, z0), (x1, _, z1), (x2, y2, _) = arms.tolist()
    swing = np.array([[0.0, z0, -y0], [-z1, 0.0, x1], [y2, -x2, 0.0]]) * math.radians(1.0)
    found: Errors = {}
    for n, axis in enumerate("XYZ"):
        if shift and variation.shift[n]:
            found[f"{name}, {axis}"] = np.eye(3)[n] * u_within(variation.shift[n])
        if variation.turn[n]:
            found[f"{name}, about {axis}"] = swing[:, n] * u_within(variation.turn[n])
    return found


def _placed(
    names: tuple[str, str],
    part: Variation,
    fixture: FixtureFile,
    two: tuple[SeatedPlace, SeatedPlace],
    touched: tuple[Array, Array],
    seat: Frame,
    axes: tuple[RotaryAxis, ...],
) -> list[list[tuple[str, float]]]:
    """By axis what one place's zero is off from another's by, each error with its effect for one standard uncertainty.

    Both parts lie off within their limits, and so do the faces they are on. Two on one face share what that is off by,
    and its turn counts over their distance. What is off at the first is carried by the table to the second. `touched`
    (3 × 3 each) are the places on the machine that each axis is set from; `names` those of part and fixture.
    """
    turn = table_frame(axes, two[1].stance).rotation @ table_frame(axes, two[0].stance).rotation.T
    total: Errors = {}

    def add(errors: Errors, by: Array) -> None:
        for name, effect in errors.items():
            total[name] = total.get(name, np.zeros(3)) + by @ effect

    for place, at, by in zip(two, touched, (turn, -np.eye(3)), strict=True):
        own = at - np.array((place.frame @ seat).point((0.0, 0.0, 0.0)))
        add(_off(place.called(names[0]), place.variation or part, own), by)
        if fixture.kind == "vices":  # each lies off on its own
            add(_off(place.called(names[1]), fixture.variation, at - np.array(place.at)), by)
            continue
        corner = np.array(face_origin(fixture, axes, place.face)[0])
        same = two[0].stance == two[1].stance
        add(_off(f"{names[1]} face {place.face}", fixture.variation, at - corner, shift=not same), by)
    return [[(name, round(float(e[i]), 9)) for name, e in total.items() if abs(e[i]) > _LEAST] for i in range(3)]


_LEAST = 1e-8
"""Effects no larger than that, mm, are left out."""


def centre_letters(axes: tuple[RotaryAxis, ...]) -> dict[str, str]:
    """Which rotary axis gives each coordinate of the centre of rotation: the same point of the machine at every angle.

    Of one axis it has the two coordinates across it. Of two it is the point of the inner axis level with the outer one,
    which need not meet it: across the inner axis its own centre, along it that of the outer.
    """
    if not axes:
        return {}
    inner, outer = axes[-1], axes[0]
    along = max(range(3), key=lambda i: abs(inner.direction[i]))
    found = {axis: inner.letter for i, axis in enumerate("xyz") if i != along}
    if outer is not inner:
        found["xyz"[along]] = outer.letter
    return found


def _on_the_centre(
    template: RowSection,
    base: SeatedPlace,
    axes: tuple[RotaryAxis, ...],
    own: tuple[set[str], set[str]],
    fixture: FixtureFile,
    seat: Frame,
    drawn: dict[str, Vector],
) -> RowSection:
    """The row on the centre of rotation: along an axis that has no centre, from the fixture's zero by a feature."""
    letters = centre_letters(axes)
    if not letters:
        raise ValueError("the machine has no rotary axis to put a row on")
    first = _at_place(template, base, own)
    rules: dict[str, object] = {"r": None}
    for i, axis in enumerate("xyz"):
        if axis in letters:
            rules[axis] = RuleSection(centre=letters[axis])  # type: ignore[arg-type]
            continue
        rule: RuleSection = getattr(template, axis)
        if rule.feature not in drawn:
            raise ValueError(f"{template.row} {axis.upper()} comes from no feature of the part, and has no centre")
        place = (base.frame @ seat).point(drawn[rule.feature])[i]
        measured: RuleSection = getattr(first, axis)
        lies = round(place - fixture.at[i], 9)
        rules[axis] = RuleSection(feature=measured.feature, drawing=lies)
    return template.model_copy(update=rules)
