"""Steps as RS-274/NGC without branches: positions, parameters and expressions, every touch written out.

A guard is an expression that has no value when it fails: `SQRT[limit − |error|]` below zero, or a division by
`1 − contact flag`. The control stops there with its arithmetic error; the comment of the line says which guard it was.

Positions are worked out from the first row of the offset table, which the program selects: machine = skip position +
row. So nothing may stand on top of that row: the first guard sees to it. The writer follows where the spindle is.
"""

from __future__ import annotations

from brisk_anchor.core.errors import Finding, PlanError, ProfileError
from brisk_anchor.nc.profile import Profile
from brisk_anchor.nc.program import ResultLine
from brisk_anchor.nc.steps import (
    Binary,
    CallTool,
    Check,
    Compute,
    Expression,
    Guarded,
    Keep,
    KeepAngle,
    Name,
    NoCommonShift,
    NothingFailed,
    NothingYet,
    Number,
    OperatorStop,
    Orient,
    Probe,
    Rapid,
    ReadBack,
    Release,
    Report,
    SafeState,
    Section,
    Step,
    Store,
    TableAt,
    TiltedPlane,
    ToolCheck,
    TouchStep,
    TurnTable,
    Variable,
    plus,
)
from brisk_anchor.nc.text import TextWriter

_AT_END = 0.02
"""A guarded move that ends further than this (mm) from where it was sent has met something."""
_PRINTED = 4


