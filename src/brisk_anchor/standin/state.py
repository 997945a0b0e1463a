"""How a machine was left: tables, tool, place, memory, history. JSON, validated when read.

The fields are explained in docs/formats.md.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import Fault, MachineError, StateError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.standin.control import Control, RunNote

Figure = Annotated[float, Field(ge=-1e9, le=1e9)]
Length = Annotated[float, Field(ge=-20_000, le=20_000)]
Place = tuple[Length, Length, Length]
LONGEST = 4_000_000


class Note(BaseModel):
    """One run of the past."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    title: Annotated[str, Field(max_length=400)]
    ended: Annotated[str, Field(max_length=400)]
    blocks: int = Field(ge=0)
    seconds: float = Field(ge=0)


class MachineState(BaseModel):
    """A whole machine at rest."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    form: Literal["brisk-anchor-machine-1"]
    units: Literal["mm"]
    machine: str
    at: datetime
    entry: int = Field(default=0, ge=0)
    uid: Annotated[str, Field(max_length=32)] = ""
    offsets: dict[str, Place]
    angle_offsets: dict[str, dict[Literal["A", "B", "C", "R"], Figure]]
    tools: dict[int, dict[Annotated[int, Field(ge=10, le=13)], Length]]
    tool_in_spindle: int
    position: Place
    angles: dict[Literal["A", "B", "C"], Figure]
    hours: float = Field(ge=0)
    homed: bool
    door_open: bool
    variables: dict[int, Figure | None]
    active: Annotated[str, Field(max_length=20)] = ""
    history: list[Note]


@dataclass(frozen=True, slots=True)
class Left:
    """Which entry of the book was the newest when a machine was left: its id there, and its own."""

    entry: int = 0
    uid: str = ""


def snapshot(control: Control, at: datetime, left: Left) -> bytes:
    """The state of a machine as the text of a file."""
    machine = control.machine
    probe = machine.probe.stylus.tool_number
    state = MachineState(
        form="brisk-anchor-machine-1",
        units="mm",
        machine=machine.machine.name,
        at=at,
        entry=left.entry,
        uid=left.uid,
        offsets=machine.offsets,
        angle_offsets=machine.angle_offsets,  # type: ignore[arg-type]
        tools={n: row for n, row in machine.table.rows.items() if n != probe},
        tool_in_spindle=machine.tool_in_spindle,
        position=machine.position,
        angles=machine.angles,  # type: ignore[arg-type]
        hours=machine.hours,
        homed=control.homed,
        door_open=control.door_open,
        variables=control.memory.common,
        active=control.active_row,
        history=[
            Note(title=n.title[:400], ended=n.ended[:400], blocks=n.blocks, seconds=n.seconds) for n in control.history
        ],
    )
    return state.model_dump_json(indent=1).encode()


def restore(control: Control, data: bytes, source: str) -> Left:
    """Put a machine back to how it was left; tells which entry of the book was known then. All or nothing is changed.

    Raises:
        StateError: the file is broken, of another machine, or tells of a place or tool that this machine has not.
    """
    machine = control.machine
    if len(data) > LONGEST:
        raise StateError(source, (Fault("", f"larger than {LONGEST} bytes"),))
    try:
        state = MachineState.model_validate_json(data, strict=True)
    except ValidationError as error:
        raise StateError(source, findings_of(error)) from error
    findings = []
    if state.machine != machine.machine.name:
        findings.append(Fault("machine", f"it is {state.machine}, not {machine.machine.name}"))
    findings += [
        Fault(f"offsets.{row}", "the control has no such row")
        for row in {*state.offsets, *state.angle_offsets}
        if row not in control.profile.all_rows
    ]
    if state.active and state.active not in control.profile.all_rows:
        findings.append(Fault("active", "the control has no such row"))
    findings += [Fault("angles", f"the machine has no axis {a}") for a in state.angles if a not in machine.angles]
    findings += [Fault(f"tools.{n}", "the magazine has no such tool") for n in state.tools if n not in machine.tools]
    if not findings:
        try:
            machine.place(state.position, {str(k): v for k, v in state.angles.items()}, state.tool_in_spindle)
        except MachineError as error:
            findings.append(Fault("position", error.what))
    if findings:
        raise StateError(source, tuple(findings))
    machine.offsets.update(state.offsets)
    machine.angle_offsets = {row: {str(k): v for k, v in held.items()} for row, held in state.angle_offsets.items()}
    for number, figures in state.tools.items():
        machine.table.rows[number] = {int(column): value for column, value in figures.items()}
    machine.started_hours = state.hours
    control.modal.offset = state.active or control.modal.offset
    control.homed, control.door_open = state.homed, state.door_open
    control.memory = Memory(state.variables)
    control.history = [RunNote(n.title, n.ended, n.blocks, n.seconds) for n in state.history]
    return Left(state.entry, state.uid)
