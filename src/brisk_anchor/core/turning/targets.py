"""Cutting to targets: how far it is still to go, when to warn, what is left after a pass, what a measured size says.

Positions are those of the program: X a diameter, Z from the zero. "To go" is positive before the target, 0 at it and
negative past it, in each axis along the way the tool cuts.
"""

from __future__ import annotations

from enum import Enum

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.turning.sums import passes
from brisk_anchor.lazy_dataclass import dataclass


class ApproachStage(Enum):
    """How near the target is."""

    AWAY = "away"
    NEAR = "near"
    CLOSE = "close"
    AT = "at the target"
    PAST = "past the target"

    @property
    def rings(self) -> bool:
        """Whether the terminal's bell rings on coming into it."""
        return self in (ApproachStage.CLOSE, ApproachStage.AT, ApproachStage.PAST)


@dataclass(frozen=True, slots=True)
class Approach:
    """From how far away a warning is shown, and a second one, mm along the axis (of X: of the diameter)."""

    near: float = 2.0
    close: float = 0.2

    def __post_init__(self) -> None:
        if not 0 < self.close < self.near <= 100:
            raise DatumError("The distances of the warning make no sense", "", "The second is shorter than the first")

    def stage(self, to_go: float, resolution: float) -> ApproachStage:
        """The stage at a distance to go; within half a step of the readout it is the target."""
        if abs(to_go) <= resolution / 2 + 1e-9:
            return ApproachStage.AT
        if to_go < 0:
            return ApproachStage.PAST
        return (
            ApproachStage.CLOSE
            if to_go <= self.close + 1e-9
            else ApproachStage.NEAR
            if to_go <= self.near + 1e-9
            else ApproachStage.AWAY
        )


@dataclass(frozen=True, slots=True)
class Target:
    """A dimension to cut towards: a diameter, a Z, or both; of what it is said in words.

    `inside`: the tool cuts away from the axis. A pass takes `depth` on one side at the most, the last one `finish`;
    then `spring` passes at the size. Depth 0: one cut.
    """

    name: str
    x: float | None = None
    z: float | None = None
    inside: bool = False
    depth: float = 0.0
    finish: float = 0.0
    spring: int = 0

    def __post_init__(self) -> None:
        if self.x is None and self.z is None:
            raise DatumError(f"The target {self.name} has neither a diameter nor a Z", "", "As ⌀48.36 or z -20")
        if self.x is not None and self.x < 0:
            raise DatumError(f"The target {self.name} has a diameter below 0", "", "State the diameter")

    def stops(self, present: float) -> list[float]:
        """Diameters (mm) to cut from the present one.

        It is the target alone where no passes are planned. Raises DatumError.
        """
        if self.x is None:
            return []
        if (present - self.x) * (-1 if self.inside else 1) <= 1e-9:
            return []
        return passes(present, self.x, self.depth, self.finish, self.spring) if self.depth else [self.x]

    def to_go_x(self, x: float, stop: float | None = None) -> float:
        """Diameter still to go to the target, or to a stop before it, mm. Raises DatumError."""
        aim = stop if stop is not None else self.x
        if aim is None:
            raise DatumError(f"The target {self.name} has no diameter", "", "")
        return aim - x if self.inside else x - aim

    def to_go_z(self, z: float) -> float:
        """Way along Z still to go, towards the chuck, mm. Raises DatumError."""
        if self.z is None:
            raise DatumError(f"The target {self.name} has no Z", "", "")
        return z - self.z


@dataclass(frozen=True, slots=True)
class PassProgress:
    """Where one is with a target: the stops that are planned, how many are done, and what is left."""

    target: Target
    stops: tuple[float, ...]
    done: int = 0

    @property
    def stop(self) -> float | None:
        """The next diameter to cut, mm; None where none is planned."""
        return self.stops[self.done] if self.done < len(self.stops) else self.target.x

    @property
    def passes_left(self) -> int:
        """How many passes are still to come, the next one included."""
        return max(0, len(self.stops) - self.done)

    def after_pass(self) -> PassProgress:
        """One pass on."""
        return PassProgress(self.target, self.stops, min(self.done + 1, len(self.stops)))

    def again_from(self, present: float) -> PassProgress:
        """The passes that are left planned anew from a measured diameter. Raises DatumError."""
        return PassProgress(self.target, tuple(self.target.stops(present)), 0)


def correction(measured: float, shown: float) -> float:
    """What is added to the wear, mm, so that the readout shows the measured diameter: shown less measured.

    `program = machine − work − geometry − wear`: a wear that grows makes what is shown smaller.

    Raises:
        DatumError: they lie so far apart that one of them is another figure.
    """
    off = shown - measured
    if abs(off) > max(1.0, 0.1 * abs(shown)):
        raise DatumError(
            f"Measured {dim(measured, 3)}, shown {dim(shown, 3)}: too far apart for a correction",
            "A radius, another diameter, or a wrong zero",
            "Measure again, or find the zero anew",
        )
    return off
