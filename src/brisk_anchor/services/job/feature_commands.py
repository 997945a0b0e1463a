"""Drawing with words: "bore 16, 20, 50" becomes a feature of the part file. Figures in mm or with a unit."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from brisk_anchor.services.job.feature_builder import FORMS, Drawn, FeatureBuilder, refuse
from brisk_anchor.standin.solid_file import SolidSection


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
    maker = FeatureBuilder(form.word, solids, names, ball, millimetres, there, uncertainty=uncertainty, part=part)
    return form.draw(maker, typed)
