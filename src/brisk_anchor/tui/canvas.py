"""A drawing surface of braille dots, two by four a cell, with layers and text on top. No widget: plain data."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import field
from itertools import pairwise
from math import ceil, floor

from brisk_anchor.lazy_dataclass import dataclass

_DOTS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))
_ACROSS = {0x09: "▔", 0x12: "─", 0x24: "─", 0xC0: "▁"}
"""What a cell shows whose dots are one whole row, which goes on at both sides: a line along an axis is solid."""
_UPRIGHT = {0x47: "▏", 0xB8: "▕"}
_BESIDE = {"▔": 12, "▁": 3, "▏": 10, "▕": 5}
"""The quarters of a cell that lie beside such a line, by which the cell is filled or not."""
_LEFT, _RIGHT, _TOP, _BOTTOM = 0x47, 0xB8, 0x09, 0xC0
_QUARTERS = " ▘▝▀▖▌▞▛▗▚▐▜▄▙▟█"
"""By which quarters of a cell are filled: 1 top left, 2 top right, 4 bottom left, 8 bottom right."""


@dataclass(slots=True)
class Canvas:
    """`columns` × `rows` cells. A cell shows the colour of the highest layer drawn in it; text hides dots."""

    columns: int
    rows: int
    dots: list[int] = field(default_factory=list)
    colours: list[str] = field(default_factory=list)
    layers: list[int] = field(default_factory=list)
    text: dict[int, tuple[str, str]] = field(default_factory=dict)
    grounds: list[str] = field(default_factory=list)
    """Colour behind each cell, "" for the common ground."""
    edges: dict[int, tuple[int, str]] = field(default_factory=dict)
    """Cells that a fill covers in part: which quarters, and its colour."""

    def __post_init__(self) -> None:
        size = self.columns * self.rows
        self.dots = self.dots or [0] * size
        self.colours = self.colours or [""] * size
        self.layers = self.layers or [-1] * size
        self.grounds = self.grounds or [""] * size

    def copy(self) -> Canvas:
        """A copy to draw on while this one is kept."""
        return Canvas(
            self.columns,
            self.rows,
            self.dots[:],
            self.colours[:],
            self.layers[:],
            dict(self.text),
            self.grounds[:],
            dict(self.edges),
        )

    def fill(self, rings: Iterable[Sequence[tuple[float, float]]], ground: str) -> None:
        """Lay a colour behind what lies in closed rings (even-odd), by quarters of a cell, hiding what was drawn."""
        levels = _crossings(rings, self.rows * 2)
        for row in sorted({level // 2 for level in levels}):
            above, below = (sorted(levels.get(2 * row + half, ())) for half in (0, 1))
            found: dict[int, int] = {}
            for crossings, left in ((above, 1), (below, 4)):
                for half in _inside(crossings, self.columns * 2):
                    found[half // 2] = found.get(half // 2, 0) | left << half % 2
            for column, quarters in found.items():
                cell = row * self.columns + column
                if quarters == 15:
                    self.grounds[cell] = ground
                    self.dots[cell], self.layers[cell] = 0, -1
                    self.edges.pop(cell, None)
                else:
                    known, colour = self.edges.get(cell, (0, ground))
                    self.edges[cell] = quarters | (known if colour == ground else 0), ground

    def dot(self, x: float, y: float, colour: str, layer: int = 0) -> None:
        """One dot; x to the right, y downwards, in dots; outside is passed over."""
        column, row = int(x) >> 1, int(y) >> 2
        if not (0 <= column < self.columns and 0 <= row < self.rows and x >= 0 and y >= 0):
            return
        cell = row * self.columns + column
        if layer < self.layers[cell]:
            return
        if layer > self.layers[cell]:
            self.layers[cell], self.colours[cell] = layer, colour
        self.dots[cell] |= _DOTS[int(y) & 3][int(x) & 1]

    def line(
        self,
        x0: float,
        y0: float,
        x1: float,
        y1: float,
        colour: str,
        layer: int = 0,
        dash: tuple[int, int] | None = None,
    ) -> None:
        """A straight line, clipped to the surface; `dash` is dots on and off."""
        clipped = clip(x0, y0, x1, y1, self.columns * 2 - 0.01, self.rows * 4 - 0.01)
        if clipped is None:
            return
        x0, y0, x1, y1 = clipped
        steps = int(max(abs(x1 - x0), abs(y1 - y0))) + 1
        dx, dy = (x1 - x0) / steps, (y1 - y0) / steps
        period = sum(dash) if dash else 0
        for i in range(steps + 1):
            if dash and i % period >= dash[0]:
                continue
            self.dot(x0 + dx * i, y0 + dy * i, colour, layer)

    def polyline(
        self,
        points: Iterable[tuple[float, float]],
        colour: str,
        layer: int = 0,
        dash: tuple[int, int] | None = None,
    ) -> None:
        """Lines from point to point."""
        previous: tuple[float, float] | None = None
        for point in points:
            if previous is not None:
                self.line(*previous, *point, colour, layer, dash)
            previous = point

    def write(self, column: int, row: int, words: str, style: str) -> None:
        """Text from a cell on; what would run over the edge is left out whole."""
        if not 0 <= row < self.rows or column < 0 or column + len(words) > self.columns:
            return
        for i, character in enumerate(words):
            self.text[row * self.columns + column + i] = (character, style)

    def free(self, column: int, row: int, length: int) -> bool:
        """Whether cells lie in the drawing, with nothing written in them or right beside them."""
        if not (0 <= row < self.rows and column >= 0 and column + length <= self.columns):
            return False
        return not any(row * self.columns + column + i in self.text for i in range(-1, length + 1))

    def label(self, column: int, row: int, words: str, style: str) -> bool:
        """Words beside a cell, where nothing is written yet: right of it, left, above or below; tells whether they fit.

        A label that finds no room gives way to those that were put there before.
        """
        long = len(words)
        for across in (0, 1, -1, 2, -2):
            for start in (column + 2, column - long - 1, column - long // 2 if across else column + 2):
                if self.free(start, row + across, long):
                    self.write(start, row + across, words, style)
                    return True
        return False

    def runs(self, row: int) -> list[tuple[str, str]]:
        """One row as (text, style) pieces, joined where the style stays."""
        pieces: list[tuple[str, str]] = []
        words, style = "", ""
        for cell in range(row * self.columns, (row + 1) * self.columns):
            if cell in self.text:
                character, colour = self.text[cell]
            elif self.dots[cell]:
                character, colour = self._drawn(cell), self.colours[cell]
            elif cell in self.edges:
                quarters, colour = self.edges[cell]
                character = _QUARTERS[quarters]
            else:
                character, colour = " ", ""
            ground = self.grounds[cell]
            if cell in self.edges and (self.dots[cell] or cell in self.text):  # no room for quarters: all or nothing
                quarters, partly = self.edges[cell]
                if character == "─" and quarters in (3, 12):  # an outline: it stands where the fill ends
                    character = "▔" if self.dots[cell] == 0x12 else "▁"
                beside = _BESIDE.get(character)
                covered = quarters.bit_count() > 2 if beside is None else quarters & beside == beside
                ground = partly if covered else ground
            if ground and " on " not in colour:
                colour = f"{colour} on {ground}".strip()
            if colour != style and words:
                pieces.append((words, style))
                words = ""
            style = colour
            words += character
        return [*pieces, (words, style)] if words else pieces

    def _drawn(self, cell: int) -> str:
        """The character of a cell's dots: solid where a line runs through it along an axis, else the dots."""
        dots, column, row = self.dots[cell], cell % self.columns, cell // self.columns
        if dots in _ACROSS:
            left = self.dots[cell - 1] if column else dots
            right = self.dots[cell + 1] if column + 1 < self.columns else dots
            if left & dots & _RIGHT and right & dots & _LEFT:
                return _ACROSS[dots]
        elif dots in _UPRIGHT:
            above = self.dots[cell - self.columns] if row else dots
            below = self.dots[cell + self.columns] if row + 1 < self.rows else dots
            if above & dots & _BOTTOM and below & dots & _TOP:
                return _UPRIGHT[dots]
        return chr(0x2800 + dots)


