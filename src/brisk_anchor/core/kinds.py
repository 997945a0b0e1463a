"""Small words that need no numerical library, so that the first paint does not wait for one."""

from __future__ import annotations

from enum import Enum

Vector = tuple[float, float, float]


class FeatureKind(Enum):
    """What can be measured."""

    SURFACE = "surface"
    BORE = "bore"
    BOSS = "boss"

    @property
    def is_round(self) -> bool:
        """Whether it has a centre and a diameter."""
        return self is not FeatureKind.SURFACE
