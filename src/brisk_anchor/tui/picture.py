"""What the drawings show, and how it is put on a canvas. Used by the bench and by the code view."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import field
from typing import TYPE_CHECKING

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas, Projection, clip
from brisk_anchor.tui.dimensions import draw_dimensions

if TYPE_CHECKING:
    from brisk_anchor.core.kinds import Vector
    from brisk_anchor.core.offsets.setup import Outline, Polyline, Setup
    from brisk_anchor.standin.motion import Motion

_ROLE = {
    "table": (theme.RULE, theme.TABLE_GROUND),
    "fixture": (theme.FIXTURE, theme.FIXTURE_GROUND),
    "setter": (theme.FIXTURE, theme.FIXTURE_GROUND),
    "part": (theme.PART, theme.PART_GROUND),
    "drawn": (theme.PART, ""),
}
_SMALLEST = 3.0
"""Openings smaller than this many dots each way are left out: they would be a smudge."""
_MOVE: dict[str, tuple[str, int, tuple[int, int] | None]] = {
    "rapid": (theme.QUIET, 3, (4, 4)),
    "skip": (theme.LIVE, 4, None),
    "touching": (theme.SAND, 5, (1, 1)),
    "feed": (theme.SAND, 5, (1, 1)),
}
"""Moves by colour, layer and dash: rapid in long dashes, guarded in a line, touching dotted."""


@dataclass(frozen=True, slots=True)
class Anchor:
    """An offset on the drawing: where it is, how it stands; `ghost` is the former value.

    From `was` an arrow shows how it moves, and with it every program that uses it.
    """

    label: str
    place: Vector
    colour: str
    ghost: bool = False
    was: Vector | None = None


@dataclass(slots=True)
class Picture:
    """Everything a drawing shows; places in machine mm of the tip. `centre` and `zoom` say what is looked at."""

    setup: Setup
    zoom: str = "set-up"
    centre: Vector | None = None
    tip: Vector | None = None
    anchors: list[Anchor] = field(default_factory=list)
    target: Vector | None = None
    touches: list[Vector] = field(default_factory=list)
    motions: Sequence[Motion] = ()
    ball: float = 6.0
    length: float = 0.0
    magnify: float = 1.0
    pan: Vector = (0.0, 0.0, 0.0)
    zero: Vector | None = None
    """The zero that is being set, by the description or as measured; its axes are shown there."""
    chosen: Vector | None = None
    """A place shown with its distances from the zero."""
    labels: Sequence[tuple[str, Vector]] = ()
    """Short words at places of the plan: the numbers of what is measured there."""
    table: str = ""
    """Where rotary axes stand in it, in words, where they do not stand at 0."""
    dimensions: bool = False
    """Whether every feature shows its distances, and the drawing's own words are shown."""


def box_of(picture: Picture) -> tuple[tuple[float, float], tuple[float, float], tuple[float, float]]:
    """Low and high XY corner and the Z range of what is looked at."""
    setup = picture.setup
    travel, table = setup.machine.travel, setup.machine.table
    if picture.zoom == "machine":
        low = (min(travel.low[0], table[0]) - 20, min(travel.low[1], table[1]) - 20)
        high = (max(travel.high[0], table[2]) + 20, max(travel.high[1], table[3]) + 20)
        return low, high, (table[4] - 30, travel.high[2])
    if picture.zoom == "feature" and picture.centre is not None:
        x, y, z = picture.centre
        return (x - 45, y - 45), (x + 45, y + 45), (z - 30, z + 30)
    points = [p for o in setup.outlines if o.role not in ("table", "setter") for p in o.plan[0]]
    points = points or [(table[0], table[1]), (table[2], table[3])]  # nothing described lies on the table
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    highest = max((o.top for o in setup.outlines if o.role != "setter"), default=table[4] + 100)
    return (min(xs) - 12, min(ys) - 12), (max(xs) + 12, max(ys) + 12), (table[4] - 6, highest + 40)


def projections(
    picture: Picture, columns: int, plan_rows: int, front_rows: int, tall: float
) -> tuple[Projection, Projection]:
    """Plan and front view to one scale, X over X."""
    low, high, (z0, z1) = box_of(picture)
    dx, dy, dz = picture.pan
    plan = Projection.fit(low, high, columns, plan_rows, tall)
    deep = Projection.fit((low[0], z0), (high[0], z1), columns, front_rows, tall)
    cut = 1.0 if picture.setup.machine.is_horizontal else 1.6  # how much of the height may be left out
    scale = min(plan.scale, deep.scale * cut) * picture.magnify
    middle = (low[0] + high[0]) / 2 + dx
    return (
        Projection.centred(scale, (middle, (low[1] + high[1]) / 2 + dy), columns, plan_rows, tall),
        Projection.centred(scale, (middle, (z0 + z1) / 2 + dz), columns, front_rows, tall),
    )


