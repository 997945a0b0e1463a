"""Drawing with words: "bore 16, 20, 50" becomes a feature of the part file. Figures in mm or with a unit."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from brisk_anchor.core.quantities import num, signed_deg
from brisk_anchor.services.job.feature_builder import FORMS, Drawn, FeatureBuilder, length_of, plain, refuse
from brisk_anchor.services.job.job_text import figure, quoted
from brisk_anchor.standin.solid_file import Place, SolidSection


def read_words(
    text: str,
    solids: Sequence[SolidSection],
    names: Sequence[str],
    part: str,
    ball: float,
    millimetres: float,
    there: Mapping[str, Mapping[str, Any]] | None = None,
    *,
    uncertainty: float,
) -> Drawn:
    """What is drawn by a line of words.

    Args:
        text: the line, as typed.
        solids: the part's metal, in the drawing's frame, mm.
        names: features that are there already.
        part: the part's name, for one that is drawn anew.
        ball: diameter of the ball that will touch it, mm.
        millimetres: in one unit of the part file.
        uncertainty: how far the part may lie from where it is described, each way, mm.
        there: features that others can be built from, by name: place (mm), walls and solid of each.

    Raises:
        DrawingFileError: a word that draws nothing, or a place with no metal. NumberEntryError: a figure is none.
    """
    found = re.match(r"\s*([A-Za-z]+)\s*(.*)$", text)
    form = FORMS.get(found[1].lower()) if found else None
    if found is None or form is None:
        raise refuse("There is no such word", f"Begin with {', '.join(FORMS)}")
    typed = [part.strip() for part in found[2].split(",")] if found[2].strip() else []
    if not len(form.figures) - form.optional <= len(typed) <= len(form.figures):
        raise refuse(f"{form.word.capitalize()} takes other figures", form.hint)
    maker = FeatureBuilder(form.word, solids, names, ball, millimetres, there, uncertainty=uncertainty)
    match form.word:
        case "edge":
            return maker.edge(typed[0].lower(), typed[1] if len(typed) > 1 else "")
        case "plane":
            return maker.plane(typed)
        case "ball":
            return maker.ball_on_top(typed)
        case "between" | "crossing":
            return maker.built(typed[0], typed[1])
        case "face":
            return maker.face(typed[0].lower())
        case "corner":
            return maker.corner(typed[0].lower())
        case "turn":
            angle = plain(typed[0], "angle", -360, 360)
            return Drawn(f"the part turned to {signed_deg(angle)} in its fixture", turn=angle)
        case "plate":
            sizes = [length_of(t, n, 0.5) for t, n in zip(typed, form.figures, strict=True)]
            return _plate(part, (sizes[0], sizes[1], sizes[2]), ball, millimetres, uncertainty)
        case "circle" | "grid":
            return maker.pattern(typed)
    return maker.round_or_straight(typed, form)


def _plate(part: str, sizes: Place, ball: float, millimetres: float, uncertainty: float) -> Drawn:
    """A whole part file anew: a plate with its zero at the left front corner, on top, and the faces that give it."""
    wide, long, tall = sizes
    plate = SolidSection(name="plate", shape="block", low=(0.0, 0.0), high=(wide, long), bottom=-tall, top=0.0)
    maker = FeatureBuilder("face", [plate], [], ball, millimetres, uncertainty=uncertainty)
    size = [figure(value / millimetres) for value in (wide, long, -tall)]
    head = [
        "# Drawn with words and figures; change what you like.",
        "",
        'form = "brisk-anchor-part-1"',
        f'units = "{"mm" if millimetres == 1.0 else "inch"}"',
        "",
        f"name = {quoted(part)}",
        "",
        "[[solid]]",
        'name = "plate"',
        'shape = "block"',
        "low = [0.0, 0.0]",
        f"high = [{size[0]}, {size[1]}]",
        f"bottom = {size[2]}",
        "top = 0.0",
    ]
    tables = [maker.face(side).table for side in ("left", "front", "top")]
    shape = f"a plate of {num(wide)} × {num(long)} × {num(tall)}"
    told = f"{shape}, zero at its left front corner on top, in place of the old part"
    return Drawn(told, whole="\n".join(head) + "\n\n" + "\n\n".join(tables) + "\n")
