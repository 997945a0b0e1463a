"""Reading a DXF drawing: closed outlines, circles, texts and dimensions, by layer and in the unit it states."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.exchange.read_part import (
    LOOKED_AT,
    MOST_OPENINGS,
    Point,
    ReadPart,
    Round,
    Word,
    area,
    loops,
    simplified,
    those_within,
)
from brisk_anchor.nc.bounded import open_plain
from brisk_anchor.surroundings import Elsewhere

_MAX_BYTES = 50_000_000
_MOST_LINES_OF_TEXT = 2_000_000
_MOST_ENTITIES = 100_000
"""Each takes the library that reads them a tenth of a millisecond: with more, nobody would wait."""
_MOST_SEGMENTS = 200_000
_DEEPEST_BLOCK = 12
_FURTHEST = 1e5
"""How far from its origin anything of a drawing may lie, mm."""
_MOST_INSERTS = 20_000
_SAG = 0.002
_UNITS = {1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0}
"""$INSUNITS → mm."""


def read_dxf(path: Path, *, unit: float | None = None, layers: frozenset[str] | None = None) -> ReadPart:
    """Read a drawing.

    Args:
        path: the file.
        unit: mm in one drawing unit, for a file that states none.
        layers: only what is drawn on these; None is all.

    Raises:
        DrawingFileError: it cannot be read, states no unit, or holds no closed outline.
    """
    try:
        if path.stat().st_size > _MAX_BYTES:
            raise DrawingFileError(f"{path.name} is larger than {_MAX_BYTES // 1_000_000} MB", "", "Export less")
        open_plain(path).close()
    except OSError as error:
        raise DrawingFileError(f"{path} cannot be read: {error.strerror}", "", "Check the name") from error
    try:
        return _read(path, unit, layers)
    except DrawingFileError:
        raise
    except Exception as error:  # whatever a hostile file brings the reader to: it is refused, and said
        told = f"{path.name} is no DXF drawing that can be read: {str(error)[:120] or type(error).__name__}"
        raise DrawingFileError(told, "Nothing was taken from it", "Export it anew") from error


def _read(path: Path, unit: float | None, layers: frozenset[str] | None) -> ReadPart:
    with Elsewhere():
        from ezdxf import path as paths
        from ezdxf.filemanagement import readfile

    data = path.read_bytes()
    _look_at_size(path.name, data)
    document = readfile(path)
    # A file without a header gets the reader's own, which states a unit that nobody wrote.
    written = b"$INSUNITS" in data
    stated = _UNITS.get(int(document.header.get("$INSUNITS", 0))) if written else None
    scale = stated or unit
    if scale is None:
        raise DrawingFileError(
            f"{path.name} does not state its unit",
            "Every figure could be wrong by 25.4",
            "Say --units mm or --units inch",
        )
    segments: list[tuple[Point, Point]] = []
    rounds: list[Round] = []
    words: list[Word] = []
    _look_at_blocks(document)
    for entity in _unfolded(document.modelspace()):
        if layers is not None and entity.dxf.layer not in layers:
            continue
        kind = entity.dxftype()
        if kind == "CIRCLE":
            centre = entity.ocs().to_wcs(entity.dxf.center)
            place = (round(centre.x * scale, 4), round(centre.y * scale, 4))
            if not abs(entity.dxf.radius * scale) <= _FURTHEST:
                raise DrawingFileError(f"{path.name} holds a circle as large as no part", "", "Export it anew")
            rounds.append(Round(place, round(2 * entity.dxf.radius * scale, 4), entity.dxf.layer))
        elif kind == "LINE":
            start, end = ((p.x * scale, p.y * scale) for p in (entity.dxf.start, entity.dxf.end))
            if not all(abs(c) <= _FURTHEST for c in (*start, *end)):
                raise DrawingFileError(f"{path.name} holds lines as far away as no part", "", "Export it anew")
            segments.append((start, end))
        elif kind in ("ARC", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"):
            drawn = paths.make_path(entity)
            # A curve is cut into pieces by its sag: one of a million kilometres would never end.
            if not all(abs(p.x * scale) + abs(p.y * scale) <= _FURTHEST for p in drawn.control_vertices()):
                raise DrawingFileError(f"{path.name} holds lines as far away as no part", "", "Export it anew")
            points = [(p.x * scale, p.y * scale) for p in drawn.flattening(_SAG / scale)]
            segments += itertools.pairwise(points)
        elif kind in ("TEXT", "MTEXT"):
            text = entity.plain_text() if hasattr(entity, "plain_text") else entity.dxf.text
            words.append(Word(" ".join(str(text).split()), _at(entity.dxf.insert, scale)))
        elif kind == "DIMENSION":
            middle = entity.dxf.get("text_midpoint") or entity.dxf.defpoint
            words.append(Word(_dimension(entity, scale), _at(middle, scale)))
        if len(segments) > _MOST_SEGMENTS:
            raise DrawingFileError(f"{path.name} holds more than {_MOST_SEGMENTS} lines", "", "Choose layers")
    closed = sorted(loops([s for s in segments if math.dist(*s) > 1e-9]), key=area, reverse=True)
    if not closed:
        layer_names = ", ".join(sorted({entity.dxf.layer for entity in document.modelspace()})[:12])
        raise DrawingFileError(
            f"{path.name} holds no closed outline", f"Its layers: {layer_names or 'none'}", "Choose layers, or close it"
        )
    outer, *inner = closed
    notes = []
    inside = those_within(inner[:LOOKED_AT], outer)
    outside = len(inner[:LOOKED_AT]) - len(inside)
    if outside:
        notes.append(f"{outside} outlines outside the largest one were left out")
    for what, found in (("circles", len(rounds)), ("inner outlines", len(inner) - outside)):
        if found > MOST_OPENINGS:
            notes.append(f"of {found} {what} the {MOST_OPENINGS} largest were taken: choose layers")
    if len(rounds) > MOST_OPENINGS:
        rounds = sorted(rounds, key=lambda item: -item.diameter)[:MOST_OPENINGS]
    inside = inside[:MOST_OPENINGS]
    if stated is None:
        notes.append("the file states no unit")
    elif unit is not None and unit != stated:
        notes.append("the file states another unit than was said: its own was taken")
    return ReadPart(
        path.name,
        simplified(outer),
        tuple(rounds),
        words=tuple(word for word in words if word.text),
        openings=tuple(simplified(ring) for ring in inside),
        notes=tuple(notes),
    )


def _look_at_size(name: str, data: bytes) -> None:
    """Raises DrawingFileError: it holds more than is read in a minute."""
    if max(data.count(b"\n"), data.count(b"\r")) > _MOST_LINES_OF_TEXT:
        raise DrawingFileError(f"{name} holds more than {_MOST_LINES_OF_TEXT} lines of text", "", "Export less")
    # Codes and values take turns; the code 0 begins an entity.
    if sum(code.strip() == b"0" for code in data.splitlines()[::2]) > _MOST_ENTITIES:
        raise DrawingFileError(f"{name} holds more than {_MOST_ENTITIES} entities", "", "Export less, or fewer layers")


def _look_at_blocks(document: Any) -> None:
    """Count what blocks within blocks unfold to, before they are: empty ones unfold to nothing, and take for ever.

    Raises:
        DrawingFileError: they lie too deep in each other, or unfold to more than anybody draws.
    """

    @cache
    def counted(name: str, depth: int) -> tuple[int, int]:
        """Blocks set and other entities in a block, or in the drawing."""
        if depth > _DEEPEST_BLOCK:
            raise DrawingFileError("Blocks lie too deep in each other", "", "Explode them, or choose layers")
        inserts = entities = 0
        for entity in document.blocks.get(name) or () if name else document.modelspace():
            if entity.dxftype() != "INSERT":
                entities += 1
                continue
            within, other = counted(str(entity.dxf.get("name") or "?"), depth + 1)
            times = max(1, entity.mcount)
            inserts += times * (1 + within)
            entities += times * other
        return inserts, entities

    inserts, entities = counted("", 0)
    if inserts > _MOST_INSERTS:
        raise DrawingFileError(f"More than {_MOST_INSERTS} blocks are set in it", "", "Explode them, or export less")
    if entities > _MOST_SEGMENTS:
        raise DrawingFileError(f"Its blocks unfold to more than {_MOST_SEGMENTS} entities", "", "Export less")


def _unfolded(entities: Iterable[Any]) -> Iterator[Any]:
    """Entities with those of blocks in their place, blocks within blocks too."""
    for entity in entities:
        if entity.dxftype() == "INSERT":
            yield from _unfolded(part for whole in entity.multi_insert() for part in whole.virtual_entities())
        else:
            yield entity


def _at(point: object, scale: float) -> Point:
    """A place of the drawing in mm."""
    return round(point[0] * scale, 4), round(point[1] * scale, 4)  # type: ignore[index]


def _dimension(entity: object, scale: float) -> str:
    """The words of a dimension: what is written on it, else what it measures, mm."""
    text = str(entity.dxf.get("text", ""))  # type: ignore[attr-defined]
    measured = entity.get_measurement()  # type: ignore[attr-defined]
    if not isinstance(measured, int | float):
        return text if text != "<>" else ""
    figure = f"{float(measured) * scale:.3f}".rstrip("0").rstrip(".")
    return figure if text in ("", "<>") else text.replace("<>", figure)
