"""From what was measured to offsets: features built from others, distances, and the chain of each row."""

from __future__ import annotations

from brisk_anchor.core.errors import DatumError, GeometryError
from brisk_anchor.core.features.constructed_features import Distance, build, distance
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.offsets.chain import Chain, solve_offset
from brisk_anchor.core.offsets.rules import features_in, parent_in
from brisk_anchor.services.session.datum_editor import DatumEditor


class OffsetSolver(DatumEditor):
    """A set-up with what is known of its offsets by the features that were measured."""

    def features(self, *, strict: bool = False) -> dict[str, Feature]:
        """Everything measured in this job by name, and what is built from that.

        What cannot be built from how its parts were found is left out; with `strict` it is told.

        Raises:
            GeometryError: with `strict`, lines that do not cross.
        """
        found = {name: measured.feature for name, measured in self.measured.items()}
        for drawn in self.setup.features:
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
                raise DatumError(f"{self.setup.drawn(name).title} is not measured yet", "", "Measure it first")
        return distance(features[first], features[second])

    def chain(self, row: str) -> Chain | None:
        """The chain of a row from what this job has measured; None while something is missing or contradicts itself."""
        plan = self.setup.row(row)
        try:
            return solve_offset(row, plan.rules, self.features(), self.table_values(row), self.parents(), plan.turner)
        except (DatumError, GeometryError):
            return None  # the second look before a store tells why

    def part_chain(self, row: str) -> Chain | None:
        """The chain of the axes that are known so far."""
        plan = self.setup.row(row)
        features, parents = self.features(), self.parents()
        ready = {
            axis: rule
            for axis, rule in plan.rules.items()
            if all(name in features for name in features_in(rule))
            and (not (parent := parent_in(rule)) or parent in parents)
        }
        if "r" in plan.rules and not {"x", "y", "r"} <= ready.keys():
            ready = {axis: rule for axis, rule in ready.items() if axis == "z"}  # a turned zero hangs on all three
        try:
            return solve_offset(row, ready, features, self.expected(row), parents, plan.turner) if ready else None
        except (DatumError, GeometryError):
            return None
