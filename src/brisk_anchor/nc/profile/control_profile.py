"""Control profiles: what differs from control to control, as data. Text writer and interpreter read the same one."""

from __future__ import annotations

import functools
import re
import tomllib
from collections.abc import Iterator
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, ValidationError, WithJsonSchema, model_validator

from brisk_anchor.core.errors import Fault, PlanError, ProfileError
from brisk_anchor.core.fault_words import fault_words
from brisk_anchor.core.quantities import Unit
from brisk_anchor.nc.bounded import read_at_most, strictly, toml_sections, why_unread
from brisk_anchor.nc.profile.languages import LANGUAGES, Language
from brisk_anchor.nc.profile.sections import (
    AlarmVariables,
    Call,
    Comment,
    Extended,
    Input,
    LatheProfile,
    Moves,
    Positions,
    Print,
    Probing,
    ProfileSection,
    ProgramForm,
    ReferencePoints,
    Rotation,
    RowWords,
    SavedTable,
    Skip,
    State,
    Subprograms,
    TableClamp,
    Tilted,
    Timers,
    ToolLengths,
    ToolTableVariables,
    ToolVariable,
    Transfer,
    VariableRanges,
)

_MAX_BYTES = 200_000


def _known_language(name: str) -> str:
    if name not in LANGUAGES:
        raise ValueError(f"there is no language “{name[:24]}”; there are {', '.join(LANGUAGES)}")
    return name


LanguageName = Annotated[
    str, AfterValidator(_known_language), WithJsonSchema({"enum": list(LANGUAGES), "type": "string"})
]
"""The name of one of `LANGUAGES`."""


