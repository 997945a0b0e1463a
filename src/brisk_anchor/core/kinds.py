"""Small words that need no numerical library, so that the first paint does not wait for one."""

from __future__ import annotations

from enum import Enum

from brisk_anchor.lazy_dataclass import dataclass

Vector = tuple[float, float, float]
FURTHEST = 20_000.0
"""No machine shows a position beyond this, mm."""


class Walls(Enum):
    """Which walls a feature is touched on, seen from the tip or from over its middle."""

    NONE = "never touched itself"
    ONE = "one, on any side or below"
    SIDE = "one, beside"
    BELOW = "one, below"
    PAIR = "two that face each other"
    CORNER = "one along X and one along Y"
    ALL = "all four"
    ALL_AND_TOP = "all four, and the top"


class Apart(Enum):
    """Whether a wall is touched at two places, which tells an angle."""

    NEVER = "at one place"
    MAY = "at one place or at two"
    MUST = "at two places or more"


@dataclass(frozen=True, slots=True)
class Traits:
    """What kind of thing a feature is, without a figure.

    `sizes` is how many sizes it has; `outside`: the tip goes down beside it and touches inward, from a start over its
    middle; `levels` is at how many heights it is touched; `free`: it may be touched in any directions; `open_above`:
    where its upper edge lies may be unknown. `called` is what marks of the touch pattern that mean it are called, where
    that is not its name; `hint` says how it is touched, `hint_twice` at two places a wall, and `stand` where the tip
    stands and which way its walls are marked.
    """

    walls: Walls
    sizes: int = 0
    round: bool = False
    outside: bool = False
    levels: int = 1
    apart: Apart = Apart.NEVER
    free: bool = False
    open_above: bool = False
    called: str = ""
    hint: str = ""
    hint_twice: str = ""
    stand: str = "tip above its middle, the marks are its sides"


class FeatureKind(Enum):
    """What can be measured. How each is touched, solved and worked out on the control: `core.features.specs`."""

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

    traits: Traits

    @property
    def one(self) -> str:
        """One of it: "a bore", "an edge"."""
        return f"{'an' if self.value[0] in 'aeiou' else 'a'} {self.value}"

    @property
    def is_round(self) -> bool:
        """Whether it has a centre and a diameter."""
        return self.traits.round

    @property
    def is_paired(self) -> bool:
        """Whether it is touched in opposite pairs, and has a middle and a size between them."""
        return self.traits.walls in (Walls.PAIR, Walls.ALL, Walls.ALL_AND_TOP)

    @property
    def is_one_pair(self) -> bool:
        """Whether it lies between two walls, and runs on along them."""
        return self.traits.walls is Walls.PAIR

    @property
    def is_built(self) -> bool:
        """Whether it is worked out from two others and never touched itself."""
        return self.traits.walls is Walls.NONE

    @property
    def is_open(self) -> bool:
        """Whether it is one face, touched from one side."""
        return self.traits.walls in (Walls.ONE, Walls.SIDE, Walls.BELOW)

    @property
    def is_corner(self) -> bool:
        """Whether it is one wall along X and one along Y."""
        return self.traits.walls is Walls.CORNER

    @property
    def is_outside(self) -> bool:
        """Whether the tip goes down beside it and touches inward, from a start over its middle."""
        return self.traits.outside

    @property
    def has_top(self) -> bool:
        """Whether its top is touched with its sides, which tells how high its middle is."""
        return self.traits.walls is Walls.ALL_AND_TOP

    @property
    def has_levels(self) -> bool:
        """Whether it is touched at two heights, which tells how it leans."""
        return self.traits.levels > 1

    @property
    def may_be_free(self) -> bool:
        """Whether it may be touched in any directions: three, or two where its diameter is known."""
        return self.traits.free

    @property
    def needs_spread(self) -> bool:
        """Whether it is nothing without touches apart from each other."""
        return self.traits.apart is Apart.MUST

    @property
    def has_two_sizes(self) -> bool:
        """Whether it has a size along X and one along Y."""
        return self.traits.sizes == 2

    @property
    def size_sign(self) -> str:
        """What stands before its size: the sign of a diameter, nothing before widths."""
        return "⌀" if self.is_round else ""