def draw_ground(canvas: Canvas, picture: Picture, view: Projection, *, front: bool) -> None:
    """What does not move: travels, table, fixture, part."""
    travel = picture.setup.machine.travel
    second = 2 if front else 1
    drop = picture.length if front else 0.0
    low, high = (travel.low[0], travel.low[second] - drop), (travel.high[0], travel.high[second] - drop)
    corners = [low, (high[0], low[1]), high, (low[0], high[1]), low]
    canvas.polyline([view(*corner) for corner in corners], theme.FAINT, 0, (3, 5))
    # What lies higher, or nearer to the front, hides what is below or behind it.
    if not front:
        nearest: Callable[[Outline], float] = lambda o: o.top  # noqa: E731
    elif picture.setup.machine.is_horizontal:  # seen from above along Y
        nearest = lambda o: max(p[1] for p in o.plan[0])  # noqa: E731
    else:
        nearest = lambda o: -min(p[1] for p in o.plan[0])  # noqa: E731
    for outline in sorted(picture.setup.outlines, key=nearest):
        draw_outline(canvas, outline, view, *_ROLE[outline.role], front=front)
    for _, centre, along, radius in picture.setup.machine.sweeps:
        if along == (1 if front else 2):
            canvas.polyline(
                [view(*point) for point in _circle(_flat(centre, front=front), radius)], theme.QUIET, 0, (2, 3)
            )


def draw_outline(canvas: Canvas, outline: Outline, view: Projection, colour: str, ground: str, *, front: bool) -> None:
    """One solid: its border and its openings, filled where there is a ground."""
    rings = [_thinned([view(*point) for point in ring]) for ring in _seen(canvas, outline, view, front=front)]
    if ground:
        canvas.fill(rings[:1] if front else rings, ground)
    for number, ring in enumerate(rings):
        dash = (4, 3) if outline.role == "drawn" else (2, 2) if front and number else None
        canvas.polyline(ring, colour, 0, dash)


def _seen(canvas: Canvas, outline: Outline, view: Projection, *, front: bool) -> Iterator[Polyline]:
    """The border, and every opening that lies in the drawing and is larger than a smudge."""
    rings = outline.front if front else outline.plan
    yield rings[0]
    wide, tall = canvas.columns * 2, canvas.rows * 4
    for ring, (x0, y0, x1, y1) in zip(rings[1:], outline.extents[1:], strict=True):
        u0, v0 = view(x0, ring[0][1] if front else y0)
        u1, v1 = view(x1, ring[2][1] if front else y1)
        larger = max(u1 - u0, v0 - v1) >= _SMALLEST
        if larger and u1 >= 0 and u0 <= wide and v0 >= 0 and v1 <= tall:
            yield ring


def _circle(centre: tuple[float, float], radius: float) -> list[tuple[float, float]]:
    turns = [2 * math.pi * n / 96 for n in range(97)]
    return [(centre[0] + radius * math.cos(turn), centre[1] + radius * math.sin(turn)) for turn in turns]


