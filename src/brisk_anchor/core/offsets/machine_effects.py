"""What scale, temperature and squareness of the machine do to a zero: by how far it lies from what was touched.

Formulas stand in docs/maths.md, *Rows*. All effects of one source have one sign, so that what two figures share of it
leaves their difference.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from brisk_anchor.core.features.budget import GROWTH, SCALE, SQUARENESS
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.out_of_square import found_at, share_between, share_of_heading, share_of_points
from brisk_anchor.core.offsets.conditions import Conditions
from brisk_anchor.core.offsets.rotated_offsets import fit_middle, table_sum
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, FromRow, FromTable, Rule, Rules
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source

Away = tuple[float, float]
"""How far something lies from the zero along X and Y of the machine, mm."""


def _share_of_turn(rule: Rule | None, features: Mapping[str, Feature]) -> float:
    """How much of the machine's being out of square comes off the R that a rule gives."""
    match rule:
        case FromHeading(name, ""):
            return abs(share_between(0.0, share_of_heading(features[name])))
        case FromHeading(name, other):
            names: tuple[str, ...] = (name, other)
        case FromFit(names, _):
            pass
        case _:
            return 0.0
    return share_of_points([(features[n].coordinate("x"), features[n].coordinate("y")) for n in names])


def effects_of_machine(
    axis: str,
    rules: Rules,
    features: Mapping[str, Feature],
    values: Mapping[str, float],
    parents: Mapping[str, Mapping[str, Estimate]],
    conditions: Conditions,
) -> dict[Source, float]:
    """What one standard uncertainty of each does to an axis ("x", "y", "z", "r") of a zero, mm and degrees.

    `values` are the axes of that zero as far as they are known, machine mm.
    """
    rule, share = rules[axis], _share_of_turn(rules.get("r"), features)
    if axis == "r":
        return _effects(0.0, -math.degrees(share), conditions)
    if axis == "z":
        return _effects(_below(rule), 0.0, conditions)
    away = _away(axis, rule, rules, features, values, parents)
    # The row is turned by s · share less than it lies, about what was touched.
    aside = away[1] * (1 - share) if axis == "x" else away[0] * share
    return _effects(away["xy".index(axis)], aside, conditions)


def _effects(here: float, aside: float, conditions: Conditions) -> dict[Source, float]:
    growth = conditions.temperature.u_growth if conditions.temperature is not None else 0.0
    found = {
        SCALE: here * (conditions.u_scale or 0.0),
        GROWTH: here * growth,
        SQUARENESS: aside * math.radians(conditions.u_square or 0.0),
    }
    return {source: effect for source, effect in found.items() if effect}


def _away(
    axis: str,
    rule: Rule,
    rules: Rules,
    features: Mapping[str, Feature],
    values: Mapping[str, float],
    parents: Mapping[str, Mapping[str, Estimate]],
) -> Away:
    """Where what an axis was taken from lies from the zero; a row that another is derived from lies the other way."""
    match rule:
        case FromFeature():
            return (
                _mean_away([found_at(features[name], axis, "x") for name in rule.features], values.get("x")),
                _mean_away([found_at(features[name], axis, "y") for name in rule.features], values.get("y")),
            )
        case FromFit():
            x, y = fit_middle(rule, features)
            return x - values.get("x", x), y - values.get("y", y)
        case FromRow():
            shifts = [one.shift if isinstance(one := rules.get(a), FromRow) else 0.0 for a in "xy"]
            dx, dy = turned(shifts[0], shifts[1], parents[rule.row].get("r", Estimate(0.0)).value)
            return -dx, -dy
        case FromTable():
            return -_carried(rule, "x"), -_carried(rule, "y")
    return 0.0, 0.0


def _below(rule: Rule) -> float:
    """The same along Z, where a master's length may lie on top of the place: as drawn."""
    match rule:
        case FromFeature():
            return rule.drawing
        case FromRow():
            return -rule.shift
        case FromTable():
            return -_carried(rule, "z")
    return 0.0


def _mean_away(places: list[float | None], zero: float | None) -> float:
    known = [place - zero for place in places if place is not None and zero is not None]
    return sum(known) / len(known) if known else 0.0


def _carried(rule: FromTable, axis: str) -> float:
    """The distance on the drawing that a carried zero was moved by along a machine axis, mm."""
    shares, _ = table_sum(rule, axis)
    return sum(share * shift for share, shift in zip(shares, rule.shift, strict=True))
