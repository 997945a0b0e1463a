"""Raw stock round a part: its size by the stated rule, and its faces as the features that can be measured."""

from __future__ import annotations

import math

from brisk_anchor.core.kinds import Vector
from brisk_anchor.services.job.job_models import Stock
from brisk_anchor.standin.solid_file import SolidSection, extent_of

_DEEPEST = 10.0
"""How far, mm, the ball's end goes below the top beside stock, at most."""


def stock_of(
    part: list[SolidSection], stock: Stock, needed: float
) -> tuple[list[SolidSection], list[dict[str, object]]]:
    """The stock as the one solid, and its faces as features ("stock left", "stock top", "stock round" …).

    `needed` is how deep, mm, the ball's end must go below an edge that may lie lower than described.

    The bores and bosses of the drawing are still inside the metal, so the faces are all there is to measure.
    """
    low, high = _box(part, stock)
    x, y = (low[0] + high[0]) / 2, (low[1] + high[1]) / 2
    tall = high[2] - low[2]
    depth = max(min(_DEEPEST, tall / 2), min(needed, tall))
    shape: dict[str, object] = {"shape": "block", "low": low[:2], "high": high[:2]}
    faces: list[dict[str, object]] = [
        {"place": (low[0], y, high[2]), "walls": ["RIGHT"]},
        {"place": (high[0], y, high[2]), "walls": ["LEFT"]},
        {"place": (x, low[1], high[2]), "walls": ["UP"]},
        {"place": (x, high[1], high[2]), "walls": ["DOWN"]},
    ]
    names = ["left", "right", "front", "back"]
    if stock.bar is not None:
        shape = {"shape": "round", "centre": (x, y), "diameter": stock.bar}
        names = ["round"]
        faces = [
            {"kind": "boss", "place": (x, y, high[2]), "size": stock.bar, "size_limit": max(1.0, stock.bar * 0.03)}
        ]
    features = [
        {
            "name": f"stock {name}",
            "title": "bar stock" if name == "round" else f"{name} face of the stock",
            "kind": "surface",
            "solid": "stock",
            "depth": depth,
            **face,
        }
        for name, face in zip(names, faces, strict=True)
    ]
    top = {"name": "stock top", "title": "top of the stock", "kind": "surface", "solid": "stock", "walls": ["BELOW"]}
    block = SolidSection.model_validate({"name": "stock", "bottom": low[2], "top": high[2], **shape})
    return [block], [*features, {**top, "place": (x, y, high[2])}]


def _box(part: list[SolidSection], stock: Stock) -> tuple[Vector, Vector]:
    """Lowest and highest corner of the stock, in the part's frame, mm."""
    (x0, y0, z0), (x1, y1, z1) = extent_of(part)
    left, right, front, back, bottom, top = stock.allowance
    x, y, z = (x0 - left + x1 + right) / 2, (y0 - front + y1 + back) / 2, z0 - bottom
    wide, long, tall = x1 - x0 + left + right, y1 - y0 + front + back, z1 - z0 + bottom + top
    if stock.size is not None:
        x, y, (wide, long, tall) = (x0 + x1) / 2, (y0 + y1) / 2, stock.size
    if stock.bar is not None:
        wide = long = stock.bar
    if stock.step:
        wide, long, tall = (math.ceil(size / stock.step - 1e-9) * stock.step for size in (wide, long, tall))
    return (x - wide / 2, y - long / 2, z), (x + wide / 2, y + long / 2, z + tall)
