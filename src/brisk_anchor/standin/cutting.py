"""Parts as tools cut them: edges that wear, a machine that warms up, scatter, now and then a chip. Wear offsets act.

What a tool leaves on a surface, mm on one side, is what its edge has lost, less what the control was told of that, plus
the warmth of the machine and a little of chance. Of a bore it is missing twice in the diameter, of a floor once.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.standin.scene import Scene, real_solids
from brisk_anchor.standin.scene_file import BodySection, FeatureSection

_NEAR = 1e-6


@dataclass(frozen=True, slots=True)
class EdgeLife:
    """How an edge lives: `wear` mm a part, `warmth` mm at the first part that goes down by `settling` parts, `scatter`
    mm (standard deviation), and a `chip` of so many mm from the part `chip_at` on. `upsets` are single parts (from 0)
    on which so many mm more were left.
    """

    wear: float = 0.0
    warmth: float = 0.0
    settling: float = 12.0
    scatter: float = 0.0
    chip_at: int | None = None
    chip: float = 0.0
    upsets: tuple[tuple[int, float], ...] = ()

    def lost(self, part: int) -> float:
        """What the edge has lost at a part, counted from 0, mm; chance apart."""
        chipped = self.chip if self.chip_at is not None and part >= self.chip_at else 0.0
        upset = sum(more for at, more in self.upsets if at == part)
        return self.wear * part + self.warmth * math.exp(-part / self.settling) + chipped + upset

    def metal(self, part: int, told: float, random: np.random.Generator) -> float:
        """Metal left on one side, mm; `told` is the wear that the control has, of one side, above 0: a larger tool."""
        return self.lost(part) + told + float(random.normal(0.0, self.scatter) if self.scatter else 0.0)


def cut_scene(scene: Scene, metal: Mapping[str, float], targets: Mapping[str, float]) -> Scene:
    """The scene with features of its parts as they were cut.

    Args:
        metal: by feature what is left on one side, mm.
        targets: by feature how much larger than drawn the program cuts it, mm across (of a floor: deeper).
    """
    file = scene.file
    sections = {section.name: section for section in file.feature}
    bodies = []
    for body in file.body:
        own = {name: section for name, section in sections.items() if section.body == body.name and name in metal}
        bodies.append(_cut(body, own, metal, targets) if own else body)
    other = file.model_copy(update={"body": bodies})
    return replace(scene, file=other, solids=(scene.solids[0], *real_solids(other)))


def _cut(
    body: BodySection, own: Mapping[str, FeatureSection], metal: Mapping[str, float], targets: Mapping[str, float]
) -> BodySection:
    solids = []
    for solid in body.solid:
        data = solid.model_dump()
        for name, section in own.items():
            if section.solid != solid.name:
                continue
            x, y, z = section.place
            more = targets.get(name, 0.0) - 2 * metal[name]
            if section.walls == ["BELOW"]:
                for opening in (*data["holes"], *data["slots"]):
                    deep = opening["depth"]
                    if deep is not None and abs(solid.top - deep - z) < _NEAR and _over(opening, x, y):
                        opening["depth"] = deep + targets.get(name, 0.0) - metal[name]
                continue
            for hole in data["holes"]:
                if math.dist(hole["at"], (x, y)) < _NEAR:
                    hole["real_diameter"] = hole["diameter"] + more
            for slot in data["slots"]:
                if slot["low"] is not None and math.dist(_middle(slot), (x, y)) < _NEAR:
                    sides = zip(slot["low"], slot["high"], strict=True)
                    slot["real_size"] = tuple(high - low + more for low, high in sides)
        solids.append(type(solid).model_validate(data))
    return body.model_copy(update={"solid": solids})


def _middle(slot: Mapping[str, tuple[float, float]]) -> tuple[float, float]:
    (x0, y0), (x1, y1) = slot["low"], slot["high"]
    return (x0 + x1) / 2, (y0 + y1) / 2


def _over(opening: Mapping[str, object], x: float, y: float) -> bool:
    """Whether a place lies over an opening's floor."""
    low, high, at = opening.get("low"), opening.get("high"), opening.get("at")
    if isinstance(at, tuple):
        return math.dist(at, (x, y)) < float(str(opening["diameter"])) / 2
    return isinstance(low, tuple) and isinstance(high, tuple) and low[0] < x < high[0] and low[1] < y < high[1]
