"""The files of a job as models: machine, part, fixture, and the job that brings them together. All in mm by now.

The fields are explained in docs/formats.md; `brisk-anchor schema` prints them as JSON schemas.
"""

from __future__ import annotations

import math
from datetime import date
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.quantities import dim
from brisk_anchor.services.job import link_section
from brisk_anchor.services.job.fixture_shapes import AnglePlate, Chuck, Plate, Vice
from brisk_anchor.standin.row_file import RowSection
from brisk_anchor.standin.scene_file import (
    FeatureSection,
    MachineSection,
    OperationSection,
    TemperatureSection,
    WordSection,
)
from brisk_anchor.standin.solid_file import Coordinate, FileSection, Length, Name, Place, SolidSection
from brisk_anchor.standin.tool_file import (
    HandToolSection,
    ProbeFigures,
    ProbeSection,
    RealProbeSection,
    SetterSection,
    ToolSection,
)

_MOST_SOLIDS, _MOST_FEATURES = 500, 1_500
"""Of a part or a fixture: more than a drawing gives, and as many as are worked on while somebody waits."""
NO_LENGTHS = link_section.NO_LENGTHS | frozenset(
    (
        *("units", "form", "number", "tool_number", "balloon", "program", "jaws", "valid_days", "master"),
        *("count", "columns", "rows", "first_angle", "heading", "headings", "turn_uncertainty"),
        *("turn", "angle", "seat_turn", "at_turn", "slope", "sense", "direction", "letter", "over", "walls"),
        *("angle_low", "angle_high", "angle_rapid", "rotary.u_direction"),
        *("first_angle", "skip_flags", "face_count", "face", "tilt", "A", "B", "C", "angle_step"),
        *("u_scale", "u_square", "temperature", "repeats", "touch_feed", "part", "scale", "u_part", "tools"),
    )
)
"""Fields whose figures are no lengths: they are the same in a file in inches."""

RelativeFile = Annotated[str, Field(max_length=120, pattern=r"^[A-Za-z0-9_][A-Za-z0-9_.\- ]*$")]
"""A file beside the job's own: a plain name, no way out of the folder."""
Length0 = Annotated[float, Field(ge=0, le=20_000)]
Turn = Annotated[float, Field(ge=-360, le=360)]
"""About Z, degrees."""


_Off = Annotated[float, Field(ge=0, le=20)]
_Lean = Annotated[float, Field(ge=0, le=30)]


class Variation(FileSection):
    """How far, each way, real parts differ from the description: place, turn (degrees), sizes, heights of tops."""

    shift: tuple[_Off, _Off, _Off] = (0.0, 0.0, 0.0)
    turn: tuple[_Lean, _Lean, _Lean] = (0.0, 0.0, 0.0)
    size: float = Field(default=0.0, ge=0, le=10)
    rise: float = Field(default=0.0, ge=0, le=10)
    slope: float = Field(default=0.0, ge=0, le=0.05)


class RotaryTable(FileSection):
    """A rotary axis of the machine; angles in degrees.

    `measured` is the day its centre was, `proved` that its sense was, by a small turn. Where pallets are changed the
    same axis stands once for each `pallet`, with what was measured on it.
    """

    letter: Literal["A", "B", "C"]
    direction: tuple[float, float, float]
    centre: Place
    u_centre: float | None = Field(default=None, ge=0, le=1)
    u_direction: float = Field(default=0.0, ge=0, le=1)
    pallet: Name | None = None
    sense: Literal[1, -1]
    angle_low: float | None = None
    angle_high: float | None = None
    angle_rapid: float = Field(gt=0, le=1_000_000)
    angle_step: float | None = Field(default=None, gt=0, le=180)
    measured: date | None = None
    proved: date | None = None


class ProbeTable(ProbeFigures):
    """The probe as calibrated; `over_travel` is how far the stylus gives before it breaks."""

    over_travel: float = Field(gt=0, le=30)

    def section(self, real: RealProbeSection) -> ProbeSection:
        """The same for a scene, with the probe as it really is."""
        return ProbeSection(**self.model_dump(exclude={"over_travel"}), real=real)


