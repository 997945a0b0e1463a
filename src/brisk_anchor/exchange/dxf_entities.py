"""What a drawing shows, seen from above: lines and arcs as segments, circles, words; blocks in their place."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator
from functools import cache
from typing import Any

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.core.numbers import counted
from brisk_anchor.exchange.read_part import Point, Round, Word

_MOST_SEGMENTS = 200_000
_DEEPEST_BLOCK = 12
_FURTHEST = 1e5
"""How far from its origin anything of a drawing may lie, mm."""
_MOST_INSERTS = 20_000
_SAG = 0.002
_LEVEL = 1 - 1e-9
"""The Z of what a circle lies across, where it is seen as a circle from above."""
_MOST_EXACT = 5_000
"""A polyline of more arcs than anybody draws is flattened as it comes."""
_SHARE = 0.1
"""A small circle is cut finer: its sag is no more than this share of its radius."""


class Shown:
    """The entities of a drawing that it shows, and notes of those it does not."""

    def __init__(self, document: Any, layers: frozenset[str] | None) -> None:
        """`layers`: only these, also where they are off; None is all that are on.

        Raises:
            DrawingFileError: its blocks lie too deep in each other, or unfold to more than anybody draws.
        """
        look_at_blocks(document)
        self._document, self._layers = document, layers
        self._hidden = {
            str(layer.dxf.name).casefold()
            for layer in document.layers
            if (layer.is_off() or layer.is_frozen()) and (layers is None or layer.dxf.name not in layers)
        }
        self._left_out: dict[str, int] = {}

    def entities(self) -> Iterator[Any]:
        """Those of the layers that are wanted, with those of blocks in their place."""
        for entity in self._unfolded(self._document.modelspace()):
            if self._layers is None or entity.dxf.layer in self._layers:
                yield entity

    def _unfolded(self, entities: Iterable[Any]) -> Iterator[Any]:
        for entity in entities:
            if self._is_hidden(entity):
                continue
            if entity.dxftype() == "INSERT":
                yield from self._unfolded(_parts_of(entity))
            else:
                yield entity

    def _is_hidden(self, entity: Any) -> bool:
        layer = str(entity.dxf.layer)
        hidden = "" if entity.dxf.get("invisible", 0) else layer
        if hidden and layer.casefold() not in self._hidden:
            return False
        self._left_out[hidden] = self._left_out.get(hidden, 0) + 1
        return True

    @property
    def notes(self) -> list[str]:
        """What was left out, in words."""
        found = []
        for layer, count in self._left_out.items():
            many = counted(count, "entity", "entities")
            found.append(f"layer {layer} is off: {many} left out" if layer else f"{many} not visible, left out")
        return found


def _parts_of(block: Any) -> Iterator[Any]:
    """What a block that is set draws; what it has on layer 0 is on the layer that the block is set on."""
    for whole in block.multi_insert():
        for part in whole.virtual_entities():
            if part.dxf.layer == "0":
                part.dxf.layer = block.dxf.layer
            yield part


class SeenFromAbove:
    """Entities seen from above, in mm."""

    def __init__(self, name: str, scale: float) -> None:
        """`name` of the file, for errors; `scale`: mm in a unit of the drawing."""
        self._name, self._scale = name, scale
        self.segments: list[tuple[Point, Point]] = []
        self.rounds: list[Round] = []
        self.words: list[Word] = []

    def add(self, entity: Any) -> None:
        """Take one entity; what is neither line, circle nor word is passed over.

        Raises:
            DrawingFileError: it lies too far away, or is more than anybody draws.
        """
        kind, scale = entity.dxftype(), self._scale
        if kind == "CIRCLE" and abs(entity.dxf.extrusion.z) > _LEVEL:
            self._near(entity.dxf.radius, what="a circle as large as no part")
            diameter = round(2 * entity.dxf.radius * scale, 4)
            if diameter > 0:
                centre = entity.ocs().to_wcs(entity.dxf.center)
                self.rounds.append(Round(self._at(centre), diameter, entity.dxf.layer))
        elif kind in ("LINE", "CIRCLE", "ARC", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"):
            self._add_curve(entity, kind)
        elif kind in ("TEXT", "MTEXT"):
            text = entity.plain_text() if hasattr(entity, "plain_text") else entity.dxf.text
            self.words.append(Word(" ".join(str(text).split()), self._at(entity.dxf.insert)))
        elif kind == "DIMENSION":
            middle = entity.dxf.get("text_midpoint") or entity.dxf.defpoint
            self.words.append(Word(_dimension(entity, scale), self._at(middle)))

    def _add_curve(self, entity: Any, kind: str) -> None:
        if kind == "POLYLINE" and not (entity.is_2d_polyline or entity.is_3d_polyline):
            return  # a mesh of faces
        flat = kind == "LWPOLYLINE" or (kind == "POLYLINE" and entity.is_2d_polyline)
        if flat and entity.has_arc and len(entity) <= _MOST_EXACT:
            # Its arcs as arcs: as curves of the third degree they would lie beside themselves.
            for part in entity.virtual_entities():
                self._add_curve(part, part.dxftype())
            return
        if kind == "LINE":
            points = [entity.dxf.start, entity.dxf.end]
        elif kind in ("ARC", "CIRCLE"):
            # Cut into pieces by its sag, one of a million kilometres would never end.
            self._near(entity.dxf.radius, entity.dxf.center.x, entity.dxf.center.y)
            points = list(entity.flattening(min(_SAG / self._scale, abs(entity.dxf.radius) * _SHARE)))
        elif kind == "ELLIPSE":
            self._near(entity.dxf.center.x, entity.dxf.center.y, entity.dxf.major_axis.magnitude)
            points = list(entity.flattening(_SAG / self._scale))
        else:
            from ezdxf.path import make_path

            drawn = make_path(entity)
            for point in drawn.control_vertices():
                self._near(point.x, point.y)
            points = list(drawn.flattening(_SAG / self._scale))
        for point in points:
            self._near(point.x, point.y)
        ends = [(point.x * self._scale, point.y * self._scale) for point in points]
        self.segments += [pair for pair in itertools.pairwise(ends) if math.dist(*pair) > 1e-9]
        if len(self.segments) > _MOST_SEGMENTS:
            raise DrawingFileError(f"{self._name} holds more than {_MOST_SEGMENTS} lines", "", "Choose layers")

    def _near(self, *figures: float, what: str = "lines as far away as no part") -> None:
        if not all(abs(figure * self._scale) <= _FURTHEST for figure in figures):
            raise DrawingFileError(f"{self._name} holds {what}", "", "Export it anew")

    def _at(self, point: Any) -> Point:
        return round(point[0] * self._scale, 4), round(point[1] * self._scale, 4)


def look_at_blocks(document: Any) -> None:
    """Count what blocks within blocks unfold to, before they are: empty ones unfold to nothing, and take for ever.

    Raises:
        DrawingFileError: they lie too deep in each other, or unfold to more than anybody draws.
    """

    @cache
    def unfolded(name: str, depth: int) -> tuple[int, int]:
        """Blocks set and other entities in a block, or in the drawing."""
        if depth > _DEEPEST_BLOCK:
            raise DrawingFileError("Blocks lie too deep in each other", "", "Explode them, or choose layers")
        inserts = entities = 0
        for entity in document.blocks.get(name) or () if name else document.modelspace():
            if entity.dxftype() != "INSERT":
                entities += 1
                continue
            within, other = unfolded(str(entity.dxf.get("name") or "?"), depth + 1)
            times = max(1, entity.mcount)
            inserts += times * (1 + within)
            entities += times * other
        return inserts, entities

    inserts, entities = unfolded("", 0)
    if inserts > _MOST_INSERTS:
        raise DrawingFileError(f"More than {_MOST_INSERTS} blocks are set in it", "", "Explode them, or export less")
    if entities > _MOST_SEGMENTS:
        raise DrawingFileError(f"Its blocks unfold to more than {_MOST_SEGMENTS} entities", "", "Export less")


def _dimension(entity: object, scale: float) -> str:
    """The words of a dimension: what is written on it, else what it measures, mm."""
    text = str(entity.dxf.get("text", ""))  # type: ignore[attr-defined]
    measured = entity.get_measurement()  # type: ignore[attr-defined]
    if not isinstance(measured, int | float):
        return text if text != "<>" else ""
    figure = f"{float(measured) * scale:.3f}".rstrip("0").rstrip(".")
    return figure if text in ("", "<>") else text.replace("<>", figure)
