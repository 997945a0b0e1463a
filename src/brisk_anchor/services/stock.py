"""A raw block round a part: its size by the stated rule, and its faces as the features that can be measured."""

from __future__ import annotations

import math

from brisk_anchor.services.job_models import PartFile
from brisk_anchor.standin.scene_file import SolidSection


def stock_of(part: PartFile) -> tuple[list[SolidSection], list[dict[str, object]]]:
    """The block as the one solid, and its five faces as features ("stock left", "stock top" …).

    The bores and bosses of the drawing are still inside the metal, so the faces are all there is to measure.
    """
    low, high = _box(part)
    block = SolidSection.model_validate(
        {"name": "stock", "shape": "block", "low": low[:2], "high": high[:2], "bottom": low[2], "top": high[2]}
    )
    x, y = (low[0] + high[0]) / 2, (low[1] + high[1]) / 2
    depth = min(10.0, (high[2] - low[2]) / 2)
    faces = [
        ("left", (low[0], y, high[2]), "RIGHT", depth),
        ("right", (high[0], y, high[2]), "LEFT", depth),
        ("front", (x, low[1], high[2]), "UP", depth),
        ("back", (x, high[1], high[2]), "DOWN", depth),
        ("top", (x, y, high[2]), "BELOW", 0.0),
    ]
    features: list[dict[str, object]] = [
        {
            "name": f"stock {name}",
            "title": f"{name} face of the stock" if name != "top" else "top of the stock",
            "kind": "surface",
            "solid": "stock",
            "place": place,
            "walls": [wall],
            "depth": depth,
        }
        for name, place, wall, depth in faces
    ]
    return [block], features


def _box(part: PartFile) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """Lowest and highest corner of the block, in the part's frame, mm."""
    xs, ys, zs = [], [], []
    for solid in part.solid:
        zs += [solid.bottom, solid.top]
        if solid.low and solid.high:
            xs += [solid.low[0], solid.high[0]]
            ys += [solid.low[1], solid.high[1]]
        xs += [x for x, _ in solid.points or ()]
        ys += [y for _, y in solid.points or ()]
        for centre, radius in (
            (solid.centre, (max(solid.diameter or 0, solid.top_diameter or 0) or solid.top - solid.bottom) / 2),
            (solid.a, solid.radius_a or 0.0),
            (solid.b, solid.radius_b or 0.0),
        ):
            if centre:
                xs += [centre[0] - radius, centre[0] + radius]
                ys += [centre[1] - radius, centre[1] + radius]
    stock = part.stock
    if stock is None:
        raise ValueError("the part has no stock")
    left, right, front, back, bottom, top = stock.allowance
    if stock.size is not None:
        x, y, z = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2, min(zs) - bottom
        wide, long, tall = stock.size
    else:
        wide, long, tall = max(xs) - min(xs) + left + right, max(ys) - min(ys) + front + back, 0.0
        tall = max(zs) - min(zs) + bottom + top
        x, y = (min(xs) - left + max(xs) + right) / 2, (min(ys) - front + max(ys) + back) / 2
        z = min(zs) - bottom
    if stock.step:
        wide, long, tall = (math.ceil(size / stock.step - 1e-9) * stock.step for size in (wide, long, tall))
    return (x - wide / 2, y - long / 2, z), (x + wide / 2, y + long / 2, z + tall)