class MachineDescription(FileSection):
    """machine.toml: what a shop keeps and shares."""

    form: Literal["brisk-anchor-machine-file-1"]
    units: Literal["mm", "inch"]
    display: Literal["mm", "inch"] | None = None
    name: Name
    kind: Literal["vertical mill", "horizontal mill", "mill with rotary table", "trunnion mill", "lathe"]
    profile: Annotated[str, Field(max_length=200)]
    connection: Literal["stand-in", "nothing"] | None = None
    link: link_section.LinkSection | None = None
    tool_axis: Literal["+Z", "-Z", "+X", "-X", "+Y", "-Y"] = "+Z"
    travel_low: Place
    travel_high: Place
    home: Place
    table: tuple[Coordinate, Coordinate, Coordinate, Coordinate, Coordinate]
    rapid: float = Field(gt=0)
    acceleration: float = Field(gt=0)
    u_scale: float | None = Field(default=None, ge=0, le=0.001)
    u_square: float | None = Field(default=None, ge=0, le=0.1)
    probe: ProbeTable
    tool: Annotated[list[ToolSection], Field(max_length=999)] = []
    hand_tool: Annotated[list[HandToolSection], Field(max_length=100)] = []
    setter: SetterSection | None = None
    rotary: Annotated[list[RotaryTable], Field(max_length=6)] = []

    @model_validator(mode="after")
    def _like_a_machine(self) -> Self:
        if (self.connection is None) == (self.link is None):
            raise ValueError("give [link] for a control at the other end, or connection: stand-in or nothing")
        for axis, low, high in zip("XYZ", self.travel_low, self.travel_high, strict=True):
            if self.kind == "lathe" and axis == "Y":
                continue
            if 0 < high - low < 50:
                other = "inch" if self.units == "mm" else "mm"
                raise ValueError(
                    f"{axis} travels only {dim(high - low)}: are these figures in {other}? The file says {self.units}"
                )
            if high - low > 15_000:
                raise ValueError(f'{axis} travels {dim(high - low)}: did you mean units = "mm"?')
        axes = [(axis.letter, axis.pallet) for axis in self.rotary]
        if twice := next((letter for letter, pallet in axes if axes.count((letter, pallet)) > 1), None):
            raise ValueError(f"axis {twice} stands there twice: give each a pallet of its own")
        self.section()
        return self

    def on_pallet(self, pallet: str | None) -> Self:
        """The machine with its axes as they were measured on a pallet; None: on the first of each.

        Raises:
            ValueError: nothing was measured on that pallet.
        """
        known = [axis.pallet for axis in self.rotary if axis.pallet is not None]
        if pallet is not None and pallet not in known:
            has = ", ".join(dict.fromkeys(known)) or "none"
            raise ValueError(f"no axis of {self.name} was measured on pallet {pallet}; it knows {has}")
        chosen: dict[str, RotaryTable] = {}
        for axis in self.rotary:
            if axis.letter not in chosen or (pallet is not None and axis.pallet == pallet):
                chosen[axis.letter] = axis
        return self.model_copy(update={"rotary": list(chosen.values())})

    def section(self) -> MachineSection:
        """The same for a scene; the spindle stands at home."""
        rotary = [
            {
                "letter": r.letter,
                "direction": r.direction,
                "centre": r.centre,
                "sense": r.sense,
                "u_centre": r.u_centre,
                "u_direction": r.u_direction,
                "low": r.angle_low,
                "high": r.angle_high,
                "rapid": r.angle_rapid,
                "step": r.angle_step,
                "measured": r.measured,
                "proved": r.proved,
            }
            for r in self.on_pallet(None).rotary
        ]
        others = {"form", "units", "display", "probe", "tool", "hand_tool", "setter", "rotary", "link", "connection"}
        wanted = self.model_dump(exclude=others) | {"connection": self.connection or "link"}
        return MachineSection.model_validate(wanted | {"rotary": rotary, "position": self.home})


class Pattern(FileSection):
    """A feature repeated: `count` times on a `circle` about its place (diameter; the first at `first_angle`, degrees),
    or in `columns` and `rows` at a `pitch` from its place.
    """

    count: int | None = Field(default=None, ge=2, le=100)
    circle: Length | None = None
    first_angle: float = Field(default=0.0, ge=-360, le=360)
    columns: int | None = Field(default=None, ge=1, le=50)
    rows: int | None = Field(default=None, ge=1, le=50)
    pitch: tuple[Coordinate, Coordinate] | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        round_, square = (self.count, self.circle), (self.columns, self.rows, self.pitch)
        if all(round_) == all(square) or any(round_) != all(round_) or any(square) != all(square):
            raise ValueError("a pattern has either count and circle, or columns, rows and pitch")
        return self


