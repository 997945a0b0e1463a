"""Draws the DXF of BC-27 that ships: outline, bores, pocket, a slanted corner, texts and dimensions, on layers."""

from __future__ import annotations

import itertools
import sys
from pathlib import Path

import ezdxf

OUTLINE = [(0, 0), (160, 0), (160, 80), (145, 100), (0, 100)]


def draw(path: Path) -> None:
    """Write the drawing, in mm."""
    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    for name in ("OUTLINE", "BORES", "WORDS"):
        document.layers.add(name)
    for a, b in itertools.pairwise([*OUTLINE, OUTLINE[0]]):
        space.add_line(a, b, dxfattribs={"layer": "OUTLINE"})
    for centre, diameter in (((80, 50), 62), ((20, 50), 16), ((140, 50), 16)):
        space.add_circle(centre, diameter / 2, dxfattribs={"layer": "BORES"})
    space.add_lwpolyline([(8, 70), (40, 70), (40, 90), (8, 90)], close=True, dxfattribs={"layer": "OUTLINE"})
    words = {"layer": "WORDS"}
    space.add_text("BC-27  bearing cap", height=5, dxfattribs=words).set_placement((0, -25))
    space.add_text("62 H7", height=4, dxfattribs=words).set_placement((84, 54))
    for base, p1, p2, angle in (
        ((0, -10), (0, 0), (160, 0), 0),
        ((0, 112), (20, 50), (140, 50), 0),
        ((-12, 0), (0, 0), (0, 100), 90),
    ):
        space.add_linear_dim(base=base, p1=p1, p2=p2, angle=angle, dxfattribs=words).render()
    document.saveas(path)


if __name__ == "__main__":
    draw(Path(sys.argv[1]))
