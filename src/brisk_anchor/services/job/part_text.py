"""A part file written from a drawing or a mesh, for a person to check: every feature with where it came from."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.core.quantities import bare, titled
from brisk_anchor.exchange.part_formats import read_part_file
from brisk_anchor.exchange.read_part import Point, ReadPart, Round, box_of, round_of, slot_of, straight_edges
from brisk_anchor.exchange.toml_files import MILLIMETRES
from brisk_anchor.nc.bounded import strictly
from brisk_anchor.services.job.job_models import PartFile
from brisk_anchor.services.job.job_text import figure, quoted
from brisk_anchor.services.measure.measurement_request import STEEPEST

_SHORTEST_EDGE = 5.0
_MOST_EDGES = 40
_LONG_EDGE = 25.0
_SPREAD = 0.6
"""The share of an edge's length that its two touches lie apart."""
_WALLS = ("RIGHT", "UP", "LEFT", "DOWN")
_SIDES = {"RIGHT": ("left", 0, min), "LEFT": ("right", 0, max), "UP": ("front", 1, min), "DOWN": ("back", 1, max)}
"""What a straight edge at the end of the outline is called, by where its metal is: axis and which end."""
_SLENDER = 2.5
"""Where an opening is longer than this many times its width, it is a slot, and its ends are not touched."""


def read_part(path: Path, *, units: str | None, layers: frozenset[str] | None) -> ReadPart:
    """Read a DXF drawing or an STL mesh, by its ending.

    Raises:
        DrawingFileError: it cannot be read, or its unit is not known.
    """
    unit = MILLIMETRES.get(units) if units else None
    if units and unit is None:
        raise DrawingFileError(f"There is no unit “{units}”", "", "Say mm or inch")
    return read_part_file(path, unit, layers)


def _feature(name: str, title: str, kind: str, solid: str, place: tuple[float, float, float], more: list[str]) -> str:
    x, y, z = (figure(value) for value in place)
    lines = [
        "[[feature]]",
        f'name = "{name}"',
        f"title = {quoted(title)}",
        f'kind = "{kind}"',
        f'solid = "{solid}"',
        f"place = [{x}, {y}, {z}]",
        *more,
    ]
    return "\n".join(lines) + "\n"


def part_text(read: ReadPart, name: str, *, depth: float, thickness: float | None) -> str:
    """The text of a part file, in mm; `depth` is how deep the ball's end goes below an edge.

    Raises:
        DrawingFileError: a drawing without a thickness, or something in it that no part file can hold.
    """
    if read.top is not None and read.bottom is not None:
        top, bottom = read.top, read.bottom
    elif thickness is not None and thickness > 0:
        top, bottom = 0.0, -thickness
    else:
        raise DrawingFileError("A drawing has no thickness", "The part would have no height", "Say --thickness")
    bores = [r for r in read.rounds if r.bore]
    bosses = [r for r in read.rounds if not r.bore]
    head = [
        f"# Read from {quoted(read.source)[1:-1]}. Check it: names, depths and tolerances are yours to say.",
        *(f"# {quoted(note)[1:-1]}" for note in read.notes),
        "",
        'form = "brisk-anchor-part-1"',
        'units = "mm"',
        "",
        f"name = {quoted(name)}",
        "",
        "[[solid]]",
        'name = "body"',
        'shape = "outline"',
        f"bottom = {figure(bottom)}",
        f"top = {figure(top)}",
        "points = [",
        *(f"    [{figure(x)}, {figure(y)}]," for x, y in read.outline),
        "]",
    ]
    if bores:
        head += ["holes = [", *(f"    {_hole(bore)}," for bore in bores), "]"]
    if read.openings:
        head += ["slots = [", *(f"    {{ points = [{_points(ring)}] }}," for ring in read.openings), "]"]
    head.append("")
    parts = []
    for number, bore in enumerate(bores, 1):
        edge = bore.top if bore.top is not None else top
        title = f"bore {number} ⌀{titled(bore.diameter)}" + (f", layer {bore.layer}" if bore.layer else "")
        more = [f"size = {figure(bore.diameter)}", f"size_limit = {figure(max(0.2, bore.diameter * 0.01))}"]
        more.append(f"depth = {figure(depth)}")
        parts.append(_feature(f"bore {number}", title, "bore", "body", (*bore.centre, edge), more))
    for boss in bosses:
        head.append(f"# a round of diameter {figure(boss.diameter)} at {boss.centre} that is no bore was left out\n")
    if (circle := round_of(read.outline)) is not None:
        centre, size = circle
        more = [f"size = {figure(size)}", f"size_limit = {figure(max(0.2, size * 0.01))}", "over = true"]
        more.append(f"depth = {figure(depth)}")
        parts.append(_feature("outside", f"outside ⌀{titled(size)}", "boss", "body", (*centre, top), more))
    parts += _openings(read, top, depth)
    parts += _edges(read, top, depth)
    middle = _flat_place(read, bores)
    if middle is not None:
        parts.append(_feature("top", "top face", "surface", "body", (*middle, top), ['walls = ["BELOW"]']))
    for word in read.words[:200]:
        x, y = (figure(value) for value in word.place)
        parts.append(f"[[word]]\ntext = {quoted(word.text)}\nat = [{x}, {y}]\n")
    text = "\n".join(head) + "\n" + "\n".join(parts)
    _sound(text)
    return text