def _crossings(rings: Iterable[Sequence[tuple[float, float]]], count: int) -> dict[int, list[float]]:
    """Where closed rings cross each of so many levels, two a cell at a quarter and three quarters of its height."""
    found: dict[int, list[float]] = {}
    for ring in rings:
        for (x0, y0), (x1, y1) in pairwise(ring):
            # Level n lies at y = 2 n + 1; an edge crosses those from its upper end on and short of its lower one.
            first, last = ceil((min(y0, y1) - 1) / 2), ceil((max(y0, y1) - 1) / 2)
            for level in range(max(0, first), min(count, last)):
                found.setdefault(level, []).append(x0 + (2 * level + 1 - y0) * (x1 - x0) / (y1 - y0))
    return found


def _inside(crossings: list[float], dots: int) -> set[int]:
    """Columns of dots whose middle lies between odd and even crossings."""
    found: set[int] = set()
    for left, right in zip(crossings[::2], crossings[1::2], strict=False):
        found.update(range(max(0, ceil(left - 0.5)), min(dots, floor(right - 0.5) + 1)))
    return found


def clip(
    x0: float, y0: float, x1: float, y1: float, width: float, height: float
) -> tuple[float, float, float, float] | None:
    """The part of a line inside 0..width, 0..height (Liang and Barsky), None when there is none."""
    low, high = 0.0, 1.0
    dx, dy = x1 - x0, y1 - y0
    for delta, gap in ((-dx, x0), (dx, width - x0), (-dy, y0), (dy, height - y0)):
        if delta == 0:
            if gap < 0:
                return None
            continue
        share = gap / delta
        if delta < 0:
            low = max(low, share)
        else:
            high = min(high, share)
    if low > high:
        return None
    return x0 + low * dx, y0 + low * dy, x0 + high * dx, y0 + high * dy


