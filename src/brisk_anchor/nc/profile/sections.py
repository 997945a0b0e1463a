"""The sections of a control profile, each validated on its own. What they mean stands in docs/control-profiles.md."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from brisk_anchor.nc.profile.code_groups import MEANS_ELSE

Triple = Annotated[tuple[int, int, int], Field()]
Range = tuple[int, int]
Word = Annotated[str, Field(max_length=60, pattern=r"^[A-Z0-9 .#=\[\]+*/-]*$")]


class ProfileSection(BaseModel):
    """A table of the file: unknown fields are refused, as are figures that are none."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Comment(ProfileSection):
    """How a comment is written; `longest` counts what stands between the marks."""

    open: Literal["(", ";"]
    close: Literal[")", ""]
    longest: int = Field(ge=20, le=200)


class ProgramForm(ProfileSection):
    """Head and tail of a file, and the block with its number; "" where a control numbers no programs.

    `units` is what figures in it are; `head` blocks stand before the first step, `tail` blocks before the last word:
    for what a shop always writes.
    """

    units: Literal["mm", "inch"] = "mm"

    start: list[Literal["%"]]
    end: list[Literal["%"]]
    number: Annotated[str, Field(pattern=r"^(O\{number(:0[3-8]d)?\})?$")]
    last_word: Literal["M30", "M2"]
    head: list[Word] = []
    tail: list[Word] = []


class Subprograms(ProfileSection):
    """How a subprogram is called and left, and the numbers of the two that written files carry."""

    return_word: Literal["M99"]
    call: Literal["G65 P{number}"]
    touch_number: int = Field(ge=1, le=99_999_999)
    guard_number: int = Field(ge=1, le=99_999_999)


class State(ProfileSection):
    """Blocks that bring the control into a known state."""

    safe: list[Word]


class Moves(ProfileSection):
    """Words for the kinds of move. `skip` moves until the probe signals; `guarded` does, where it has its own word."""

    rapid_machine: Word
    skip: Word
    guarded: Word | None = None
    feed: Word
    absolute: Word


class Positions(ProfileSection):
    """Variables where positions are read: machine, work, and skip position (its frame stands in `skip.frame`).

    `block_end` is where the last block ended, `set_shift` the shift of G92, in work and machine mm.
    """

    skip: Triple
    machine: Triple | None = None
    work: Triple | None = None
    block_end: Triple | None = None
    set_shift: Triple | None = None


class VariableRanges(ProfileSection):
    """Ranges of variables, both ends included: those that outlast a program, and of them the kept ones and the free."""

    common: Range
    kept: Range | None = None
    free: Range


class ToolVariable(ProfileSection):
    """A variable with the number of a tool, and what it holds.

    Where it is the tool that was last called, it says nothing of the spindle while a tool is called ahead: programs put
    the tool in themselves then, or stop for a person.
    """

    variable: int
    holds: Literal["tool in spindle", "last tool called"]


class ToolTableVariables(ProfileSection):
    """First variables of the columns of the tool table: variable of tool n is `column + n`.

    `not_to_be_used` is a column of common variables: what is above 0 there says that the tool must not be used.
    """

    tools: int = Field(ge=1, le=999)
    length: int | None = None
    length_wear: int | None = None
    radius: int | None = None
    radius_wear: int | None = None
    not_to_be_used: int | None = None


class AlarmVariables(ProfileSection):
    """Variables that raise an alarm or stop with a message, and how many characters are shown."""

    variable: int
    stop_variable: int
    longest: int = Field(ge=12, le=200)


class Timers(ProfileSection):
    """Variables of the clocks: milliseconds since power came on, and hours of running programs."""

    milliseconds: int
    hours: int


class Print(ProfileSection):
    """Print command of the control and the digits of its figures."""

    open: Word
    close: Word
    line: Annotated[str, Field(pattern=r"^[A-Z]{2,10}\[\{text\}\]$")]
    space: Literal["*", "_", "/"]
    number: Literal["{letter}{value}[{whole}{decimals}]"]
    whole: int = Field(ge=3, le=6)
    decimals: int = Field(ge=3, le=6)


class Transfer(ProfileSection):
    """How programs get into the control and print commands out of it.

    `file_name` of a program; `longest_line` and `longest_file` (bytes) it takes; what it `strips` from a program that
    it keeps; where print commands go: a `file`, the `wire`, or a `message` on its screen that nobody else can read.
    """

    file_name: Annotated[
        str, Field(pattern=r"^[A-Za-z0-9_-]{0,20}\{number(:0[3-8]d)?\}[A-Za-z0-9_-]{0,20}(\.[A-Za-z0-9]{1,8})?$")
    ]
    line_end: Literal["LF", "CR LF", "CR"] = "LF"
    longest_line: int | None = Field(default=None, ge=40, le=10_000)
    longest_file: int | None = Field(default=None, ge=1000)
    strips: list[Literal["comments", "blanks", "leading zeros"]] = []
    prints: Literal["file", "wire", "message"] = "file"


