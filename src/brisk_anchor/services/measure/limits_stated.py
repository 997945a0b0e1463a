"""What the set-up states of a measurement, for its ±: how the part lies, how it is aimed at, form, machine, room."""

from __future__ import annotations

from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.offsets.setup import Setup


def stated_of(setup: Setup, name: str, *, measurement: str = "", clamping: str = "", half_turn: bool = False) -> Stated:
    """What is stated of a measurement of a feature, by name; one that is not drawn has no form tolerance.

    Args:
        setup: the job.
        name: the feature.
        measurement: which measurement it is: no other one has its touches.
        clamping: since when the part lies as it does.
        half_turn: whether every place was touched twice, the spindle turned half round between.
    """
    drawn = next((feature for feature in setup.features if feature.name == name), None)
    temperature = setup.conditions.temperature
    return Stated(
        measurement,
        clamping,
        setup.turn_uncertainty,
        setup.start_uncertainty,
        drawn.form if drawn is not None else None,
        half_turn,
        setup.conditions.u_scale,
        temperature.u_growth if temperature is not None else None,
    )
