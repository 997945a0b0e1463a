"""Control profiles: what differs from control to control, as data. Text writer and interpreter read the same one."""

from __future__ import annotations

import functools
import re
import tomllib
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from brisk_anchor.core.errors import Finding, ProfileError

Triple = Annotated[tuple[int, int, int], Field()]
Word = Annotated[str, Field(max_length=60, pattern=r"^[A-Z0-9 .#=\[\]+*/-]*$")]
_MAX_BYTES = 200_000


class _Section(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Comment(_Section):
    """How a comment is written; `longest` counts what stands between the marks."""

    open: Literal["("]
    close: Literal[")"]
    longest: int = Field(ge=20, le=200)


class ProgramForm(_Section):
    """Head, tail, program numbers and calls."""

    start: list[Literal["%"]]
    end: list[Literal["%"]]
    number: Literal["O{number:04d}"]
    last_word: Literal["M30", "M2"]
    return_word: Literal["M99"]
    call: Literal["G65 P{number}"]
    touch_number: int = Field(ge=1, le=8999)
    guard_number: int = Field(ge=1, le=8999)


class State(_Section):
    """Blocks that bring the control into a known state."""

    safe: list[Word]


class Moves(_Section):
    """Words for the kinds of move."""

    rapid_machine: Word
    skip: Word
    feed: Word
    absolute: Word


class Positions(_Section):
    """Variables where positions are read: machine, and work and skip position in one common frame."""

    machine: Triple
    work: Triple
    skip: Triple


class Variables(_Section):
    """Range of common variables a written program may use, both ends included."""

    free: tuple[int, int]


class Tool(_Section):
    """Variable with the number of the tool in the spindle."""

    in_spindle: int


class Alarm(_Section):
    """Variables that raise an alarm or stop with a message, and how many characters are shown."""

    variable: int
    stop_variable: int
    longest: int = Field(ge=12, le=200)


class Print(_Section):
    """Print command of the control and the digits of its figures."""

    open: Word
    close: Word
    line: Literal["DPRNT[{text}]"]
    space: Literal["*"]
    number: Literal["{letter}{value}[{whole}{decimals}]"]
    whole: int = Field(ge=3, le=6)
    decimals: int = Field(ge=3, le=6)


class Probing(_Section):
    """Probe on/off blocks, feeds in mm/min and back-off in mm."""

    on: list[Word]
    off: list[Word]
    guarded_feed: float = Field(gt=0, le=20_000)
    search_feed: float = Field(gt=0, le=5_000)
    touch_feed: float = Field(gt=0, le=1_000)
    back_off: float = Field(ge=0.05, le=10)


class OffsetRow(_Section):
    """One row of the offset table: the block that writes it, the word that selects it, its variables.

    The row named "common" is the shift on top of all others; nothing selects it.
    """

    write: Annotated[str, Field(pattern=r"^G10 L(2|20) P\d+$")]
    select: Annotated[str, Field(pattern=r"^(G5[4-9](\.[1-3])?( P\d+)?)?$")]
    read: Triple


class Extended(_Section):
    """Extended offsets: how many, how they are called and written ({n} from 1), and their variables."""

    count: int = Field(ge=0, le=300)
    select: Literal["G54.1 P{n}"]
    write: Literal["G10 L20 P{n}", "G10 L2 P{n}"]
    read_first: int
    read_step: int = Field(ge=3)


class Input(_Section):
    """How figures are read: what a length without a decimal point means, inches, block delete, comments after ;."""

    integers: Literal["as written", "least increment"]
    inches: bool
    semicolon_comments: bool


class Skip(_Section):
    """Words that move until the probe signals, and a variable that tells whether it did, where there is one."""

    words: list[Literal["G31", "G38.2", "G38.3", "G38.4", "G38.5"]]
    contact_flag: int | None = None


class Reference(_Section):
    """The second reference position (G30), machine mm."""

    second: tuple[float, float, float]


class Profile(_Section):
    """A control profile, validated."""

    name: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    title: Annotated[str, Field(max_length=80)]
    language: Literal["hash-macro"]
    resolution: float = Field(gt=0, le=0.01)
    comment: Comment
    program: ProgramForm
    state: State
    moves: Moves
    positions: Positions
    variables: Variables
    tool: Tool
    alarm: Alarm
    print: Print
    probing: Probing
    input: Input
    skip: Skip
    dwell: dict[Literal["X", "P", "U"], Annotated[float, Field(gt=0, le=60)]]
    reference: Reference
    modal_variables: dict[
        Literal[
            "motion",
            "plane",
            "distance",
            "feed_mode",
            "units",
            "offset",
            "feed",
            "spindle_speed",
            "length_number",
        ],
        int,
    ]
    l20_sets_position: bool
    extended: Extended
    offsets: dict[str, OffsetRow]

    @model_validator(mode="after")
    def _consistent(self) -> Profile:
        low, high = self.variables.free
        if not 100 <= low < high <= 999 or high - low < 20:
            raise ValueError("variables.free must be a range of at least 20 inside 100 to 999")
        if self.program.touch_number == self.program.guard_number:
            raise ValueError("program.touch_number and program.guard_number must differ")
        if self.probing.touch_feed > self.probing.search_feed:
            raise ValueError("probing.touch_feed is faster than search_feed: the touch that counts is the slow one")
        taken: dict[int, str] = {}
        lists = {f"positions.{key}": value for key, value in self.positions} | {
            f"offsets.{row}.read": offset.read for row, offset in self.all_rows.items()
        }
        lists |= {f"modal_variables.{name}": (number,) for name, number in self.modal_variables.items()}
        for name, numbers in lists.items():
            for number in numbers:
                if number in taken:
                    raise ValueError(f"variable #{number} is given twice: in {taken[number]} and {name}")
                taken[number] = name
        writes = [offset.write for offset in self.all_rows.values()]
        if not writes or len(set(writes)) != len(writes):
            raise ValueError("two rows of the offset table are written by the same block")
        if not any("G21" in block.split() for block in self.state.safe):
            raise ValueError("state.safe must set millimetres (G21): programs are written in mm")
        return self

    @property
    def decimals(self) -> int:
        """Decimals of axis words at this control's resolution."""
        return max(0, len(f"{self.resolution:.6f}".rstrip("0").split(".")[1]))

    @functools.cached_property
    def all_rows(self) -> dict[str, OffsetRow]:
        """Every row of the offset table by name, extended ones included."""
        rows = dict(self.offsets)
        form = self.extended
        for n in range(1, form.count + 1):
            first = form.read_first + (n - 1) * form.read_step
            select = form.select.format(n=n)
            rows[select] = OffsetRow(write=form.write.format(n=n), select=select, read=(first, first + 1, first + 2))
        return rows

    @property
    def common_shift(self) -> str | None:
        """Name of the row on top of all others, None where the control has none."""
        return "common" if "common" in self.offsets else None

    @property
    def second_reference(self) -> tuple[float, float, float]:
        """The second reference position, machine mm."""
        return self.reference.second

    def row(self, name: str) -> OffsetRow:
        """The words of one offset row.

        Raises:
            ProfileError: when the control has no such row.
        """
        if name not in self.all_rows:
            raise ProfileError(self.name, (Finding("offsets", f"there is no row {name}"),), "Choose a row it has")
        return self.all_rows[name]


def findings_of(error: ValidationError) -> tuple[Finding, ...]:
    """Pydantic's complaints as findings with dotted places."""
    return tuple(
        Finding(".".join(str(part) for part in item["loc"]), item["msg"].removeprefix("Value error, "))
        for item in error.errors(include_url=False)
    )


def parse_profile(text: str, source: str) -> Profile:
    """Read a profile from TOML text. `source` names it in messages.

    Raises:
        ProfileError: with every fault listed.
    """
    try:
        return Profile.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise ProfileError(source, (Finding("TOML", str(error)),)) from error
    except ValidationError as error:
        raise ProfileError(source, findings_of(error)) from error


def _folder() -> Traversable:
    return resources.files("brisk_anchor.nc") / "profiles"


def shipped_profiles() -> list[str]:
    """Names of the profiles that ship with the application."""
    return sorted(entry.name.removesuffix(".toml") for entry in _folder().iterdir() if entry.name.endswith(".toml"))


def shipped_text(name: str) -> str:
    """The TOML text of a shipped profile, comments and all.

    Raises:
        ProfileError: when there is none of that name.
    """
    known = shipped_profiles()
    if name not in known:
        raise ProfileError(
            name, (Finding("", f"no such profile ships; known: {', '.join(known)}"),), "Choose a known one"
        )
    return (_folder() / f"{name}.toml").read_text(encoding="utf-8")


@functools.cache
def shipped_profile(name: str) -> Profile:
    """A profile that ships with the application. Raises ProfileError when there is none of that name."""
    return parse_profile(shipped_text(name), name)


def copy_of(name: str, new_name: str) -> str:
    """The text of a shipped profile under a new name, for a shop to change.

    Raises:
        ProfileError: no such profile, or a name that cannot be one.
    """
    text = re.sub(r"(?m)^name = .*$", f'name = "{new_name}"', shipped_text(name), count=1)
    parse_profile(text, new_name)
    return text


def load_profile(path: Path) -> Profile:
    """A shop's own profile from a file.

    Raises:
        ProfileError: when it cannot be read or has faults.
    """
    try:
        data = path.read_bytes()[: _MAX_BYTES + 1]
        if len(data) > _MAX_BYTES:
            raise ProfileError(path.name, (Finding("", f"larger than {_MAX_BYTES} bytes"),))
        return parse_profile(data.decode("utf-8"), path.name)
    except (OSError, UnicodeDecodeError) as error:
        raise ProfileError(path.name, (Finding("", str(error)),)) from error