class JobFeature(FeatureSection):
    """A feature of the drawing, with its balloon number and tolerance (least and most, from nominal).

    It may make its own metal: `cut` into its solid, "through" or that deep; or `stands` that high, up to its place. The
    `length` of a slot or web is needed then. `pattern` repeats it.
    """

    body: str = ""
    cut: Literal["through"] | Length | None = None
    stands: Length | None = None
    length: Length | None = None
    pattern: Pattern | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.body:
            raise ValueError("the body is the file's own: leave it out")
        kind = FeatureKind(self.kind)
        lacks = self.lacks()
        if self.cut is not None and (not kind.is_paired or kind.is_outside):
            lacks.append(f"{kind.one} cuts nothing")
        if self.stands is not None and not (kind.is_outside and kind.is_paired):
            lacks.append(f"{kind.one} stands on nothing")
        makes = self.cut is not None or self.stands is not None
        if (self.length is not None) != (makes and kind.is_one_pair):
            lacks.append("length belongs to a slot that is cut or a web that stands, and to nothing else")
        if self.pattern is not None and self.name[-1:].isdigit():
            lacks.append("the name of a pattern must not end in a figure: its features are numbered")
        if lacks:
            raise ValueError("; ".join(lacks))
        if self.tolerance is not None and self.tolerance[0] > self.tolerance[1]:
            raise ValueError("the tolerance runs from the larger to the smaller")
        return self


class BodyFile(FileSection):
    """What part and fixture have in common: solids and features in their own frame, and how real ones differ."""

    units: Literal["mm", "inch"]
    name: Name
    title: Annotated[str, Field(max_length=120)] = ""
    solid: list[SolidSection] = Field(min_length=1, max_length=_MOST_SOLIDS)
    feature: Annotated[list[JobFeature], Field(max_length=_MOST_FEATURES)] = []
    variation: Variation = Variation()

    @model_validator(mode="after")
    def _nominal(self) -> Self:
        holes = [hole for solid in self.solid for hole in solid.holes]
        slots = [slot for solid in self.solid for slot in solid.slots]
        real = [solid.real or solid.real_diameter or solid.real_size for solid in self.solid]
        if any((*real, *(hole.real_diameter for hole in holes), *(slot.real_size for slot in slots))):
            raise ValueError("a description is nominal: errors of real life come from variation")
        rounds = [hole.diameter for hole in holes] + [s.diameter for s in self.solid if s.diameter]
        if rounds and self.variation.size >= min(rounds) / 2:
            raise ValueError(f"sizes vary by {dim(self.variation.size)}, and the smallest round is {dim(min(rounds))}")
        boxes = [(solid.low, solid.high) for solid in self.solid] + [(slot.low, slot.high) for slot in slots]
        sides = [b - a for low, high in boxes if low and high for a, b in zip(low, high, strict=True)]
        if sides and self.variation.size >= min(sides) / 2:
            raise ValueError(f"sizes vary by {dim(self.variation.size)}, and the shortest side is {dim(min(sides))}")
        return self


class Stock(FileSection):
    """A block round the part: `allowance` on left, right, front, back, bottom and top; or a fixed `size`, centred on
    the part in X and Y with `allowance` at the bottom; rounded up to a `step` where one is given. Or a `bar` of that
    diameter along Z, with allowance at the bottom and the top.
    """

    allowance: tuple[Length0, Length0, Length0, Length0, Length0, Length0] = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    size: tuple[Length, Length, Length] | None = None
    step: Length | None = None
    bar: Length | None = None

    @model_validator(mode="after")
    def _block_or_bar(self) -> Self:
        if self.bar is not None and (self.size is not None or any(self.allowance[:4])):
            raise ValueError("a bar has no size and no allowance at its sides: give bar, and allowance at the ends")
        return self


class PartFile(BodyFile):
    """part.toml: the drawing's datum frame is its own frame."""

    form: Literal["brisk-anchor-part-1"]
    stock: Stock | None = None
    word: Annotated[list[WordSection], Field(max_length=200)] = []


_FIXTURES = {
    "tombstone": "faces",
    "vices": "vice",
    "vice": "vice",
    "chuck": "chuck",
    "angle plate": "angle_plate",
    "sub-plate": "plate",
    "pallet": "plate",
    "spacers": "plate",
}
"""Kinds of fixtures, and the table each is described by where it has no solids of its own."""


