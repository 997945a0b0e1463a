"""Scene files: TOML, validated on reading, all faults at once. The fields are explained in docs/formats.md."""

from __future__ import annotations

import tomllib
from datetime import date
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, ValidationError, WithJsonSchema, model_validator

from brisk_anchor.core.errors import BriskAnchorError, Fault, SceneError
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.kinds import Apart, FeatureKind, Walls
from brisk_anchor.core.offsets.conditions import EXPANSION, NORMAL, Temperature
from brisk_anchor.core.quantities import num
from brisk_anchor.nc.bounded import read_at_most, strictly, toml_sections, why_unread
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.standin.row_file import ROW, RowSection, RuleSection
from brisk_anchor.standin.solid_file import Coordinate, FileSection, Length, Name, Place, Point, SolidSection
from brisk_anchor.standin.tool_file import HandToolSection, ProbeSection, SetterSection, ToolSection

_MAX_BYTES = 1_000_000


def _known_material(word: str) -> str:
    if word not in EXPANSION:
        raise ValueError(f"how {word[:24]} grows is not known; it knows {', '.join(EXPANSION)}")
    return word


Material = Annotated[str, AfterValidator(_known_material), WithJsonSchema({"enum": list(EXPANSION), "type": "string"})]
"""What a part or a scale is made of."""


class OperationSection(FileSection):
    """An operation of the job, the offset it uses, and the numbers of its tools as far as they are stated.

    `own` is the offset of its part, where all use one for the time.
    """

    name: Name
    offset: Annotated[str, Field(pattern=ROW)]
    own: Annotated[str, Field(pattern=ROW)] | None = None
    comment: Annotated[str, Field(max_length=120)] = ""
    tools: list[Annotated[int, Field(ge=1, le=999)]] = []


class TemperatureSection(FileSection):
    """Of the part and of the machine's scales, °C, with what they are made of; `u_*` standard uncertainties."""

    part: float = Field(ge=-20, le=90)
    material: Material
    scale: float = Field(default=NORMAL, ge=-20, le=90)
    scale_material: Material = "steel"
    u_part: float = Field(default=1.0, ge=0, le=20)
    u_scale: float = Field(default=1.0, ge=0, le=20)

    def temperature(self) -> Temperature:
        """The same for the sums."""
        return Temperature(self.part, self.material, self.scale, self.scale_material, self.u_part, self.u_scale)


class JobSection(FileSection):
    """What the job is called, and two figures every measurement needs.

    `part_body` is the body at the first place, where the part is there many times.
    """

    name: Name
    title: Annotated[str, Field(max_length=120)]
    company: Annotated[str, Field(max_length=80)] = ""
    part: Name
    part_body: Name | None = None
    fixture: Name
    clear_height: Coordinate
    start_uncertainty: float = Field(ge=0.01, le=20)
    turn_uncertainty: float = Field(default=2.0, ge=0, le=10)
    program: int | None = Field(default=None, ge=1, le=9600)
    program_comment: Annotated[str, Field(max_length=60)] = ""
    note: Annotated[list[Annotated[str, Field(max_length=160)]], Field(max_length=24)] = []
    operation: Annotated[list[OperationSection], Field(max_length=1_000)] = []
    temperature: TemperatureSection | None = None

    @property
    def first_part(self) -> str:
        """The body of the part; of many, that at the first place."""
        return self.part_body or self.part


Letter = Literal["A", "B", "C"]
"""A rotary axis."""
Stance = dict[Annotated[str, Field(pattern="^[ABC]$")], Annotated[float, Field(ge=-360, le=360)]]
"""Where rotary axes stand, degrees; one that is not named stands at 0."""


class RotarySection(FileSection):
    """A rotary axis of the table, the outermost first. `sense` -1 is that of ISO 841 for a table; limits None: endless.

    A table that indexes stops at whole multiples of `step`. `real_shift` is how far its centre lies from there,
    `real_turn` how its direction is turned about X, Y and Z, degrees.
    """

    letter: Letter
    direction: Place
    centre: Place
    sense: Literal[1, -1]
    low: Annotated[float, Field(ge=-100_000, le=100_000)] | None = None
    high: Annotated[float, Field(ge=-100_000, le=100_000)] | None = None
    rapid: float = Field(gt=0, le=1_000_000)
    u_centre: float | None = Field(default=None, ge=0, le=1)
    u_direction: float = Field(default=0.0, ge=0, le=1)
    step: float | None = Field(default=None, gt=0, le=180)
    measured: date | None = None
    proved: date | None = None
    real_shift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    real_turn: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def axis(self) -> RotaryAxis:
        """The axis as the machine's builder states it. Raises GeometryError."""
        return RotaryAxis(
            self.letter,
            self.direction,
            self.centre,
            self.sense,
            self.low,
            self.high,
            self.rapid,
            self.u_centre,
            self.u_direction,
            self.step,
        )

    def real_axis(self) -> RotaryAxis:
        """The axis as it is. Raises GeometryError."""
        return self.axis().moved(self.real_shift, self.real_turn)


