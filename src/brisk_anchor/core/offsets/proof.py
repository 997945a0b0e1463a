"""What shows that a value does what it should: agreement with the control's arithmetic, and a proof run."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Agreement:
    """One figure worked out twice, mm: by the application from the touches, by the control in its macro arithmetic."""

    feature: str
    label: str
    ours: float
    controls: float
    is_size: bool = False

    @property
    def difference(self) -> float:
        """Ours less the control's, mm."""
        return self.ours - self.controls


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