class FixtureFile(BodyFile):
    """fixture.toml: `at` is where its zero lies on the machine (tip without a tool), `at_turn` how it is turned there.

    Its solids are those that `vice`, `chuck`, `angle_plate`, `plate` or `faces` make, and those that are drawn. Places
    for many parts are `places` in columns and rows, or each a `place` of its own; a fixture of `vices` has a vice at
    each of them. `pallet` is the machine's pallet that it stands on, where each has centres of rotation of its own.
    """

    form: Literal["brisk-anchor-fixture-1"]
    kind: Literal["vice", "sub-plate", "pallet", "chuck", "angle plate", "spacers", "tombstone", "vices"]
    solid: Annotated[list[SolidSection], Field(max_length=_MOST_SOLIDS)] = []
    vice: Vice | None = None
    chuck: Chuck | None = None
    angle_plate: AnglePlate | None = None
    plate: Plate | None = None
    faces: Faces | None = None
    places: Places | None = None
    place: Annotated[list[Nest], Field(max_length=100)] = []
    at: Place
    at_turn: Turn = 0.0
    on: Literal["table", "rotary table"] = "table"
    pallet: Name | None = None

    @model_validator(mode="after")
    def _of_its_kind(self) -> Self:
        given = [name for name in dict.fromkeys(_FIXTURES.values()) if getattr(self, name) is not None]
        if wrong := [name for name in given if name != _FIXTURES[self.kind]]:
            raise ValueError(f"a {self.kind} is not described by [{wrong[0]}]")
        if not self.solids and self.faces is None and self.kind != "vices":
            raise ValueError(f"there is nothing of it: give [{_FIXTURES[self.kind]}], or [[solid]]")
        if self.kind == "tombstone" and self.faces is None:
            raise ValueError("a tombstone needs its [faces]")
        if self.faces is not None and (self.on != "rotary table" or self.at_turn):
            raise ValueError('a tombstone stands on = "rotary table", and is turned by that alone: leave at_turn out')
        if self.kind == "vices" and (self.places is None or self.vice is None):
            raise ValueError("vices need one [vice], and [places] for it")
        return self._places_in_order()

    def _places_in_order(self) -> Self:
        if self.places is not None and self.place:
            raise ValueError("give [places] in columns and rows, or each [[place]], not both")
        names = [nest.name for nest in self.place]
        if len(set(names)) != len(names):
            raise ValueError("two places have the same name")
        faces = self.faces.count if self.faces is not None else 1
        if any(nest.face > faces for nest in self.place):
            raise ValueError(f"a place is on a face that is not there: it has {faces}")
        return self

    @property
    def solids(self) -> list[SolidSection]:
        """All its solids, in its own frame, apart from its faces, and of vices those that stand at its places."""
        shape = self.chuck or self.angle_plate or self.plate or (self.vice if self.kind == "vice" else None)
        return [*(shape.solids() if shape else ()), *self.solid]


class Faces(FileSection):
    """The faces of a tombstone, alike, about a rotary axis. A face's own zero is its left corner below, Z out of it.

    The fixture's zero lies on the axis, level with the lower edges. Face 1 looks at the spindle with the table at
    `first_angle`, the others follow in whole shares of a turn. `distance` is from the axis to a face. `feature`s are on
    every face, numbered like it.
    """

    count: int = Field(ge=2, le=8)
    letter: Literal["A", "B", "C"] = "B"
    first_angle: Turn = 0.0
    width: Length
    height: Length
    distance: Length
    thickness: Length
    feature: Annotated[list[JobFeature], Field(max_length=_MOST_FEATURES)] = []

    @model_validator(mode="after")
    def _like_a_column(self) -> Self:
        if self.thickness > self.distance:
            raise ValueError(f"its faces are {dim(self.thickness)} thick and {dim(self.distance)} from the axis")
        widest = 2 * self.distance * math.tan(math.pi / self.count) if self.count > 2 else math.inf
        if self.width > widest + 1e-6:
            raise ValueError(
                f"{self.count} faces {dim(self.distance)} from the axis are {dim(widest)} wide at the most"
            )
        for feature in self.feature:
            half = (feature.size or 0.0) / 2
            if not self.thickness + half <= feature.place[0] <= self.width - self.thickness - half:
                raise ValueError(f"{feature.name} lies nearer to a side of its face than the next face is thick")
        return self

    def angle(self, face: int) -> float:
        """Where the table stands when a face, counted from 1, looks at the spindle, degrees, within half a turn."""
        angle = self.first_angle + 360 / self.count * (face - 1)
        return round(angle - 360 * math.ceil(angle / 360 - 0.5), 9)

    def solid(self) -> SolidSection:
        """A face in its own frame."""
        return SolidSection(
            name="face", shape="block", low=(0.0, 0.0), high=(self.width, self.height), bottom=-self.thickness, top=0.0
        )