_TOOL_AXES: dict[str, tuple[float, float, float]] = {
    "+Z": (0.0, 0.0, 1.0),
    "-Z": (0.0, 0.0, -1.0),
    "+X": (1.0, 0.0, 0.0),
    "-X": (-1.0, 0.0, 0.0),
    "+Y": (0.0, 1.0, 0.0),
    "-Y": (0.0, -1.0, 0.0),
}


class MachineSection(FileSection):
    """The machine; `table` is x low, y low, x high, y high and top, in tip coordinates without a tool.

    `tool_axis` points from a tool's end to the spindle or turret.
    """

    name: Name
    kind: Literal["vertical mill", "horizontal mill", "mill with rotary table", "trunnion mill", "lathe"]
    tool_axis: Literal["+Z", "-Z", "+X", "-X", "+Y", "-Y"] = "+Z"
    connection: Literal["stand-in", "nothing", "link"] = "stand-in"
    rotary: Annotated[list[RotarySection], Field(max_length=6)] = []
    profile: Annotated[str, Field(max_length=40)]
    travel_low: Place
    travel_high: Place
    home: Place
    table: tuple[Coordinate, Coordinate, Coordinate, Coordinate, Coordinate]
    rapid: float = Field(gt=0, le=200_000)
    acceleration: float = Field(gt=0, le=50_000)
    position: Place
    u_scale: float | None = Field(default=None, ge=0, le=0.001)
    u_square: float | None = Field(default=None, ge=0, le=0.1)

    @model_validator(mode="after")
    def _inside(self) -> Self:
        for axis, low, high, home, now in zip(
            "XYZ", self.travel_low, self.travel_high, self.home, self.position, strict=True
        ):
            if low > high or (low == high and not (self.kind == "lathe" and axis == "Y")):
                raise ValueError(
                    f"the travel of {axis} runs from {num(low)} to {num(high)}: low and high are exchanged"
                )
            if not low <= home <= high or not low <= now <= high:
                raise ValueError(f"home or position of {axis} lies outside its travel of {num(low)} to {num(high)}")
        letters = [axis.letter for axis in self.rotary]
        if len(set(letters)) != len(letters):
            raise ValueError("two rotary axes have the same letter")
        if self.kind in ("mill with rotary table", "trunnion mill") and not letters:
            raise ValueError(f"a {self.kind} needs its rotary axes")
        return self

    @property
    def tool_direction(self) -> tuple[float, float, float]:
        """Unit vector from a tool's end to the spindle."""
        return _TOOL_AXES[self.tool_axis]


class RealBodySection(FileSection):
    """Where the body really lies: shift in mm, turn about X, Y, Z in degrees."""

    shift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)


class BodySection(FileSection):
    """A part or fixture, placed in machine coordinates of the tip; `on` says what carries it.

    With a `stance` it is placed as it lies with rotary axes there, where the face it belongs to looks at the spindle;
    without one, with all of them at 0. Of many on one fixture `within` is how far, each way, it may lie off where it is
    located, and `lies_on` the body it is located on. `turn` is about Z, degrees. What is only "drawn" is no metal: a
    finished part inside its stock. What is "undrawn" is metal nobody described: the stand-in has it, and no picture.
    """

    name: Name
    role: Literal["part", "fixture", "drawn", "undrawn"]
    on: Literal["table", "rotary table"] = "table"
    at: Place
    turn: float = Field(default=0.0, ge=-360, le=360)
    stance: Stance = {}
    real: RealBodySection = RealBodySection()
    within: RealBodySection | None = None
    lies_on: Name | None = None
    solid: list[SolidSection] = Field(min_length=1)


