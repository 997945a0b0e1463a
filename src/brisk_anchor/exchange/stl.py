"""Reading an STL mesh with NumPy: heights, the outline seen from above, upright bores and bosses.

The outline is the border of the largest level face; a bore is a ring of upright facets that look inward.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.exchange.read_part import (
    LOOKED_AT,
    MOST_OPENINGS,
    Point,
    ReadPart,
    Round,
    area,
    loops,
    simplified,
    those_within,
)
from brisk_anchor.nc.bounded import read_at_most

Array = NDArray[np.float64]
_MAX_BYTES = 15_000_084
"""300,000 triangles: worked on, they take 300 MB."""
_MOST_SIDES = 100_000
"""So many sides of a face that no other triangle shares are a mesh in pieces, not the border of a part."""
_MAX_TEXT = 8_000_000
"""Bytes of a mesh in words: as objects they take twenty times the room."""
_LEVEL = 0.999
_MOST_LEVELS = 1000
"""So many level faces, those with most metal, are asked for the outline."""
_UPRIGHT = 0.02
_BEND = 0.6
"""Least cosine between two facets of one cylinder."""
_ROUND = 0.02
"""How far (share of the radius, and never under 0.02 mm) vertices may lie off a circle."""


def _triangles(path: Path) -> Array:
    """Corners of every triangle, (n, 3, 3), in file units. Raises DrawingFileError."""
    try:
        if path.stat().st_size > _MAX_BYTES:
            raise DrawingFileError(f"{path.name} is larger than {_MAX_BYTES // 1_000_000} MB", "", "Export it coarser")
        data = read_at_most(path, _MAX_BYTES)
    except OSError as error:
        raise DrawingFileError(f"{path} cannot be read: {error.strerror}", "", "Check the name") from error
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    whole = len(data) == 84 + 50 * count
    # Some exporters write bytes of their own behind the triangles.
    if count >= 0 and (whole or (count > 0 and len(data) >= 84 + 50 * count and b"vertex" not in data[:1000].lower())):
        kind = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("rest", "<u2")])
        corners = np.frombuffer(data, kind, count, 84)["corners"].astype(np.float64)
    else:
        if len(data) > _MAX_TEXT:
            what = f"{path.name} is an STL in words of more than {_MAX_TEXT // 1_000_000} MB"
            raise DrawingFileError(what, "It would take all of the memory", "Export it as binary STL, or coarser")
        words = data.lower().split()
        try:
            at = [i for i, word in enumerate(words) if word == b"vertex"]
            figures = [[float(words[i + k]) for k in (1, 2, 3)] for i in at]
        except (ValueError, IndexError) as error:
            raise DrawingFileError(f"{path.name} is no STL mesh", "", "Export it anew") from error
        if not figures or len(figures) % 3:
            raise DrawingFileError(f"{path.name} is no STL mesh", "It holds no whole triangles", "Export it anew")
        corners = np.array(figures).reshape(-1, 3, 3)
    if not len(corners) or not np.isfinite(corners).all() or np.abs(corners).max() > 1e6:
        raise DrawingFileError(f"{path.name} holds no figures that could be a part", "", "Export it anew")
    return corners


def read_stl(path: Path, *, unit: float) -> ReadPart:
    """Read a mesh; `unit` is mm in one unit of the file, for an STL never states it.

    Raises:
        DrawingFileError: it is no mesh, or has no level face to take the outline from.
    """
    corners = _triangles(path) * unit
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = np.linalg.norm(cross, axis=1)
    corners, cross, double = corners[double > 1e-12], cross[double > 1e-12], double[double > 1e-12]
    if not len(corners):
        raise DrawingFileError(f"{path.name} is no STL mesh", "Its triangles have no area", "Export it anew")
    normals = cross / double[:, None]
    bottom, top = float(corners[:, :, 2].min()), float(corners[:, :, 2].max())
    outline, inner = _outline(path, corners, normals, double / 2)
    rounds = _rounds(corners[np.abs(normals[:, 2]) < _UPRIGHT], normals[np.abs(normals[:, 2]) < _UPRIGHT])
    openings = _no_rounds(inner, rounds[:LOOKED_AT])
    notes = [
        f"of {len(found)} {what} the {MOST_OPENINGS} largest were taken: mesh less"
        for what, found in (("rounds", rounds), ("openings", openings))
        if len(found) > MOST_OPENINGS
    ]
    return ReadPart(
        path.name,
        outline,
        tuple(rounds[:MOST_OPENINGS]),
        round(bottom, 4),
        round(top, 4),
        openings=tuple(openings[:MOST_OPENINGS]),
        notes=tuple(notes),
    )


def _no_rounds(rings: list[tuple[Point, ...]], rounds: list[Round]) -> list[tuple[Point, ...]]:
    """Outlines without those that are the border of a round found on its own."""
    if not rounds:
        return rings
    centres, diameters = np.array([r.centre for r in rounds]), np.array([r.diameter for r in rounds])
    near = np.maximum(0.02, _ROUND * diameters)

    def is_round(ring: tuple[Point, ...]) -> bool:
        off = np.abs(np.hypot(*(centres - ring[0]).T) - diameters / 2)
        for n in np.flatnonzero(off < near):
            if (np.abs(np.hypot(*(np.array(ring) - centres[n]).T) - diameters[n] / 2) < near[n]).all():
                return True
        return False

    return [ring for ring in rings if not is_round(ring)]


def _outline(
    path: Path, corners: Array, normals: Array, areas: Array
) -> tuple[tuple[Point, ...], list[tuple[Point, ...]]]:
    """Border of the level face with the largest outline, counter-clockwise, and the openings in that face."""
    level = np.abs(normals[:, 2]) > _LEVEL
    if not level.any():
        raise DrawingFileError(f"{path.name} has no level face", "The outline cannot be found", "Turn the part")
    faces = corners[level]
    heights = np.round(faces[:, :, 2].mean(axis=1), 3)
    order = np.argsort(heights, kind="stable")
    starts = np.flatnonzero(np.diff(heights[order], prepend=-np.inf))
    sums = np.add.reduceat(areas[level][order], starts)
    groups = np.split(order, starts[1:])
    best: list[list[Point]] = []
    for n in sorted(np.argsort(-sums, kind="stable")[:_MOST_LEVELS]):
        group = groups[n]
        if sums[n] < 1e-6:
            continue
        border = _border(faces[group][:, :, :2])
        if len(border) > _MOST_SIDES:
            raise DrawingFileError(f"{path.name} is a mesh in pieces", "Its triangles do not meet", "Repair it")
        found = sorted(loops([((p, q), (r, t)) for p, q, r, t in border.tolist()]), key=area, reverse=True)
        if found and area(found[0]) > (area(best[0]) if best else 0.0):
            best = found
    if not best:
        raise DrawingFileError(f"{path.name} has no closed outline", "The mesh is open", "Repair it, or use a drawing")
    outer, *inner = best
    inside = those_within(inner[:LOOKED_AT], outer)
    return simplified(outer, 0.005), [simplified(ring, 0.005) for ring in inside]


def _border(triangles: Array) -> Array:
    """Both ends of each side that an odd number of triangles have, (m, 4); (n, 3, 2) mm, met within 0.1 µm."""
    steps = np.round(triangles * 1e4).astype(np.int64)
    names, points = np.unique(((steps[:, :, 0] << 32) + steps[:, :, 1]).reshape(-1), return_inverse=True)
    a = points.reshape(-1, 3)
    b = np.roll(a, -1, axis=1)
    sides = (np.minimum(a, b) * len(names) + np.maximum(a, b)).reshape(-1)
    _, first, counts = np.unique(sides, return_index=True, return_counts=True)
    at = first[counts % 2 == 1]
    ends = steps.reshape(-1, 2), np.roll(steps, -1, axis=1).reshape(-1, 2)
    return np.hstack([end[at] for end in ends]) / 1e4


def _joined(corners: Array, normals: Array) -> list[NDArray[np.int64]]:
    """Facets that belong together: they meet at an edge and bend a little there, not as at a corner."""
    steps = np.round(corners[:, :, :2] * 1e3).astype(np.int64).reshape(-1, 2)
    owners = np.repeat(np.arange(len(corners)), 3)
    # Facets at each vertex, one after the other as they stand in the mesh: each is compared with the one before.
    order = np.lexsort((owners, steps[:, 1], steps[:, 0]))
    before, after = owners[order[:-1]], owners[order[1:]]
    meet = (steps[order[:-1]] == steps[order[1:]]).all(axis=1) & (before != after)
    meet &= (normals[before] * normals[after]).sum(axis=1) > _BEND
    parent = list(range(len(corners)))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for one, other in zip(before[meet].tolist(), after[meet].tolist(), strict=True):
        parent[root(other)] = root(one)
    roots = np.array([root(i) for i in range(len(corners))])
    order = np.argsort(roots, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(roots[order])) + 1)


def _rounds(corners: Array, normals: Array) -> list[Round]:
    """Upright cylinders: facets joined over shared upright edges, whose vertices lie on one circle."""
    if not len(corners):
        return []
    found = []
    for members in _joined(corners, normals):
        if len(members) < 3:
            continue  # eight points need three triangles
        points = np.unique(np.round(corners[members][:, :, :2].reshape(-1, 2), 4), axis=0)
        if len(points) < 8:
            continue
        matrix = np.column_stack([2 * points, np.ones(len(points))])
        (x, y, c), *_ = np.linalg.lstsq(matrix, (points**2).sum(axis=1), rcond=None)
        radius = float(np.sqrt(max(0.0, c + x * x + y * y)))
        off = np.abs(np.hypot(points[:, 0] - x, points[:, 1] - y) - radius).max()
        headings = np.sort(np.arctan2(points[:, 1] - y, points[:, 0] - x))
        gaps = np.diff([*headings, headings[0] + 2 * np.pi])
        if radius <= 0 or off > max(0.02, _ROUND * radius) or gaps.max() > 1.1:
            continue
        middle = corners[members].mean(axis=1)[:, :2] - (x, y)
        inward = float((middle * normals[members][:, :2]).sum()) < 0
        upper = round(float(corners[members][:, :, 2].max()), 4)
        found.append(Round((round(float(x), 4), round(float(y), 4)), round(2 * radius, 4), "", upper, inward))
    return sorted(found, key=lambda r: -r.diameter)
