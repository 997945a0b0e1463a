"""The set-up sheet of a lathe: half-section to scale, tables of zeros and tools, what was found and how well."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from brisk_anchor.core.quantities import num
from brisk_anchor.core.turning.shapes import Ring
from brisk_anchor.drawings.paper import FAINT, INK, LIVE, MARK, QUIET, line, page_size, place, rendered, true_scale

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_MARGIN = 12.0
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


def turning_sheet(content: TurningSheet, kind: str, paper: str = "a4") -> bytes:
    """The sheet as "svg" or "pdf", on "a4" or "letter"."""
    return rendered(lambda figure: _draw(figure, content), kind, paper)


def _draw(figure: Figure, content: TurningSheet) -> None:
    width, height = page_size(figure)
    figure.text(_MARGIN / width, (height - 14) / height, content.title, fontsize=14, color=INK)
    figure.text(_MARGIN / width, (height - 20) / height, content.about, fontsize=8, color=QUIET)
    figure.add_artist(line(figure, _MARGIN, height - 23, width - _MARGIN, height - 23))
    _section(figure, content, height)
    top = height - 118
    top = _table(
        figure, content.zeros, ("row", "part", "state", "⌀ X", "Z", "± at 95 %"), top, (24, 40, 26, 26, 26, 60)
    )
    top = _table(
        figure,
        content.tools,
        ("tool", "what", "tip", "geometry ⌀ X", "Z", "wear ⌀ X", "Z"),
        top - 6,
        (24, 66, 12, 30, 26, 24, 24),
    )
    for number, words in enumerate(content.notes[:8]):
        figure.text(_MARGIN / width, (top - 8 - 4.2 * number) / height, f"· {words}", fontsize=7, color=QUIET)


def _section(figure: Figure, content: TurningSheet, height: float) -> None:
    low_z, high_z, high_r = content.window
    room_wide, room_tall = 200.0, 78.0
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
    figure: Figure, rows: Sequence[Sequence[str]], heads: Sequence[str], top: float, widths: Sequence[float]
) -> float:
    """A table from `top`, mm, downwards; where it ends."""
    width, height = page_size(figure)

    def put(values: Sequence[str], at: float, colour: str) -> None:
        left = _MARGIN
        for value, wide in zip(values, widths, strict=True):
            figure.text(left / width, at / height, value, fontsize=7.5, color=colour)
            left += wide

    put(heads, top, QUIET)
    figure.add_artist(line(figure, _MARGIN, top - 1.5, _MARGIN + sum(widths), top - 1.5))
    for number, row in enumerate(rows[:12], 1):
        put(row, top - 5.0 * number, INK)
    return top - 5.0 * (min(len(rows), 12) + 1)
