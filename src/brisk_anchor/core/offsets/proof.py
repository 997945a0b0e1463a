"""What shows that a value does what it should: agreement with the control's arithmetic, and a proof run."""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Agreement:
    """One figure worked out twice: by the application from the touches, by the control in its macro arithmetic.

    mm, and degrees of an angle. `expected` is what the control's own sums make of the touches it reported, and
    `rounding` how far off its figure may be for that of the digits that were printed. `explained` is how far ours and
    the control's may lie apart, as two functions of touches with the uncertainty they have. `ratio` is how much more
    the control's figure scatters than ours.
    """

    feature: str
    label: str
    ours: float
    controls: float
    is_size: bool = False
    expected: float | None = None
    rounding: float = 0.0
    explained: float = 0.0
    ratio: float = 1.0

    @property
    def difference(self) -> float:
        """Ours less the control's."""
        return self.ours - self.controls

    @property
    def is_angle(self) -> bool:
        """Whether it is in degrees."""
        return self.label in "RAB"

    @property
    def did_its_sums(self) -> bool:
        """Whether the control's figure is what its own sums make of the touches it reported."""
        return self.expected is None or abs(self.controls - self.expected) <= self.rounding

    @property
    def is_explained(self) -> bool:
        """Whether ours and the control's lie no further apart than the touches' own uncertainty lets them."""
        return abs(self.difference) <= self.explained

    @property
    def holds(self) -> bool:
        """Both."""
        return self.did_its_sums and self.is_explained


@dataclass(frozen=True, slots=True)
class Proof:
    """A run of the written code on the stand-in. `worst`: largest distance of an axis from the stored value, mm."""

    program: int
    digest: str
    values: tuple[tuple[str, float], ...]
    worst: float
    allowed: float
    touches: int
    machine_seconds: float
    turned: float = 0.0
    """How far the angle is from the stored one, degrees, and how far it may be."""
    turned_allowed: float = 0.0
    job: str = ""
    """Hashes of the job as described and of the control profile, and our version, it was run with."""
    profile: str = ""
    version: str = ""

    def is_of(self, job: str, profile: str, version: str) -> bool:
        """Whether it was run with this job, profile and version of ours."""
        return (self.job, self.profile, self.version) == (job, profile, version)

    @property
    def holds(self) -> bool:
        """Whether the program ended with the stored value, within what the stated uncertainty allows."""
        return self.worst <= self.allowed and self.turned <= self.turned_allowed
