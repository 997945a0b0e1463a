"""The file of a job to turn, `turning.toml`: read whole or not at all, and changed line by line.

What is described in words (part, stock, tools …) is read by `set_up_words`; every fault is listed with its line.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated, Literal, Self, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from brisk_anchor.core.errors import BriskAnchorError, Fault, JobError
from brisk_anchor.core.quantities import Unit, dim, num
from brisk_anchor.core.turning.part import TurnedPart
from brisk_anchor.core.turning.setup import Lathe, LatheSetup
from brisk_anchor.core.turning.targets import Approach
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.exchange.folder_change import look_unchanged
from brisk_anchor.exchange.presetter import PresetterColumns
from brisk_anchor.exchange.toml_files import MILLIMETRES, faults_in, finding_at, in_millimetres, parse, read_text
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import ended_as, strictly
from brisk_anchor.nc.profile.control_profile import Profile, load_profile, shipped_profile, shipped_profiles
from brisk_anchor.nc.profile.sections import LatheProfile
from brisk_anchor.services.turning.set_up_words import (
    read_gauge,
    read_holding,
    read_member,
    read_part,
    read_stock,
    read_target,
    read_tool,
)
from brisk_anchor.standin.lathe import LatheReality

_FORM = "brisk-anchor-turning-1"
_NO_LENGTHS = frozenset({"stations", "program", "offset", "number", "taper", "part", "row", "x_sign", "z_sign"})
Result = TypeVar("Result")
Line = Annotated[str, Field(min_length=1, max_length=400)]


class _Section(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class LatheMachineSection(_Section):
    """The lathe; `control` is a profile, or "readout" for a machine with a readout alone."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    control: Annotated[str, Field(min_length=1, max_length=200)]
    turret: Literal["rear", "front"] = "rear"
    stations: int = Field(default=8, ge=1, le=24)
    travel_low: tuple[float, float]
    travel_high: tuple[float, float]
    home: tuple[float, float]
    index_at: tuple[float, float]
    chuck_face: float
    reach_at_home: float = Field(gt=0)
    face_at_home: float = 0.0
    rapid: float = Field(default=12_000.0, gt=0, le=60_000)
    resolution: float = Field(default=0.001, gt=0, le=0.1)
    connection: Literal["stand-in", "none"] = "none"
    top_slide: Literal["none", "locked", "free"] = "none"
    axis_x: float = 0.0
    u_axis_x: float = Field(default=0.0, ge=0, le=1)

    @model_validator(mode="after")
    def _within_travel(self) -> Self:
        places = zip(self.home, self.index_at, strict=True)
        for axis, low, high, named in zip("XZ", self.travel_low, self.travel_high, places, strict=True):
            if low >= high:
                raise ValueError(
                    f"the travel of {axis} runs from {num(low)} to {num(high)}: low and high are exchanged"
                )
            for words, place in zip(("home", "index_at"), named, strict=True):
                if not low <= place <= high:
                    raise ValueError(
                        f"{words} has {axis} {num(place)}, outside its travel of {num(low)} to {num(high)}"
                    )
        return self


class SetupSection(_Section):
    """The set-up in words."""

    part: Line
    stock: Line
    holding: Line
    zero: Literal["finished face", "chuck face", "jaws"] = "finished face"
    side: Literal["first", "second"] = "first"
    row: Line = "G54"
    clearance: float = Field(default=5.0, gt=0, le=200)
    approach: tuple[float, float] = (2.0, 0.2)
    tools: Annotated[list[Line], Field(max_length=99)]
    gauges: Annotated[list[Line], Field(max_length=60)]
    targets: Annotated[list[Line], Field(max_length=60)] = []
    family: Annotated[list[Line], Field(max_length=99)] = []


class RealTool(_Section):
    """How far a tool of the stand-in really reaches: geometry of its sharp corner, X a diameter."""

    offset: int
    x: float
    z: float


class InTable(_Section):
    """What a table of the stand-in holds to begin with."""

    offset: int
    x: float
    z: float


class StandInSection(_Section):
    """What the stand-in really is."""

    chuck_shift: float = 0.0
    axis_shift: float = 0.0
    taper: float = 0.0
    tool: Annotated[list[RealTool], Field(max_length=200)] = []
    table: Annotated[list[InTable], Field(max_length=200)] = []