class SavedTable(ProfileSection):
    """The columns and the unit of the CSV file in which a control saves its offset table.

    `prefix` stands before what its row column holds: 54 is G54 with "G".
    """

    row: Annotated[str, Field(min_length=1, max_length=40)]
    x: Annotated[str, Field(min_length=1, max_length=40)]
    y: Annotated[str, Field(min_length=1, max_length=40)]
    z: Annotated[str, Field(min_length=1, max_length=40)]
    r: Annotated[str, Field(min_length=1, max_length=40)] | None = None
    units: Literal["mm", "inch"]
    prefix: Annotated[str, Field(max_length=10)] = ""
    separator: Literal[",", ";", "\t"] = ","


class ToolLengths(ProfileSection):
    """What lengths in the tool table are counted from: the spindle's gauge line, a master tool of a length (mm), or
    the part itself, on which every tool is touched off.
    """

    convention: Literal["gauge line", "master", "part"]
    master_length: float | None = Field(default=None, gt=0, le=1000)
    u_master_length: float = Field(default=0.0, ge=0, le=1)


class Probing(ProfileSection):
    """Probe on/off blocks, feeds in mm/min and back-off in mm."""

    on: list[Word]
    off: list[Word]
    guarded_feed: float = Field(gt=0, le=20_000)
    search_feed: float = Field(gt=0, le=5_000)
    touch_feed: float = Field(gt=0, le=1_000)
    back_off: float = Field(ge=0.05, le=10)
    orient: list[Word] = []
    orient_half: list[Word] = []


class RowWords(ProfileSection):
    """One row of the offset table: the block that writes it, the word that selects it, its variables.

    Without `write` it is written through its variables. The row named "common" is the shift on top of all others;
    nothing selects it.
    """

    write: Annotated[str, Field(pattern=r"^G10 L(2|20) P[0-9]+$")] | None = None
    select: Annotated[str, Field(pattern=r"^(G5[4-9](\.[1-3])?( P[0-9]+)?)?$")]
    read: Triple | None = None
    rotation: int | None = None


class Rotation(ProfileSection):
    """How coordinates are turned where rows hold no angle: it is kept in variables, one a row from `first` on.

    Extended rows have theirs from `extended` on; without it they cannot be turned.
    """

    first: int
    extended: int | None = None
    call: Annotated[str, Field(pattern=r"^G68 X0\. Y0\. R#\{variable\}$")]


class TableClamp(ProfileSection):
    """Words that let go of a rotary table before it turns, and hold it again after."""

    unclamp: Annotated[str, Field(pattern=r"^M[0-9]{2,3}$")]
    clamp: Annotated[str, Field(pattern=r"^M[0-9]{2,3}$")]


class Tilted(ProfileSection):
    """How a tilted plane is called: `call` with angles that stand in variables, at the row's own zero; `zero` with a
    place and angles as figures. `order` says what these turn about: Z, the turned X and the leaned Z, or X, Y, Z.
    """

    order: Literal["zxz", "xyz"] = "zxz"
    zero: Annotated[str | None, Field(pattern=r"^G68\.2 (P[0-9] )?X\{x\} Y\{y\} Z\{z\} I\{i\} J\{j\} K\{k\}$")] = None
    call: Annotated[str, Field(pattern=r"^G68\.2 X0\. Y0\. Z0\. I#\{i\} J#\{j\} K#\{k\}$")]


class Call(ProfileSection):
    """How a program puts a tool into the spindle."""

    tool: Annotated[str, Field(pattern=r"^T\{number(:0[2-4]d)?\} M0?6$")]


class Extended(ProfileSection):
    """Extended offsets: how many, how they are called and written ({n} from 1), and their variables.

    Without `write` they are written through these.
    """

    count: int = Field(ge=0, le=300)
    select: Annotated[str, Field(pattern=r"^G(54|54\.1|59) P\{n\}$")]
    write: Annotated[str, Field(pattern=r"^G10 L(2|20) P\{n\}$")] | None = None
    read_first: int | None = None
    read_step: int = Field(default=20, ge=3)


class Input(ProfileSection):
    """How figures and text are read: lengths without a decimal point, inches, comments after ;, diameters in X.

    `named_parameters` and `o_words` belong to the language "ngc".
    """

    integers: Literal["as written", "least increment"]
    inches: bool
    semicolon_comments: bool
    active_row_reads: Literal["number", "code"] = "number"
    diameter_x: bool = False
    increments_uvw: bool = False
    refuses: list[Annotated[str, Field(pattern=r"^[GM][0-9]+(\.[0-9])?$")]] = []
    named_parameters: bool = False
    o_words: bool = False


