"""The files of a job as models: machine, part, fixture, and the job that brings them together. All in mm by now.

The fields are explained in docs/formats.md; `brisk-anchor schema` prints them as JSON schemas.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from brisk_anchor.standin.scene_file import (
    FeatureSection,
    MachineSection,
    ProbeFigures,
    ProbeSection,
    RealProbeSection,
    RowSection,
    ToolSection,
)
from brisk_anchor.standin.solid_file import Coordinate, Length, Name, Place, Section, SolidSection

NO_LENGTHS = frozenset(
    (
        *("units", "form", "number", "tool_number", "balloon", "program"),
        *("turn", "seat_turn", "at_turn", "slope", "sense", "direction", "letter", "over", "walls"),
        *("angle_low", "angle_high", "angle_rapid"),
    )
)
"""Fields whose figures are no lengths: they are the same in a file in inches."""

RelativeFile = Annotated[str, Field(max_length=120, pattern=r"^[A-Za-z0-9_][A-Za-z0-9_.\- ]*$")]
"""A file beside the job's own: a plain name, no way out of the folder."""
Length0 = Annotated[float, Field(ge=0, le=20_000)]
Turn = Annotated[float, Field(ge=-360, le=360)]
"""About Z, degrees."""
Angle = Annotated[float, Field(ge=-30, le=30)]


class Variation(Section):
    """How far, each way, real parts differ from the description: place, turn (degrees), sizes, heights of tops."""

    shift: tuple[Coordinate, Coordinate, Coordinate] = (0.0, 0.0, 0.0)
    turn: tuple[Angle, Angle, Angle] = (0.0, 0.0, 0.0)
    size: float = Field(default=0.0, ge=0, le=10)
    rise: float = Field(default=0.0, ge=0, le=10)
    slope: float = Field(default=0.0, ge=0, le=0.05)


class RotaryTable(Section):
    """A rotary axis of the machine; angles in degrees."""

    letter: Literal["A", "B", "C"]
    direction: tuple[float, float, float]
    centre: Place
    sense: Literal[1, -1]
    angle_low: float | None = None
    angle_high: float | None = None
    angle_rapid: float = Field(gt=0, le=1_000_000)


class ProbeTable(ProbeFigures):
    """The probe as calibrated; `over_travel` is how far the stylus gives before it breaks."""

    over_travel: float = Field(gt=0, le=30)

    def section(self, real: RealProbeSection) -> ProbeSection:
        """The same for a scene, with the probe as it really is."""
        return ProbeSection(**self.model_dump(exclude={"over_travel"}), real=real)


class MachineFile(Section):
    """machine.toml: what a shop keeps and shares."""

    form: Literal["brisk-anchor-machine-file-1"]
    units: Literal["mm", "inch"]
    name: Name
    kind: Literal["vertical mill", "horizontal mill", "mill with rotary table", "trunnion mill", "lathe"]
    profile: Annotated[str, Field(max_length=200)]
    connection: Literal["stand-in", "nothing"]
    tool_axis: Literal["+Z", "-Z", "+X", "-X", "+Y", "-Y"] = "+Z"
    travel_low: Place
    travel_high: Place
    home: Place
    table: tuple[Coordinate, Coordinate, Coordinate, Coordinate, Coordinate]
    rapid: float = Field(gt=0)
    acceleration: float = Field(gt=0)
    probe: ProbeTable
    tool: list[ToolSection] = []
    rotary: list[RotaryTable] = []

    @model_validator(mode="after")
    def _like_a_machine(self) -> Self:
        for axis, low, high in zip("XYZ", self.travel_low, self.travel_high, strict=True):
            if self.kind == "lathe" and axis == "Y":
                continue
            if 0 < high - low < 50:
                other = "inch" if self.units == "mm" else "mm"
                raise ValueError(
                    f"{axis} travels only {high - low:g} mm: are these figures in {other}? The file says {self.units}"
                )
            if high - low > 15_000:
                raise ValueError(f'{axis} travels {high - low:g} mm: did you mean units = "mm"?')
        self.section()
        return self

    def section(self) -> MachineSection:
        """The same for a scene; the spindle stands at home."""
        rotary = [
            {
                "letter": r.letter,
                "direction": r.direction,
                "centre": r.centre,
                "sense": r.sense,
                "low": r.angle_low,
                "high": r.angle_high,
                "rapid": r.angle_rapid,
            }
            for r in self.rotary
        ]
        wanted = self.model_dump(exclude={"form", "units", "connection", "probe", "tool", "rotary"})
        return MachineSection.model_validate(wanted | {"rotary": rotary, "position": self.home})


