"""A tool drawn to scale beside its figures, and the radius of a calibrated ball by direction."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.quantities import bare, signed_num
from brisk_anchor.tui import theme
from brisk_anchor.tui.canvas import Canvas

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.setup import Setup
    from brisk_anchor.services.session.tool_shelf import ShelfLine

Piece = tuple[float, float, float]
"""A cylinder from `low` to `high` above the end, and its radius, mm."""


def pieces(setup: Setup, line: ShelfLine) -> list[Piece]:
    """The upright parts of a tool, from its end up; empty for what has no length."""
    match line.table:
        case ("probe",):
            s = setup.stylus
            ball, neck = s.ball_diameter, s.stem_length
            return [
                (0.0, ball, ball / 2),
                (ball, neck, s.stem_diameter / 2),
                (neck, neck + s.body_length, s.body_diameter / 2),
                (neck + s.body_length, s.length, 20.0),
            ]
        case ("hand_tool", int(n)):
            tool = setup.hand_tools[n]
            length = tool.bare_length or 90.0
            return [(0.0, 0.45 * length, max(1.5, (tool.diameter or 6.0) / 2)), (0.45 * length, length, 16.0)]
        case ("tool", int(n)):
            cutter = setup.shelf.cutters[n]
            length = cutter.length or 100.0
            return [(0.0, 0.5 * length, cutter.diameter / 2), (0.5 * length, length, 22.0)]
    setter = setup.shelf.setter
    return [(0.0, setter.height * 0.8, 16.0), (setter.height * 0.8, setter.height, 10.0)] if setter else []


def tool_text(setup: Setup, line: ShelfLine, width: int, height: int) -> Text:
    """The tool in outline, its end down, with its length at its side."""
    canvas = Canvas(width, max(1, height))
    shape = pieces(setup, line)
    if not shape:
        return Text()
    tall, wide = max(high for _, high, _ in shape), 2 * max(radius for *_, radius in shape)
    scale = min((height * 4 - 6) / tall, (width - 16) * 2 / wide)  # dots per mm
    middle, bottom = width - 4.0, height * 4 - 3.0
    for low, high, radius in shape:
        y0, y1, r = bottom - low * scale, bottom - high * scale, max(1.0, radius * scale)
        if radius == setup.stylus.ball_diameter / 2 and line.table == ("probe",) and low == 0.0:
            turn = [2 * math.pi * i / 24 for i in range(25)]
            centre = y0 - r
            canvas.polyline([(middle + r * math.cos(a), centre + r * math.sin(a)) for a in turn], theme.LIVE, 1)
            continue
        outline = [(middle - r, y0), (middle + r, y0), (middle + r, y1), (middle - r, y1), (middle - r, y0)]
        canvas.polyline(outline, theme.PART, 1)
    side = middle + wide / 2 * scale + 6
    canvas.line(side, bottom, side, bottom - tall * scale, theme.FAINT, 0, (1, 2))
    known = next((value for label, value in line.figures if label in ("length", "height")), None)
    label = f"{bare(known, 3)}" if known else "?"
    canvas.write(min(width - len(label), int(side / 2) + 1), int((bottom - tall * scale / 2) / 4), label, theme.QUIET)
    return _lines(canvas)


def radius_text(by_direction: Sequence[tuple[float, float]]) -> Text:
    """Effective radius at each heading as it was touched, mm, with how far it lies from their mean, µm."""
    mean = sum(radius for _, radius in by_direction) / len(by_direction)
    text = Text(no_wrap=True)
    for heading, radius in sorted(by_direction):
        off = (radius - mean) * 1000
        bar = "▮" * min(12, round(abs(off) * 4))
        text.append(f"  {heading:5.0f}°", theme.QUIET)
        text.append(f"  {bare(radius, 4)}", theme.TEXT)
        text.append(f"  {signed_num(off, 2)} µm ", theme.QUIET)
        text.append(f"{bar}\n", theme.LIVE if off >= 0 else theme.SAND)
    return text


def _lines(canvas: Canvas) -> Text:
    text = Text(no_wrap=True)
    for row in range(canvas.rows):
        for words, style in canvas.runs(row):
            text.append(words, style)
        text.append("\n")
    return text