class Profile(ProfileSection):
    """A control profile, validated. Sections a language has no use for are None."""

    name: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    title: Annotated[str, Field(max_length=80)]
    language: LanguageName
    resolution: float = Field(gt=0, le=0.01)
    comment: Comment
    program: ProgramForm
    subprograms: Subprograms | None = None
    state: State
    moves: Moves | None = None
    positions: Positions | None = None
    variables: VariableRanges | None = None
    tool: ToolVariable | None = None
    tool_table: ToolTableVariables | None = None
    tool_radius: Literal["radius", "diameter"] | None = None
    tool_lengths: ToolLengths
    alarm: AlarmVariables | None = None
    timers: Timers | None = None
    print: Print | None = None
    transfer: Transfer | None = None
    saved_table: SavedTable | None = None
    probing: Probing | None = None
    input: Input
    skip: Skip
    dwell: dict[Literal["X", "P", "U"], Annotated[float, Field(gt=0, le=60)]]
    reference: ReferencePoints
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
    ] = {}
    l20_sets_position: bool
    extended: Extended | None = None
    rotation: Rotation | None = None
    tilted: Tilted | None = None
    table_clamp: dict[Literal["A", "B", "C"], TableClamp] = {}
    call: Call | None = None
    lathe: LatheProfile | None = None
    offsets: dict[str, RowWords]

    @model_validator(mode="after")
    def _consistent(self) -> Profile:
        speaks = self.speaks
        probeless = {"probing"} if self.lathe is not None else set()
        lacking = [name for name in speaks.needs if getattr(self, name) is None and name not in probeless]
        if lacking:
            raise ValueError(f"the language {self.language} needs the section {', '.join(lacking)}")
        foreign = [name for name in speaks.foreign if getattr(self, name) is not None]
        if foreign:
            raise ValueError(f"the language {self.language} has no use for the section {', '.join(foreign)}")
        if (self.tool_lengths.convention == "master") != (self.tool_lengths.master_length is not None):
            raise ValueError("tool_lengths.master_length belongs to the convention master, and is needed there")
        if self.print and self.print.line.split("[")[0] in ("IF", "THEN", "GOTO", "WHILE", "DO", "END"):
            raise ValueError("print.line is a word that means something else in this language")
        if (self.comment.open == "(") != (self.comment.close == ")"):
            raise ValueError("comment.open and comment.close do not go together")
        if self.comment.open == ";" and not self.input.semicolon_comments:
            raise ValueError("comment.open is ; but input.semicolon_comments is false")
        if not speaks.named_words and (self.input.named_parameters or self.input.o_words):
            raise ValueError("input.named_parameters and input.o_words belong to the language ngc")
        self._check_lathe()
        self._check_variables()
        self._check_subprograms()
        self._check_skip()
        if self.probing and self.probing.back_off < self.skip.shortest:
            raise ValueError("probing.back_off is shorter than skip.shortest: the slow touch would be an error")
        if self.probing and self.probing.touch_feed > self.probing.search_feed:
            raise ValueError("probing.touch_feed is faster than search_feed: the touch that counts is the slow one")
        if speaks.positions_from_row:
            if self.moves and self.moves.guarded is None:
                raise ValueError("moves.guarded is missing: a word that stops at contact and raises no alarm without")
            if next(iter(self.offsets.values())).read is None:
                raise ValueError("the first row needs its variables (read): positions are worked out from them")
        self._check_rows()
        word, other = ("G21", "G20") if self.program.units == "mm" else ("G20", "G21")
        safe = [code for block in self.state.safe for code in block.split()]
        if word not in safe or other in safe:
            raise ValueError(f"state.safe must set {word}: program.units says that programs are written so")
        if self.program.units == "inch" and not self.input.inches:
            raise ValueError("program.units is inch, and input.inches says that the control knows none")
        return self

    def _check_subprograms(self) -> None:
        if (calls := self.subprograms) is None:
            return
        if calls.touch_number == calls.guard_number:
            raise ValueError("subprograms.touch_number and subprograms.guard_number must differ")
        if self.speaks.subprograms and self.positions:
            if self.positions.machine is None:
                raise ValueError("positions.machine is missing")
            if self.positions.work is None and self.skip.frame == "work":
                raise ValueError("positions.work is missing: skip positions are turned into machine positions by it")
        if digits := re.search(r":0([0-9])d", self.program.number):
            highest = 10 ** int(digits[1]) - 1
            if max(calls.touch_number, calls.guard_number) > highest:
                raise ValueError(f"subprograms have numbers above O{highest}, the highest that program.number takes")

    def _check_skip(self) -> None:
        skip, moves = self.skip, self.moves
        if skip.after_miss == "contact flag" and skip.contact_flag is None:
            raise ValueError("skip.after_miss is the contact flag: skip.contact_flag must give its variable")
        if self.probing is None:
            return
        if skip.after_miss is None:
            raise ValueError("skip.after_miss is missing: what a probing move leaves behind that meets nothing")
        if not self.speaks.branches and skip.after_miss == "old position" and skip.contact_flag is None:
            raise ValueError("without branches a miss shows by skip.contact_flag or the end position only")
        for name, block in (("skip", moves and moves.skip), ("guarded", moves and moves.guarded)):
            if block and not any(set(word.split()) <= set(block.split()) for word in skip.words):
                raise ValueError(f"moves.{name} is “{block}”, which holds none of skip.words: it would not stop")

    def _check_rows(self) -> None:
        writes = [offset.write for offset in self.all_rows.values() if offset.write is not None]
        if not self.offsets or len(set(writes)) != len(writes):
            raise ValueError("two rows of the offset table are written by the same block")
        for name, row in self.all_rows.items():
            if row.write is None and (self.variables is None or row.read is None):
                raise ValueError(f"row {name} can be written neither by a block nor through variables")

    def _check_variables(self) -> None:
        self._check_rotation()
        if self.variables:
            low, high = self.variables.free
            first, last = self.variables.common
            if not 31 <= first <= low < high <= last <= 4999 or high - low < 20:
                raise ValueError("variables.free must be a range of at least 20 inside variables.common")
            if (kept := self.variables.kept) and not first <= kept[0] <= kept[1] <= last:
                raise ValueError("variables.kept must be a range inside variables.common")
        taken: dict[int, str] = {}
        for name, number in self._system_variables():
            if number in taken:
                raise ValueError(f"variable #{number} is given twice: in {taken[number]} and {name}")
            if self.variables and self.variables.common[0] <= number <= self.variables.common[1]:
                raise ValueError(f"variable #{number} of {name} lies inside variables.common")
            taken[number] = name

    def _check_lathe(self) -> None:
        if (lathe := self.lathe) is None:
            return
        if self.input.diameter_x != (lathe.program.x == "diameter"):
            raise ValueError("lathe.program.x and input.diameter_x do not say the same")
        for name, table in (("geometry", lathe.geometry), ("wear", lathe.wear)):
            if table is None:
                continue
            if table.write is None and None in (table.x_first, table.z_first):
                raise ValueError(f"lathe.{name} can be written neither by a block nor through variables")
            if self.variables is None and (table.x_first is not None or table.z_first is not None):
                raise ValueError(f"lathe.{name} names variables, and the language has none")
        if lathe.wear is not None and lathe.wear.write is not None and lathe.wear.write == lathe.geometry.write:
            raise ValueError("lathe.geometry and lathe.wear are written by the same block")

    def _check_rotation(self) -> None:
        if self.rotation is None:
            return
        low, high = (self.variables.kept if self.variables else None) or (1, 0)
        free = self.variables.free if self.variables else (1, 0)
        ranges = {"first": (self.rotation.first, self.rotation.first + len(self.offsets) - 1)}
        if (number := self.rotation.extended) is not None:
            ranges["extended"] = (number, number + (self.extended.count if self.extended else 1) - 1)
            begun, ended = ranges["first"]
            if number <= ended and ranges["extended"][1] >= begun:
                raise ValueError("rotation.extended and on lies over the variables from rotation.first on")
        for name, (number, last) in ranges.items():
            clear = last < free[0] or number > free[1]
            if not self.speaks.rotation_in_variables or not low <= number <= last <= high or not clear:
                raise ValueError(
                    f"rotation.{name} and on, one a row, must lie in variables.kept and not in variables.free"
                )
        if "G68" in self.input.refuses:
            raise ValueError("rotation.call uses G68, which input.refuses")

    def _system_variables(self) -> Iterator[tuple[str, int]]:
        """Every variable with a meaning of its own, and the field that gives it."""
        triples = {f"positions.{key}": value for key, value in (self.positions or ())}
        triples |= {f"offsets.{row}.read": offset.read for row, offset in self.all_rows.items()}
        triples |= {"reference.first_read": self.reference.first_read}
        triples |= {"reference.second_read": self.reference.second_read}
        for name, numbers in triples.items():
            for number in numbers or ():
                yield name, number
        for row, offset in self.all_rows.items():
            if offset.rotation is not None:
                yield f"offsets.{row}.rotation", offset.rotation
        for name, number in self.modal_variables.items():
            yield f"modal_variables.{name}", number
        for section, fields in (("tool", self.tool), ("alarm", self.alarm), ("timers", self.timers)):
            for key, value in fields or ():
                if isinstance(value, int) and key != "longest":
                    yield f"{section}.{key}", value
        if self.skip.contact_flag is not None:
            yield "skip.contact_flag", self.skip.contact_flag
        for number, (_, name, axis) in self.turning_variables.items():
            yield f"lathe.{name}.{axis}_first", number
        if table := self.tool_table:
            for key in ("length", "length_wear", "radius", "radius_wear"):
                if (first := getattr(table, key)) is not None:
                    for n in range(1, table.tools + 1):
                        yield f"tool_table.{key}", first + n

    @functools.cached_property
    def own_blocks(self) -> dict[str, str]:
        """Every block a shop may write as it likes, by the field that names it."""
        blocks = {f"state.safe.{n}": block for n, block in enumerate(self.state.safe)}
        for name in ("head", "tail"):
            blocks |= {f"program.{name}.{n}": block for n, block in enumerate(getattr(self.program, name))}
        for name in ("on", "off", "orient", "orient_half") if self.probing else ():
            blocks |= {f"probing.{name}.{n}": block for n, block in enumerate(getattr(self.probing, name))}
        for name in ("rapid_machine", "skip", "guarded", "feed", "absolute") if self.moves else ():
            if (block := getattr(self.moves, name)) is not None:
                blocks[f"moves.{name}"] = block
        for letter, words in self.table_clamp.items():
            blocks |= {f"table_clamp.{letter}.unclamp": words.unclamp, f"table_clamp.{letter}.clamp": words.clamp}
        return blocks

    @functools.cached_property
    def own_codes(self) -> frozenset[tuple[str, float]]:
        """Every G and M code that stands in one of those blocks."""
        found = (re.findall(r"([GM]) *([0-9]+(?:\.[0-9]+)?)", block) for block in self.own_blocks.values())
        return frozenset((letter, float(figure)) for codes in found for letter, figure in codes)

    @property
    def decimals(self) -> int:
        """Decimals of axis words at this control's resolution."""
        return max(0, len(f"{self.resolution:.6f}".rstrip("0").split(".")[1]))

    @property
    def steps_of_whole(self) -> float | None:
        """How many least increments a mm has, where a length without a point counts those; None where it is as written.

        In inches a step is a tenth of a thousandth as it is a thousandth of a mm in metric.
        """
        return round(1 / self.resolution, 6) if self.input.integers == "least increment" else None

    @functools.cached_property
    def all_rows(self) -> dict[str, RowWords]:
        """Every row of the offset table by name, extended ones included."""
        rows = dict(self.offsets)
        if (form := self.extended) is None:
            return rows
        for n in range(1, form.count + 1):
            first = None if form.read_first is None else form.read_first + (n - 1) * form.read_step
            read = None if first is None else (first, first + 1, first + 2)
            select = form.select.format(n=n)
            write = None if form.write is None else form.write.format(n=n)
            rows[select] = RowWords(write=write, select=select, read=read)
        return rows

    @functools.cached_property
    def row_variables(self) -> dict[int, tuple[str, int]]:
        """Variable → the row and axis (0 to 2) of the offset table that it holds."""
        return {
            number: (name, axis) for name, row in self.all_rows.items() for axis, number in enumerate(row.read or ())
        }

    def angle_of(self, row: str) -> int | None:
        """The variable that holds how far a row is turned, in its table or kept for programs; None for none."""
        if (held := self.row(row).rotation) is not None:
            return held
        if self.rotation is None or row == self.common_shift:
            return None
        at = self._places[row]
        if at < len(self.offsets):
            return self.rotation.first + at
        extended = self.rotation.extended
        return None if extended is None else extended + at - len(self.offsets)

    @property
    def codes_with_p(self) -> frozenset[str]:
        """The codes that select an offset together with a P: G54.1."""
        return frozenset(words.select.split()[0] for words in self.all_rows.values() if " P" in words.select)

    @property
    def position_row(self) -> str:
        """The row that programs work positions out from, which must never be turned; "" where they need none.

        One that programs of the shop turn would turn them: then it is the last.
        """
        if not self.speaks.positions_from_row:
            return ""
        (first, row), *_, (last, _) = list(self.offsets.items()) * 2
        return last if row.rotation is not None else first

    def refuse_turned(self, row: str) -> None:
        """Raises PlanError where programs work positions out from this row: it must not be turned."""
        if row == self.position_row:
            raise PlanError(
                f"{row} cannot be turned on this control",
                f"Every program works positions out from {row}, and would stop at its first guard",
                "Take another row",
            )

    @property
    def turned_rows(self) -> tuple[str, ...]:
        """The rows whose angle is kept, in the table or in variables."""
        return tuple(row for row in self.all_rows if self.angle_of(row) is not None)

    @functools.cached_property
    def _places(self) -> dict[str, int]:
        """The place of each row in the table, extended ones after the others."""
        return {row: n for n, row in enumerate(self.all_rows)}

    def reads(self, row: str, axis: str) -> int | None:
        """The variable a figure of a row can be read from, None where there is none."""
        if axis == "r":
            return self.angle_of(row)
        read = self.row(row).read
        return read["xyz".index(axis)] if read else None

    @functools.cached_property
    def rotation_variables(self) -> dict[int, str]:
        """Variable → the row whose angle it holds."""
        return {row.rotation: name for name, row in self.all_rows.items() if row.rotation is not None}

    def tool_variable(self, number: int) -> tuple[int, int] | None:
        """Tool and column (L10 to L13) of the tool table that a variable holds, None when it holds none."""
        if (table := self.tool_table) is None:
            return None
        for column, first in enumerate((table.length, table.length_wear, table.radius, table.radius_wear), 10):
            if first is not None and first < number <= first + table.tools:
                return number - first, column
        return None

    @functools.cached_property
    def turning_variables(self) -> dict[int, tuple[int, str, str]]:
        """Variable → the row, table ("geometry", "wear") and axis of a lathe's tools that it holds."""
        if (lathe := self.lathe) is None:
            return {}
        return {
            number: (n, name, axis)
            for name in ("geometry", "wear")
            if (table := lathe.table(name)) is not None
            for axis in "xz"
            for n in range(1, lathe.offsets + 1)
            if (number := table.variable(axis, n)) is not None
        }

    @property
    def unit(self) -> float:
        """Millimetres in one unit of a program that is written for it."""
        return float(Unit.INCH.in_mm) if self.program.units == "inch" else 1.0

    @property
    def word_decimals(self) -> int:
        """Decimals of a length in a written program: in inches one more than in mm."""
        return self.decimals + (self.unit > 1)

    @property
    def rounding(self) -> float:
        """How far the table may lie off a figure that a program writes, mm: by its own last step, and by the word's.

        In inches the last decimal of a word is coarser than a step of the table: half of it counts too.
        """
        word = 0.0 if self.unit == 1 else 0.5 * 10.0**-self.word_decimals * self.unit
        return self.resolution / 2 + word

    @property
    def grain(self) -> float:
        """How far off a figure may be that is read back where it was taken as written, mm."""
        return 1.5 * self.resolution + self.rounding

    def length_power(self, variable: int) -> int | None:
        """1 where a variable holds a length, 0 where it holds something else; None for a person's own."""
        if variable in self.row_variables or variable in self.turning_variables or self.tool_variable(variable):
            return 1
        places = {number for _, triple in self.positions or () for number in triple or ()}
        if variable in places:
            return 1
        return None if self.variables and self.variables.common[0] <= variable <= self.variables.common[1] else 0

    @property
    def common_shift(self) -> str | None:
        """Name of the row on top of all others, None where the control has none."""
        return "common" if "common" in self.offsets else None

    @property
    def second_reference(self) -> tuple[float, float, float]:
        """The second reference position, machine mm."""
        return self.reference.second

    @property
    def length_reference(self) -> float:
        """What lengths in the tool table are short of those from the gauge line, mm: the master's length, or 0."""
        return self.tool_lengths.master_length or 0.0

    @property
    def u_length_reference(self) -> float:
        """Standard uncertainty of that, mm."""
        return self.tool_lengths.u_master_length

    @property
    def speaks(self) -> Language:
        """Its language: what programs in it can do."""
        return LANGUAGES[self.language]

    @property
    def measures(self) -> bool:
        """Whether a program for this control can probe."""
        return self.probing is not None

    @property
    def limits(self) -> tuple[str, ...]:
        """What programs for this control cannot do, in sentences for the person who chooses it."""
        told = []
        if not self.measures:
            told.append("It cannot probe: programs set offsets and nothing else; measure by hand.")
        told += self.speaks.limits
        if self.print is None and self.measures:
            told.append("It prints nothing: the touches stay in its parameters and are read from there.")
        looks = self.tool is not None and self.tool.holds == "tool in spindle"
        if self.measures and not looks and self.call is None:
            told.append("A program cannot tell which tool is in the spindle: it stops and asks.")
        if self.measures and not (self.probing and self.probing.orient_half):
            told.append("Its profile names no half turn of the spindle: a program cannot take the run-out out by it.")
        if self.measures and self.tilted is None:
            told.append("It has no tilted planes: the angles of one are kept for programs of the shop, no more.")
        if self.tool_lengths.convention == "part":
            told.append("Every tool is touched off on the part: Z of an offset is left as it stands in the table.")
        if self.positions and self.offsets and any(row.read is None for row in self.offsets.values()):
            told.append("Some rows cannot be read by a program: what is written to them is not read back.")
        return tuple(told)

    def row(self, name: str) -> RowWords:
        """The words of one offset row.

        Raises:
            ProfileError: when the control has no such row.
        """
        if name not in self.all_rows:
            raise ProfileError(self.name, (Fault("offsets", f"there is no row {name}"),), "Choose a row it has")
        return self.all_rows[name]