class TurningFigures(ProfileSection):
    """How one table, or words and display, hold X and Z of a lathe: X as diameter or radius, and the sign of each."""

    x: Literal["diameter", "radius"]
    sign_x: Literal[1, -1] = 1
    sign_z: Literal[1, -1] = 1

    def of_radius(self, axis: str) -> float:
        """What one mm is there, X as a radius away from the axis: 2 or 1 for X, with its sign."""
        if axis == "z":
            return float(self.sign_z)
        return float(self.sign_x * (2 if self.x == "diameter" else 1))

    def shown(self, axis: str, ours: float) -> float:
        """Convert a value in mm (X a diameter) to the form of this table."""
        return ours * self.of_radius(axis) / (2.0 if axis == "x" else 1.0)

    def ours(self, axis: str, shown: float) -> float:
        """Convert a value in the form of this table to mm (X a diameter)."""
        return shown / self.of_radius(axis) * (2.0 if axis == "x" else 1.0)


class TurningTable(TurningFigures):
    """A table of tools: the block that writes a row of it ({n} its number), and its first variables.

    The variable of row n is the first plus n. Without `write` its variables are written.
    """

    write: Annotated[str | None, Field(pattern=r"^G10 L(1|10|11) P\{n\}$")] = None
    x_first: int | None = None
    z_first: int | None = None

    def variable(self, axis: str, number: int) -> int | None:
        """The variable that holds a figure of a row, None where there is none."""
        first = self.x_first if axis == "x" else self.z_first
        return None if first is None else first + number


TipNumber = Annotated[int, Field(ge=0, le=99)]


class LatheProfile(ProfileSection):
    """The lathe section of a control profile: forms of program words, display and tables, and the tool call.

    `tip_numbers` gives a tip's direction by the way it points: "-X -Z" the corner of an outside tool that cuts towards
    the chuck, "centre" a tool whose figures are those of its nose's centre. `offsets` is how many rows its tables of
    tools have.
    """

    program: TurningFigures
    display: TurningFigures
    work_offset: TurningFigures
    geometry: TurningTable
    wear: TurningTable | None = None
    offsets: int = Field(ge=1, le=400)
    tool: Annotated[str, Field(pattern=r"^T\{station:0[12]d\}\{offset:0[23]d\}$")]
    tip_numbers: dict[Literal["-X -Z", "-X +Z", "+X -Z", "+X +Z", "-Z", "+Z", "-X", "+X", "centre"], TipNumber] = {}

    @property
    def offset_digits(self) -> int:
        """How many digits of a T word are the offset."""
        return int(self.tool[-3])

    def tip_number(self, points: tuple[int, int] | None) -> int | None:
        """The number of a tip that points that way along X and Z, None: its figures are those of its nose's centre.

        None where the control gives it none.
        """
        ways = zip("XZ", points or (0, 0), strict=True)
        words = " ".join(f"{'-' if way < 0 else '+'}{axis}" for axis, way in ways if way) or "centre"
        return next((number for name, number in self.tip_numbers.items() if name == words), None)

    def table(self, name: str) -> TurningTable | None:
        """The table "geometry" or "wear"."""
        return self.geometry if name == "geometry" else self.wear


AfterMiss = Literal["end position", "old position", "contact flag"]


def _no_other_meaning(words: str) -> str:
    if float(words.split()[0][1:]) in MEANS_ELSE:
        raise ValueError(f"{words} means something else than a probing move")
    return words


SkipWord = Annotated[
    str, Field(pattern=r"^G[0-9]{1,3}(\.[0-9])?( [PQ][0-9]{1,3})?$"), AfterValidator(_no_other_meaning)
]
"""A code that moves until the probe signals, with the input it listens to where it takes one: "G31", "G31 P2"."""


class Skip(ProfileSection):
    """Words that move until the probe signals, where positions are counted from, and what is known after a miss.

    `frame` is that of the skip position: the `work` position's, or the machine's. `after_miss` says what it holds after
    a move that met nothing: the end of that move, what it held before, or that only the variable `contact_flag` (1
    after a signal) tells. A probing move below `shortest`, mm, is an error.
    """

    words: list[SkipWord]
    frame: Literal["work", "machine"] = "work"
    after_miss: AfterMiss | None = None
    contact_flag: int | None = None
    shortest: float = Field(default=0.0, ge=0, le=2)


class ReferencePoints(ProfileSection):
    """The second reference position (G30), machine mm, and where both are read."""

    second: tuple[float, float, float]
    first_read: Triple | None = None
    second_read: Triple | None = None
