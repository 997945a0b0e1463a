"""What is stated of machine and room: the machine's lengths and squareness, and what temperature does to lengths."""

from __future__ import annotations

import math
from dataclasses import replace

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromRow, FromTable, Rule, Rules
from brisk_anchor.core.quantities import dim, um
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.lazy_dataclass import dataclass

EXPANSION = {
    "steel": 11.5e-6,
    "stainless steel": 16.5e-6,
    "cast iron": 10.5e-6,
    "aluminium": 23.5e-6,
    "brass": 18.7e-6,
    "bronze": 17.5e-6,
    "copper": 16.6e-6,
    "titanium": 8.8e-6,
    "magnesium": 26.0e-6,
    "plastic": 80e-6,
    "glass": 8.0e-6,
}
"""How much a length of a material grows by degree, 1/K: usual figures of tables, good to a tenth."""
_KNOWN_TO = 0.1
"""The limits of such a figure, each way, as a share of it."""
NORMAL = 20.0
"""The temperature a drawing's figures are for, °C (ISO 1)."""
_USUAL_CHANGE = 5.0
"""What is said of a temperature that nobody stated is said for so many degrees."""


@dataclass(frozen=True, slots=True)
class Temperature:
    """Of a part and of the machine's scales, °C; `u_*` standard uncertainties.

    `expansion` and `scales` are how much part and scales grow by degree, 1/K.
    """

    part: float
    material: str
    scale: float = NORMAL
    scale_material: str = "steel"
    u_part: float = 1.0
    u_scale: float = 1.0

    def __post_init__(self) -> None:
        known = ", ".join(EXPANSION)
        for material in (self.material, self.scale_material):
            if material not in EXPANSION:
                raise GeometryError(f"How {material[:30]} grows with temperature is not known", "", f"It knows {known}")
        if not all(-20 <= value <= 90 for value in (self.part, self.scale)):
            raise GeometryError("That is no temperature of a shop", "Every length would be corrected by it", "Give °C")

    @property
    def growth(self) -> float:
        """How much longer a length of the part reads on the scales than on its drawing, mm by mm."""
        scales = EXPANSION[self.scale_material] * (self.scale - NORMAL)
        return EXPANSION[self.material] * (self.part - NORMAL) - scales

    @property
    def u_growth(self) -> float:
        """Standard uncertainty of that, mm: of both temperatures, and of both figures of the material."""
        parts = []
        for material, at, u in (
            (self.material, self.part, self.u_part),
            (self.scale_material, self.scale, self.u_scale),
        ):
            by_degree = EXPANSION[material]
            parts += [by_degree * u, (at - NORMAL) * u_within(_KNOWN_TO * by_degree)]
        return math.hypot(*parts)


@dataclass(frozen=True, slots=True)
class Conditions:
    """What is stated of machine and room; None where nobody said it.

    `u_scale` is the standard uncertainty of the machine's lengths, mm by mm; `u_square` that of the angle between its
    X and Y, degrees; `temperature` that of part and scales.
    """

    u_scale: float | None = None
    u_square: float | None = None
    temperature: Temperature | None = None

    def without(self, longest: float, tightest: float) -> list[str]:
        """What a ± does not include, as nobody stated it.

        `longest` is the longest figure of the drawing in it, and `tightest` the smallest ±, mm.
        """
        found = []
        if self.u_scale is None:
            found.append("scale of the machine: not stated")
        if self.u_square is None:
            found.append("squareness of X and Y: not stated")
        if self.temperature is None:
            over = f"{um(usual_growth(longest), 1)} over {dim(longest, 0)}"
            more = ", more than the ±" if usual_growth(longest) > tightest else ""
            found.append(f"temperature: not stated; 5 K are {over} of steel{more}")
        return found


def usual_growth(length: float) -> float:
    """What 5 K do to a length of steel, mm: what is at stake where nobody stated a temperature."""
    return EXPANSION["steel"] * _USUAL_CHANGE * abs(length)


AS_STATED = Conditions()


def grown(rules: Rules, conditions: Conditions) -> dict[str, Rule]:
    """Rules with figures of the drawing as long as they are at the part's temperature, by the machine's scales.

    So the program and the application take the same figures. A table's angle grows nothing.
    """
    if conditions.temperature is None or not conditions.temperature.growth:
        return dict(rules)
    by = 1 + conditions.temperature.growth

    def one(rule: Rule) -> Rule:
        match rule:
            case FromFeature():
                return replace(rule, drawing=rule.drawing * by)
            case FromFit():
                return replace(rule, places=tuple((x * by, y * by) for x, y in rule.places))
            case FromRow():
                return replace(rule, shift=rule.shift * by)
            case FromTable():
                x, y, z = rule.shift
                return replace(rule, shift=(x * by, y * by, z * by))
        return rule

    return {axis: rule if axis == "r" else one(rule) for axis, rule in rules.items()}
