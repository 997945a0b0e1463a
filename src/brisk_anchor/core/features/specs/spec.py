"""What is to be known of a kind of feature, once: its touches, its solver, its sums on the control, what it locates."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Protocol

from brisk_anchor.core.expressions import Expression, Name
from brisk_anchor.core.features.solution import Solution
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.features.touches import Touch
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement

Names = tuple[str, str, str]
"""What a program calls machine X, Y and Z of a touch."""


@dataclass(frozen=True, slots=True)
class KnownSize:
    """A diameter that stands in for a touch, mm, and its standard uncertainty."""

    diameter: float
    u: float = 0.0


class Sums(Protocol):
    """What the closed sums of a feature may use: what was touched, and steps that work something out of it."""

    @property
    def measurement(self) -> Measurement:
        """What is measured."""

    @property
    def index(self) -> int:
        """Its number in the program; names of its results begin with it."""

    @property
    def made(self) -> Sequence[tuple[TouchPlace, Names]]:
        """The touches in order, each with the names of its machine position."""

    @property
    def ball_sign(self) -> int:
        """+1 where the metal lies beyond the ball along the marked direction, −1 where it was touched inward."""

    def names_at(self, axis: int, sign: int) -> list[Names]:
        """What was found on the wall in a direction, in the order it was touched."""

    def compute(self, name: str, value: Expression, why: str, *, keep: bool = False) -> Name:
        """Work out a value; unless it is kept, its variable is free again after the measurement."""

    def release(self, *names: str) -> None:
        """Names whose variables are free again after the measurement."""

    def locate(self, letter: str, value: Expression, across: Expression | None = None, radius: float = 0.0) -> None:
        """Note a coordinate or angle for the rows; `across` is where along the other axis it holds."""

    def result(self, letter: str, value: Expression) -> None:
        """Note something that a variable of the person's own may take, and nothing else uses."""

    def report(self, values: Mapping[str, Expression]) -> None:
        """Report coordinates, angles and sizes."""

    def guard_size(self, value: Expression, axis: int) -> None:
        """Stop unless a size is near the nominal one along an axis (0 is X)."""


@dataclass(frozen=True, slots=True)
class FeatureSpec:
    """One kind of feature, or several that differ in traits alone.

    `check` raises PlanError where directions or figures of a measurement are none of the kind's; `contacts` are its
    places in order; `solve` raises GeometryError where touches define nothing; `closed_sums` works it out on the
    control. `locates` gives the axes a drawn one locates by its walls; `turns` whether touches so far apart (mm) tell
    how the part is turned about Z.
    """

    kinds: tuple[FeatureKind, ...]
    check: Callable[[Measurement], None]
    contacts: Callable[[Measurement], tuple[TouchPlace, ...]]
    solve: Callable[[str, FeatureKind, tuple[Touch, ...], KnownSize | None], Solution]
    closed_sums: Callable[[Sums], None]
    locates: Callable[[Sequence[str]], str]
    turns: Callable[[float], bool]


def report_point(sums: Sums, values: Mapping[str, Expression]) -> None:
    """Note and report coordinates of a point, angles and sizes."""
    for letter, value in values.items():
        if letter in "xy":
            sums.locate(letter, value, values["y" if letter == "x" else "x"])
        elif letter in "zrab":
            sums.locate(letter, value)
    sums.report(values)
