"""The virtual twin of a job: its scene for the stand-in, with errors of real life drawn from the stated variation."""

from __future__ import annotations

import zlib

import numpy as np

from brisk_anchor.core.features.measuring import propose_depth
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.quantities import dim
from brisk_anchor.services.job.drawn_body import expand
from brisk_anchor.services.job.job_models import BodyFile, FixtureFile, JobFile, MachineDescription, PartFile, Variation
from brisk_anchor.services.job.places import (
    PlacedOffsets,
    face_origin,
    faults_of_places,
    offsets_of_places,
    used_places,
)
from brisk_anchor.services.job.stock import stock_of
from brisk_anchor.standin.scene_file import PlaceSection, RealBodySection, SceneFile
from brisk_anchor.standin.solid_file import SolidSection, extent_of
from brisk_anchor.standin.tool_file import RealProbeSection
from brisk_anchor.standin.variations import carried_off


class RealLife:
    """Errors of real life, drawn by number and by what has them: what is described beside it changes none of them."""

    def __init__(self, roll: int) -> None:
        """`roll` 0 draws none."""
        self._roll = roll

    def of(self, *names: object) -> np.random.Generator | None:
        """What draws the errors of one thing, by its names; None where there are none."""
        if not self._roll:
            return None
        return np.random.default_rng([self._roll, zlib.crc32("|".join(map(str, names)).encode())])


NO_ERRORS = RealLife(0)


def compose(job: JobFile, machine: MachineDescription, part: PartFile, fixture: FixtureFile, roll: int) -> SceneFile:
    """One scene of all files; `roll` draws the errors of real life, 0 none."""
    random = RealLife(roll)
    if job.repeat is not None:
        return _composed_many(job, machine, part, fixture, random)
    mount = Frame.from_angles(fixture.at, c=fixture.at_turn)
    seat, turn = mount.point(seat_of(job)), fixture.at_turn + job.seat_turn
    turn -= 360 * round(turn / 360)
    held, held_features = expand(fixture)
    solids, features, inside = _as_clamped(part, machine, job)
    finished = []
    if inside:
        finished = [_body(part, "drawn", seat, turn, inside, fixture.on, NO_ERRORS) | {"name": f"{part.name} finished"}]
    bodies = [
        _body(fixture, "fixture", fixture.at, fixture.at_turn, held, fixture.on, random),
        _body(part, "part", seat, turn, solids, fixture.on, random),
        *finished,
    ]
    every = [*_features(fixture, held_features), *_features(part, features)]
    return _scene_file(job, machine, part, fixture, random, bodies, every, PlacedOffsets(job.offset, job.operation))


def _as_clamped(
    part: PartFile, machine: MachineDescription, job: JobFile
) -> tuple[list[SolidSection], list[dict[str, object]], list[SolidSection]]:
    """What is clamped, with its features: the part, or its stock and then the part that is still inside it."""
    solids, features = expand(part)
    if part.stock is None:
        return solids, features, []
    needed = propose_depth(machine.probe.ball_diameter, job.start_uncertainty)
    return *stock_of(solids, part.stock, needed), solids


def _scene_file(
    job: JobFile,
    machine: MachineDescription,
    part: PartFile,
    fixture: FixtureFile,
    random: RealLife,
    bodies: list[dict[str, object]],
    features: list[dict[str, object]],
    offsets: PlacedOffsets,
    part_body: str | None = None,
) -> SceneFile:
    """The scene of what was placed."""
    machine_section = machine.section().model_dump()
    machine_section["rotary"] = [axis | _real_axis(axis, machine, random) for axis in machine_section["rotary"]]
    return SceneFile.model_validate(
        {
            "units": "mm",
            "job": {
                "name": job.name,
                "title": job.title,
                "company": job.company,
                "part": part.name,
                "part_body": part_body,
                "fixture": fixture.name,
                "clear_height": clear_of(fixture) + job.clear_height,
                "start_uncertainty": job.start_uncertainty,
                "turn_uncertainty": job.turn_uncertainty,
                "temperature": job.temperature.model_dump() if job.temperature else None,
                "program": job.program,
                "program_comment": job.program_comment,
                "note": [*job.note, *(f"spacer {s.name}, {dim(s.thickness)} along {s.along}" for s in job.spacer)],
                "operation": [operation.model_dump() for operation in offsets.operations],
            },
            "machine": machine_section,
            "probe": machine.probe.section(_real_probe(machine, random)).model_dump(),
            "tool": [tool.model_dump() for tool in machine.tool],
            "hand_tool": [tool.model_dump() for tool in machine.hand_tool],
            "setter": machine.setter.model_dump() if machine.setter else None,
            "body": bodies,
            "feature": features,
            "word": [word.model_dump() for word in part.word],
            "row": [row.model_dump() for row in offsets.rows],
        }
    )


def clear_of(fixture: FixtureFile) -> float:
    """Machine Z that the clear height counts from: the fixture's zero; of a tombstone the face that is looked at."""
    return fixture.at[2] + (fixture.faces.distance if fixture.faces is not None else 0.0)


