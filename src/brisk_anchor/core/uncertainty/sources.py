"""Sources of uncertainty: each is one physical error, and has a name of its own.

Two figures that depend on the same error name the same source, and what they share stays shared through every sum. So
a name says which calibration, tool, clamping or measurement it belongs to, never only what kind it is.
"""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class Source:
    """One error.

    `label` is what a budget calls it: sources with the same label are one line there. `own` ones are the scatter of
    touches, another with every run; the rest last. `group` names the estimate of scatter that a standard uncertainty
    was taken from, with `freedom` degrees: what comes from the same estimate is wrong by the same factor. None is known
    without one. A `bounded` error lies within limits, and was never taken for Gaussian; a `uniform` one lies anywhere
    within them, each place as likely.
    """

    name: str
    label: str = ""
    own: bool = False
    group: str = ""
    freedom: float | None = None
    bounded: bool = False
    uniform: bool = False

    def __hash__(self) -> int:
        return hash(self.name)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Source) and other.name == self.name

    @property
    def words(self) -> str:
        """What a budget calls it."""
        return self.label or self.name
