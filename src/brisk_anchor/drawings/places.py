"""The map of a fixture's places on a page to pin to the machine: each face as it looks at the spindle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.drawings.paper import FAINT, INK, LIVE, MARK, QUIET, Page, page_size, place, rendered
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.figure import Figure


@dataclass(frozen=True, slots=True)
class DrawnPlace:
    """One place: its name, its column and row on its face, from 1, and the lines in it: its offset first, and large.

    Where it is not `sound` it is told by colour and words.
    """

    name: str
    column: int
    row: int
    lines: tuple[str, ...]
    sound: bool = True
    empty: bool = False


@dataclass(frozen=True, slots=True)
class DrawnFace:
    """A face with its places, and where the table stands when it looks at the spindle."""

    title: str
    places: tuple[DrawnPlace, ...]


def places_page(heading: str, about: str, faces: Sequence[DrawnFace], paper: str = "a4") -> Page:
    """Every face side by side as the spindle sees it."""

    def draw(figure: Figure) -> None:
        wide, tall = page_size(figure)
        figure.text(10 / wide, (tall - 12) / tall, heading, fontsize=15, fontweight="bold", va="center")
        figure.text(10 / wide, (tall - 19) / tall, about, fontsize=9, va="center", color=QUIET)
        figure.text((wide - 10) / wide, 6 / tall, "Brisk Anchor", fontsize=7, ha="right", color=QUIET)
        columns = math.ceil(math.sqrt(len(faces) * 1.6)) if len(faces) > 1 else 1
        lines = math.ceil(len(faces) / columns)
        width, height = (wide - 20) / columns, (tall - 36) / lines
        for number, face in enumerate(faces):
            left, down = number % columns, number // columns
            box = (10 + left * width, tall - 28 - (down + 1) * height + 4, width - 6, height - 9)
            _face(figure, face, box)

    return rendered(draw, paper)


def _face(figure: Figure, face: DrawnFace, box: tuple[float, float, float, float]) -> None:
    axes = place(figure, *box)
    axes.set_title(face.title, fontsize=10, fontweight="bold", loc="left", color=INK, pad=3)
    columns = max((item.column for item in face.places), default=0) or len(face.places)
    rows = max((item.row for item in face.places), default=0) or 1
    axes.set_xlim(0, columns)
    axes.set_ylim(0, rows)
    for number, item in enumerate(face.places):
        x, y = (item.column - 1, item.row - 1) if item.column else (number, 0)
        colour = FAINT if item.empty else LIVE if item.sound else MARK
        xs, ys = (x + 0.06, x + 0.94, x + 0.94, x + 0.06, x + 0.06), (y + 0.06, y + 0.06, y + 0.94, y + 0.94, y + 0.06)
        axes.plot(xs, ys, color=colour, linewidth=1.4, linestyle=(0, (4, 3)) if item.empty else "-")
        size = min(13.0, 0.16 * min(box[2] / columns * 1.1, box[3] / rows * 2.2) + 3)
        axes.text(x + 0.12, y + 0.86, item.name, fontsize=size, fontweight="bold", va="top", color=INK)
        for n, words in enumerate(item.lines):
            axes.text(
                x + 0.12,
                y + 0.52 - 0.2 * n,
                words,
                fontsize=size * (0.9 if n == 0 else 0.62),
                va="center",
                color=colour if n == 0 and not item.empty else QUIET,
            )
