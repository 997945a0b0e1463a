"""How the touches of a tool scatter: an estimate, with how many touches it was worked out from."""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Scatter:
    """A standard deviation `u` of one touch, mm, from so many `repeats`; None where it is known otherwise.

    `feed` is the touch feed it was found at, mm/min, None for the usual one; `day` when, ISO.
    """

    u: float
    repeats: int | None = None
    feed: float | None = None
    day: str = ""

    @property
    def freedom(self) -> int | None:
        """Degrees of freedom; None where it is known."""
        return None if self.repeats is None else self.repeats - 1
