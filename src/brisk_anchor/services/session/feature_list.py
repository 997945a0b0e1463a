"""The list of what was measured since the last clamping, and what can be done with one: rename, correct, remove."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.rules import FromFeature, FromHeading, Rule, features_in
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.measure.by_hand import ByHand, TouchPrompt
from brisk_anchor.services.measure.found_features import name_of_found
from brisk_anchor.services.rows.working_state import Measured
from brisk_anchor.services.session.session import Session


@dataclass(frozen=True, slots=True)
class FeatureLine:
    """One measured feature as a line: figures by axis, mm, angles in degrees; lengths as positions of the tip."""

    number: int
    name: str
    title: str
    kind: str
    machine: Mapping[str, float]
    in_row: Mapping[str, float]
    sizes: tuple[float, ...]
    size_sign: str
    spread: float
    """The largest ± of its lengths, mm, with its coverage factor."""
    spread_is_known: bool
    age: float
    """Seconds since it was measured."""
    off_nominal: Mapping[str, float]
    """How far it lies from where the drawing puts it, and its sizes (D, E) from theirs; empty where none says."""
    by_hand: bool
    rows: tuple[str, ...]
    """Rows that are set from it."""


def feature_lines(session: Session, row: str) -> list[FeatureLine]:
    """Every feature measured since the last clamping, oldest first, seen from the row that is being set."""
    now = datetime.now(UTC)
    return [_line(session, number, known, row, now) for number, known in enumerate(session.working.listed(), 1)]


def _line(session: Session, number: int, known: Measured, row: str, now: datetime) -> FeatureLine:
    feature, setup = known.feature, session.setup
    drawn = next((item for item in setup.features if item.name == feature.name), None)
    estimates = feature.estimates()
    lengths = [estimates[axis] for axis in feature.axes if axis in "xyz"]
    return FeatureLine(
        number=number,
        name=feature.name,
        title=drawn.title if drawn is not None else feature.name,
        kind=feature.kind.value,
        machine=dict(zip(feature.axes, feature.coordinates, strict=True)),
        in_row=_in_row(session, feature, row),
        sizes=tuple(feature.sizes.values()),
        size_sign=feature.kind.size_sign,
        spread=max((item.k * item.u for item in lengths), default=0.0),
        spread_is_known=all(item.effects for item in lengths),
        age=(now - known.at).total_seconds(),
        off_nominal=_off_nominal(known, drawn.machine) if drawn is not None and not drawn.found else {},
        by_hand=known.measurement is None,
        rows=tuple(plan.row for plan in setup.rows if feature.name in setup.touched(plan.features)),
    )


def _in_row(session: Session, feature: Feature, row: str) -> dict[str, float]:
    """Where a feature lies in a row of the control, for the axes it locates."""
    held = {axis: value for axis, value in zip(feature.axes, feature.coordinates, strict=True) if axis in "xyz"}
    place = tuple(held.get(axis, 0.0) for axis in "xyz")
    if session.link.turn_of(row) and not {"x", "y"} <= held.keys():
        held = {axis: value for axis, value in held.items() if axis == "z"}  # one axis alone cannot be turned
    shown = session.rows.place_in(row, (place[0], place[1], place[2]), 0.0)
    return {axis: shown["xyz".index(axis)] for axis in held}


def _off_nominal(known: Measured, nominal: Vector) -> dict[str, float]:
    feature = known.feature
    pairs = zip(feature.axes, feature.coordinates, strict=True)
    off = {axis: value - nominal["xyz".index(axis)] for axis, value in pairs if axis in "xyz"}
    for (letter, size), wanted in zip(feature.sizes.items(), known.sizes, strict=False):
        if wanted is not None:
            off[letter] = size - wanted
    return off


class FeatureList:
    """What a person does with what was measured."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def rename(self, name: str, words: str) -> str:
        """Give a found feature another name; returns the new name.

        Raises:
            PlanError: it is drawn, or the new name is none.
        """
        working = self._session.working
        drawn = working.setup.drawn(name)
        if not drawn.found:
            raise PlanError(f"{drawn.title} has its name from the drawing", "", "Rename it in the set-up: ⟨5⟩")
        new = name_of_found(words, (item.name for item in working.setup.features if item.name != name))
        found = replace(drawn, name=new, title=new)
        setup = working.setup
        features = tuple(found if item.name == name else item for item in setup.features)
        rows = tuple(
            replace(plan, rules={axis: _renamed(rule, name, new) for axis, rule in plan.rules.items()})
            for plan in setup.rows
        )
        working.setup = replace(setup, features=features, rows=rows)
        for kept in (working.requests, working.by_hand):
            if name in kept:
                asked = kept.pop(name)
                request = replace(asked.request if isinstance(asked, ByHand) else asked, drawn=found, called=new)
                if isinstance(asked, ByHand):
                    working.by_hand[new] = replace(asked, request=request)
                else:
                    working.requests[new] = request
        known = working.measured.pop(name)
        measurement = known.measurement
        if measurement is not None:
            measurement = replace(measurement, name=new, title=new)
        agreements = tuple(replace(item, feature=new) for item in known.agreements)
        feature = replace(known.feature, name=new)
        working.measured[new] = replace(known, feature=feature, measurement=measurement, agreements=agreements)
        return new

    def remove(self, name: str) -> str:
        """Forget what was measured of a feature; what it was, in words.

        Raises:
            PlanError: a row is stored that is set from it.
        """
        session = self._session
        drawn = session.setup.drawn(name)
        used = [plan for plan in session.setup.rows if name in session.setup.touched(plan.features)]
        held = [plan.row for plan in used if plan.on_bench and session.rows.state(plan.row).is_settled]
        if held and drawn.found:
            raise PlanError(
                f"{' and '.join(held)} is set from {drawn.title}",
                "Its chain would end in nothing",
                "Set the row from another feature first: ⟨bench:z⟩",
            )
        working = session.working
        if drawn.found:
            kept = []
            for plan in session.setup.rows:
                if plan in used:
                    rules = {axis: rule for axis, rule in plan.rules.items() if name not in features_in(rule)}
                    session.editor.mark_stale(plan.row, f"{name} removed")
                    plan = replace(plan, rules=rules if any(map(features_in, rules.values())) else {})
                kept.append(plan)
            working.setup = replace(working.setup, rows=tuple(kept))
        working.forget(name)
        return drawn.title

    def figures(self, name: str) -> list[tuple[TouchPrompt, float]]:
        """What was typed for a feature that was measured by hand: each prompt with its figure, mm.

        Raises:
            PlanError: it was measured with the probe.
        """
        typed = self._by_hand(name)
        prompts = (replace(typed, figures=typed.figures[:n]).prompt() for n in range(len(typed.figures)))
        return list(zip(prompts, typed.figures, strict=True))

    def correct(self, name: str, at: int, figure: float) -> Measured:
        """The feature worked out anew with one typed figure corrected, mm; the others stay.

        Raises:
            PlanError: it was measured with the probe. GeometryError, SecondLookError: the figures contradict.
        """
        typed = self._by_hand(name)
        figures = (*typed.figures[:at], figure, *typed.figures[at + 1 :])
        return self._session.runner.take_by_hand(replace(typed, figures=figures))

    def _by_hand(self, name: str) -> ByHand:
        typed = self._session.working.by_hand.get(name)
        if typed is None:
            title = self._session.setup.drawn(name).title
            raise PlanError(
                f"{title} was measured with the probe", "No figure of it was typed", "Measure it again: ⟨bench:y⟩"
            )
        return typed


def _renamed(rule: Rule, name: str, new: str) -> Rule:
    """A rule that names a feature by its new name."""
    if isinstance(rule, FromFeature | FromHeading) and name in (rule.feature, rule.other):
        feature, other = (new if item == name else item for item in (rule.feature, rule.other))
        return replace(rule, feature=feature, other=other)
    return rule