def findings_of(error: ValidationError) -> tuple[Fault, ...]:
    """Pydantic's complaints as findings with dotted places."""
    return tuple(
        Fault(".".join(str(part) for part in item["loc"]), fault_words(item))
        for item in error.errors(include_url=False)
    )


def parse_profile(text: str, source: str) -> Profile:
    """Read a profile from TOML text. `source` names it in messages.

    Raises:
        ProfileError: with every fault listed.
    """
    try:
        return strictly(Profile, toml_sections(text))
    except tomllib.TOMLDecodeError as error:
        raise ProfileError(source, (Fault("TOML", str(error)),)) from error
    except ValidationError as error:
        raise ProfileError(source, findings_of(error)) from error


def _folder() -> Traversable:
    return resources.files("brisk_anchor.nc.profile") / "shipped"


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
            name, (Fault("", f"no such profile ships; known: {', '.join(known)}"),), "Choose a known one"
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
        data = read_at_most(path, _MAX_BYTES)
        if len(data) > _MAX_BYTES:
            raise ProfileError(path.name, (Fault("", f"larger than {_MAX_BYTES} bytes"),))
        return parse_profile(data.decode("utf-8-sig"), path.name)
    except (OSError, UnicodeDecodeError) as error:
        raise ProfileError(path.name, (Fault("", why_unread(error)),)) from error


def in_mm(value: float, steps: float | None, *, whole: bool, inches: bool) -> float:
    """A length as a control reads it, mm.

    Args:
        value: what is written.
        steps: `Profile.steps_of_whole`.
        whole: whether it has no point.
        inches: whether G20 is in force.
    """
    if whole and steps is not None:
        # A division by a whole number rounds once, a product with the decimal step would round twice.
        return value / steps * (2.54 if inches else 1.0)
    return value * 25.4 if inches else value


def profile_of(name_or_path: str) -> Profile:
    """A shipped profile by name, or a shop's own by its path.

    Raises:
        ProfileError: there is none, or it has faults.
    """
    if name_or_path in shipped_profiles():
        return shipped_profile(name_or_path)
    return load_profile(Path(name_or_path))
