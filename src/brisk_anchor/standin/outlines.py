"""A solid as it is drawn: closed outlines from above and from the front."""

from __future__ import annotations

import numpy as np

from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.hull import convex_hull
from brisk_anchor.core.offsets.setup import Outline, Polyline
from brisk_anchor.standin.solids import Rectangle, Region, Solid


def _closed(points: Array) -> Polyline:
    return tuple((float(x), float(y)) for x, y in [*points, points[0]])


def _pulled_in(region: Region, slot: Rectangle, corner: tuple[float, float]) -> tuple[float, float]:
    """A slot's corner, drawn no further out than the border of its region along X."""
    x, y = corner
    inside, outside = (slot.low[0] if x == slot.high[0] else slot.high[0]), x
    if region.distance(x, y) <= 0:
        return corner
    for _ in range(40):
        middle = (inside + outside) / 2
        if region.distance(middle, y) <= 0:
            inside = middle
        else:
            outside = middle
    return inside, y


_UPRIGHT = 0.999
"""Least cosine between a solid's own Z and the machine's that lets it be drawn with its openings."""


def _lying(solid: Solid) -> Outline:
    """One that a table has tipped: what it covers, from above and from the front, without its openings."""
    ring = solid.region.outline()
    points = solid.frame.apply(np.array([(x, y, z) for z in (solid.bottom, solid.top) for x, y in ring]))
    above, before = points[:, :2], points[:, [0, 2]]
    plan, front = (_closed(flat[convex_hull([(x, y) for x, y in flat.tolist()])]) for flat in (above, before))
    (x0, y0), (x1, y1) = above.min(axis=0), above.max(axis=0)
    extent = (float(x0), float(y0), float(x1), float(y1))
    return Outline(solid.body, solid.name, solid.role, (plan,), (front,), float(points[:, 2].max()), (extent,))


def outline_of(solid: Solid) -> Outline:
    """Plan: the region's border and openings. Front: its extent in X from bottom to top, openings as inner lines."""
    if solid.frame.rotation[2, 2] < _UPRIGHT:
        return _lying(solid)
    rings = [solid.region.outline(), *(hole.outline() for hole in solid.holes)]
    for slot in solid.slots:
        corners = slot.outline()
        if isinstance(slot, Rectangle):
            corners = [_pulled_in(solid.region, slot, corner) for corner in corners]
        rings.append(corners)
    floors = {id(opening): floor for opening, floor in solid.plugs}
    bottoms = [solid.bottom, *(floors.get(id(opening), solid.bottom) for opening in (*solid.holes, *solid.slots))]
    plan, front = [], []
    for ring, bottom in zip(rings, bottoms, strict=True):
        low = solid.frame.apply(np.array([(x, y, bottom) for x, y in ring]))
        plan.append(_closed(low[:, :2]))
        x0, x1 = float(low[:, 0].min()), float(low[:, 0].max())
        z0, z1 = float(low[:, 2].min()), float(low[:, 2].min()) + solid.top - bottom
        front.append(((x0, z0), (x1, z0), (x1, z1), (x0, z1), (x0, z0)))
    top = solid.frame.point((0, 0, solid.top))[2]
    extents = []
    for closed in plan:
        xs, ys = [x for x, _ in closed], [y for _, y in closed]
        extents.append((min(xs), min(ys), max(xs), max(ys)))
    return Outline(solid.body, solid.name, solid.role, tuple(plan), tuple(front), top, tuple(extents))