def _thinned(ring: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """The same ring without points within a dot of the one before."""
    kept = [ring[0]]
    for x, y in ring[1:-1]:
        if abs(x - kept[-1][0]) + abs(y - kept[-1][1]) > 1:
            kept.append((x, y))
    return [*kept, ring[-1]]


def _flat(place: Vector, *, front: bool) -> tuple[float, float]:
    return (place[0], place[2]) if front else (place[0], place[1])


def draw_live(canvas: Canvas, picture: Picture, view: Projection, *, front: bool) -> None:
    """What changes: path, offsets as anchors, touches, the tip."""
    for motion in picture.motions:
        style = _MOVE.get("touching" if motion.contact is not None else motion.kind.value)
        if style is None:
            continue
        ends = []
        for x, y, z in (motion.start, motion.end):
            ends.append(view(*_flat((x, y, z - picture.length), front=front)))
        canvas.line(*ends[0], *ends[1], style[0], style[1], style[2])
    for place in picture.touches:
        column, row = view.cell(*_flat(place, front=front))
        canvas.write(column, row, "×", f"bold {theme.SAND}")
    for anchor in picture.anchors:
        _draw_anchor(canvas, anchor, view, front=front)
    if picture.zero is not None:  # before the names of anchors: its marks stand where they are, labels give way
        draw_dimensions(canvas, picture, picture.zero, view, front=front)
    for anchor in picture.anchors:
        colour = theme.QUIET if anchor.ghost else anchor.colour  # a faint name cannot be read on the part's ground
        canvas.label(*view.cell(*_flat(anchor.place, front=front)), anchor.label, colour)
    for words, place in picture.labels:
        column, row = view.cell(*_flat(place, front=front))
        canvas.label(column - 1, row - 1, words, f"bold {theme.TEXT} on {theme.CHOSEN}")
    if picture.target is not None:
        _cross(canvas, view(*_flat(picture.target, front=front)), theme.SAND)
    if picture.tip is not None:
        _draw_tip(canvas, picture, picture.tip, view, front=front)


def _cross(canvas: Canvas, at: tuple[float, float], colour: str, size: int = 5) -> None:
    x, y = at
    canvas.line(x - size, y, x + size, y, colour, 6)
    canvas.line(x, y - size, x, y + size, colour, 6)


def _draw_anchor(canvas: Canvas, anchor: Anchor, view: Projection, *, front: bool) -> None:
    at = _flat(anchor.place, front=front)
    end = view(*at)
    if not anchor.ghost:
        _arrow_from_zero(canvas, view(0.0, 0.0), end, anchor.colour)
    if anchor.was is not None:
        _move_arrow(canvas, view(*_flat(anchor.was, front=front)), end, anchor.colour)
    column, row = view.cell(*at)
    canvas.write(column, row, "◇" if anchor.ghost else "◆", anchor.colour if anchor.ghost else f"bold {anchor.colour}")


def _move_arrow(canvas: Canvas, start: tuple[float, float], end: tuple[float, float], colour: str) -> None:
    """The way from where it was, with a head; nothing where the two fall on the same dots."""
    import math

    dx, dy = end[0] - start[0], end[1] - start[1]
    long = math.hypot(dx, dy)
    if long < 6:
        return
    canvas.line(*start, *end, colour, 5)
    ux, uy = dx / long, dy / long
    tip = (end[0] - 3 * ux, end[1] - 3 * uy)
    for side in (-1, 1):
        canvas.line(*tip, tip[0] - 6 * ux - side * 4 * uy, tip[1] - 6 * uy + side * 4 * ux, colour, 5)


def _arrow_from_zero(canvas: Canvas, zero: tuple[float, float], end: tuple[float, float], colour: str) -> None:
    """The line from machine zero; where zero lies outside the drawing, its name stands where the line comes in."""
    line = clip(*zero, *end, canvas.columns * 2 - 1, canvas.rows * 4 - 1)
    if line is None:
        return
    x0, y0, x1, y1 = line
    canvas.line(x0, y0, x1, y1, colour, 3, (2, 4))
    name = "■ machine zero" if (x0, y0) == zero else "↗ machine zero" if y0 < y1 else "↘ machine zero"
    column = max(0, min(int(x0 // 2) + 1, canvas.columns - len(name) - 1))
    row = max(0, min(int(y0 // 4), canvas.rows - 1))
    for other in (row, row + 1, row - 1, row + 2, row - 2):
        if canvas.free(column, other, len(name)):
            canvas.write(column, other, name, theme.QUIET)
            return


def _draw_tip(canvas: Canvas, picture: Picture, tip: Vector, view: Projection, *, front: bool) -> None:
    """The ball to scale (never smaller than one can see); from the front with its stem."""
    import math

    radius = max(picture.ball / 2 * view.scale, 1.6)
    u, v = _flat(tip, front=front)
    x, y = view(u, v + (picture.ball / 2 if front else 0.0))
    steps = max(12, int(radius * 6))
    ring = [
        (x + radius * math.cos(2 * math.pi * i / steps), y + radius / view.tall * math.sin(2 * math.pi * i / steps))
        for i in range(steps + 1)
    ]
    canvas.polyline(ring, theme.LIVE, 8)
    canvas.dot(x, y, theme.LIVE, 8)
    if front:
        stylus = picture.setup.stylus
        half = stylus.stem_diameter / 2 * view.scale
        top = view(u, v + stylus.stem_length)[1]
        for side in (-half, half):
            canvas.line(x + side, y - radius, x + side, top, theme.LIVE, 7)
        wide = stylus.body_diameter / 2 * view.scale
        roof = view(u, v + stylus.stem_length + stylus.body_length)[1]
        body = [(x - wide, roof), (x - wide, top), (x + wide, top), (x + wide, roof)]
        canvas.polyline(body, theme.LIVE, 7)
    else:
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            canvas.line(
                x + dx * (radius + 3),
                y + dy * (radius + 3),
                x + dx * (radius + 7),
                y + dy * (radius + 7),
                theme.LIVE,
                7,
            )
