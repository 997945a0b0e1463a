"""The set-up as it is seen with rotary axes at some angles: what looks at the spindle then, and how it all lies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from brisk_anchor.core.offsets.setup import Setup, stands_so
from brisk_anchor.standin.scene import Scene


def seen_at(setup: Setup, scene: Scene, angles: Mapping[str, float]) -> Setup:
    """The set-up for a drawing at some angles, degrees.

    Outlines are carried there. Of features, points and words those stay that are described as they lie there: a feature
    that looks at the spindle at another angle is drawn when the table stands so.
    """

    turned = any(angles.values())
    features = tuple(f for f in setup.features if stands_so(f.table, angles))
    bodies = {f.body for f in features} | {place.body for place in setup.places if stands_so(place.table, angles)}
    keeps = not turned and not setup.places
    return replace(
        setup,
        outlines=scene.outlines_at(angles),
        features=features,
        points=setup.points if keeps else tuple(point for point in setup.points if point.body in bodies),
        words=setup.words if keeps else (),
    )