_SIDES = [["LEFT"], ["RIGHT"], ["UP"], ["DOWN"]]
_ALL = [["DOWN", "LEFT", "RIGHT", "UP"]]
_WALLS = {
    Walls.NONE: _ALL,
    Walls.ONE: [*_SIDES, ["BELOW"]],
    Walls.SIDE: _SIDES,
    Walls.BELOW: [["BELOW"]],
    Walls.PAIR: [["LEFT", "RIGHT"], ["DOWN", "UP"]],
    Walls.CORNER: [["DOWN", "LEFT"], ["DOWN", "RIGHT"], ["LEFT", "UP"], ["RIGHT", "UP"]],
    Walls.ALL: _ALL,
    Walls.ALL_AND_TOP: _ALL,
}
"""Walls a feature may have by what its kind is touched on, each set sorted."""


def _known_kind(word: str) -> str:
    if word not in _KINDS:
        raise ValueError(f"there is no kind “{word[:24]}”; there are {', '.join(_KINDS)}")
    return word


_KINDS = tuple(kind.value for kind in FeatureKind)
KindWord = Annotated[str, AfterValidator(_known_kind), WithJsonSchema({"enum": list(_KINDS), "type": "string"})]
"""The word for a kind of feature."""


Heading = Annotated[float, Field(ge=-360, le=360)]
"""A direction, degrees from +X."""


class FeatureSection(FileSection):
    """A feature of the drawing: `place` in its body's frame; for a bore or boss the middle of its upper edge.

    One on a sloping face has its own frame turned by `tilt` about X and then Y of its body's, degrees, and then by
    `angle` about its own Z; it is measured with rotary axes at its `stance`, which brings that Z to the spindle.
    Without a stance of its own it has that of its body.
    """

    name: Annotated[str, Field(pattern=r"^[a-z][a-z0-9 -]{0,23}$")]
    title: Name
    kind: KindWord
    body: str
    solid: str
    place: Place
    walls: list[Literal["LEFT", "RIGHT", "UP", "DOWN", "BELOW"]] = ["LEFT", "RIGHT", "DOWN", "UP"]
    size: Length | None = None
    size_y: Length | None = None
    size_limit: Length | None = None
    depth: float = Field(default=0.0, ge=0, le=500)
    over: bool = False
    angle: float = Field(default=0.0, ge=-360, le=360)
    tilt: Annotated[tuple[float, float], Field()] = (0.0, 0.0)
    stance: Stance | None = None
    of: Annotated[list[str], Field(min_length=2, max_length=2)] | None = None
    spread: Length | None = None
    second_depth: Length | None = None
    headings: Annotated[list[Annotated[float, Field(ge=-360, le=360)]], Field(min_length=2, max_length=36)] | None = (
        None
    )
    balloon: int | None = Field(default=None, ge=1, le=9999)
    tolerance: tuple[float, float] | None = None
    form_tolerance: float | None = Field(default=None, ge=0, le=5)
    asks: Annotated[list[Annotated[str, Field(max_length=160)]], Field(max_length=20)] = []
    asks_unit: Literal["mm", "inch"] = "mm"

    def lacks(self) -> list[str]:
        """What its kind needs and it does not have, in words."""
        kind = FeatureKind(self.kind)
        found = []
        if kind.is_paired and self.size is None:
            found.append(f"{kind.one} needs its size")
        if kind.has_two_sizes != (self.size_y is not None):
            found.append(f"{kind.one} {'needs' if kind.has_two_sizes else 'has no'} size_y")
        if kind.is_built != (self.of is not None):
            found.append(f"{kind.one} {'needs' if kind.is_built else 'has no'} of: the two features it is built from")
        if kind.needs_spread and self.spread is None:
            found.append(f"{kind.one} needs spread: how far apart its touches lie")
        if self.spread is not None and kind.traits.apart is Apart.NEVER:
            found.append(f"{kind.one} has no spread")
        if (kind.has_levels) != (self.second_depth is not None):
            found.append("second_depth belongs to a tilted bore, and is needed there")
        if self.headings is not None and not kind.may_be_free:
            found.append("headings belong to a bore or a boss")
        if sorted(self.walls) not in _WALLS[kind.traits.walls]:
            found.append(f"{kind.one} cannot have the walls {', '.join(self.walls)}")
        return found


class WordSection(FileSection):
    """What is written on the part's drawing, and where, in the part's frame."""

    text: Annotated[str, Field(min_length=1, max_length=80)]
    at: Point