def _hole(bore: Round) -> str:
    return f"{{ at = [{figure(bore.centre[0])}, {figure(bore.centre[1])}], diameter = {figure(bore.diameter)} }}"


def _points(ring: tuple[Point, ...]) -> str:
    return ", ".join(f"[{figure(x)}, {figure(y)}]" for x, y in ring)


def _openings(read: ReadPart, top: float, depth: float) -> list[str]:
    """Rectangular openings as pockets, slender ones as slots."""
    found = []
    boxes = [box for ring in read.openings if (box := box_of(ring) or slot_of(ring)) is not None]
    for number, box in enumerate(boxes, 1):
        narrow, wide = sorted(box.sizes)
        more = [f"size_limit = {figure(max(0.2, narrow * 0.01))}", f"depth = {figure(depth)}"]
        if abs(box.angle) > 1e-3:
            more.append(f"angle = {figure(box.angle)}")
        if wide > _SLENDER * narrow or box.rounded:
            kind, across = "slot", box.sizes[0] == narrow
            walls = '["LEFT", "RIGHT"]' if across else '["DOWN", "UP"]'
            more = [f"walls = {walls}", f"size = {figure(narrow)}", *more]
        else:
            kind = "pocket"
            more = [f"size = {figure(box.sizes[0])}", f"size_y = {figure(box.sizes[1])}", *more]
        title = f"{kind} {number}, {bare(box.sizes[0])} × {titled(box.sizes[1])}"
        found.append(_feature(f"{kind} {number}", title, kind, "body", (*box.middle, top), more))
    return found


def _edges(read: ReadPart, top: float, depth: float) -> list[str]:
    """Straight edges: those at the ends of the outline by their side, the others numbered, the longest first."""
    found: dict[str, str] = {}
    number = 0
    for edge in straight_edges(read.outline, _SHORTEST_EDGE):
        quarters = round(edge.heading / 90)
        wall, angle = _WALLS[quarters % 4], edge.heading - 90 * quarters
        name, axis, end = _SIDES[wall]
        level = abs(angle) < 1e-3
        if not level or edge.middle[axis] != end(point[axis] for point in read.outline) or name in found:
            number += 1
            name = f"edge {number}"
        if number > _MOST_EDGES:
            break
        more = [f'walls = ["{wall}"]', f"depth = {figure(depth)}"]
        if not level:
            more.append(f"angle = {figure(angle)}")
        kind = "surface"
        if edge.length >= _LONG_EDGE and abs(angle) <= STEEPEST:  # long enough to tell how the part is turned
            kind = "edge"
            more.append(f"spread = {figure(round(edge.length * _SPREAD))}")
        title = f"{name} edge" if name in ("left", "right", "front", "back") else f"{name}, {titled(edge.length)} long"
        found[name] = _feature(name, title, kind, "body", (*edge.middle, top), more)
    named = [found[name] for name in ("left", "right", "front", "back") if name in found]
    return [*named, *(text for name, text in found.items() if name.startswith("edge "))]


def _flat_place(read: ReadPart, bores: list[Round]) -> Point | None:
    """A place on the top face well inside the outline and away from every opening, None when there is none."""
    from brisk_anchor.standin.solids import Disc, Polygon, clear_place

    openings = [Disc(bore.centre, bore.diameter / 2) for bore in bores] + [Polygon(ring) for ring in read.openings]
    return clear_place(Polygon(read.outline), openings)


def _sound(text: str) -> None:
    """Refuse what the application itself could not read again. Raises DrawingFileError."""
    import tomllib

    from pydantic import ValidationError

    from brisk_anchor.nc.profile.control_profile import findings_of

    try:
        strictly(PartFile, tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise DrawingFileError(f"No part can be made of it: {error}", "", "Choose other layers") from error
    except ValidationError as error:
        fault = findings_of(error)[0]
        raise DrawingFileError(
            f"No part can be made of it: {fault.reason}", fault.place, "Look at the drawing"
        ) from error