@dataclass(frozen=True, slots=True)
class Projection:
    """Millimetres to dots: `u` rightwards, `v` up. `scale` is dots a mm across; dots are `tall` times as high."""

    scale: float
    u0: float
    v0: float
    height: float
    tall: float = 1.0

    @classmethod
    def fit(
        cls, low: tuple[float, float], high: tuple[float, float], columns: int, rows: int, tall: float
    ) -> Projection:
        """Show a box in the middle of a canvas, as large as it goes."""
        width, height = columns * 2, rows * 4
        scale = min(width / max(high[0] - low[0], 1e-6), height * tall / max(high[1] - low[1], 1e-6))
        return cls.centred(scale, ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2), columns, rows, tall)

    @classmethod
    def centred(cls, scale: float, middle: tuple[float, float], columns: int, rows: int, tall: float) -> Projection:
        """Show a place in the middle of a canvas at a scale."""
        width, height = columns * 2, rows * 4
        return cls(scale, middle[0] - width / 2 / scale, middle[1] - height * tall / 2 / scale, height, tall)

    def __call__(self, u: float, v: float) -> tuple[float, float]:
        """Dots from the top left."""
        return (u - self.u0) * self.scale, self.height - (v - self.v0) * self.scale / self.tall

    def cell(self, u: float, v: float) -> tuple[int, int]:
        """Column and row of the cell a place lies in."""
        x, y = self(u, v)
        return int(x // 2), int(y // 4)

    def place(self, column: int, row: int) -> tuple[float, float]:
        """The place in the middle of a cell, mm."""
        x, y = column * 2 + 1.0, row * 4 + 2.0
        return self.u0 + x / self.scale, self.v0 + (self.height - y) * self.tall / self.scale