class PlaceSection(FileSection):
    """A place on the fixture: the body it holds (None: it is empty) and the rows that are used there."""

    name: Annotated[str, Field(max_length=12)]
    face: int
    column: int
    row: int
    body: Name | None
    stance: Stance
    rows: list[Annotated[str, Field(pattern=ROW)]]


class SceneFile(FileSection):
    """A whole scene."""

    units: Literal["mm"]
    job: JobSection
    machine: MachineSection
    probe: ProbeSection
    tool: list[ToolSection] = []
    hand_tool: list[HandToolSection] = []
    setter: SetterSection | None = None
    offsets: dict[str, Place] = {}
    body: list[BodySection] = []
    feature: list[FeatureSection] = []
    row: list[RowSection] = []
    word: Annotated[list[WordSection], Field(max_length=200)] = []
    place: list[PlaceSection] = []
    skip_flags: int | None = None


_LINES = ("surface", "edge", "slot", "web")


def _built(scene: SceneFile, number: int, feature: FeatureSection) -> list[Fault]:
    """What a feature is built from: known before it, and points or lines as its kind wants."""
    place, known = f"feature.{number}.of", {before.name: before for before in scene.feature[:number]}
    findings = []
    for name in feature.of or ():
        if name not in known:
            findings.append(Fault(place, f"there is no feature “{name}” before it"))
            continue
        other = known[name]
        is_line = other.kind in _LINES and other.walls != ["BELOW"]
        if (feature.kind == "intersection") != is_line or other.kind == "plane" or other.walls == ["BELOW"]:
            wanted = "lines: edges, faces, slots" if feature.kind == "intersection" else "points: bores, corners"
            findings.append(Fault(place, f"{name} is none of its {wanted}"))
    return findings


def _parents(scene: SceneFile) -> list[Fault]:
    """Rows that others are derived from: they are there, one for each row, and none follows itself."""
    rows = {row.row: row for row in scene.row}
    parents: dict[str, str] = {}
    findings = []
    for row in scene.row:
        named = {rule.parent for rule in (row.x, row.y, row.z, row.r) if rule is not None and rule.parent}
        findings += [Fault(f"row.{row.row}", f"there is no row {name}") for name in sorted(named - rows.keys())]
        if len(named) > 1:
            findings.append(Fault(f"row.{row.row}", f"it is derived from {' and '.join(sorted(named))} both"))
        for name in named:
            parents[row.row] = name
    for start in parents:
        seen, at = {start}, parents[start]
        while at in parents and at not in seen:
            seen.add(at)
            at = parents[at]
        if at == start:
            findings.append(Fault(f"row.{start}", "it is derived from itself"))
    return findings


def _wrong_stance(scene: SceneFile, stance: Stance) -> list[str]:
    """Angles that the machine's rotary axes cannot stand at."""
    axes = {rotary.letter: rotary for rotary in scene.machine.rotary}
    found = [f"the machine has no rotary axis {letter}" for letter in stance if letter not in axes]
    for letter, angle in stance.items():
        if letter in axes:
            try:
                found += filter(None, [axes[letter].axis().why_not_at(angle)])
            except BriskAnchorError:
                continue  # told of the axis itself
    return found


def _setter_beyond_reach(scene: SceneFile) -> list[Fault]:
    if scene.machine.kind != "horizontal mill" or scene.setter is None or scene.setter.at is None:
        return []
    return [Fault("setter", "a setter on the table of a horizontal mill cannot be touched: leave its place out")]