class TurningFile(_Section):
    """The whole file."""

    form: Literal["brisk-anchor-turning-1"]
    units: Literal["mm", "inch"]
    job: Annotated[str, Field(min_length=1, max_length=40)]
    title: Annotated[str, Field(max_length=80)] = ""
    program: int = Field(default=3100, ge=1, le=9000)
    comment: Annotated[str, Field(max_length=60)] = ""
    machine: LatheMachineSection
    setup: SetupSection
    stand_in: StandInSection = StandInSection()
    presetter: PresetterColumns | None = None


@dataclass(frozen=True, slots=True)
class TurningJob:
    """A job to turn as its file describes it. `profile` is None on a machine with a readout alone."""

    path: Path
    text: str
    file: TurningFile
    setup: LatheSetup
    reality: LatheReality
    profile: Profile | None

    @property
    def unit(self) -> Unit:
        """The unit of its figures."""
        return Unit.MM if self.file.units == "mm" else Unit.INCH

    @property
    def lathe(self) -> LatheProfile | None:
        """What the control's profile says of the lathe; None on a readout."""
        return None if self.profile is None else self.profile.lathe

    @property
    def has_wear(self) -> bool:
        """Whether wear has a table of its own: a control may keep none, a readout is kept here."""
        return self.lathe is None or self.lathe.wear is not None

    @property
    def hash(self) -> str:
        """Of what it describes: a proof belongs to it."""
        return hashlib.sha256(self.file.model_dump_json(exclude={"stand_in"}).encode()).hexdigest()


def load_turning(path: Path) -> TurningJob:
    """Read a job to turn.

    Raises:
        JobError: every fault with its line. ProfileError: its control's profile has faults.
    """
    return read_turning(read_text(path), path)


def read_turning(text: str, path: Path) -> TurningJob:
    """A job to turn from its text. Raises as `load_turning`."""
    data = parse(text, path.name)
    unit = Unit.MM if data["units"] == "mm" else Unit.INCH
    try:
        file = strictly(TurningFile, in_millimetres(data, MILLIMETRES[data["units"]], _NO_LENGTHS))
    except ValidationError as error:
        raise JobError(path.name, tuple(faults_in(path.name, text, error))) from error
    return _put_together(file, text, path, unit)


def check_turning(path: Path) -> list[str]:
    """What a job to turn says, in lines, where it is sound. Raises JobError, ProfileError."""
    setup = load_turning(path).setup
    control = setup.lathe.control or "a readout"
    return [
        f"{setup.job}: {setup.part.name}, {dim(setup.part.length)} long, ⌀{dim(setup.part.largest)}",
        f"{setup.lathe.name} with {control}, {len(setup.tools)} tools, {len(setup.gauges)} gauges",
        f"{setup.stock.kind} ⌀{dim(setup.stock.diameter)} in a {setup.holding.kind}, "
        f"{dim(setup.holding.stands_out)} out of the jaws",
        f"{len(setup.targets)} targets, {len(setup.family)} lengths of a family",
        *(["! what stands out is slender: it bends away from the tool"] if setup.slender else []),
    ]


class _Faults:
    """Faults of a file, gathered while its lines of words are read."""

    def __init__(self, name: str, text: str) -> None:
        self.name, self.text = name, text
        self.found: list[Fault] = []

    def read(self, place: tuple[str | int, ...], work: Callable[[], Result]) -> Result | None:
        """What a line of words says; its fault is noted."""
        try:
            return work()
        except BriskAnchorError as error:
            self.found.append(finding_at(self.name, self.text, place, error.one_line()))
            return None

    def stop(self) -> None:
        """Raise JobError where there are any."""
        if self.found:
            raise JobError(self.name, tuple(self.found))


