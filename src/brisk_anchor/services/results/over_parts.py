"""What many parts say of one characteristic: its run, drift, when it leaves its band, how able the process is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cached_property
from itertools import pairwise

from brisk_anchor.book.entries import Entry, EntryKind, local_time
from brisk_anchor.core.inspection.many_parts import (
    Ability,
    Drift,
    Leaving,
    Repeatability,
    RunChart,
    abilities,
    drift_of,
    leaving,
    repeatability,
    run_chart,
)
from brisk_anchor.core.inspection.verdict import Fate, Limits
from brisk_anchor.core.quantities import dim, in_shown, num, signed_dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.results.inspected import CharacteristicLine, InspectedPart


@dataclass(frozen=True)
class Series:
    """One characteristic over parts, oldest first.

    `serials` are the parts with a figure of it; `corrected_at` the numbers, from 0, of those after which its figure was
    changed: the parts behind were cut under another one.
    """

    part: str
    balloon: str
    title: str
    limits: Limits
    values: tuple[float, ...]
    serials: tuple[str, ...]
    corrected_at: tuple[int, ...] = ()
    is_angle: bool = False
    is_zone: bool = False

    @cached_property
    def chart(self) -> RunChart:
        """Individuals and moving ranges."""
        return run_chart(self.values)

    @property
    def since(self) -> tuple[float, ...]:
        """The figures since the last correction."""
        return self.values[self.corrected_at[-1] + 1 :] if self.corrected_at else self.values

    @cached_property
    def drift(self) -> Drift | None:
        """Of the figures since the last correction."""
        return drift_of(self.since)

    @cached_property
    def leaves(self) -> Leaving | None:
        """When that drift leaves the band."""
        return None if self.drift is None else leaving(self.drift, self.limits)

    @cached_property
    def ability(self) -> tuple[Ability, ...]:
        """Of all its figures."""
        return abilities(self.values, self.limits, corrected=bool(self.corrected_at), zone=self.is_zone)

    def shown(self, value: float) -> float:
        """A figure in the unit that is shown."""
        return value if self.is_angle else in_shown(value)


def series_of(parts: Sequence[InspectedPart], balloon: str, *, place: str | None = None) -> Series | None:
    """One characteristic over parts, of one place or all; None where no part has it."""
    chosen: list[tuple[InspectedPart, CharacteristicLine]] = []
    for part in parts:
        line = part.line(balloon)
        if line is not None and line.value is not None and (place is None or part.place == place):
            chosen.append((part, line))
    if not chosen:
        return None
    part, line = chosen[-1]
    changed = [
        n
        for n, ((_, one), (_, after)) in enumerate(pairwise(chosen))
        if one.wear is not None and after.wear is not None and abs(one.wear - after.wear) > 1e-7
    ]
    return Series(
        part.part,
        balloon,
        f"{balloon}  {line.words.partition(' ')[2] or line.what} of {line.feature}",
        line.limits,
        tuple(found.value for _, found in chosen if found.value is not None),
        tuple(found.serial for found, _ in chosen),
        tuple(changed),
        line.is_angle,
        line.low is None,
    )


def offset_series(entries: Sequence[Entry], row: str, axis: str) -> Series | None:
    """How a row wanders: its stored figures, oldest first; None of fewer than two."""
    stored = [entry for entry in entries if entry.kind is EntryKind.STORED and axis in entry.values]
    values = tuple(entry.values[axis] for entry in stored)
    if len(values) < 2:
        return None
    mean = math.fsum(values) / len(values)
    spread = max(abs(value - mean) for value in values)
    limits = Limits(mean - max(spread, 1e-6), mean + max(spread, 1e-6), mean)
    days = tuple(f"{local_time(entry.at):%Y-%m-%d %H:%M}" for entry in stored)
    return Series(row, axis, f"{row} {axis.upper()} as it was stored", limits, values, days, is_angle=axis == "r")


def repeated(parts: Sequence[InspectedPart], balloon: str) -> dict[str, Repeatability]:
    """How far one part differs that was inspected again and again under its number, and was not cut in between.

    "in one clamping", and "over clampings": the part taken out and put in between, or that is not known.
    """
    line = next((one for part in parts if (one := part.line(balloon)) is not None), None)
    found: dict[str, Repeatability] = {}
    for name, together in (("in one clamping", True), ("over clampings", False)):
        groups: dict[tuple[str, ...], dict[str, float]] = {}
        cut: dict[str, int] = {}
        for number, part in enumerate(parts):
            one = part.line(balloon)
            if one is None or one.value is None or (together and not part.clamping):
                continue
            key = (part.serial, f"{cut.get(part.serial, 0)}", part.clamping if together else "")
            # Of one clamping a single figure counts for what the next clamping does.
            groups.setdefault(key, {})[part.clamping if part.clamping and not together else f"{number}"] = one.value
            cut[part.serial] = cut.get(part.serial, 0) + (one.state is Fate.AGAIN)
        largest = max(groups.values(), key=len, default={})
        if line is not None and (spread := repeatability(list(largest.values()), line.limits)) is not None:
            found[name] = spread
    return found


def words_of(series: Series) -> list[str]:
    """What a run says, in words: steadiness, drift, when it leaves, ability."""
    told = []
    if len(series.values) >= 2:
        signals = len(series.chart.signals)
        told.append("steady" if not signals else f"not steady: {num(signals)} part{'s' * (signals > 1)} out of line")
    drift = series.drift
    if drift is not None and not series.is_angle:
        slope = f"{signed_dim(drift.slope, 5)} a part ± {dim(drift.expanded, 5)}"
        told.append(f"drifts {slope}" if drift.is_real else f"no drift to be seen ({slope})")
    if (leaves := series.leaves) is not None:
        late = "never" if leaves.latest is None else f"{math.ceil(leaves.latest)}"
        told.append(f"leaves its band in {round(leaves.parts)} parts ({math.floor(leaves.earliest)} to {late})")
    told += [f"{item.name} {num(item.value, 2)} ({num(item.low, 2)} to {num(item.high, 2)})" for item in series.ability]
    if not series.ability and len(series.values) >= 2:
        told.append(f"{len(series.values)} parts: ability is told from 50 on")
    return told
