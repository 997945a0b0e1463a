"""Some touches of a feature made again: which ones, and the touches with the new ones in their place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touches import Touch


def suspects_of(feature: Feature) -> tuple[int, ...]:
    """Numbers, from 0, of the touches one of which is wrong by the feature's residuals; none where nothing is."""
    misfit = feature.misfit
    return misfit.suspects if misfit is not None and misfit.too_large else ()


def places_again(measurement: Measurement, feature: Feature) -> Measurement:
    """The measurement of the places whose touches may be off; the whole one where residuals do not say which.

    A ball is measured whole: where its sides are touched depends on where its top was found.
    """
    places = sorted({touch // measurement.repeats for touch in suspects_of(feature)})
    if not places or measurement.kind.has_top or len(places) == len(measurement.contacts()):
        return measurement
    return replace(measurement, only=tuple(places))


def with_places(again: Measurement, feature: Feature, made: Sequence[Touch]) -> tuple[Touch, ...]:
    """The touches of a feature with those of some places made again.

    Args:
        again: the measurement of those places.
        feature: as it was.
        made: the new touches there, as many a place as were made before.

    Raises:
        PlanError: the feature has other touches than were asked for.
    """
    each = again.repeats
    at = [place * each + n for place in again.only for n in range(each)]
    touches = list(feature.touches)
    if len(made) != len(at) or max(at, default=0) >= len(touches):
        raise PlanError(
            f"{again.title or again.name} was measured in another way since",
            "The new touches would stand in the place of others",
            "Measure the whole feature",
        )
    for n, touch in zip(at, made, strict=True):
        touches[n] = replace(touch, label=touches[n].label)
    return tuple(touches)
