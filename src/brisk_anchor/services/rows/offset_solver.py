"""From what was measured to offsets: features built from others, distances, and the chain of each row."""

from __future__ import annotations

import math

from brisk_anchor.core.errors import DatumError, GeometryError
from brisk_anchor.core.features.constructed_features import Distance, build, distance
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain, solve_offset
from brisk_anchor.core.offsets.conditions import grown
from brisk_anchor.core.offsets.rules import features_in, parent_in
from brisk_anchor.services.machine.ports import ControlLink
from brisk_anchor.services.rows.row_states import RowStates
from brisk_anchor.services.rows.working_state import WorkingState


class OffsetSolver:
    """Works out offsets from what was measured. It reads and never changes anything."""

    def __init__(self, working: WorkingState, link: ControlLink, rows: RowStates) -> None:
        self._working = working
        self._link = link
        self._rows = rows

    def features(self, *, strict: bool = False) -> dict[str, Feature]:
        """Everything measured in this job by name, and what is built from that.

        What cannot be built from how its parts were found is left out; with `strict` it is told.

        Raises:
            GeometryError: with `strict`, lines that do not cross.
        """
        found = {name: measured.feature for name, measured in self._working.measured.items()}
        for drawn in self._working.setup.features:
            if drawn.of and all(name in found for name in drawn.of):
                try:
                    found[drawn.name] = build(drawn.name, drawn.kind, found[drawn.of[0]], found[drawn.of[1]])
                except GeometryError:
                    if strict:
                        raise
        return found

    def distance(self, first: str, second: str) -> Distance:
        """How far a feature lies from another, as measured. Raises DatumError, GeometryError."""
        features = self.features()
        for name in (first, second):
            if name not in features:
                raise DatumError(f"{self._working.setup.drawn(name).title} is not measured yet", "", "Measure it first")
        return distance(features[first], features[second])

    def drawn_distance(self, first: str, second: str, measured: Distance) -> float:
        """How far it lies by the drawing, mm, along the axes that were measured."""
        here, there = (self._working.setup.drawn(name).machine for name in (first, second))
        axes = ["xyz".index(axis) for axis in measured.parts]
        return math.hypot(*(there[n] - here[n] for n in axes))

    def chain(self, row: str) -> Chain | None:
        """The chain of a row from what this job has measured; None while something is missing or contradicts itself."""
        plan = self._working.setup.row(row)
        if not plan.rules:
            return None
        try:
            return solve_offset(
                row,
                plan.rules,
                self.features(),
                self._link.table_values(row),
                self._rows.parents(),
                plan.turner,
                self._working.setup.conditions,
            )
        except (DatumError, GeometryError):
            return None  # the second look before a store tells why

    def part_chain(self, row: str) -> Chain | None:
        """The chain of the axes that are known so far."""
        plan = self._working.setup.row(row)
        features, parents = self.features(), self._rows.parents()
        ready = {
            axis: rule
            for axis, rule in plan.rules.items()
            if all(name in features for name in features_in(rule))
            and (not (parent := parent_in(rule)) or parent in parents)
        }
        if "r" in plan.rules and not {"x", "y", "r"} <= ready.keys():
            ready = {axis: rule for axis, rule in ready.items() if axis == "z"}  # a turned zero depends on all three
        try:
            if not ready:
                return None
            held, conditions = self._rows.expected(row), self._working.setup.conditions
            return solve_offset(row, ready, features, held, parents, plan.turner, conditions)
        except (DatumError, GeometryError):
            return None

    def true_offset(self, row: str) -> dict[str, float]:
        """The value a perfect measurement would give, machine mm: only a stand-in knows it."""
        setup = self._working.setup
        tips: dict[tuple[str, str], Vector] = {}
        for name in setup.row(row).features:
            feature = self._working.measured[name].feature
            for i, axis in enumerate(feature.axes):
                upper = feature.kind.has_levels  # its place is that of the first level
                x, y, z = feature.places[i] if feature.places else feature.touches[0 if upper else -1].ball_centre
                tips[name, axis] = (x, y, z - setup.stylus.effective_radius)
        # Its part lies there as it is drawn; the rules say how long figures of the drawing are to be taken.
        return self._working.scene.true_offset(grown(setup.row(row).rules, setup.conditions), tips)
