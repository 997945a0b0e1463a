"""The typed steps between a plan and its text. Tests compare steps; the writer turns them into a control's words."""

from __future__ import annotations

from brisk_anchor.core.expressions import Expression
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class SectionHeading:
    """A heading in the list."""

    title: str


@dataclass(frozen=True, slots=True)
class SafeState:
    """Bring the control into a known state; units, plane, no compensation, no rotation.

    `moves`: the program moves the machine. Some languages then select the row that they work positions out from.
    """

    moves: bool = True


@dataclass(frozen=True, slots=True)
class ToolCheck:
    """Stop unless this tool is in the spindle. `called`: the program has put it in itself just now."""

    number: int
    what: str = "PROBE"
    called: bool = False


@dataclass(frozen=True, slots=True)
class TableAt:
    """Turn rotary axes to machine angles, degrees; the tool stands at home, clear of what turns."""

    angles: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class TurnTable:
    """Turn a rotary table by an angle, degrees, from where it stands."""

    letter: str
    by: Expression


@dataclass(frozen=True, slots=True)
class OperatorStop:
    """Stop, and go on when a person presses start: `text` says what to look at. `optional`: where the switch is on."""

    text: str
    optional: bool = False


@dataclass(frozen=True, slots=True)
class Probe:
    """Switch the probe on or off."""

    on: bool


@dataclass(frozen=True, slots=True)
class Rapid:
    """Rapid to machine coordinates; None leaves an axis where it is."""

    x: float | None = None
    y: float | None = None
    z: float | None = None


@dataclass(frozen=True, slots=True)
class Guarded:
    """Move to machine coordinates with the probe watching: contact on the way stops the machine."""

    why: str
    x: Expression | None = None
    y: Expression | None = None
    z: Expression | None = None


@dataclass(frozen=True, slots=True)
class Centre:
    """Move to machine coordinates through room that was just searched, no further than `limit` mm along an axis.

    It may be a very short move, or none: a probing move that short is an error on some controls.
    """

    why: str
    limit: float
    x: Expression | None = None
    y: Expression | None = None


@dataclass(frozen=True, slots=True)
class TouchStep:
    """Search along `direction` for `distance` mm, touch twice, keep the machine position in `names`, come back.

    `aside` is where the ball stands beside the spindle's axis, X and Y, mm: it is added to what is kept. `feeds` are
    those of search and touch where they are not the profile's, mm/min.
    """

    number: int
    direction: Vector
    distance: float
    names: tuple[str, str, str]
    why: str
    aside: tuple[float, float] = (0.0, 0.0)
    feeds: tuple[float | None, float | None] = (None, None)


@dataclass(frozen=True, slots=True)
class Compute:
    """Work out a value."""

    name: str
    value: Expression
    why: str


@dataclass(frozen=True, slots=True)
class Check:
    """Alarm unless |value − centre| ≤ limit."""

    value: Expression
    centre: Expression
    limit: float
    alarm: int
    text: str
    why: str
    reaction: str = "alarm"
    """One of `ON_FAIL`: alarm, stop for a person to decide, or note it and go on."""


@dataclass(frozen=True, slots=True)
class NothingYet:
    """No check that lets the program go on has failed so far."""


@dataclass(frozen=True, slots=True)
class NothingFailed:
    """Alarm when a check that lets the program go on has failed."""


@dataclass(frozen=True, slots=True)
class Orient:
    """Turn the spindle to where it was calibrated, or half round from there."""

    half: bool


@dataclass(frozen=True, slots=True)
class KeepResult:
    """Copy a result to a variable of the person's own."""

    variable: int
    value: Expression
    why: str


@dataclass(frozen=True, slots=True)
class TiltedPlane:
    """Say how a tilted plane is called with its angles, which stand in these variables."""

    variables: tuple[int, int, int]


@dataclass(frozen=True, slots=True)
class CallTool:
    """Stop spindle and coolant, and put a tool into the spindle."""

    number: int


@dataclass(frozen=True, slots=True)
class MarkTool:
    """Mark a tool on the control as not to be used, or take the mark off."""

    number: int
    usable: bool


@dataclass(frozen=True, slots=True)
class NoCommonShift:
    """Alarm unless the shift on top of all rows is zero: the offset was worked out without one."""


@dataclass(frozen=True, slots=True)
class NoShift:
    """Alarm unless the program position equals the machine position less the row, with no tool offset active (lathe).

    Under a shift that an earlier program left active, every programmed position would lie elsewhere.
    """

    row: str


@dataclass(frozen=True, slots=True)
class Store:
    """Write the offset row."""

    row: str
    values: tuple[tuple[str, Expression], ...]