_ROUND = "Four touches, centred after the first two."
_PAIR = ("Two touches: middle along {axis}, width.", "Four touches: middle along {axis}, width, and how it is turned.")
_FOUR = ("Four touches: middle and size along X and along Y.", "Eight touches: middle, sizes, skew and squareness.")
_CORNER = ("One touch on each wall, square to X Y.", "Two touches on each wall, at any angle.")
_AROUND = "tip inside, the marks are the walls around it"
_OVER = "tip above the part, the marks are its sides"
_BESIDE = "tip beside the wall, below its edge"
_TRAITS = {
    FeatureKind.SURFACE: Traits(Walls.ONE, open_above=True, hint="One touch {where}.", stand="{stand}"),
    FeatureKind.BORE: Traits(Walls.ALL, 1, round=True, free=True, hint=_ROUND, stand=_AROUND),
    FeatureKind.BOSS: Traits(Walls.ALL, 1, round=True, outside=True, free=True, hint=_ROUND),
    FeatureKind.SLOT: Traits(
        Walls.PAIR,
        1,
        apart=Apart.MAY,
        hint=_PAIR[0],
        hint_twice=_PAIR[1],
        stand=_AROUND,
    ),
    FeatureKind.WEB: Traits(Walls.PAIR, 1, outside=True, apart=Apart.MAY, hint=_PAIR[0], hint_twice=_PAIR[1]),
    FeatureKind.POCKET: Traits(
        Walls.ALL,
        2,
        apart=Apart.MAY,
        hint=_FOUR[0],
        hint_twice=_FOUR[1],
        stand=_AROUND,
    ),
    FeatureKind.BLOCK: Traits(Walls.ALL, 2, outside=True, apart=Apart.MAY, hint=_FOUR[0], hint_twice=_FOUR[1]),
    FeatureKind.INSIDE_CORNER: Traits(
        Walls.CORNER,
        apart=Apart.MAY,
        open_above=True,
        hint=_CORNER[0],
        hint_twice=_CORNER[1],
        stand=_AROUND,
    ),
    FeatureKind.OUTSIDE_CORNER: Traits(
        Walls.CORNER,
        outside=True,
        apart=Apart.MAY,
        hint=_CORNER[0],
        hint_twice=_CORNER[1],
        stand=_OVER,
    ),
    FeatureKind.EDGE: Traits(
        Walls.SIDE,
        apart=Apart.MUST,
        open_above=True,
        hint_twice="Two touches: where it is, and its angle.",
        stand=_BESIDE,
    ),
    FeatureKind.PLANE: Traits(
        Walls.BELOW,
        apart=Apart.MUST,
        hint_twice="Three touches down: height, and how it leans.",
        stand="tip above the face, over the middle of the three",
    ),
    FeatureKind.BALL: Traits(
        Walls.ALL_AND_TOP,
        1,
        round=True,
        outside=True,
        hint="On top, on four sides at its middle, and on top again.",
        stand="tip above the ball, over its middle",
    ),
    FeatureKind.TILTED_BORE: Traits(
        Walls.ALL,
        1,
        round=True,
        levels=2,
        called="bore at two levels",
        hint_twice="Four touches at each: how its axis leans.",
        stand=_AROUND,
    ),
    FeatureKind.BETWEEN: Traits(Walls.NONE),
    FeatureKind.CROSSING: Traits(Walls.NONE),
}
for _kind, _traits in _TRAITS.items():
    _kind.traits = _traits


def kind_touched(walls: Walls, *, over: bool, round: bool, twice: bool) -> FeatureKind | None:
    """The kind that is touched so, None where there is none. A corner and a pair are never round, nor is one face."""
    for kind in FeatureKind:
        traits = kind.traits
        fits = traits.walls is walls or (traits.walls is Walls.ONE and walls in (Walls.SIDE, Walls.BELOW))
        if walls not in (Walls.SIDE, Walls.BELOW, Walls.ALL_AND_TOP):
            fits = fits and traits.outside is over
        if walls is Walls.ALL:
            fits = fits and traits.round is round
        doubled = traits.apart is not Apart.NEVER or traits.levels > 1
        single = traits.apart is not Apart.MUST and traits.levels == 1
        if fits and (doubled if twice else single):
            return kind
    return None
