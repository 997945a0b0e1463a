"""The steps of one measurement: where the probe goes, what it touches, how the control works the feature out.

The control's arithmetic is closed, term for term what a person at the control can follow; the application solves the
same touches by least squares, and both must agree. Formulas in docs/maths.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Expression, Name, Number, add, half_sum, plus, scaled, subtract, times
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import search_start
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.specs.round import TALLY, tallied
from brisk_anchor.core.features.specs.spec import Names
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    Centre,
    Check,
    Compute,
    Guarded,
    KeepResult,
    Orient,
    Rapid,
    Release,
    Report,
    SectionHeading,
    Step,
    TiltedPlane,
    TouchStep,
)


@dataclass(slots=True)
class Cycle:
    """Collects the steps of one measurement; `index` is its number in the program, `touches` those made before."""

    steps: list[Step]
    measurement: Measurement
    index: int
    touches: int
    located: dict[tuple[str, str], ControlResult]
    here: dict[int, Expression] = field(default_factory=dict)
    made: list[tuple[TouchPlace, Names]] = field(default_factory=list)
    loose: list[str] = field(default_factory=list)
    results: dict[str, Expression] = field(default_factory=dict)
    turned: bool = False
    """Whether the spindle stands turned half round now."""
    height: float | None = None
    """Machine Z the spindle comes from, where that is known: it goes across at the higher of that and `clear_z`."""
    wanted: bool = True
    """Whether what is found is needed after the measurement; if not, its variables are free again."""
    keeps_size: bool = False
    """Whether its sizes are needed then."""

    def run(self) -> int:
        """Append everything; returns how many touches the program has made by then.

        Raises:
            PlanError: the touches would begin above the clear height, or a top it counts from is not measured before.
        """
        m = self.measurement
        first = m.contacts()[0]
        x, y, z = search_start(m, first)  # straight down to where its search begins
        beside = m.starts_over and not first.direction[2]
        down = f"down beside the {self._side(first)}" if beside else "down to the start"
        self.steps.append(SectionHeading(f"measure {m.title or m.name}"))
        if self.height is not None and self.height < m.clear_z:
            self.steps.append(Rapid(z=m.clear_z))
        self.steps.append(Rapid(x=x, y=y))
        if self.height is None or self.height > m.clear_z:
            self.steps.append(Rapid(z=m.clear_z))
        self.here = dict(enumerate(map(Number, (x, y, m.clear_z))))
        start = self._height(z)
        if isinstance(start, Number) and start.value > m.clear_z + 1e-6:
            raise PlanError(
                f"The touches of {m.name} begin {start.value - m.clear_z:.3f} mm above the clear height",
                "The spindle would cross the part lower than that",
                "Raise the clear height of the set-up",
            )
        self._to(down, {2: start})
        if m.options.half_turn:
            self.steps.append(Orient(half=False))
        self._touch_all()
        if self.turned:
            self.steps.append(Orient(half=False))
        if not m.only:
            spec_of(m.kind).closed_sums(self)
            self._keep()
            for letter in ("d", "e") if self.keeps_size else ():
                if letter in self.results:
                    kept = self.compute(f"z{self.index}{letter}", self.results[letter], f"size of {m.name}", keep=True)
                    self.locate(letter, kept)
        self._to("up to the clear height", {2: Number(m.clear_z)})
        if self.loose:
            self.steps.append(Release(tuple(dict.fromkeys(self.loose))))
        return self.touches

    # -- moving and touching -----------------------------------------------------------------------------------

    def _height(self, z: float) -> Expression:
        """A machine Z as described, counted from the top that was measured where there is one.

        Raises:
            PlanError: that top is not measured before.
        """
        top = self.measurement.top
        if top is None:
            return Number(z)
        if top.found is not None:
            return Number(z + top.found - top.nominal)
        if (top.name, "z") not in self.located:
            what = f"{self.measurement.name} counts its depth from {top.name}, which is not measured before it"
            raise PlanError(what, "How deep it goes would not be known", f"Measure {top.name} first")
        return plus(self.located[top.name, "z"].value, z - top.nominal)

    def _to(self, why: str, targets: Mapping[int, Expression]) -> None:
        """A guarded move, along the axes that change only."""
        moving = {axis: target for axis, target in targets.items() if self.here[axis] != target}
        if moving:
            self.steps.append(Guarded(why, **{AXES[axis]: target for axis, target in moving.items()}))
            self.here.update(moving)

    def _centre(self, why: str, targets: Mapping[int, Expression]) -> None:
        """On to a middle between walls that were just touched: through searched room, perhaps by next to nothing."""
        m = self.measurement
        moving = {axis: target for axis, target in targets.items() if self.here[axis] != target}
        if moving:
            limit = max(m.search_along(axis) for axis in moving)
            self.steps.append(Centre(why, limit, **{AXES[axis]: target for axis, target in moving.items()}))
            self.here.update(moving)

    def _touch(self, contact: TouchPlace, direction: Vector, distance: float, why: str) -> Names:
        """Touch once or several times; the names hold the machine position, the mean along the axis of the touch."""
        m = self.measurement
        number = len(self.made) + 1
        every: list[Names] = []
        for turn in range(2 if m.options.half_turn else 1):
            if turn:
                self.turned = not self.turned
                self.steps.append(Orient(half=self.turned))
            for _ in range(m.repeats):
                self.touches += 1
                names = (f"t{self.touches}x", f"t{self.touches}y", f"t{self.touches}z")
                feeds = (m.options.search_feed, m.options.touch_feed)
                self.steps.append(TouchStep(self.touches, direction, distance, names, why, m.stylus.offset, feeds))
                every.append(names)
                if len(every) > 1:
                    self._accumulate(number, every)
        names = every[0] if len(every) == 1 else self._mean(number, len(every))
        self.loose += names
        self.made.append((contact, names))
        if m.depth_check and not contact.direction[2]:
            self._check_depth(direction, distance, every[-1])
        return names

    def _check_depth(self, direction: Vector, distance: float, names: Names) -> None:
        """Touch the wall once more, higher than in `names`: where that differs the edge was touched, there or here."""
        m, level = self.measurement, self.here[2]
        self._to("up to touch again", {2: plus(level, m.depth_check)})
        self.touches += 1
        higher = (f"t{self.touches}x", f"t{self.touches}y", f"t{self.touches}z")
        feeds = (m.options.search_feed, m.options.touch_feed)
        why = "the same wall higher: is it the wall"
        self.steps.append(TouchStep(self.touches, direction, distance, higher, why, m.stylus.offset, feeds))
        off: Expression = Number(0.0)
        for axis, part in enumerate(direction):
            if abs(part) > 1e-9:
                apart = subtract(Name(higher[axis]), Name(names[axis]))
                along = scaled(apart, part) if abs(part) < 1 else apart
                off = along if off == Number(0.0) else add(off, along)
        self.steps.append(
            Check(
                off,
                Number(0.0),
                m.depth_limit,
                AlarmNumber.EDGE,
                f"EDGE TOUCHED AT {m.name}, IT LIES LOW",
                f"depth check: {m.depth_check:g} higher the wall is met within {m.depth_limit:.3f}",
                "go on" if m.options.on_fail == "go on" else "alarm",
            )
        )
        self.steps.append(Release(higher if names == self.made[-1][1] else (*higher, *names)))
        self._to("down again", {2: level})

    def _accumulate(self, number: int, every: list[Names]) -> None:
        base = (f"c{number}x", f"c{number}y", f"c{number}z")
        last = every[-1]
        for i, name in enumerate(base):
            before: Expression = Name(every[0][i]) if len(every) == 2 else Name(name)
            self.steps.append(Compute(name, add(before, Name(last[i])), "sum of the touches"))
        # A depth check compares with the last touch: the spindle stands then as it does for that one.
        done = last if not self.measurement.depth_check else every[-2]
        self.steps.append(Release(done if len(every) > 2 else tuple(dict.fromkeys((*every[0], *done)))))

    def _mean(self, number: int, count: int) -> Names:
        names = (f"c{number}x", f"c{number}y", f"c{number}z")
        for name in names:
            self.steps.append(Compute(name, scaled(Name(name), 1, count), f"mean of {count}"))
        return names

    def _touch_all(self) -> None:
        m = self.measurement
        contacts = m.contacts()
        start = dict(enumerate(map(Number, m.start)))
        middle: dict[int, Expression] = {0: start[0], 1: start[1]}
        level: Expression = self._height(m.start[2])
        groups: dict[tuple[int, float], list[Names]] = {}
        for count, contact in enumerate(contacts, 1):
            last_aside = contacts[count - 2].aside if count > 1 else (0.0, 0.0, 0.0)
            over = {i: plus(middle[i], contact.aside[i]) for i in (0, 1)}
            if m.kind.has_levels and contact.aside[2] != last_aside[2]:
                level = self._height(m.start[2] + contact.aside[2])
                groups.clear()
                self._centre("on to the centre", over)
                self._to("down to the second level", {2: level})
            axis = m.axis_along(contact.direction)
            sign = 1 if contact.direction[axis] > 0 else -1
            if contact.direction[2]:
                self._to("on to the next place", over)
                names = self._touch(contact, contact.direction, m.search_down(contact), f"touch {count} towards -Z")
                if m.kind.has_top and count == 1:
                    # Down beside the ball to where its middle is, by the height that was just found.
                    level = plus(Name(names[2]), -((m.size or 0.0) + m.stylus.ball_diameter) / 2)
                continue
            if m.starts_over:
                self._beside(contact, over, middle, level, count)
            else:
                if m.spread:
                    self._to("on along the wall", over)
                else:
                    self._centre("on to the centre", over)
                towards = f"towards {'+' if sign > 0 else '-'}{AXES[axis].upper()}"
                self._touch(contact, contact.direction, m.search_along(axis), f"touch {count} {towards}")
            if m.is_many and not m.only:
                self._tally(self.made[-1][1])
            groups.setdefault((axis, sign), []).append(self.made[-1][1])
            per_wall = 2 if m.spread and not m.kind.is_round else 1
            pair = [groups.get((axis, s), []) for s in (-1, 1)]
            if m.kind.is_paired and not m.is_free and all(len(group) == per_wall for group in pair):
                letter = AXES[axis]
                found = f"{'n' if contact.aside[2] else 'm'}{self.index}{letter}"
                ends = [half_sum(Name(group[0][axis]), Name(group[-1][axis])) for group in pair]
                self.compute(
                    found, half_sum(ends[0], ends[1]), f"centre {letter.upper()}: middle of the two", keep=True
                )
                middle[axis] = Name(found)

    def _tally(self, names: Names) -> None:
        """Add a touch to the sums that many touches are worked out from; its own variables are free then."""
        start = self.measurement.start
        u = self.compute("qu", subtract(Name(names[0]), Number(start[0])), "from the start, X")
        v = self.compute("qv", subtract(Name(names[1]), Number(start[1])), "from the start, Y")
        w = self.compute("qw", add(times(u, u), times(v, v)), "squared distance")
        for name, part in zip(TALLY, tallied(u, v, w), strict=True):
            self.compute(name, part if len(self.made) == 1 else add(Name(name), part), "tally")
        self.loose = [name for name in self.loose if name not in names]
        self.steps.append(Release(names))

    def _side(self, contact: TouchPlace) -> str:
        axis = self.measurement.axis_along(contact.direction)
        return f"{'-+'[contact.direction[axis] > 0]}{AXES[axis].upper()} side"

    def _beside_place(self, contact: TouchPlace, over: Mapping[int, Expression]) -> dict[int, Expression]:
        """X and Y where the search for a wall begins: clear of it wherever it may lie."""
        out = self.measurement.begin_distance(self.measurement.axis_along(contact.direction))
        return {i: plus(over[i], contact.direction[i] * out) for i in (0, 1)}

    def _beside(
        self,
        contact: TouchPlace,
        over: Mapping[int, Expression],
        middle: Mapping[int, Expression],
        level: Expression,
        count: int,
    ) -> None:
        """Go beside a wall, over the top or round, and touch it; along the same wall straight on."""
        m = self.measurement
        down = self._height(m.start[2] - m.drop) if not m.kind.has_top else level
        above = plus(down, m.hop_height)
        beside = self._beside_place(contact, over)
        walls = [made for made, _ in self.made if not made.direction[2]]
        if walls and walls[-1].direction == contact.direction:
            self._to("on beside the wall", beside)
        elif walls and not m.goes_over:
            self._round(contact, middle, beside)
        elif any(self.here[i] != beside[i] for i in (0, 1)):
            if walls:
                self._to("up over it", {2: above})
            self._to(f"over to the {self._side(contact)}", beside)
            self._to("down beside it", {2: down})
        direction = m.touch_direction(contact)
        self._touch(contact, direction, m.search, f"touch {count} {'inward' if m.kind.is_outside else 'outward'}")
        if m.kind.has_top and count == len(m.contacts()) - 1:
            self._to("up", {2: above})

    def _round(self, contact: TouchPlace, middle: Mapping[int, Expression], beside: Mapping[int, Expression]) -> None:
        """At touching depth from beside the last wall to beside the next, past the corners between them."""
        last, axis = self.made[-1][0].direction, self.measurement.axis_along(contact.direction)
        before = self.measurement.axis_along(last)
        if last != contact.direction:
            side = 1 - axis
            if before == axis:  # the wall across: by way of the side between, round two corners
                out = plus(middle[side], self.measurement.begin_distance(side))
                self._to("out past the corner", {side: out})
                self._to("past the side", {axis: beside[axis]})
            else:
                self._to("on past the corner", {axis: beside[axis]})
        self._to("on beside the wall", beside)

    # -- working it out ----------------------------------------------------------------------------------------

    def compute(self, name: str, value: Expression, why: str, *, keep: bool = False) -> Name:
        """Work out a value; unless it is kept, its variable is free again after the measurement."""
        self.steps.append(Compute(name, value, why))
        if not (keep and self.wanted):
            self.loose.append(name)
        return Name(name)

    def release(self, *names: str) -> None:
        """Names whose variables are free again after the measurement."""
        self.loose += names

    def result(self, letter: str, value: Expression) -> None:
        """Note something that a variable of the person's own may take, and nothing else uses."""
        self.results[letter] = value

    def locate(self, letter: str, value: Expression, across: Expression | None = None, radius: float = 0.0) -> None:
        """Note a coordinate or angle for the rows; `across` is where along the other axis it holds."""
        self.located[self.measurement.name, letter] = ControlResult(value, across, radius)

    def _keep(self) -> None:
        """Copy results to variables of the person's own.

        Raises:
            PlanError: it has no such result.
        """
        m = self.measurement
        for letter, variable in m.options.keep:
            if letter not in self.results:
                has = ", ".join(sorted(self.results)).upper()
                raise PlanError(f"{m.title or m.name} gives no {letter.upper()}", "", f"It gives {has}")
            why = f"keep {letter.upper()} of {m.name}"
            self.steps.append(KeepResult(variable, self.results[letter], why))
        kept = dict(m.options.keep)
        if all(letter in kept for letter in "ijk"):
            self.steps.append(TiltedPlane((kept["i"], kept["j"], kept["k"])))

    def report(self, values: Mapping[str, Expression]) -> None:
        """Report coordinates, angles and sizes."""
        self.results.update(values)
        figures = tuple((letter.upper(), value, -1) for letter, value in values.items())
        self.steps.append(Report(("SOLVED",), (("M", Number(self.index), 0), *figures)))

    def names_at(self, axis: int, sign: int) -> list[Names]:
        """What was found on the wall in a direction, in the order it was touched."""
        return [names for contact, names in self.made if round(contact.direction[axis]) == sign]

    @property
    def ball_sign(self) -> int:
        """+1 where the metal lies beyond the ball along the marked direction, −1 where it was touched inward."""
        return -1 if self.measurement.kind.is_outside else 1

    def guard_size(self, value: Expression, axis: int) -> None:
        """Alarm unless a size is near the nominal one."""
        m = self.measurement
        if m.size_limit is None:
            return
        wanted = m.across(axis)
        self.steps.append(
            Check(
                value,
                Number(wanted),
                m.size_limit,
                AlarmNumber.SIZE,
                f"SIZE OF {m.name} IS WRONG",
                f"size guard: within {m.size_limit:g} of {wanted:g}",
                m.options.on_fail,
            )
        )
