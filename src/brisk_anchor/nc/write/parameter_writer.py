"""Steps as RS-274/NGC without branches: positions, parameters and expressions, every touch written out.

A guard is an expression that has no value when it fails: `SQRT[limit − |error|]` below zero, or a division by
`1 − contact flag`. The control stops there with its arithmetic error; the comment of the line says which guard it was.

A probing move below the shortest that the control takes is an error. So the way back from a touch, along which the
probe just came, and a middle between walls that were just touched are plain feed moves, checked beforehand.

Positions are worked out from the first row of the offset table, which the program selects: machine = skip position +
row. So nothing may stand on top of that row: the first guard sees to it. The writer follows where the spindle is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from brisk_anchor.core.errors import Fault, PlanError, ProfileError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Function,
    Name,
    Number,
    Variable,
    known_difference,
    plus,
)
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import ResultLine
from brisk_anchor.nc.programs.steps import (
    Centre,
    Check,
    Compute,
    Guarded,
    NoCommonShift,
    NoShift,
    NothingFailed,
    NothingYet,
    Rapid,
    React,
    ReadBack,
    Release,
    Report,
    RowHolds,
    SafeState,
    Sort,
    Step,
    Store,
    ToolCheck,
    ToolHolds,
    TouchStep,
)
from brisk_anchor.nc.write.text import TextWriter, unknown

_AT_END = 0.02
"""A guarded move that ends further than this (mm) from where it was sent has met something."""
_OVERSHOOT = 0.05
"""How much longer than the shortest probing move, mm, one is at least: positions are rounded."""
_PRINTED = 4
_RAN = "ran to its end"
"""The name of the value that tells whether the program did."""


class ParameterWriter(TextWriter):
    """Writes RS-274/NGC."""

    notes = ("A LINE THAT STOPS WITH AN ARITHMETIC ERROR IS A GUARD,", "ITS COMMENT SAYS WHICH")

    def __init__(self, profile: Profile) -> None:
        super().__init__(profile)
        name, row = profile.position_row, profile.offsets[profile.position_row]
        self.first_select = next(iter(profile.offsets.values())).select
        if not (profile.moves and profile.probing and profile.positions and row.read and profile.moves.guarded):
            raise ProfileError(profile.name, (Fault("language", f"{profile.language} has no parameters"),))
        self.moves, self.probing, self.skip = profile.moves, profile.probing, profile.positions.skip
        self.guarded = profile.moves.guarded
        self.row, self.select, self.origin = name, row.select, row.read
        self.at: list[Expression | None] = [None, None, None]
        self.has_measured = False
        self.has_selected = False
        self._identity = 0.0
        self.sorted: dict[str, Sort] = {}
        """What is judged, by the name of its verdict."""

    def close(self) -> None:
        """Absolute positions, the first row."""
        self.put(self.moves.absolute, "absolute positions again")
        if self.has_selected and self.select != self.first_select:
            self.put(self.first_select, "the first row again, in which every program here ends")

    # -- pieces ------------------------------------------------------------------------------------------------

    def _guard(self, room: str, text: str) -> None:
        scratch = self.allocate(("guard",))
        self.put(f"#{scratch}=SQRT[{room}]", f"guard: the control stops here when it fails: {text}", note=text)

    def _near(self, value: Expression, centre: Expression, limit: float) -> str:
        return f"{self.constant(limit)}-ABS[{self.expression(Binary(value, '-', centre))}]"

    def _in_row(self, axis: int, machine: Expression) -> str:
        """A machine position as a word in the selected row."""
        return self.word("XYZ"[axis], Binary(machine, "-", Variable(self.origin[axis])))

    def _select_for(self, *, moves: bool) -> None:
        """Select the row that positions are worked out from, where something moves; else the active row stays."""
        self.has_selected = moves
        if moves:
            self.put(self.select, f"positions are worked out from {self.row}")
            self._no_shift()

    def _store(self, row: str, values: Sequence[tuple[str, Expression]]) -> None:
        if any(axis == "r" and value != Number(0.0) for axis, value in values):
            self.profile.refuse_turned(row)
        self.store_row(row, values, before=f"{self.moves.absolute} ")

    def _no_shift(self) -> None:
        numbers: list[int] = []
        if self.profile.positions and self.profile.positions.set_shift:
            numbers += self.profile.positions.set_shift
        if (name := self.profile.common_shift) and (read := self.profile.row(name).read):
            numbers += read
        rotation = self.profile.row(self.row).rotation
        if rotation is not None:
            self._guard(f"{self.constant(self.profile.resolution)}-ABS[#{rotation}]", f"{self.row} MUST NOT BE TURNED")
        if numbers:
            held = "-".join(f"ABS[#{number}]" for number in numbers)
            self._guard(
                f"{self.constant(self.profile.resolution / self.unit)}-{held}", "A SHIFT STANDS ON TOP OF THE OFFSETS"
            )

    def _guarded_move(self, targets: dict[int, Expression], why: str) -> None:
        targets = {axis: target for axis, target in targets.items() if self.at[axis] != target}
        if not targets:
            return  # a probing move to where the spindle stands is an error on this control
        words = " ".join(self._in_row(axis, target) for axis, target in targets.items())
        feed = self.figure(self.probing.guarded_feed / self.unit)
        if self._is_short(targets):
            self.put(f"{self.moves.feed} {words} F{feed}", f"too little for a probing move: {why}", note=why)
            self.at = [targets.get(axis, at) for axis, at in enumerate(self.at)]
            return
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
            self._guard(f"{self.constant(_AT_END / self.unit)}-{short}", "UNEXPECTED CONTACT")
        for axis, target in targets.items():
            self.at[axis] = target

    def _is_short(self, targets: dict[int, Expression]) -> bool:
        """Whether a move is known to be shorter than a probing move may be."""
        ways = [known_difference(target, self.at[axis]) for axis, target in targets.items()]
        known = [way for way in ways if way is not None]
        return len(known) == len(ways) and math.hypot(*known) * self.unit < self.profile.skip.shortest

    def _centre(self, step: Centre) -> None:
        """On to a middle between touched walls, after a check that it lies within what was searched."""
        targets = {
            axis: value for axis, value in enumerate((step.x, step.y)) if value is not None and value != self.at[axis]
        }
        for axis, target in targets.items():
            here = self.at[axis]
            if here is None:
                raise PlanError("A move begins at an unknown place", "It could not be written", "Move there first")
            self._guard(self._near(target, here, step.limit), f"{'XY'[axis]} LIES BEYOND WHAT WAS SEARCHED")
        words = " ".join(self._in_row(axis, target) for axis, target in targets.items())
        if words:
            feed = self.figure(self.probing.search_feed / self.unit)
            self.put(f"{self.moves.feed} {words} F{feed}", f"through room that was searched: {step.why}", note=step.why)
        self.at = [targets.get(axis, at) for axis, at in enumerate(self.at)]

    def _latched(self, axis: int) -> Expression:
        """Machine position of the last skip signal."""
        if self.profile.skip.frame == "machine":
            return Variable(self.skip[axis])
        return Binary(Variable(self.skip[axis]), "+", Variable(self.origin[axis]))

    def _skip_in_row(self, axis: int) -> Expression:
        """The last skip signal in the selected row."""
        signal = Variable(self.skip[axis])
        return Binary(signal, "-", Variable(self.origin[axis])) if self.profile.skip.frame == "machine" else signal

    def _touch(self, step: TouchStep) -> None:
        along = {axis: part for axis, part in enumerate(step.direction) if abs(part) > 1e-9}
        starts: dict[int, Expression] = {}
        for axis in along:
            start = self.at[axis]
            if start is None:
                raise PlanError("A touch begins at an unknown place", "It could not be written", "Move there first")
            starts[axis] = start
        back = self.probing.back_off / self.unit
        beyond = max(back, (self.profile.skip.shortest + _OVERSHOOT) / self.unit)
        search = " ".join(self._in_row(axis, plus(starts[axis], part * step.distance)) for axis, part in along.items())
        usual = (self.probing.search_feed / self.unit, self.probing.touch_feed / self.unit)
        feeds = [self.figure(own or feed) for own, feed in zip(step.feeds, usual, strict=True)]
        self.put(
            f"{self.moves.skip} {search} F{feeds[0]}", f"search up to {step.distance * self.unit:g} mm", note=step.why
        )
        # No further back than it came: what is behind was not searched. The lesser of two is (a + b - |a - b|) / 2.
        gone = self.allocate(("guard",))
        ways = [Binary(self._latched(axis), "-", starts[axis]) for axis in along]
        if len(ways) == 1:
            length = f"ABS[{self.expression(ways[0])}]"
        else:
            squares = [Binary(way, "*", way) for way in ways]
            length = self.expression(Function("SQRT", (Binary(squares[0], "+", squares[1]),)))
        self.put(f"#{gone}=[{length}]", "how far it went")
        lesser = f"[#{gone}+{self.constant(back)}-ABS[#{gone}-{self.constant(back)}]]/2"
        self.put(f"#{gone}=[{lesser}]", "how far to back off: no further than it came")
        met = {axis: self._skip_in_row(axis) for axis in along}
        off = " ".join(
            self.word("XYZ"[axis], Binary(met[axis], "-", Binary(Number(part), "*", Variable(gone))))
            for axis, part in along.items()
        )
        again = " ".join(self.word("XYZ"[axis], plus(met[axis], part * beyond)) for axis, part in along.items())
        self.put(f"{self.moves.feed} {off} F{feeds[0]}", "off the wall")
        self.put(f"{self.moves.skip} {again} F{feeds[1]}", "slow touch, the one that counts")
        first = self.allocate(step.names)
        aside = (*step.aside, 0.0)  # where the ball stands beside the spindle's axis
        places = [plus(self._latched(axis), part) if part else self._latched(axis) for axis, part in enumerate(aside)]
        kept = " ".join(f"#{first + axis}=[{self.expression(place)}]" for axis, place in enumerate(places))
        self.put(kept, f"keep the machine position in #{first} to #{first + 2}")
        home = " ".join(self._in_row(axis, start) for axis, start in starts.items())
        fast = self.figure(self.probing.guarded_feed / self.unit)
        self.put(f"{self.moves.feed} {home} F{fast}", "back the way it came, to where the search began")
        held = tuple((letter, first + axis, _PRINTED) for axis, letter in enumerate("XYZ"))
        ways_of = tuple((letter, float(part), _PRINTED) for letter, part in zip("IJK", step.direction, strict=True))
        inches = frozenset("XYZ") if self.unit > 1 else frozenset[str]()
        self.results.append(ResultLine(("TOUCH",), (("N", float(step.number), 0), *held, *ways_of), inches))

    def _rapid(self, step: Rapid) -> None:
        """A rapid to a machine position, at clear height."""
        places = (step.x, step.y, step.z)
        words = [f"{a}{self.figure(v)}" for a, v in zip("XYZ", places, strict=True) if v is not None]
        self.put(f"{self.moves.rapid_machine} {' '.join(words)}", "rapid to this machine position, at clear height")
        for axis, value in enumerate(places):
            if value is not None:
                self.at[axis] = Number(value)

    def _read_back(self, step: ReadBack) -> None:
        """Stop where the table does not hold what was written to it."""
        for axis, wanted in step.values:
            if (holds := self.profile.reads(step.row, axis)) is not None:
                text = f"{step.row} {axis.upper()} WAS NOT TAKEN"
                self._guard(self._near(Variable(holds), wanted, self.grain(axis)), text)

    def _holds_step(self, step: Step) -> bool:
        """Write a step that looks what a table holds; False for any other, nothing written."""
        if not isinstance(step, ToolHolds | RowHolds):
            return False
        for axis, variable, value in self.held_in(step):
            within = step.within if isinstance(step, RowHolds) else None
            limit = self.grain(axis.lower()) if within is None else within
            near = self._near(Variable(variable), Number(value), limit)
            self._guard(near, f"{step.text} {axis}")
        return True

    # -- steps -------------------------------------------------------------------------------------------------

    def step(self, step: Step) -> None:
        """Write one step. Raises PlanError."""
        if self.shared_step(step) or self._holds_step(step):
            return
        profile = self.profile
        match step:
            case SafeState(moves):
                self.safe_state()
                self._select_for(moves=moves)
            case ToolCheck(number, what, called):
                if self.can_look(number, what, called=called) and profile.tool is not None:
                    text = f"{what} T{number} MUST BE IN THE SPINDLE"
                    self._guard(f"0.5-ABS[#{profile.tool.variable}-{number}]", text)
            case Rapid():
                self._rapid(step)
            case Guarded(why, x, y, z):
                self._guarded_move({axis: value for axis, value in enumerate((x, y, z)) if value is not None}, why)
            case Centre():
                self._centre(step)
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
            case NoCommonShift() | NoShift():
                self._no_shift()
            case Store(row, values):
                self._store(row, values)
            case ReadBack():
                self._read_back(step)
            case Release():
                pass  # the parameter file is read after the program, so every touch keeps its own
            case Report(words, values, inches):
                told = tuple((a, self._result(v), _decimals(d)) for a, v, d in values)
                self.results.append(ResultLine(words, self._ran(words[0], told), inches))
            case Sort(name, value):
                self.sorted[name] = step
                self.put(f"#{self.allocate((name,))}=-1", "the application judges", note="JUDGED BY THE APPLICATION")
            case React():
                self._react(step)
            case _:
                raise unknown(step)

    def _react(self, step: React) -> None:
        """Where a verdict is bad the program can only end: by a guard on the value itself."""
        sort = self.sorted[step.name]
        if step.reaction != "alarm":
            raise PlanError(
                f"A control with the profile {self.profile.name} has no branches",
                f"It cannot “{step.reaction}” when a verdict is bad: it can only end there",
                "Choose alarm",
            )
        low, high = sort.accept if step.code == 1 else sort.reject
        if low is not None and (step.code == 1 or sort.below == step.code):
            self._guard(self.expression(Binary(sort.value, "-", Number(low))), step.text)
        if high is not None and (step.code == 1 or sort.above == step.code):
            self._guard(self.expression(Binary(Number(high), "-", sort.value)), step.text)

    def _ran(self, kind: str, told: Sequence[tuple[str, float | int, int]]) -> tuple[tuple[str, float | int, int], ...]:
        """The figures of a report line; its beginning and its end say in a variable that the program ran to its end.

        The variables of a program before are the same ones: figures of theirs, or of a run that was broken off, must
        not be taken for those of this one.
        """
        if kind == "BEGIN":
            self._identity = next(value for letter, value, _ in told if letter == "I")
            variable = self.allocate((_RAN,))
            self.put(f"#{variable}=0", "until it has run to its end")
            return tuple((letter, variable if letter == "I" else value, d) for letter, value, d in told)
        if kind == "END":
            self.put(f"#{self.variables[_RAN]}={self._identity:g}", "it has run to its end")
        return tuple(told)

    def _result(self, value: Expression) -> float | int:
        if isinstance(value, Number):
            return float(value.value)
        if isinstance(value, Name):
            return self.variables[value.name]
        # In the file that is saved later a control's own variables may stand in another unit than in the program.
        kept = self.allocate((f"reported {len(self.variables)}",))
        self.put(f"#{kept}={self.expression(value, nested=True)}", f"keep it in #{kept}")
        return kept


def _decimals(wanted: int) -> int:
    return _PRINTED if wanted < 0 else wanted