@dataclass(frozen=True, slots=True)
class ReadBack:
    """Alarm unless the table now holds what was written."""

    row: str
    values: tuple[tuple[str, Expression], ...]


@dataclass(frozen=True, slots=True)
class Report:
    """Print one report line: fixed words, then letters with values."""

    words: tuple[str, ...]
    values: tuple[tuple[str, Expression, int], ...] = ()
    """Letter, value, decimals (0 for whole numbers, -1 for the profile's)."""
    inches: frozenset[str] = frozenset()
    """Letters whose values stand in inches: they are printed in mm."""


@dataclass(frozen=True, slots=True)
class Release:
    """These values are not needed any more; their variables may hold others."""

    names: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Sort:
    """Keep in `name` what a value comes to: 0 between `accept`, 1 outside it, `below` or `above` beyond `reject`."""

    name: str
    value: Expression
    accept: tuple[float | None, float | None]
    reject: tuple[float | None, float | None]
    below: int
    above: int


@dataclass(frozen=True, slots=True)
class React:
    """What is done where a verdict is `code`: "stop", "alarm", "end", "block …"; "flag #n" keeps it, whatever it is."""

    name: str
    code: int
    reaction: str
    text: str
    alarm: int


@dataclass(frozen=True, slots=True)
class ZeroWithin:
    """Take a value for nothing where it lies within a limit, and where the verdict `code` says that it is out."""

    name: str
    limit: float
    why: str
    code: str = ""


@dataclass(frozen=True, slots=True)
class SetWear:
    """Write the wear of a tool; `column` is "length wear" or "radius wear"."""

    number: int
    column: str
    value: Expression


@dataclass(frozen=True, slots=True)
class KeepAngle:
    """Keep the angle a row is turned by where programs of the shop read it."""

    row: str
    value: Expression


@dataclass(frozen=True, slots=True)
class SpindleStop:
    """Stop spindle and coolant."""


@dataclass(frozen=True, slots=True)
class StoreTool:
    """Write figures of a row of a lathe's table, "geometry" or "wear", as they stand there."""

    number: int
    table: str
    values: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class ToolHolds:
    """Alarm unless a row of a lathe's table holds these figures; `text` is what the alarm says."""

    number: int
    table: str
    values: tuple[tuple[str, float], ...]
    text: str
    alarm: int


@dataclass(frozen=True, slots=True)
class RowHolds:
    """Alarm unless a row of the offset table holds these figures, where a program can read it.

    `within`: the allowed difference, mm; None: the resolution of the table.
    """

    row: str
    values: tuple[tuple[str, float], ...]
    text: str
    alarm: int
    within: float | None = None


@dataclass(frozen=True, slots=True)
class TurretCall:
    """Turn the turret of a lathe to a station, with an offset in force (0 for none)."""

    station: int
    offset: int
    why: str


@dataclass(frozen=True, slots=True)
class RowCall:
    """Put a row of the offset table in force."""

    row: str


@dataclass(frozen=True, slots=True)
class ProgramRapid:
    """Rapid to a place of the program, X and Z as its words hold them; None leaves an axis where it is."""

    why: str
    x: float | None = None
    z: float | None = None


Step = (
    SpindleStop
    | StoreTool
    | ToolHolds
    | RowHolds
    | TurretCall
    | RowCall
    | ProgramRapid
    | SectionHeading
    | SafeState
    | ToolCheck
    | OperatorStop
    | TableAt
    | TurnTable
    | Probe
    | Rapid
    | Guarded
    | Centre
    | TouchStep
    | Compute
    | Check
    | NothingYet
    | NothingFailed
    | Orient
    | KeepResult
    | TiltedPlane
    | CallTool
    | MarkTool
    | NoCommonShift
    | NoShift
    | Store
    | ReadBack
    | Report
    | Release
    | Sort
    | React
    | ZeroWithin
    | SetWear
    | KeepAngle
)


class AlarmNumber:
    """Alarm numbers of written programs; the texts stand where they are raised."""

    MISSED = 101
    UNEXPECTED = 102
    TOUCHING = 103
    SIZE = 104
    JUMP = 105
    READ_BACK = 106
    TOOL = 107
    COMMON_SHIFT = 108
    ANGLE = 109
    FAILED = 110
    BROKEN = 111
    IN_WORK = 112
    NOT_IN_SIZE = 113
    TOO_MUCH = 114
    EDGE = 115
    NOT_TO_BE_USED = 116
    WRONG_PLACE = 117
    CHANGED = 118
    OTHER_ROW = 119
    OUT_OF_LIMITS = 120
    NO_CORRECTION = 121
    BY_DISTANCES = 122