class ParameterWriter(TextWriter):
    """Writes RS-274/NGC."""

    notes = ("A LINE THAT STOPS WITH AN ARITHMETIC ERROR IS A GUARD,", "ITS COMMENT SAYS WHICH")

    def __init__(self, profile: Profile) -> None:
        super().__init__(profile)
        # Positions are worked out from a row. One that programs of the shop turn would turn them: then it is the last.
        first = next(iter(profile.offsets.values()))
        name, row = list(profile.offsets.items())[-1 if first.rotation is not None else 0]
        self.first_select = first.select
        if not (profile.moves and profile.probing and profile.positions and row.read and profile.moves.guarded):
            raise ProfileError(profile.name, (Finding("language", f"{profile.language} has no parameters"),))
        self.moves, self.probing, self.skip = profile.moves, profile.probing, profile.positions.skip
        self.guarded = profile.moves.guarded
        self.row, self.select, self.origin = name, row.select, row.read
        self.at: list[Expression | None] = [None, None, None]
        self.has_measured = False

    def close(self) -> None:
        """Absolute positions, the first row."""
        self.put(self.moves.absolute, "absolute positions again")
        if self.select != self.first_select:
            self.put(self.first_select, "the first row again, in which every program here ends")

    # -- pieces ------------------------------------------------------------------------------------------------

    def _guard(self, room: str, text: str) -> None:
        scratch = self.allocate(("guard",))
        self.put(f"#{scratch}=SQRT[{room}]", f"guard: the control stops here when it fails: {text}", note=text)

    def _near(self, value: Expression, centre: Expression, limit: float) -> str:
        return f"{self.figure(limit)}-ABS[{self.expression(Binary(value, '-', centre))}]"

    def _in_row(self, axis: int, machine: Expression) -> str:
        """A machine position as a word in the selected row."""
        return self.word("XYZ"[axis], Binary(machine, "-", Variable(self.origin[axis])))

    def _no_shift(self) -> None:
        numbers: list[int] = []
        if self.profile.positions and self.profile.positions.set_shift:
            numbers += self.profile.positions.set_shift
        if (name := self.profile.common_shift) and (read := self.profile.row(name).read):
            numbers += read
        rotation = self.profile.row(self.row).rotation
        if rotation is not None:
            self._guard(f"{self.figure(self.profile.resolution)}-ABS[#{rotation}]", f"{self.row} MUST NOT BE TURNED")
        if numbers:
            held = "-".join(f"ABS[#{number}]" for number in numbers)
            self._guard(f"{self.figure(self.profile.resolution)}-{held}", "A SHIFT STANDS ON TOP OF THE OFFSETS")

    def _guarded_move(self, targets: dict[int, Expression], why: str) -> None:
        targets = {axis: target for axis, target in targets.items() if self.at[axis] != target}
        if not targets:
            return  # a probing move to where the spindle stands is an error on this control
        words = " ".join(self._in_row(axis, target) for axis, target in targets.items())
        feed = self.figure(self.probing.guarded_feed)
        self.put(f"{self.guarded} {words} F{feed}", f"guarded move to a machine position: {why}", note=why)
        flag = self.profile.skip.contact_flag
        if flag is not None:
            scratch = self.allocate(("guard",))
            text = "UNEXPECTED CONTACT"
            self.put(f"#{scratch}=[1/[1-#{flag}]]", "guard: divides by zero when something was in the way", note=text)
        else:
            short = "-".join(
                f"ABS[{self.expression(Binary(self._latched(axis), '-', target))}]" for axis, target in targets.items()
            )
            self._guard(f"{self.figure(_AT_END)}-{short}", "UNEXPECTED CONTACT")
        for axis, target in targets.items():
            self.at[axis] = target

    def _latched(self, axis: int) -> Expression:
        """Machine position of the last skip signal."""
        return Binary(Variable(self.skip[axis]), "+", Variable(self.origin[axis]))

    def _touch(self, step: TouchStep) -> None:
        along = {axis: part for axis, part in enumerate(step.direction) if abs(part) > 1e-9}
        starts: dict[int, Expression] = {}
        for axis in along:
            start = self.at[axis]
            if start is None:
                raise PlanError("A touch begins at an unknown place", "It could not be written", "Move there first")
            starts[axis] = start
        back = self.probing.back_off
        search = " ".join(self._in_row(axis, plus(starts[axis], part * step.distance)) for axis, part in along.items())
        usual = (self.probing.search_feed, self.probing.touch_feed)
        feeds = [self.figure(own or feed) for own, feed in zip(step.feeds, usual, strict=True)]
        off = " ".join(
            self.word("XYZ"[axis], plus(Variable(self.skip[axis]), -part * back)) for axis, part in along.items()
        )
        again = " ".join(
            self.word("XYZ"[axis], plus(Variable(self.skip[axis]), part * back)) for axis, part in along.items()
        )
        self.put(f"{self.moves.skip} {search} F{feeds[0]}", f"search up to {step.distance:g} mm", note=step.why)
        self.put(f"{self.moves.feed} {off} F{feeds[0]}", "off the wall")
        self.put(f"{self.moves.skip} {again} F{feeds[1]}", "slow touch, the one that counts")
        first = self.allocate(step.names)
        aside = (*step.aside, 0.0)  # where the ball stands beside the spindle's axis
        places = [plus(self._latched(axis), part) if part else self._latched(axis) for axis, part in enumerate(aside)]
        kept = " ".join(f"#{first + axis}=[{self.expression(place)}]" for axis, place in enumerate(places))
        self.put(kept, f"keep the machine position in #{first} to #{first + 2}")
        self.put(f"{self.moves.feed} {off} F{feeds[0]}", "off the wall")
        for axis in along:
            self.at[axis] = None
        self._guarded_move(dict(starts), "back to where the search began")
        held = tuple((letter, first + axis, _PRINTED) for axis, letter in enumerate("XYZ"))
        ways = tuple((letter, float(part), _PRINTED) for letter, part in zip("IJK", step.direction, strict=True))
        self.results.append(ResultLine(("TOUCH",), (("N", float(step.number), 0), *held, *ways)))

    # -- steps -------------------------------------------------------------------------------------------------

    def step(self, step: Step) -> None:
        """Write one step."""
        profile = self.profile
        match step:
            case Section(title):
                self.heading(title)
            case SafeState():
                self.safe_state()
                self.put(self.select, f"positions are worked out from {self.row}")
                self._no_shift()
            case ToolCheck(number, what):
                text = f"{what} T{number} MUST BE IN THE SPINDLE"
                if profile.tool is not None:
                    self._guard(f"0.5-ABS[#{profile.tool.in_spindle}-{number}]", text)
                else:
                    self.put("M0", "stops: look at the spindle, then start again", note=text)
            case TableAt(angles):
                self.table_at(angles)
            case TurnTable(letter, by):
                self.turn_table(letter, by)
            case OperatorStop(text):
                self.operator_stop(text)
            case Probe(on):
                for block in self.probing.on if on else self.probing.off:
                    self.put(block, "probe on" if on else "probe off")
            case Rapid(x, y, z):
                words = [f"{a}{self.figure(v)}" for a, v in zip("XYZ", (x, y, z), strict=True) if v is not None]
                self.put(
                    f"{self.moves.rapid_machine} {' '.join(words)}", "rapid to this machine position, at clear height"
                )
                for axis, value in enumerate((x, y, z)):
                    if value is not None:
                        self.at[axis] = Number(value)
            case Guarded(why, x, y, z):
                self._guarded_move({axis: value for axis, value in enumerate((x, y, z)) if value is not None}, why)
            case TouchStep():
                self._touch(step)
            case Compute(name, value, why):
                text = self.expression(value, nested=True)
                self.put(f"#{self.allocate((name,))}={text}", why, note=why)
            case Check(value, centre, limit, _, text, _, reaction):
                if reaction != "alarm":
                    raise PlanError(
                        f"A control with the profile {profile.name} has no branches",
                        f"It cannot “{reaction}” when a check fails: it can only end there",
                        "Choose alarm",
                    )
                self._guard(self._near(value, centre, limit), text)
            case NothingYet() | NothingFailed():
                pass  # checks here end the program
            case Orient(half):
                self.orient(self.probing, half=half)
            case Keep(variable, value, why):
                self.keep(variable, value, why)
            case TiltedPlane(variables):
                self.tilted_plane(variables)
            case CallTool(number):
                self.call_tool(number)
            case NoCommonShift():
                self._no_shift()
            case Store(row, values):
                written = self.row_words(row, values)
                code = f"{self.moves.absolute} {profile.row(row).write} {written}"
                self.put(code, f"writes offset {row}", note=f"write {row}")
            case ReadBack(row, values):
                for name, wanted in values:
                    if (holds := profile.reads(row, name)) is not None:
                        held = Variable(holds)
                        text = f"{row} {name.upper()} WAS NOT TAKEN"
                        self._guard(self._near(held, wanted, profile.resolution * 2), text)
            case Release():
                pass  # the parameter file is read after the program, so every touch keeps its own
            case KeepAngle(row, value):
                self.keep_angle(row, value)
            case Report(words, values):
                self.results.append(ResultLine(words, tuple((a, self._result(v), _decimals(d)) for a, v, d in values)))

    def _result(self, value: Expression) -> float | int:
        if isinstance(value, Number):
            return float(value.value)
        if isinstance(value, Name):
            return self.variables[value.name]
        raise PlanError("A report of a sum cannot be kept", "It has no variable", "Compute it first")


def _decimals(wanted: int) -> int:
    return _PRINTED if wanted < 0 else wanted
