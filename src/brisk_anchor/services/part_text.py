"""A part file written from a drawing or a mesh, for a person to look through: every feature with where it came from."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.exchange.dxf import read_dxf
from brisk_anchor.exchange.read_part import ReadPart, Round
from brisk_anchor.exchange.stl import read_stl
from brisk_anchor.exchange.toml_files import MILLIMETRES
from brisk_anchor.services.job_models import PartFile
from brisk_anchor.services.job_text import figure, quoted

_SIDES = (("left", 0, min, "RIGHT"), ("right", 0, max, "LEFT"), ("front", 1, min, "UP"), ("back", 1, max, "DOWN"))
_SHORTEST_EDGE = 5.0


def read_part(path: Path, *, units: str | None, layers: frozenset[str] | None) -> ReadPart:
    """Read a DXF drawing or an STL mesh, by its ending.

    Raises:
        DrawingFileError: it cannot be read, or its unit is not known.
    """
    unit = MILLIMETRES.get(units) if units else None
    if units and unit is None:
        raise DrawingFileError(f"There is no unit “{units}”", "", "Say mm or inch")
    match path.suffix.lower():
        case ".dxf":
            return read_dxf(path, unit=unit, layers=layers)
        case ".stl":
            if unit is None:
                raise DrawingFileError("A mesh never states its unit", "", "Say --units mm or --units inch")
            return read_stl(path, unit=unit)
    raise DrawingFileError(f"{path.name} is neither DXF nor STL", "", "Export it as one of them")


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
        f"# Read from {quoted(read.source)[1:-1]}. Look through it: names, depths and tolerances are yours to say.",
        *(f"# {quoted(note)[1:-1]}" for note in read.notes),
        *(f"# the drawing says: {quoted(word)[1:-1]}" for word in read.words[:200]),
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
    head.append("")
    parts = []
    for number, bore in enumerate(bores, 1):
        edge = bore.top if bore.top is not None else top
        title = f"bore ⌀{bore.diameter:g}" + (f", layer {bore.layer}" if bore.layer else "")
        more = [f"size = {figure(bore.diameter)}", f"size_limit = {figure(max(0.2, bore.diameter * 0.01))}"]
        more.append(f"depth = {figure(depth)}")
        parts.append(_feature(f"bore {number}", title, "bore", "body", (*bore.centre, edge), more))
    for boss in bosses:
        head.append(f"# a round of diameter {figure(boss.diameter)} at {boss.centre} that is no bore was left out\n")
    parts += _edges(read, top, depth)
    middle = _flat_place(read, bores)
    if middle is not None:
        parts.append(_feature("top", "top face", "surface", "body", (*middle, top), ['walls = ["BELOW"]']))
    text = "\n".join(head) + "\n" + "\n".join(parts)
    _sound(text)
    return text


def _hole(bore: Round) -> str:
    return f"{{ at = [{figure(bore.centre[0])}, {figure(bore.centre[1])}], diameter = {figure(bore.diameter)} }}"


def _edges(read: ReadPart, top: float, depth: float) -> list[str]:
    """Straight edges at the ends of the outline, along X or Y."""
    found = []
    for side, axis, end, wall in _SIDES:
        limit = end(point[axis] for point in read.outline)
        pairs = zip(read.outline, [*read.outline[1:], read.outline[0]], strict=True)
        edges = [(abs(a[1 - axis] - b[1 - axis]), a, b) for a, b in pairs if a[axis] == limit == b[axis]]
        if not edges or max(edges)[0] < _SHORTEST_EDGE:
            continue
        _, a, b = max(edges)
        x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
        more = [f'walls = ["{wall}"]', f"depth = {figure(depth)}"]
        found.append(_feature(side, f"{side} edge", "surface", "body", (x, y, top), more))
    return found


def _flat_place(read: ReadPart, bores: list[Round]) -> tuple[float, float] | None:
    """A place on the top face well inside the outline and away from every opening, None when there is none."""
    from brisk_anchor.standin.solids import Polygon

    region = Polygon(read.outline)
    xs, ys = zip(*read.outline, strict=True)
    best, place = 5.0, None
    for i in range(1, 24):
        for j in range(1, 24):
            x = min(xs) + (max(xs) - min(xs)) * i / 24
            y = min(ys) + (max(ys) - min(ys)) * j / 24
            clear = -region.distance(x, y)
            for bore in bores:
                away = ((x - bore.centre[0]) ** 2 + (y - bore.centre[1]) ** 2) ** 0.5
                clear = min(clear, away - bore.diameter / 2)
            if clear > best + 1e-9:
                best, place = clear, (round(x, 3), round(y, 3))
    return place


def _sound(text: str) -> None:
    """Refuse what the application itself could not read again. Raises DrawingFileError."""
    import tomllib

    from pydantic import ValidationError

    try:
        PartFile.model_validate(tomllib.loads(text))
    except (tomllib.TOMLDecodeError, ValidationError) as error:
        first = str(error).splitlines()
        raise DrawingFileError(
            f"No part can be made of it: {' '.join(first[:3])}", "", "Choose other layers"
        ) from error
