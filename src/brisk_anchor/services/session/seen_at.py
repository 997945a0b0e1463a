"""The set-up as it is seen with rotary axes at some angles: what looks at the spindle then, and how it all lies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.standin.scene import Scene


def seen_at(setup: Setup, scene: Scene, angles: Mapping[str, float]) -> Setup:
    """The set-up for a drawing at some angles, degrees.

    Outlines are carried there. Of features, points and words those stay that are described as they lie there: a feature
    that looks at the spindle at another angle is drawn when the table stands so.
    """

    def there(table: tuple[tuple[str, float], ...]) -> bool:
        return all(abs((angles.get(letter, 0.0) - angle + 180) % 360 - 180) < 1e-6 for letter, angle in table)

    turned = any(angles.values())
    features = tuple(f for f in setup.features if (there(f.table) if f.table else not turned))
    bodies = {f.body for f in features} | {place.body for place in setup.places if there(place.table)}
    keeps = not turned and not setup.places
    return replace(
        setup,
        outlines=scene.outlines_at(angles),
        features=features,
        points=setup.points if keeps else tuple(point for point in setup.points if point.body in bodies),
        words=setup.words if keeps else (),
    )