class PlaceOfItsOwn(FileSection):
    """How far the part at one place may lie off, where that is not as everywhere."""

    name: Annotated[str, Field(max_length=12)]
    variation: Variation


class Places(FileSection):
    """Places for parts on the fixture, or on each of its faces, in columns and rows: where the first one's zero lies in
    the fixture's or the face's frame, how far the others lie from it, and how all are turned there.
    """

    columns: int = Field(ge=1, le=50)
    rows: int = Field(ge=1, le=50)
    pitch: tuple[Coordinate, Coordinate] = (0.0, 0.0)
    first: Place = (0.0, 0.0, 0.0)
    turn: Turn = 0.0
    own: Annotated[list[PlaceOfItsOwn], Field(max_length=400)] = []

    @model_validator(mode="after")
    def _apart(self) -> Self:
        for count, pitch, word in zip((self.columns, self.rows), self.pitch, ("columns", "rows"), strict=True):
            if count > 1 and not pitch:
                raise ValueError(f"{count} {word} need a pitch")
        return self


class Nest(FileSection):
    """One place for a part that is located on its own: its zero in the fixture's or its face's frame."""

    name: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,9}$")]
    at: Place
    turn: Turn = 0.0
    face: int = Field(default=1, ge=1, le=8)
    variation: Variation | None = None


class Repeat(FileSection):
    """How the part is repeated over the fixture's places.

    Of its faces, columns and rows the first so many are used, all where nothing is said. Places are numbered face by
    face, on each along its rows or its columns. An `empty` place has no part; with `skip_flags` a program sets one
    variable a place from that on, to 1 where it is empty and else to 0. `offsets` says what the rows stand for: each
    part, each face, the centre of rotation, or one measured part that all others are derived from.
    """

    face_count: int | None = Field(default=None, ge=1, le=8)
    columns: int | None = Field(default=None, ge=1, le=50)
    rows: int | None = Field(default=None, ge=1, le=50)
    numbering: Literal["rows", "columns"] = "rows"
    empty: Annotated[list[Annotated[str, Field(max_length=12)]], Field(max_length=400)] = []
    skip_flags: int | None = Field(default=None, ge=31, le=4999)
    offsets: Literal["part", "face", "centre", "derived"] = "part"


class Spacer(FileSection):
    """A spacer between the part and a stop: the seat moves by its thickness along an axis of the fixture."""

    name: Name
    along: Literal["X", "-X", "Y", "-Y", "Z"]
    thickness: Length


class JobFile(FileSection):
    """job.toml: brings machine, part and fixture together.

    `seat` is the part's zero in the fixture's frame, `seat_turn` how its drawing is turned there; `note` holds what the
    person at the machine must know about clamping.
    """

    form: Literal["brisk-anchor-job-1"]
    units: Literal["mm", "inch"]
    display: Literal["mm", "inch"] | None = None
    name: Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9][A-Za-z0-9 _.\-]*$")]
    title: Annotated[str, Field(max_length=120)]
    company: Annotated[str, Field(max_length=80)] = ""
    machine: RelativeFile
    part: RelativeFile
    fixture: RelativeFile
    seat: Place
    seat_turn: Turn = 0.0
    spacer: Annotated[list[Spacer], Field(max_length=100)] = []
    program: int | None = Field(default=None, ge=1, le=9600)
    program_comment: Annotated[str, Field(max_length=60)] = ""
    note: Annotated[list[Annotated[str, Field(max_length=160)]], Field(max_length=12)] = []
    clear_height: Coordinate
    start_uncertainty: float = Field(ge=0.01, le=20)
    turn_uncertainty: float = Field(default=2.0, ge=0, le=10)
    temperature: TemperatureSection | None = None
    offset: list[RowSection] = Field(min_length=1, max_length=1_000)
    operation: Annotated[list[OperationSection], Field(max_length=1_000)] = []
    repeat: Repeat | None = None

    @model_validator(mode="after")
    def _known_offsets(self) -> Self:
        rows = {row.row for row in self.offset}
        for operation in self.operation:
            if operation.offset not in rows:
                raise ValueError(f"operation {operation.name} uses {operation.offset}, which has no [[offset]] here")
        return self
