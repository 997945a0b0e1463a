"""What characteristics are judged by: features measured in one clamping, and the rows that these count from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.inspection.characteristic import Evidence, Zero
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.services.machine.ports import ControlLink
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.offset_solver import OffsetSolver
from brisk_anchor.services.rows.working_state import WorkingState


def evidence_of(
    working: WorkingState,
    solver: OffsetSolver,
    ledger: Ledger,
    link: ControlLink,
    rows: Iterable[str],
    mastered: Mapping[str, Estimate] | None = None,
) -> Evidence:
    """Features of this clamping by name, the figures of some rows, and what is stated of machine and room.

    A row's figures are of what was measured just now where all of that was, else as they were stored, else as the
    control has them: then nobody knows how well.
    """
    found = {name: feature for name, feature in solver.features().items() if _holds(working, name)}
    zeros = {row: zero for row in rows if (zero := _zero(row, working, solver, ledger, link, found)) is not None}
    return Evidence(found, zeros, working.setup.conditions, dict(mastered or {}))


def _zero(
    row: str,
    working: WorkingState,
    solver: OffsetSolver,
    ledger: Ledger,
    link: ControlLink,
    features: Mapping[str, Feature],
) -> Zero | None:
    chain, plan = solver.chain(row), working.setup.row(row)
    if chain is not None and all(name in features for name in plan.features):
        touched = sorted(
            working.setup.touched(plan.features),
            key=lambda name: working.measured[name].at.timestamp() if name in working.measured else 0.0,
        )
        return Zero(row, _values(chain), tuple(touched))
    stored = ledger.chain_of_values(row)
    if stored is not None and set(stored.values) >= {"x", "y", "z"}:
        return Zero(row, _values(stored))
    held = link.table_values(row)
    return Zero(row, {axis: Estimate(value) for axis, value in held.items()}) if any(held.values()) else None


def _holds(working: WorkingState, name: str) -> bool:
    """Whether a feature, or everything that a built one is made of, was measured in this clamping."""
    of = next((drawn.of for drawn in working.setup.features if drawn.name == name), ())
    return all(_holds(working, part) for part in of) if of else working.holds(name)


def _values(chain: Chain) -> dict[str, Estimate]:
    return {axis.axis: axis.estimate for axis in chain.axes}