def _real_axis(axis: dict[str, object], machine: MachineDescription, random: RealLife) -> dict[str, object]:
    """Where a rotary axis really lies: centre and direction as far off as they are known, drawn for the machine."""
    drawn = random.of("centre", machine.name, axis["letter"])
    if drawn is None:
        return {}
    found: dict[str, object] = {}
    for key, u in (("real_shift", axis.get("u_centre")), ("real_turn", axis.get("u_direction"))):
        if isinstance(u, float) and u:
            found[key] = tuple(float(value) for value in drawn.normal(0.0, u, 3))
    return found


def _composed_many(
    job: JobFile, machine: MachineDescription, part: PartFile, fixture: FixtureFile, random: RealLife
) -> SceneFile:
    """The scene of a job that has its part at many places. Raises ValueError: it does not go together."""
    axes = tuple(axis.axis() for axis in machine.section().rotary)
    if fixture.faces is not None and fixture.faces.letter not in {axis.letter for axis in axes}:
        raise ValueError(f"the machine has no rotary axis {fixture.faces.letter} to turn the tombstone")
    places = used_places(job, fixture, axes)
    seat = Frame.from_angles(seat_of(job), c=job.seat_turn)
    held, held_features = expand(fixture)
    solids, features, inside = _as_clamped(part, machine, job)
    bodies: list[dict[str, object]] = []
    every: list[dict[str, object]] = []
    below: dict[str, object] | None = None
    if held:
        below = _body(fixture, "fixture", fixture.at, fixture.at_turn, held, fixture.on, random)
        bodies.append(below | {"within": _limits(fixture.variation)})
        every += _features(fixture, held_features)
    on_faces: set[str] = set()
    on: dict[int, dict[str, object]] = {}
    if (faces := fixture.faces) is not None:
        for face in range(1, faces.count + 1):
            name = f"{fixture.name} face {face}"
            at, stance = face_origin(fixture, axes, face)
            own = fixture.model_copy(update={"faces": None, "solid": [faces.solid()], "feature": faces.feature})
            made, drawn = expand(own)
            body = _body(own.model_copy(update={"name": name}), "fixture", at, 0.0, made, fixture.on, random)
            bodies.append(body | {"stance": stance, "within": _limits(fixture.variation)})
            on[face] = body
            every += [
                item | {"body": name, "name": f"{item['name']} {face}", "title": f"{item['title']} {face}"}
                for item in drawn
            ]
            on_faces |= {str(item["name"]) for item in drawn}
    low, high = extent_of(solids)
    if faults := faults_of_places(places, fixture, seat, (low[:2], high[:2])):
        raise ValueError(faults[0].reason)
    names = {str(item["name"]) for item in features}
    for place in places:
        holder = on.get(place.face, below)
        if fixture.kind == "vices" and fixture.vice is not None:
            vice = fixture.model_copy(update={"name": place.called(fixture.name)})
            holder = _body(vice, "fixture", place.at, place.turn, fixture.vice.solids(), fixture.on, random)
            bodies.append(holder | {"stance": place.stance, "within": _limits(fixture.variation)})
        if place.empty:
            continue
        frame = place.frame @ seat
        turn = place.turn + job.seat_turn
        turn -= 360 * round(turn / 360)
        own_part = part.model_copy(
            update={"name": place.called(part.name), "variation": place.variation or part.variation}
        )
        body = _body(own_part, "part", frame.point((0.0, 0.0, 0.0)), turn, solids, fixture.on, random)
        more_of_it: dict[str, object] = {"stance": place.stance, "within": _limits(part.variation)}
        more_of_it |= {"lies_on": holder["name"]} if holder is not None else {}
        bodies.append(_carried_by(holder, body) | more_of_it)
        if inside:
            drawn_only = _body(part, "drawn", frame.point((0.0, 0.0, 0.0)), turn, inside, fixture.on, NO_ERRORS)
            bodies.append(drawn_only | {"name": place.called(f"{part.name} finished"), "stance": place.stance})
        for item in features:
            of = item.get("of")
            more: dict[str, object] = {"name": place.called(str(item["name"])), "body": own_part.name}
            more |= {"title": f"{item['title']} {place.name}"[:60]}
            more |= {"of": [place.called(str(name)) for name in of]} if isinstance(of, list) else {}
            every.append(item | more)
    drawn_places = {str(item["name"]): _vector(item["place"]) for item in features}
    offsets = offsets_of_places(
        job, fixture, places, axes, (names, on_faces), seat, drawn_places, part.variation, part.name
    )
    first = next(place for place in places if not place.empty).called(part.name)
    scene = _scene_file(job, machine, part, fixture, random, bodies, every, offsets, first)
    sections = [
        PlaceSection(
            name=place.name,
            face=place.face,
            column=place.column,
            row=place.row,
            body=None if place.empty else place.called(part.name),
            stance=place.stance,
            rows=offsets.used.get(place.name, []),
        )
        for place in places
    ]
    flags = job.repeat.skip_flags if job.repeat is not None else None
    return scene.model_copy(update={"place": sections, "skip_flags": flags})


def _limits(variation: Variation) -> dict[str, object]:
    return {"shift": variation.shift, "turn": variation.turn}


