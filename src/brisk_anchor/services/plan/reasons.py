"""Every figure of a measurement with why it is that: stated by the person, or proposed from what is known."""

from __future__ import annotations

from brisk_anchor.core.features.measuring import SEARCH_MARGIN, Measurement
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.services.measure.clearance import Clearances
from brisk_anchor.services.measure.measurement_request import APPROACH
from brisk_anchor.services.plan.plan_file import MeasureSection


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure with its unit, `stated` by the person or proposed. One without a `field` cannot be stated."""

    name: str
    value: float
    why: str
    unit: str = "mm"
    stated: bool = False
    field: str = ""


def figures_of(
    setup: Setup, section: MeasureSection, measurement: Measurement, profile: Profile, neighbours: Clearances
) -> tuple[Figure, ...]:
    """The figures of a measurement in the order a person thinks of them."""
    m, drawn = measurement, setup.drawn(section.known_as)
    tip = m.start[2] - m.stylus.length
    found = [_figure(section, "clear", m.clear_z - m.stylus.length, _why_clear(setup, m))]
    if m.kind.is_paired:
        found.append(Figure("start", tip, _why_start(m, drawn)))
    else:
        found.append(_figure(section, "standoff", m.standoff, _why_standoff(m)))
    beside = m.kind.is_paired or m.kind.is_corner or not m.directions[0][2]
    if beside and not m.kind.has_top:
        found.append(_figure(section, "depth", m.depth, _why_depth(m)))
        if m.depth_check:
            found.append(_figure(section, "depth_check", m.depth_check, "higher each wall is touched again: no edge?"))
    if m.hops:
        found.append(_figure(section, "hop", m.hop_height, _why_hop(m)))
    found.append(_figure(section, "search", m.search, _why_search(m)))
    if m.spread:
        found.append(_figure(section, "spread", m.spread, "between the two touches of a wall, as drawn"))
    if m.second_depth:
        found.append(
            _figure(section, "second_depth", m.second_depth, "how much deeper the second level lies, as drawn")
        )
    for name, value in (("size", m.size), ("size_y", m.size_y)):
        if value is not None and m.kind.is_paired:
            found.append(_figure(section, name, value, "as drawn"))
    if m.size_limit is not None and m.kind.is_paired:
        why = "further off it is taken for another feature" if drawn.body else "a tenth of the size"
        if m.known_size:
            why = "so far the size may be off: the centre is then too"
        found.append(_figure(section, "size_limit", m.size_limit, why))
    found.append(_figure(section, "repeats", m.repeats, "touches of each place; more average the noise", "×"))
    if (probing := profile.probing) is not None:
        for name, own, usual in (
            ("search_feed", m.options.search_feed, probing.search_feed),
            ("touch_feed", m.options.touch_feed, probing.touch_feed),
        ):
            found.append(_figure(section, name, own or usual, "of the control profile", "mm/min"))
    if (near := neighbours.room(m)) is not None:
        found.append(Figure("room", near.distance, f"where searches begin: the {near.part} to {near.solid}"))
    return tuple(found)


def _figure(section: MeasureSection, name: str, value: float, why: str, unit: str = "mm") -> Figure:
    stated = name in section.stated
    return Figure(name.replace("_", " "), float(value), "stated" if stated else why, unit, stated, name)


def _why_clear(setup: Setup, m: Measurement) -> str:
    if m.clear_z - m.stylus.length > setup.clear_height + 1e-9:
        return "where the start stands: higher than the clear height of the set-up"
    return "tip Z of the set-up at which nothing is in the way"


def _why_depth(m: Measurement) -> str:
    if not m.depth_known:
        return "not known: a second touch higher up shows whether it is the wall"
    below = f"as drawn: widest part {dim(m.widest_part)} below the edge"
    return below if m.top is None else f"below {m.top.name} as it is found: widest part {dim(m.widest_part)}"


def _why_start(m: Measurement, drawn: DrawnFeature) -> str:
    if m.starts_over:
        return f"tip Z {dim(APPROACH)} above its middle, then {dim(m.drop)} down by each wall"
    return f"tip Z in its middle as {'drawn' if drawn.body else 'marked'}; errors count from it"


def _why_hop(m: Measurement) -> str:
    if m.options.hop is not None:
        return "up to where it came from: other metal stands beside"
    if m.hop_height == m.drop:
        return "up to where it came from"
    return f"{dim(m.depth)} deep, {dim(m.start_uncertainty)} higher it may stand, {dim(SEARCH_MARGIN)} more"


def _why_standoff(m: Measurement) -> str:
    if m.standoff < APPROACH and not (m.kind.is_corner and m.kind.is_outside) and not m.directions[0][2]:
        return f"nearer than the usual {dim(APPROACH)}: other metal stands behind the ball"
    if m.standoff < m.slack:
        return f"less than the {dim(m.slack)} it may lie off: the ball could touch too early"
    return f"before the wall: clear of it wherever it lies within ±{dim(m.slack)}"


def _why_search(m: Measurement) -> str:
    parts = [f"{dim(m.nominal_reach)} to the wall", f"{dim(m.start_uncertainty)} it may lie off"]
    if (turning := m.slack - m.start_uncertainty) > 1e-9:
        parts.append(f"{dim(turning)} turned")
    return f"{', '.join(parts)}, {dim(SEARCH_MARGIN)} more"
