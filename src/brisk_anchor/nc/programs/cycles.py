"""The steps of one measurement: where the probe goes, what it touches, how the control works the feature out.

The control's arithmetic is closed, term for term what a person at the control can follow; the application solves the
same touches by least squares, and both must agree. Formulas in docs/maths.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measuring import Measurement, TouchPlace
from brisk_anchor.core.features.probe_path import search_start
from brisk_anchor.core.features.touches import AXES, axis_of
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.nc.programs import arithmetic
from brisk_anchor.nc.programs.arithmetic import add, half_sum, less, scaled, subtract
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    Centre,
    Check,
    Compute,
    Expression,
    Guarded,
    KeepResult,
    Name,
    Number,
    Orient,
    Rapid,
    Release,
    Report,
    SectionHeading,
    Step,
    TiltedPlane,
    TouchStep,
    plus,
)

Names = tuple[str, str, str]


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

    def run(self) -> int:
        """Append everything; returns how many touches the program has made by then."""
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
        self._to(down, {2: self._height(z)})
        if m.half_turn:
            self.steps.append(Orient(half=False))
        self._touch_all()
        if self.turned:
            self.steps.append(Orient(half=False))
        self._solve()
        self._keep()
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
        for turn in range(2 if m.half_turn else 1):
            if turn:
                self.turned = not self.turned
                self.steps.append(Orient(half=self.turned))
            for _ in range(m.repeats):
                self.touches += 1
                names = (f"t{self.touches}x", f"t{self.touches}y", f"t{self.touches}z")
                feeds = (m.search_feed, m.touch_feed)
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
        feeds = (m.search_feed, m.touch_feed)
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
                "go on" if m.on_fail == "go on" else "alarm",
            )
        )
        self.steps.append(Release(higher if names == self.made[-1][1] else (*higher, *names)))
        self._to("down again", {2: level})

    def _accumulate(self, number: int, every: list[Names]) -> None:
        base = (f"c{number}x", f"c{number}y", f"c{number}z")
        last = every[-1]
        for i, name in enumerate(base):
            before: Expression = Name(every[0][i]) if len(every) == 2 else Name(name)
            self.steps.append(Compute(name, arithmetic.add(before, Name(last[i])), "sum of the touches"))
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
            if m.kind is FeatureKind.TILTED_BORE and contact.aside[2] != last_aside[2]:
                level = self._height(m.start[2] + contact.aside[2])
                groups.clear()
                self._centre("on to the centre", over)
                self._to("down to the second level", {2: level})
            axis = m.axis_along(contact.direction)
            sign = 1 if contact.direction[axis] > 0 else -1
            if contact.direction[2]:
                self._to("on to the next place", over)
                names = self._touch(contact, contact.direction, m.search_down(contact), f"touch {count} towards -Z")
                if m.kind is FeatureKind.BALL and count == 1:
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
        down = self._height(m.start[2] - m.drop) if m.kind is not FeatureKind.BALL else level
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
        if m.kind is FeatureKind.BALL and count == len(m.contacts()) - 1:
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

    def _locate(self, letter: str, value: Expression, across: Expression | None = None, radius: float = 0.0) -> None:
        self.located[self.measurement.name, letter] = ControlResult(value, across, radius)

    def _keep(self) -> None:
        """Copy results to variables of the person's own.

        Raises:
            PlanError: it has no such result.
        """
        m = self.measurement
        for letter, variable in m.keep:
            if letter not in self.results:
                has = ", ".join(sorted(self.results)).upper()
                raise PlanError(f"{m.title or m.name} gives no {letter.upper()}", "", f"It gives {has}")
            why = f"keep {letter.upper()} of {m.name}"
            self.steps.append(KeepResult(variable, self.results[letter], why))
        kept = dict(m.keep)
        if all(letter in kept for letter in "ijk"):
            self.steps.append(TiltedPlane((kept["i"], kept["j"], kept["k"])))

    def _report(self, values: Mapping[str, Expression]) -> None:
        self.results.update(values)
        figures = tuple((letter.upper(), value, -1) for letter, value in values.items())
        self.steps.append(Report(("SOLVED",), (("M", Number(self.index), 0), *figures)))

    def _solve(self) -> None:
        m = self.measurement
        kind = m.kind
        match kind:
            case FeatureKind.SURFACE:
                self._surface()
            case FeatureKind.EDGE:
                self._edge()
            case FeatureKind.PLANE:
                arithmetic.plane(self)
            case FeatureKind.BALL:
                self._ball()
            case FeatureKind.TILTED_BORE:
                self._tilted()
            case _ if m.is_free:
                (arithmetic.known_circle if m.known_size else arithmetic.free_circle)(self)
            case _ if m.spread:
                arithmetic.long_walls(self)
            case _ if kind.is_corner:
                self._corner()
            case _:
                self._pairs()

    def names_at(self, axis: int, sign: int) -> list[Names]:
        """What was found on the wall in a direction, in the order it was touched."""
        return [names for contact, names in self.made if round(contact.direction[axis]) == sign]

    @property
    def ball_sign(self) -> int:
        """+1 where the metal lies beyond the ball along the marked direction, −1 where it was touched inward."""
        return -1 if self.measurement.kind.is_outside else 1

    def _surface(self) -> None:
        m = self.measurement
        axis, sign = axis_of(m.directions[0])
        letter = AXES[axis]
        ((_, names),) = self.made
        touched = Name(names[axis])
        radius = sign * m.stylus.effective_radius
        if axis == 2:
            value, why = less(touched, m.stylus.length), "surface: spindle Z less the length of the probe"
        else:
            value, why = plus(touched, radius), f"surface: touch {'plus' if sign > 0 else 'less'} the ball radius"
        found = self.compute(f"m{self.index}{letter}", value, why, keep=True)
        self._report({letter: found})
        if axis == 2:
            self._locate(letter, found)
        else:
            self._locate(letter, found, Number(m.start[1 - axis]), radius)

    def _corner(self) -> None:
        m = self.measurement
        found = {}
        for contact, names in self.made:
            axis, sign = axis_of(contact.direction)
            toward = self.ball_sign * sign
            letter = AXES[axis]
            radius = toward * m.stylus.effective_radius
            why = f"wall: touch {'plus' if toward > 0 else 'less'} the ball"
            found[letter] = self.compute(f"m{self.index}{letter}", plus(Name(names[axis]), radius), why, keep=True)
            self._locate(letter, found[letter], Number(m.start[1 - axis]), radius)
        self._report(dict(sorted(found.items())))

    def _edge(self) -> None:
        m = self.measurement
        axis, sign = axis_of(m.directions[0])
        pair = [names for _, names in self.made]
        line = arithmetic.wall(self, f"m{self.index}w", axis, pair, sign * m.stylus.effective_radius, keep=True)
        letter = AXES[axis]
        found = self.compute(f"m{self.index}{letter}", line.place, "the wall, halfway between the touches", keep=True)
        turn = self.compute(
            f"m{self.index}r", arithmetic.wall_turn(axis, line.slope), "how far it is turned", keep=True
        )
        self._report({letter: found, "r": turn})
        self._locate(letter, found, line.at)
        self._locate("r", turn)

    def _ball(self) -> None:
        m = self.measurement
        x, y = Name(f"m{self.index}x"), Name(f"m{self.index}y")
        (low,), (high,) = self.names_at(1, -1), self.names_at(1, 1)
        top = Name(self.made[-1][1][2])
        # The sides were touched where the first touch on top, off its middle, put the middle: so they lie on a chord.
        half = self.compute(
            f"m{self.index}s", scaled(arithmetic.subtract(Name(high[1]), Name(low[1])), 1, 2), "half the chord along Y"
        )
        rise = self.compute(f"m{self.index}k", arithmetic.subtract(top, Name(low[2])), "from there up to the top")
        squares = arithmetic.add(arithmetic.times(half, half), arithmetic.times(rise, rise))
        reach = self.compute(
            f"m{self.index}q", scaled(arithmetic.over(squares, rise), 1, 2), "radius that the ball's centre runs on"
        )
        size = plus(scaled(reach, 2), -2 * m.stylus.effective_radius)
        d = self.compute(f"m{self.index}d", size, "diameter: twice that less the ball", keep=True)
        z = self.compute(
            f"m{self.index}z",
            arithmetic.subtract(less(top, m.stylus.length), scaled(d, 1, 2)),
            "centre Z: half below its top",
            keep=True,
        )
        for letter, value, across in (("x", x, y), ("y", y, x), ("z", z, None)):
            self._locate(letter, value, across)
        self._report({"x": x, "y": y, "z": z, "d": d})
        self.guard_size(d, 0)

    def _tilted(self) -> None:
        m = self.measurement
        upper = [Name(f"m{self.index}{letter}") for letter in "xy"]
        lower = [Name(f"n{self.index}{letter}") for letter in "xy"]
        self.loose += [name.name for name in lower]
        found: dict[str, Expression] = {"x": upper[0], "y": upper[1]}
        for letter, i, sense in (("a", 1, -1), ("b", 0, 1)):
            lean = arithmetic.small_angle(arithmetic.subtract(upper[i], lower[i]), Number(m.second_depth), sense)
            about = "XY"[1 - i]
            found[letter] = self.compute(f"m{self.index}{letter}", lean, f"how it leans about {about}", keep=True)
            self._locate(letter, found[letter])
        low, high = self.names_at(1, -1), self.names_at(1, 1)
        for level, letter in enumerate("de"):
            across = arithmetic.subtract(Name(high[level][1]), Name(low[level][1]))
            value = plus(across, 2 * m.stylus.effective_radius)
            found[letter] = self.compute(f"m{self.index}{letter}", value, "diameter: distance plus the ball")
        self._locate("x", upper[0], upper[1])
        self._locate("y", upper[1], upper[0])
        self._report(found)
        self.guard_size(found["d"], 0)

    def _pairs(self) -> None:
        """Sizes between opposite walls; the middles were worked out on the way.

        A diameter comes from the last pair alone: that one ran through the centre found by the first.
        """
        m = self.measurement
        kind = m.kind
        axes = sorted({axis_of(direction)[0] for direction in m.directions})
        sized = [axis_of(m.directions[-1])[0]] if kind.is_round else axes
        found: dict[str, Expression] = {AXES[axis]: Name(f"m{self.index}{AXES[axis]}") for axis in axes}
        for axis in axes:
            other: Expression = found.get(AXES[1 - axis], Number(m.start[1 - axis]))
            if not kind.is_round and axis == 0:
                other = Number(m.start[1])  # the walls across X were touched before the middle of Y was known
            self._locate(AXES[axis], found[AXES[axis]], other)
        what = "diameter" if kind.is_round else "size"
        for letter, axis in zip("de", sized, strict=False):
            (low,), (high,) = self.names_at(axis, -1), self.names_at(axis, 1)
            across = arithmetic.subtract(Name(high[axis]), Name(low[axis]))
            size = plus(across, self.ball_sign * 2 * m.stylus.effective_radius)
            along = "" if kind.is_round else f" along {AXES[axis].upper()}"
            why = f"{what}{along}: distance {'less' if kind.is_outside else 'plus'} the ball"
            found[letter] = self.compute(f"m{self.index}{letter}", size, why)
        self._report(found)
        for letter, axis in zip("de", sized, strict=False):
            self.guard_size(found[letter], axis)

    def solved(self, values: Mapping[str, Expression], *, point: bool = True) -> None:
        """Note and report what was worked out elsewhere: coordinates of a point, angles, sizes."""
        for letter, value in values.items():
            if letter in "xy" and point:
                self._locate(letter, value, values["y" if letter == "x" else "x"])
            elif letter in "zrab":
                self._locate(letter, value)
        self._report(values)

    def along_wall(self, letter: str, value: Expression, at: Expression, turn: Expression, size: Expression) -> None:
        """Note and report a slot or web: its middle where it was touched, its turn and its width."""
        self._locate(letter, value, at)
        self._locate("r", turn)
        self._report({letter: value, "r": turn, "d": size})

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
                m.on_fail,
            )
        )