def _carried_by(holder: dict[str, object] | None, body: dict[str, object]) -> dict[str, object]:
    """A part on a face, a plate or in a vice that is not where it is described: it lies off with it."""
    if holder is None:
        return body
    off, own = RealBodySection.model_validate(holder["real"]), RealBodySection.model_validate(body["real"])
    return body | {"real": carried_off(off, own, _vector(holder["at"]), _vector(body["at"])).model_dump()}


def _vector(value: object) -> Vector:
    if not isinstance(value, tuple):
        raise TypeError("a place is a tuple of three")
    return float(value[0]), float(value[1]), float(value[2])


UNDRAWN = "undrawn part"
"""What the part is called where nobody described one."""
_BY_EYE = (2.0, 2.0)
"""How far a part may lie from where the tip was brought by eye, mm, and turned, degrees, where nobody says."""


def machine_alone(machine: MachineDescription) -> SceneFile:
    """The scene of a machine with nothing described on its table. The clear height is the top of its travel."""
    return SceneFile.model_validate(
        {
            "units": "mm",
            "job": {
                "name": f"{machine.name} without a drawing",
                "title": "nothing drawn",
                "part": UNDRAWN,
                "fixture": "table",
                "clear_height": machine.travel_high[2] - machine.probe.length,
                "start_uncertainty": _BY_EYE[0],
                "turn_uncertainty": _BY_EYE[1],
            },
            "machine": machine.section().model_dump(),
            "probe": machine.probe.section(_real_probe(machine, NO_ERRORS)).model_dump(),
            "tool": [tool.model_dump() for tool in machine.tool],
            "hand_tool": [tool.model_dump() for tool in machine.hand_tool],
            "setter": machine.setter.model_dump() if machine.setter else None,
        }
    )


_ALONG = {"X": (1, 0, 0), "-X": (-1, 0, 0), "Y": (0, 1, 0), "-Y": (0, -1, 0), "Z": (0, 0, 1)}


def seat_of(job: JobFile) -> Vector:
    """The part's zero in the fixture's frame, spacers counted in, mm."""
    x, y, z = job.seat
    for spacer in job.spacer:
        dx, dy, dz = (along * spacer.thickness for along in _ALONG[spacer.along])
        x, y, z = x + dx, y + dy, z + dz
    return x, y, z


def _features(body: BodyFile, features: list[dict[str, object]]) -> list[dict[str, object]]:
    return [feature | {"body": body.name} for feature in features]


def _within(random: np.random.Generator | None, limit: float) -> float:
    return float(random.uniform(-limit, limit)) if random is not None and limit else 0.0


def _real_probe(machine: MachineDescription, random: RealLife) -> RealProbeSection:
    """The probe behind the calibration: what its effective radius lacks is its pre-travel; its length is a bit off."""
    probe = machine.probe
    pre_travel = max(0.0, probe.ball_diameter / 2 - probe.effective_radius)
    drawn = random.of("probe", probe.name)
    off = float(drawn.normal(0.0, probe.u_length)) if drawn is not None else 0.0
    return RealProbeSection(
        length=probe.length + pre_travel + off,  # the calibrated length is what is left after the pre-travel
        pre_travel=pre_travel,
        lobing=0.0,
        noise=probe.u_repeatability,
        over_travel=probe.over_travel,
        offset=probe.offset,
    )


def _body(
    body: BodyFile,
    role: str,
    at: Vector,
    turn: float,
    solids: list[SolidSection],
    on: str,
    random: RealLife,
) -> dict[str, object]:
    v: Variation = body.variation
    place = random.of("place", body.name)
    return {
        "name": body.name,
        "role": role,
        "on": on,
        "at": at,
        "turn": turn,
        "real": {
            "shift": tuple(_within(place, limit) for limit in v.shift),
            "turn": tuple(_within(place, limit) for limit in v.turn),
        },
        "solid": [_real_solid(solid, v, random, body.name) for solid in solids],
    }


def _real_solid(solid: SolidSection, v: Variation, random: RealLife, body: str) -> dict[str, object]:
    data = solid.model_dump()
    top = random.of("top", body, solid.name)
    if top is None or solid.shape in ("ball", "cone"):
        return data
    for hole in data["holes"]:
        hole["real_diameter"] = hole["diameter"] + _within(random.of("hole", body, *hole["at"]), v.size)
    if solid.shape == "round":
        data["real_diameter"] = (solid.diameter or 0.0) + _within(random.of("round", body, solid.name), v.size)
    blocks = [("block", data)] if solid.shape == "block" else []
    for kind, opening in (*blocks, *(("slot", slot) for slot in data["slots"] if slot["low"])):
        drawn = random.of(kind, body, solid.name, *opening["low"])
        sides = (high - low for low, high in zip(opening["low"], opening["high"], strict=True))
        opening["real_size"] = tuple(side + _within(drawn, v.size) for side in sides)
    if v.rise or v.slope:
        data["real"] = {
            "rise": _within(top, v.rise),
            "slope": (_within(top, v.slope), _within(top, v.slope)),
        }
    return data
