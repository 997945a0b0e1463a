"""Reading a DXF drawing: closed outlines, circles, texts and dimensions, by layer and in the unit it states."""

from __future__ import annotations

import math
from pathlib import Path

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.core.numbers import counted
from brisk_anchor.exchange.dxf_entities import SeenFromAbove, Shown
from brisk_anchor.exchange.read_part import (
    LOOKED_AT,
    MOST_OPENINGS,
    Point,
    ReadPart,
    Round,
    area,
    circle_ring,
    distances_to,
    loops,
    round_of,
    simplified,
    those_within,
)
from brisk_anchor.nc.bounded import open_plain
from brisk_anchor.surroundings import Elsewhere

_MAX_BYTES = 50_000_000
_MOST_LINES_OF_TEXT = 2_000_000
_MOST_ENTITIES = 100_000
"""Each takes the library that reads them a tenth of a millisecond: with more, nobody would wait."""
_TOUCHING = 0.01
"""How far, mm, an opening may stand out of the outline by rounding."""
_CENTRE_LINES = 1.5
"""How far lines may stand out of a round part, in its radius: farther ones are of an outline that does not close."""
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
    shown = Shown(document, layers)
    drawn = SeenFromAbove(path.name, scale)
    for entity in shown.entities():
        drawn.add(entity)
    closed = sorted(loops(drawn.segments), key=lambda ring: -round(area(ring), 3))  # equal ones as they were drawn
    notes = shown.notes
    outer, closed, rounds = _outer_of(closed, drawn)
    if not outer:
        layer_names = ", ".join(sorted({entity.dxf.layer for entity in document.modelspace()})[:12])
        raise DrawingFileError(
            f"{path.name} holds no closed outline",
            f"Its layers: {layer_names or 'none'}{''.join(f'; {note}' for note in notes)}",
            "Choose layers, or close it",
        )
    inside = those_within(closed[:LOOKED_AT], outer)
    outside = len(closed[:LOOKED_AT]) - len(inside)
    if outside:
        notes.append(f"{outside} outlines outside the largest one were left out")
    circles = [(ring, round_of(ring)) for ring in inside]
    rings = [ring for ring, circle in circles if circle is None]
    rounds += [Round(*circle) for _, circle in circles if circle is not None]
    rounds, elsewhere = _of_the_part(rounds, outer)
    if elsewhere:
        notes.append(f"{counted(elsewhere, 'circle', 'circles')} outside the outline or across it left out")
    if within := _within_larger_ones(rounds):
        many = counted(within, "circle stands", "circles stand")
        notes.append(f"{many} in the middle of a larger one: say what is a step or a thread, and how deep")
    for what, count in (("circles", len(rounds)), ("inner outlines", len(closed) - outside)):
        if count > MOST_OPENINGS:
            notes.append(f"of {count} {what} the {MOST_OPENINGS} largest were taken: choose layers")
    if len(rounds) > MOST_OPENINGS:
        rounds = sorted(rounds, key=lambda item: -item.diameter)[:MOST_OPENINGS]
    rings = rings[:MOST_OPENINGS]
    if stated is None:
        notes.append("the file states no unit")
    elif unit is not None and unit != stated:
        notes.append("the file states another unit than was said: its own was taken")
    return ReadPart(
        path.name,
        simplified(outer),
        tuple(rounds),
        words=tuple(word for word in drawn.words if word.text),
        openings=tuple(simplified(ring) for ring in rings),
        notes=tuple(notes),
    )


def _outer_of(closed: list[list[Point]], drawn: SeenFromAbove) -> tuple[list[Point], list[list[Point]], list[Round]]:
    """The outline of the part, [] for none; the other closed outlines, and the circles that are not it.

    It is the largest closed outline; or the largest circle, where that encloses all lines but for what centre lines
    stand out of it.
    """
    largest = max(drawn.rounds, key=lambda item: item.diameter, default=None)
    if largest is not None:
        reach = largest.diameter / 2
        in_it = all(math.dist(point, largest.centre) < reach for ring in closed for point in ring)
        if in_it and all(math.dist(end, largest.centre) < _CENTRE_LINES * reach for s in drawn.segments for end in s):
            ring = circle_ring(largest.centre, largest.diameter)
            itself = largest.centre, largest.diameter
            return ring, closed, [item for item in drawn.rounds if (item.centre, item.diameter) != itself]
    return (closed[0], closed[1:], drawn.rounds) if closed else ([], [], drawn.rounds)


def _of_the_part(rounds: list[Round], outer: list[Point]) -> tuple[list[Round], int]:
    """Circles that lie whole in the outline, each once, and how many of the largest do not."""
    single = list({(item.centre, item.diameter): item for item in rounds}.values())
    if len(single) > LOOKED_AT:
        single = sorted(single, key=lambda item: -item.diameter)[:LOOKED_AT]
    inside = {centre for (centre,) in those_within([[item.centre] for item in single], outer)}
    within = [item for item in single if item.centre in inside]
    apart = distances_to(outer, [item.centre for item in within])
    kept = [item for item, far in zip(within, apart, strict=True) if far >= item.diameter / 2 - _TOUCHING]
    return kept, len(single) - len(kept)


def _within_larger_ones(rounds: list[Round]) -> int:
    """How many circles lie in the middle of a larger one."""
    largest: dict[Point, float] = {}
    for item in rounds:
        largest[item.centre] = max(largest.get(item.centre, 0.0), item.diameter)
    return sum(item.diameter < largest[item.centre] for item in rounds)


def _look_at_size(name: str, data: bytes) -> None:
    """Raises DrawingFileError: it holds more than is read in a minute."""
    if max(data.count(b"\n"), data.count(b"\r")) > _MOST_LINES_OF_TEXT:
        raise DrawingFileError(f"{name} holds more than {_MOST_LINES_OF_TEXT} lines of text", "", "Export less")
    # Codes and values take turns; the code 0 begins an entity.
    if sum(code.strip() == b"0" for code in data.splitlines()[::2]) > _MOST_ENTITIES:
        raise DrawingFileError(f"{name} holds more than {_MOST_ENTITIES} entities", "", "Export less, or fewer layers")
