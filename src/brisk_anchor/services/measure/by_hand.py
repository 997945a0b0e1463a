"""Measuring by hand: figures read from the control, one a touch, with the side and the sign said and never asked for.

The touch pattern asks for the same features as with a probe; a figure on the control's screen takes the place of the
contact a program would report. Touches, features and chain are the same from there on.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import replace
from typing import Self

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.alignment import Sweep, sweep
from brisk_anchor.core.features.budget import feature_of
from brisk_anchor.core.features.dial import swept_feature
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import NOTHING, Stated
from brisk_anchor.core.features.touch_pattern import Wall
from brisk_anchor.core.features.touches import AXES, Origin, Touch, axis_of
from brisk_anchor.core.features.walls import solve_pairs
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.quantities import bare, shown_unit, signed_bare
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.measurement_request import MeasurementRequest

READING = 0.001
"""The last digit a control shows, mm; half of it each way is part of a typed figure's uncertainty."""


@dataclass(frozen=True, slots=True)
class PositionFrame:
    """Where typed figures count from: machine zero, or a work offset with its values, machine mm."""

    row: str = ""
    zero: Vector = (0.0, 0.0, 0.0)

    @property
    def words(self) -> str:
        """Which figure to read on the control."""
        if not self.row:
            return "machine position (not work position, not distance to go)"
        return f"work position with {self.row} active and tool length cancelled"

    @property
    def short(self) -> str:
        """The same where there is little room."""
        return f"work position in {self.row}" if self.row else "machine position"


MACHINE = PositionFrame()


@dataclass(frozen=True, slots=True)
class TouchPrompt:
    """What is asked for next: the axis, the label, which figure to read, and what will be done with it, said."""

    axis: str
    label: str
    read: str
    sign: str
    side: str
    amount: float
    present: float | None


@dataclass(frozen=True, slots=True)
class ByHand(ABC):
    """A measurement by hand under way: what is asked for, with which tool, and the figures typed so far."""

    request: MeasurementRequest
    tool: HandTool
    frame: PositionFrame = MACHINE
    figures: tuple[float, ...] = ()
    stated: Stated = NOTHING

    @property
    def name(self) -> str:
        """What the feature is called."""
        return self.request.name

    @property
    @abstractmethod
    def count(self) -> int:
        """How many figures it takes."""

    @property
    def complete(self) -> bool:
        """Whether every figure is typed."""
        return len(self.figures) == self.count

    def typed(self, figure: float) -> Self:
        """The same with one figure more, mm."""
        return replace(self, figures=(*self.figures, figure))

    def figure_of(self, touch: int) -> int:
        """Number of the figure that was read at a touch, both from 0."""
        return touch

    def compensations(self) -> list[tuple[str, float]]:
        """Where the tip stands at each touch, and what is added to the figure, mm: to be seen before any is typed."""
        return []

    def told(self) -> str:
        """What is said beside the feature itself."""
        return ""

    @abstractmethod
    def prompt(self) -> TouchPrompt:
        """What to read next."""

    @abstractmethod
    def feature(self) -> Feature:
        """The feature of all figures. Raises GeometryError where they contradict each other."""