def check_scene(scene: SceneFile) -> list[Fault]:
    """Names that point at nothing, and figures that contradict each other across sections."""
    findings = []
    solids = {(body.name, solid.name) for body in scene.body for solid in body.solid}
    names = [feature.name for feature in scene.feature]
    for kind, listed in (
        ("feature", names),
        ("body", [b.name for b in scene.body]),
        ("row", [r.row for r in scene.row]),
        ("tool", [f"T{t.number}" for t in scene.tool] + [f"T{scene.probe.tool_number}"]),
    ):
        findings += [Fault(kind, f"“{name}” is named twice") for name in sorted(set(listed)) if listed.count(name) > 1]
    for number, feature in enumerate(scene.feature):
        place = f"feature.{number}"
        if (feature.body, feature.solid) not in solids:
            findings.append(Fault(place, f"there is no solid “{feature.solid}” in a body “{feature.body}”"))
        findings += [Fault(place, reason) for reason in feature.lacks()]
        findings += [Fault(f"{place}.stance", words) for words in _wrong_stance(scene, feature.stance or {})]
        findings += _built(scene, number, feature)
    for number, body in enumerate(scene.body):
        if body.on == "rotary table" and not scene.machine.rotary:
            findings.append(Fault(f"body.{number}.on", "the machine has no rotary axes"))
        if body.stance and body.on != "rotary table":
            findings.append(Fault(f"body.{number}.stance", "it is not on the rotary table: no angle moves it"))
        findings += [Fault(f"body.{number}.stance", words) for words in _wrong_stance(scene, body.stance)]
    for row in scene.row:
        for axis in "xyz":
            rule: RuleSection = getattr(row, axis)
            if rule.table is not None and rule.table not in {rotary.letter for rotary in scene.machine.rotary}:
                findings.append(Fault(f"row.{row.row}.{axis}", f"the machine has no rotary axis {rule.table}"))
            for name in filter(None, (rule.feature, rule.other, *(rule.fit or ()))):
                if name not in names:
                    findings.append(Fault(f"row.{row.row}.{axis}", f"there is no feature “{name}”"))
        upright = {axis.letter for axis in scene.machine.rotary if abs(axis.direction[2]) > 0.999999}
        if row.r is not None and row.r.table is not None and row.r.table not in upright:
            findings.append(Fault(f"row.{row.row}.r", f"the machine has no table {row.r.table} about Z"))
        for name in filter(None, (row.r.feature, row.r.other) if row.r else ()):
            if name not in names:
                findings.append(Fault(f"row.{row.row}.r", f"there is no feature “{name}”"))
    findings += _setter_beyond_reach(scene) + _parents(scene)
    try:
        scene.probe.stylus()
    except BriskAnchorError as error:
        findings.append(Fault("probe", error.what))
    for number, hand in enumerate(scene.hand_tool):
        try:
            hand.tool()
        except BriskAnchorError as error:
            findings.append(Fault(f"hand_tool.{number}", error.what))
    for number, rotary in enumerate(scene.machine.rotary):
        try:
            rotary.axis()
        except BriskAnchorError as error:
            findings.append(Fault(f"machine.rotary.{number}", error.what))
    return findings


def parse_scene(text: str, source: str) -> SceneFile:
    """Read a scene from TOML text; `source` names it in messages.

    Raises:
        SceneError: with every fault that was found; nothing is half loaded.
    """
    try:
        data = toml_sections(text)
    except tomllib.TOMLDecodeError as error:
        raise SceneError(source, (Fault("TOML", str(error)),)) from error
    units = data.get("units")
    if units != "mm":
        reason = 'units are missing: write units = "mm"' if units is None else f"units are “{units}”, scenes are in mm"
        raise SceneError(source, (Fault("units", reason),), "Convert every figure to millimetres and state it")
    try:
        scene = strictly(SceneFile, data)
    except ValidationError as error:
        raise SceneError(source, findings_of(error)) from error
    if findings := check_scene(scene):
        raise SceneError(source, tuple(findings))
    return scene


def shipped_scenes() -> list[str]:
    """Names of the scenes that ship with the application."""
    folder = resources.files("brisk_anchor.standin") / "scenes"
    return sorted(e.name.removesuffix(".toml") for e in folder.iterdir() if e.name.endswith(".toml"))


def load_scene(name_or_path: str) -> SceneFile:
    """A shipped scene by name, or a file.

    Raises:
        SceneError: when there is none, it cannot be read, or it has faults.
    """
    if name_or_path in shipped_scenes():
        text = (resources.files("brisk_anchor.standin") / "scenes" / f"{name_or_path}.toml").read_text(encoding="utf-8")
        return parse_scene(text, name_or_path)
    path = Path(name_or_path)
    try:
        data = read_at_most(path, _MAX_BYTES)
        text = data.decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        known = ", ".join(shipped_scenes())
        raise SceneError(name_or_path, (Fault("", why_unread(error)),), f"Give a file, or one of: {known}") from error
    if len(data) > _MAX_BYTES:
        raise SceneError(path.name, (Fault("", f"larger than {_MAX_BYTES} bytes"),))
    return parse_scene(text, path.name)