def _put_together(file: TurningFile, text: str, path: Path, unit: Unit) -> TurningJob:
    faults, said, machine = _Faults(path.name, text), file.setup, file.machine
    part = faults.read(("setup", "part"), lambda: read_part(file.job, said.part, unit))
    of = part if part is not None else TurnedPart("", read_part("", "d1 to 1").outside)
    stock = faults.read(("setup", "stock"), lambda: read_stock(said.stock, of, unit))
    holding = faults.read(("setup", "holding"), lambda: read_holding(said.holding, unit))
    tools = [faults.read(("setup", "tools"), partial(read_tool, words, unit)) for words in said.tools]
    gauges = [faults.read(("setup", "gauges"), partial(read_gauge, words, unit)) for words in said.gauges]
    targets = [faults.read(("setup", "targets"), partial(read_target, words, unit)) for words in said.targets]
    family = [faults.read(("setup", "family"), partial(read_member, words, unit)) for words in said.family]
    profile = faults.read(("machine", "control"), lambda: _profile(machine.control, path))
    faults.stop()
    assert part is not None  # each has its fault else, and `stop` was called
    assert stock is not None
    assert holding is not None
    lathe = Lathe(
        name=machine.name,
        control="" if profile is None else profile.name,
        turret=machine.turret,
        stations=machine.stations,
        travel_low=machine.travel_low,
        travel_high=machine.travel_high,
        home=machine.home,
        index_at=machine.index_at,
        chuck_face=machine.chuck_face,
        reach_at_home=machine.reach_at_home,
        face_at_home=machine.face_at_home,
        rapid=machine.rapid,
        resolution=machine.resolution,
        connected=machine.connection == "stand-in",
        top_slide=machine.top_slide,
        axis_x=machine.axis_x,
        u_axis_x=machine.u_axis_x,
    )
    setup = faults.read(
        ("setup",),
        lambda: LatheSetup(
            job=file.job,
            title=file.title,
            program=file.program,
            lathe=lathe,
            part=part,
            stock=stock,
            holding=holding,
            tools=tuple(tool for tool in tools if tool is not None),
            gauges=tuple(gauge for gauge in gauges if gauge is not None),
            targets=tuple(target for target in targets if target is not None),
            family=tuple(member for member in family if member is not None),
            row=said.row,
            side=said.side,
            zero=said.zero,
            clearance=said.clearance,
            approach=Approach(*said.approach),
            unit=file.units,
        ),
    )
    faults.stop()
    assert setup is not None
    _check_rows(setup, profile, faults)
    real = {tool.offset: (tool.x, tool.z) for tool in file.stand_in.tool}
    for tool in setup.tools if lathe.connected else ():
        if tool.offset not in real and (same := [t for t in setup.tools if t.station == tool.station]):
            shared = next((real[other.offset] for other in same if other.offset in real), None)
            if shared is None:
                faults.found.append(
                    finding_at(path.name, text, ("stand_in",), f"nothing says how far {tool.name} really reaches")
                )
            else:
                real[tool.offset] = shared
    faults.stop()
    stand_in = file.stand_in
    reality = LatheReality(real, stand_in.chuck_shift, stand_in.axis_shift, stand_in.taper)
    return TurningJob(path, text, file, setup, reality, profile)


def _check_rows(setup: LatheSetup, profile: Profile | None, faults: _Faults) -> None:
    """Every row and offset number that is named is one of the control's."""
    for row in (setup.row, *(member.row for member in setup.family)):
        if profile is not None and row not in profile.all_rows:
            faults.found.append(finding_at(faults.name, faults.text, ("setup", "row"), f"the control has no row {row}"))
    most = profile.lathe.offsets if profile is not None and profile.lathe is not None else 99
    for tool in setup.tools:
        if tool.offset > most or tool.station > setup.lathe.stations:
            faults.found.append(
                finding_at(faults.name, faults.text, ("setup", "tools"), f"{tool.name}: there is no such place")
            )
    faults.stop()


def _profile(name: str, path: Path) -> Profile | None:
    """The profile of a control by name or file; None for a readout. Raises ProfileError, JobError."""
    if name == "readout":
        return None
    profile = shipped_profile(name) if name in shipped_profiles() else load_profile(path.parent / name)
    if profile.lathe is None:
        raise JobError(path.name, (Fault("machine.control", f"the profile {name} is of no lathe"),), "As turn-macro")
    return profile


def with_words(job: TurningJob, key: str, words: str | list[str] | list[float]) -> TurningJob:
    """The job with a line of its set-up changed, checked as a whole; nothing is written.

    Raises:
        JobError: the job would have faults.
    """
    import tomlkit

    document = tomlkit.parse(job.text)
    if isinstance(words, list):
        value = tomlkit.array()
        value.extend(words)
        document["setup"][key] = value.multiline(multiline=True)
    else:
        document["setup"][key] = words
    return read_turning(ended_as(job.text, tomlkit.dumps(document)), job.path)


def write_turning_file(job: TurningJob, before: TurningJob) -> None:
    """Write a changed job, where its file still is as it was read.

    Raises:
        ExportError: another window or an editor changed it, or it cannot be written. JobError: it cannot be read.
    """
    look_unchanged(job.path, before.text)
    write_whole(job.path, job.text.encode())