@dataclass(frozen=True, slots=True)
class ByTouch(ByHand):
    """One figure for each touch."""

    def __post_init__(self) -> None:
        kind = self.request.pattern.read().kind
        if kind is None:
            raise PlanError(f"The rose says “{self.request.pattern.read().name}”", self.request.pattern.read().hint, "")
        below = Wall.BELOW in self.request.pattern.marks
        if not self.tool.touches(below=below):
            raise PlanError(
                f"{self.tool.name} touches nothing {'below' if below else 'beside'} it",
                f"Its {'length' if below else 'diameter'} is not known",
                "Choose another tool with ⟨bench:b⟩",
            )

    @property
    def kind(self) -> FeatureKind:
        """What is measured; ValueError before it has begun."""
        kind = self.request.pattern.read().kind
        if kind is None:
            raise ValueError("nothing is marked")  # refused when it was begun
        return kind

    @property
    def directions(self) -> tuple[Vector, ...]:
        """The direction of each touch, from the tool to the metal; opposite walls one after the other."""
        walls = self.request.pattern.directions
        if self.kind.is_outside:  # the tool stands outside, on the side that was marked, and touches inward
            return tuple((-x, -y, 0.0) for x, y, _ in walls)
        return walls

    @property
    def count(self) -> int:
        """One a touch."""
        return len(self.directions)

    def prompt(self) -> TouchPrompt:
        """What to read next."""
        number = len(self.figures)
        axis, sign = axis_of(self.directions[number])
        letter = AXES[axis].upper()
        towards = f"towards {'+' if sign > 0 else '−'}{letter}"
        tool = self.tool
        if axis == 2:
            said = f"{bare(tool.bare_length or 0.0, 3)} of tool" + (
                f" and {bare(tool.thickness, 3)} between" if tool.thickness else ""
            )
            told = f"the tool stands over the face: {said} are taken off"
        else:
            side = f"{'−' if sign > 0 else '+'}{letter} side"
            half = f"{bare((tool.diameter or 0.0) / 2, 3)}" + (
                f" + {bare(tool.thickness, 3)}" if tool.thickness else ""
            )
            told = f"the tip stands on the {side}: {half} is {'added' if sign > 0 else 'taken off'}"
            if tool.effective_radius == 0:
                told = "the sensor reads over its axis: nothing is added"
        first = ""
        if number == 2 and self.kind.is_paired:
            other = AXES[axis_of(self.directions[0])[0]].upper()
            middle = (self.figures[0] + self.figures[1]) / 2
            first = f"Move {other} to {signed_bare(middle, 3)} first. ".replace("-", "−")
        label = f"touch {number + 1} of {len(self.directions)}, {towards}: {letter}"
        # The middle of two sides: the second may be typed as the distance run since the first.
        previous = self.figures[-1] if number % 2 and self.kind.is_paired else None
        amount = -tool.length if axis == 2 else sign * tool.effective_radius
        where = "above" if axis == 2 else f"{'−' if sign > 0 else '+'}{letter} side"
        return TouchPrompt(AXES[axis], label, f"{first}{self.frame.short}", told, where, amount, previous)

    def compensations(self) -> list[tuple[str, float]]:
        """The side of the tip at each touch, and its radius with its sign, mm."""
        prompts = (replace(self, figures=(0.0,) * number).prompt() for number in range(len(self.directions)))
        return [(prompt.side, prompt.amount) for prompt in prompts]

    def touches(self) -> tuple[Touch, ...]:
        """Touches as a probe would have reported them; coordinates nobody read are those of the place asked for."""
        result = []
        for number, (figure, direction) in enumerate(zip(self.figures, self.directions, strict=True), 1):
            axis, _ = axis_of(direction)
            place = list(self.request.start)
            place[axis] = figure + self.frame.zero[axis]
            position = (place[0], place[1], place[2])
            result.append(hand_touch(f"{self.name} {number}", position, direction, self.tool))
        return tuple(result)

    def feature(self) -> Feature:
        """The feature of all touches.

        Raises:
            GeometryError: the figures contradict each other.
        """
        if not self.kind.is_round:
            return solve(self.name, self.kind, self.touches(), stated=self.stated)
        # Nobody reads the coordinate along a touch: the second pair runs through the middle that the first found.
        solution = solve_pairs(self.name, self.kind, self.touches())
        return feature_of(self.name, self.kind, self.touches(), solution, self.stated)


def hand_touch(label: str, position: Vector, direction: Vector, tool: HandTool) -> Touch:
    """A touch by hand: its uncertainty holds the tool's repeatability and the last digit that was read."""
    scatter = tool.scatter
    u = math.hypot(scatter.u, READING / math.sqrt(12))
    return Touch(label, position, direction, tool, u, Origin.TYPED, scatter)


_CLOCK = ((0.0, "3 o'clock, towards +X"), (90.0, "12 o'clock, towards +Y"), (180.0, "9 o'clock"), (270.0, "6 o'clock"))


@dataclass(frozen=True, slots=True)
class BySweep(ByHand):
    """A round feature with a dial indicator turned by the spindle: where that stands, then the readings."""

    def __post_init__(self) -> None:
        kind = self.request.pattern.read().kind
        if kind is None or not kind.is_round:
            raise PlanError(
                f"{self.tool.name} is swept round a bore or a boss", "Nothing else has a middle to it", "Mark all sides"
            )

    @property
    def inside(self) -> bool:
        """Whether it is a bore."""
        return self.request.pattern.read().kind is FeatureKind.BORE

    @property
    def count(self) -> int:
        """Two of the spindle's place, then one a reading."""
        return 2 + len(_CLOCK)

    def figure_of(self, touch: int) -> int:
        """Readings come after the spindle's place."""
        return 2 + touch

    def prompt(self) -> TouchPrompt:
        """What to read next."""
        number = len(self.figures)
        if number < 2:
            letter = "XY"[number]
            told = "where the spindle stands while it is swept"
            return TouchPrompt(AXES[number], f"spindle {letter}", self.frame.short, told, "", 0.0, None)
        _, where = _CLOCK[number - 2]
        told = "the figure grows where the stylus is pushed in"
        return TouchPrompt("", f"dial at {where}", f"the dial, {shown_unit().word}", told, "", 0.0, None)

    def _sweep(self) -> Sweep:
        readings = [(angle, figure) for (angle, _), figure in zip(_CLOCK, self.figures[2:], strict=True)]
        return sweep(readings, self.tool.scatter, inside=self.inside)

    def told(self) -> str:
        """How to bring the spindle over the middle."""
        moves = "  ".join(
            f"{axis} {signed_bare(value, 4)}" for axis, value in zip("XY", self._sweep().centre, strict=True)
        )
        return f"The middle lies {moves} from the spindle. "

    def feature(self) -> Feature:
        """The round's centre. Raises GeometryError."""
        kind = FeatureKind.BORE if self.inside else FeatureKind.BOSS
        at = tuple(self.figures[i] + self.frame.zero[i] for i in (0, 1))
        return swept_feature(self.name, kind, (at[0], at[1]), READING / math.sqrt(12), self._sweep(), self.stated)
