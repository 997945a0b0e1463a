"""Small words that need no numerical library, so that the first paint does not wait for one."""

from __future__ import annotations

from enum import Enum

Vector = tuple[float, float, float]


class FeatureKind(Enum):
    """What can be measured."""

    SURFACE = "surface"
    BORE = "bore"
    BOSS = "boss"
    SLOT = "slot"
    WEB = "web"
    POCKET = "pocket"
    BLOCK = "block"
    INSIDE_CORNER = "inside corner"
    OUTSIDE_CORNER = "outside corner"
    EDGE = "edge"
    PLANE = "plane"
    BALL = "ball"
    TILTED_BORE = "tilted bore"
    BETWEEN = "point between"
    CROSSING = "intersection"

    @property
    def one(self) -> str:
        """One of it: "a bore", "an edge"."""
        return f"{'an' if self.value[0] in 'aeiou' else 'a'} {self.value}"

    @property
    def is_round(self) -> bool:
        """Whether it has a centre and a diameter."""
        return self in (FeatureKind.BORE, FeatureKind.BOSS, FeatureKind.BALL, FeatureKind.TILTED_BORE)

    @property
    def is_paired(self) -> bool:
        """Whether it is touched in opposite pairs, and has a middle and a size between them."""
        return not self.is_open and not self.is_corner and not self.is_built

    @property
    def is_built(self) -> bool:
        """Whether it is worked out from two others and never touched itself."""
        return self in (FeatureKind.BETWEEN, FeatureKind.CROSSING)

    @property
    def is_open(self) -> bool:
        """Whether it is one face, touched from one side."""
        return self in (FeatureKind.SURFACE, FeatureKind.EDGE, FeatureKind.PLANE)

    @property
    def is_corner(self) -> bool:
        """Whether it is one wall along X and one along Y."""
        return self in (FeatureKind.INSIDE_CORNER, FeatureKind.OUTSIDE_CORNER)

    @property
    def is_outside(self) -> bool:
        """Whether the tip goes down beside it and touches inward, from a start over its middle."""
        kinds = (FeatureKind.BOSS, FeatureKind.WEB, FeatureKind.BLOCK, FeatureKind.OUTSIDE_CORNER, FeatureKind.BALL)
        return self in kinds

    @property
    def has_two_sizes(self) -> bool:
        """Whether it has a size along X and one along Y."""
        return self in (FeatureKind.POCKET, FeatureKind.BLOCK)

    @property
    def size_sign(self) -> str:
        """What stands before its size: the sign of a diameter, nothing before widths."""
        return "⌀" if self.is_round else ""