class JobFeature(FeatureSection):
    """A feature of the drawing, with its balloon number and tolerance (least and most, from nominal)."""

    body: str = ""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.body:
            raise ValueError("the body is the file's own: leave it out")
        if lacks := self.lacks():
            raise ValueError("; ".join(lacks))
        if self.tolerance is not None and self.tolerance[0] > self.tolerance[1]:
            raise ValueError("the tolerance runs from the larger to the smaller")
        return self


class BodyFile(Section):
    """What part and fixture have in common: solids and features in their own frame, and how real ones differ."""

    units: Literal["mm", "inch"]
    name: Name
    title: Annotated[str, Field(max_length=120)] = ""
    solid: list[SolidSection] = Field(min_length=1)
    feature: list[JobFeature] = []
    variation: Variation = Variation()

    @model_validator(mode="after")
    def _nominal(self) -> Self:
        holes = [hole for solid in self.solid for hole in solid.holes]
        if any(solid.real or solid.real_diameter for solid in self.solid) or any(hole.real_diameter for hole in holes):
            raise ValueError("a description is nominal: errors of real life come from variation")
        rounds = [hole.diameter for hole in holes] + [s.diameter for s in self.solid if s.diameter]
        if rounds and self.variation.size >= min(rounds) / 2:
            raise ValueError(f"sizes vary by {self.variation.size:g} mm, and the smallest round is {min(rounds):g} mm")
        return self


class Stock(Section):
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


class FixtureFile(BodyFile):
    """fixture.toml: `at` is where its zero lies on the machine (tip without a tool)."""

    form: Literal["brisk-anchor-fixture-1"]
    kind: Literal["vice", "sub-plate", "pallet", "chuck", "angle plate", "spacers"]
    at: Place
    at_turn: Turn = 0.0
    on: Literal["table", "rotary table"] = "table"


class Spacer(Section):
    """A spacer between the part and a stop: the seat moves by its thickness along an axis of the fixture."""

    name: Name
    along: Literal["X", "-X", "Y", "-Y", "Z"]
    thickness: Length


class Operation(Section):
    """An operation of the job and the offset it uses."""

    name: Name
    offset: Annotated[str, Field(pattern=r"^G5[4-9]$")]
    comment: Annotated[str, Field(max_length=120)] = ""


class JobFile(Section):
    """job.toml: brings machine, part and fixture together.

    `seat` is the part's zero in the fixture's frame, `seat_turn` how its drawing is turned there; `note` holds what the
    person at the machine must know about clamping.
    """

    form: Literal["brisk-anchor-job-1"]
    units: Literal["mm", "inch"]
    name: Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9][A-Za-z0-9 _.\-]*$")]
    title: Annotated[str, Field(max_length=120)]
    company: Annotated[str, Field(max_length=80)] = ""
    machine: RelativeFile
    part: RelativeFile
    fixture: RelativeFile
    seat: Place
    seat_turn: Turn = 0.0
    spacer: list[Spacer] = []
    program: int | None = Field(default=None, ge=1, le=9999)
    program_comment: Annotated[str, Field(max_length=60)] = ""
    note: Annotated[list[Annotated[str, Field(max_length=160)]], Field(max_length=12)] = []
    clear_height: Coordinate
    start_uncertainty: float = Field(ge=0.01, le=20)
    offset: list[RowSection] = Field(min_length=1)
    operation: list[Operation] = []

    @model_validator(mode="after")
    def _known_offsets(self) -> Self:
        rows = {row.row for row in self.offset}
        for operation in self.operation:
            if operation.offset not in rows:
                raise ValueError(f"operation {operation.name} uses {operation.offset}, which has no [[offset]] here")
        return self
