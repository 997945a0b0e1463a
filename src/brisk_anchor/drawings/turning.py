"""The set-up sheet of a lathe: half-section to scale, tables of zeros and tools, what was found and how well."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.core.quantities import num
from brisk_anchor.core.turning.shapes import Ring
from brisk_anchor.drawings.paper import (
    FAINT,
    INK,
    LIVE,
    MARK,
    QUIET,
    Page,
    line,
    page_size,
    place,
    rendered,
    true_scale,
)
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_MARGIN = 12.0
_WIDE = 190.0
_SECTION, _LEAST_SECTION = 78.0, 46.0
"""How much room the half-section has, mm; less height where tables are long. The notes stand at its right."""
_NOTE, _NOTES = 4.2, 18
_USUAL, _LEAST = 5.0, 3.2
"""From line to line of a table, mm: the letters grow smaller with it, and stay to be read."""
_COLOURS = {"chuck": FAINT, "jaws": QUIET, "stock": FAINT, "part": LIVE}
_FILLS = {"chuck": "#eef1f1", "jaws": "#dfe6e7", "stock": "#f4f6f6", "part": "none"}


@dataclass(frozen=True, slots=True)
class TurningSheet:
    """What stands on the sheet. Outlines are (role, ring of Z and radius); `zero` is a machine Z."""

    title: str
    about: str
    outlines: tuple[tuple[str, Ring], ...]
    zero: float
    zero_label: str
    window: tuple[float, float, float]
    """Z low and high, radius high."""
    below: bool
    zeros: tuple[tuple[str, ...], ...]
    tools: tuple[tuple[str, ...], ...]
    notes: tuple[str, ...]


def turning_sheet(content: TurningSheet, paper: str = "a4") -> Page:
    """The sheet, on "a4" or "letter"."""
    return rendered(lambda figure: _draw(figure, content), paper)


def _draw(figure: Figure, content: TurningSheet) -> None:
    width, height = page_size(figure)
    figure.text(_MARGIN / width, (height - 14) / height, content.title, fontsize=14, color=INK)
    figure.text(_MARGIN / width, (height - 20) / height, content.about, fontsize=8, color=QUIET)
    figure.add_artist(line(figure, _MARGIN, height - 23, width - _MARGIN, height - 23))
    lines = len(content.zeros) + len(content.tools) + 5
    tall = max(_LEAST_SECTION, min(_SECTION, height - 40 - _MARGIN - lines * _LEAST))
    _section(figure, content, height, tall)
    top = height - 40 - tall
    step = max(_LEAST, min(_USUAL, (top - _MARGIN) / lines))
    zeros = _shown(content.zeros, max(6, int((top - _MARGIN) / step) - 5 - len(content.tools)))
    tools = _shown(content.tools, max(6, int((top - _MARGIN) / step) - 5 - len(zeros)))
    of_zeros = ("row", "part", "state", "⌀ X", "Z", "± at 95 %")
    top = _table(figure, zeros, of_zeros, top, (24, 40, 26, 26, 26, 60), step)
    of_tools = ("tool", "what", "tip", "geometry ⌀ X", "Z", "wear ⌀ X", "Z")
    _table(figure, tools, of_tools, top - step, (24, 112, 12, 30, 26, 24, 24), step)
    for number, words in enumerate(_shown([(note,) for note in content.notes], _NOTES)):
        at = (height - 32 - _NOTE * number) / height
        figure.text((_MARGIN + _WIDE + 6) / width, at, f"· {words[0]}", fontsize=7, color=QUIET)


def _shown(rows: Sequence[Sequence[str]], most: int) -> list[tuple[str, ...]]:
    """As many rows as there is room for; where some are left out, the last says so."""
    if len(rows) <= most:
        return [tuple(row) for row in rows]
    kept = [tuple(row) for row in rows[: max(0, most - 1)]]
    rest = (f"and {len(rows) - len(kept)} more", *[""] * (len(rows[0]) - 1))
    return [*kept, rest]


def _section(figure: Figure, content: TurningSheet, height: float, room_tall: float) -> None:
    low_z, high_z, high_r = content.window
    room_wide = _WIDE
    scale = true_scale(room_wide, room_tall, (low_z, 0.0), (high_z, high_r))
    wide, tall = (high_z - low_z) / scale, (high_r * 1.15) / scale
    axes = place(figure, _MARGIN, height - 30 - room_tall + (room_tall - tall) / 2, wide, tall)
    axes.set_frame_on(False)
    side = -1.0 if content.below else 1.0
    axes.set_xlim(low_z, high_z)
    axes.set_ylim((-0.15 * high_r, high_r) if side > 0 else (-high_r, 0.15 * high_r))
    for role, ring in content.outlines:
        xs, ys = [z for z, _ in ring], [side * r for _, r in ring]
        axes.fill(xs, ys, facecolor=_FILLS.get(role, "none"), edgecolor=_COLOURS.get(role, QUIET), linewidth=0.8)
    axes.plot((low_z, high_z), (0.0, 0.0), color=QUIET, linewidth=0.5, dashes=(14, 3, 2, 3))
    axes.plot((content.zero, content.zero), (side * -0.12 * high_r, side * high_r), color=MARK, linewidth=0.6)
    axes.text(content.zero, side * -0.13 * high_r, f" {content.zero_label} zero", fontsize=7, color=MARK)
    axes.text(low_z, side * -0.13 * high_r, f"half-section, 1 : {num(scale, 1)}", fontsize=7, color=QUIET)


def _table(
    figure: Figure,
    rows: Sequence[Sequence[str]],
    heads: Sequence[str],
    top: float,
    widths: Sequence[float],
    step: float,
) -> float:
    """A table from `top`, mm, downwards, a line every `step`; where it ends."""
    width, height = page_size(figure)

    def put(values: Sequence[str], at: float, colour: str) -> None:
        left = _MARGIN
        for value, wide in zip(values, widths, strict=True):
            figure.text(left / width, at / height, value, fontsize=1.5 * step, color=colour)
            left += wide

    put(heads, top, QUIET)
    figure.add_artist(line(figure, _MARGIN, top - 0.3 * step, _MARGIN + sum(widths), top - 0.3 * step))
    for number, row in enumerate(rows, 1):
        put(row, top - step * (number + 0.1), INK)
    return top - step * (len(rows) + 1)
