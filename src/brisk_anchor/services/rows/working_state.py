"""What is known at this moment of one job on one machine. Every part of a session reads it; the editors change it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace
from datetime import UTC, date, datetime

from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.checks import Finding, look_at_scatter
from brisk_anchor.core.offsets.proof import Agreement
from brisk_anchor.core.offsets.setup import Setup, stands_so
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.by_hand import ByHand
from brisk_anchor.services.measure.cautions import age_in_days
from brisk_anchor.services.measure.found_features import KnownTop
from brisk_anchor.services.measure.measurement_request import MeasurementRequest
from brisk_anchor.standin.scene import Scene


@dataclass(frozen=True, slots=True)
class Measured:
    """A feature as it was measured in this job, with where from, and how it agrees with the control's arithmetic."""

    measurement: Measurement | None
    """How it was asked for; None where it was measured by hand."""
    feature: Feature
    agreements: tuple[Agreement, ...]
    at: datetime
    clamping: int
    sizes: tuple[float | None, float | None, float | None] = (None, None, None)
    """Nominal sizes and how far from them a measured one may lie, mm."""


@dataclass(frozen=True, slots=True)
class FigureChange:
    """A figure of the control that was answered: what it is ("T12 radius wear", "G54 Z"), old and new, mm, and why."""

    at: datetime
    by: str
    old: float
    new: float
    why: str


@dataclass(slots=True)
class WorkingState:
    """The scene on the machine, the set-up that describes it, and what was measured of it."""

    scene: Scene
    setup: Setup
    rolled: int = 0
    """Which real-life part was drawn from the description; 0 is the first."""
    clamping: int = 0
    clamped: str = field(default_factory=lambda: datetime.now(UTC).isoformat(timespec="seconds"))
    """Since when the part lies as it does, as far as is known: what is touched in one clamping is turned alike."""
    measured: dict[str, Measured] = field(default_factory=dict)
    requests: dict[str, MeasurementRequest] = field(default_factory=dict)
    """How each feature was asked for that stands on no drawing: so it can be measured again after another clamping."""
    by_hand: dict[str, ByHand] = field(default_factory=dict)
    """The figures typed for each feature that was measured by hand."""
    figures_changed: list[FigureChange] = field(default_factory=list)
    """Wear and rows that were answered while the job is open, oldest first: what was measured before was cut before."""
    half_round: dict[str, Feature] = field(default_factory=dict)
    """What was measured with the spindle turned half round: it calibrates, and is no measurement."""
    repeated: dict[str, dict[str, dict[int, tuple[float, ...]]]] = field(default_factory=dict)
    """Figures of repeatability runs: by feature, figure and clamping."""
    scatter_told: bool = False
    """Whether it was told that touches scatter less than is stated: once is enough."""
    crashed: bool = False
    """Whether the machine has crashed since its centres of rotation were measured: nobody knows where they are then."""
    by_direction: tuple[tuple[float, float], ...] = ()
    """Effective radius at each heading of the last ring the probe was calibrated in, degrees and mm."""

    def scatter_to_tell(self) -> list[Finding]:
        """What is to be told of how touches scatter over all features; nothing once it was."""
        looks = [] if self.scatter_told else look_at_scatter([m.feature for m in self.measured.values()])
        self.scatter_told = self.scatter_told or bool(looks)
        return looks

    def trial(self, setup: Setup) -> WorkingState:
        """A copy with another set-up: nothing that is worked out in it is seen here."""
        return replace(
            self,
            setup=setup,
            measured=dict(self.measured),
            half_round=dict(self.half_round),
            requests=dict(self.requests),
            by_hand=dict(self.by_hand),
        )

    def holds(self, name: str) -> bool:
        """Whether a feature was measured since the part was last clamped."""
        return name in self.measured and self.measured[name].clamping == self.clamping

    def tops(self, angles: Mapping[str, float]) -> list[KnownTop]:
        """Faces the probe touched from above since the part was last clamped, with rotary axes as they stand now."""
        known = [
            m
            for m in self.measured.values()
            if m.measurement is not None
            and m.clamping == self.clamping
            and stands_so(m.measurement.options.table, angles)
        ]
        return [
            KnownTop(m.feature.name, (*m.feature.touches[0].ball_centre[:2], m.feature.coordinate("z")))
            for m in sorted(known, key=lambda m: m.at)
            if m.feature.touches and "z" in m.feature.axes and not m.feature.kind.is_paired
        ]

    def listed(self) -> list[Measured]:
        """What was measured since the part was last clamped, oldest first."""
        return sorted((m for m in self.measured.values() if m.clamping == self.clamping), key=lambda m: m.at)

    def forget(self, name: str) -> None:
        """Forget what was measured of a feature; one that stands on no drawing is gone with it."""
        for known in (self.measured, self.requests, self.by_hand, self.half_round):
            known.pop(name, None)
        kept = tuple(drawn for drawn in self.setup.features if drawn.name != name or not drawn.found)
        self.setup = replace(self.setup, features=kept)

    def forget_unused(self) -> None:
        """Forget what was found on no drawing and no row is set from: the part was clamped again."""
        used = {name for plan in self.setup.rows for name in plan.features}
        for drawn in self.setup.features:
            if drawn.found and drawn.name not in used:
                self.forget(drawn.name)

    def drop_probed(self) -> None:
        """Forget what the probe touched: it was worked out with other figures."""
        for name in [name for name, measured in self.measured.items() if measured.measurement is not None]:
            del self.measured[name]
        self.half_round.clear()

    @property
    def measured_at(self) -> frozenset[tuple[str, datetime]]:
        """What was measured, and when: another set where anything was measured, removed or corrected since."""
        return frozenset((name, measured.at) for name, measured in self.measured.items())

    @property
    def last_measured(self) -> Measured | None:
        """What was measured last, None where nothing was."""
        return max(self.measured.values(), key=lambda measured: measured.at, default=None)

    @property
    def last_probed(self) -> Measured | None:
        """What was measured last with the probe."""
        probed = [measured for measured in self.measured.values() if measured.measurement is not None]
        return max(probed, key=lambda measured: measured.at, default=None)

    @property
    def last_round(self) -> Measured | None:
        """The ring, disc or bore that was measured last with the probe."""
        rounds = [m for m in self.measured.values() if m.measurement is not None and m.feature.kind.is_round]
        return max(rounds, key=lambda measured: measured.at, default=None)

    @property
    def calibration_age(self) -> int | None:
        """Days since the probe was calibrated; None where nobody knows."""
        return age_in_days(self.setup.shelf.probe.calibrated, date.today())
