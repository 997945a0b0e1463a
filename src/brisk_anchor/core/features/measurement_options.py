"""How a measurement is made where that is not as usual. One record, from the plan's file to the control's program."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.lazy_dataclass import dataclass

ON_FAIL = ("alarm", "stop", "go on")
"""What a program does when a size is wrong: it ends, a person decides, or it measures the rest and stores nothing."""


@dataclass(frozen=True, slots=True)
class MeasurementOptions:
    """What a person may choose; None is as usual. Lengths mm, feeds mm/min, angles degrees.

    `clear` is the tip's machine Z at which nothing is in the way; `size_limit` how far a size may lie from the nominal
    one. With `over_the_top` the probe goes up between touches and comes down beside each wall (None: as is usual for
    the kind), up by `hop` (None: as high as the feature may stand, and clear of that); `half_turn` touches every place
    twice, the spindle turned half round between, so that the ball's run-out falls out; `search_feed` and `touch_feed`
    stand in for those of the profile; `on_fail` is one of `ON_FAIL`; `keep` are variables of the person's own that take
    results, as (letter, number). `table` is where rotary axes stand for it, as (letter, machine degrees); nothing where
    the program leaves them as they are. With `depth_check` every wall is touched once more, so much higher: both
    touches agree only where the ball's widest part met the wall, not the edge; 0 leaves that out.
    """

    clear: float | None = None
    size_limit: float | None = None
    over_the_top: bool | None = None
    half_turn: bool = False
    search_feed: float | None = None
    touch_feed: float | None = None
    on_fail: str = "alarm"
    keep: tuple[tuple[str, int], ...] = ()
    table: tuple[tuple[str, float], ...] = ()
    hop: float | None = None
    depth_check: float | None = None

    def check(self, name: str) -> None:
        """Raises PlanError where a feed is none, or the reaction is unknown; `name` is that of the measurement."""
        feeds = (self.search_feed, self.touch_feed)
        if any(feed is not None and not 1 <= feed <= 5000 for feed in feeds):
            raise PlanError(f"{name}: a feed makes no sense", "No probe touches at it", "Give 1 to 5000 mm/min")
        if self.on_fail not in ON_FAIL:
            raise PlanError(f"{name}: “{self.on_fail}” is no reaction", "", f"One of {', '.join(ON_FAIL)}")


AS_USUAL = MeasurementOptions()
