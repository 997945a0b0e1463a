"""The rules of an offset as a file has them, made into those of the core."""

from __future__ import annotations

from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.offsets.rules import (
    Fixed,
    FromFeature,
    FromFit,
    FromHeading,
    FromRow,
    FromTable,
    Keep,
    Rule,
    Turner,
)
from brisk_anchor.core.offsets.setup import DrawnFeature, drawn_heading
from brisk_anchor.standin.row_file import RowSection, RuleSection, TurnRuleSection


def rules_of(row: RowSection, drawn: dict[str, DrawnFeature], rotary: tuple[RotaryAxis, ...]) -> dict[str, Rule]:
    """The rules of a row; a fit counts every place from the zero, as its first feature lies from it."""
    away = (row.x.shift, row.y.shift, row.z.shift)
    rules: dict[str, Rule] = {axis: _rule(axis, getattr(row, axis), away, rotary) for axis in "xyz"}
    if row.x.feature is not None and row.x.fit is not None:
        names = (row.x.feature, *row.x.fit)
        x0, y0, _ = drawn[names[0]].machine
        at = [drawn[name].machine for name in names]
        places = tuple((x - x0 + row.x.drawing, y - y0 + row.y.drawing) for x, y, _ in at)
        rules["x"] = rules["y"] = FromFit(names, places)
    if row.r is not None:
        rules["r"] = _turn_rule(row.r, rules["x"], drawn)
    return rules


def turner_of(row: RowSection, rotary: tuple[RotaryAxis, ...]) -> Turner | None:
    """The table that turns the row's part straight."""
    if row.r is None or row.r.table is None:
        return None
    axis = next(axis for axis in rotary if axis.letter == row.r.table)
    return Turner(axis.letter, axis.centre[:2], axis.sense * (1 if axis.direction[2] > 0 else -1), axis.u_centre)


def _turn_rule(section: TurnRuleSection, fit: Rule, drawn: dict[str, DrawnFeature]) -> Rule:
    if section.angle is not None:
        return Fixed(section.angle)
    if section.parent is not None:
        return FromRow(section.parent)
    if section.feature is None:
        return fit
    heading = section.heading
    if heading is None:
        heading = drawn_heading(drawn[section.feature], drawn[section.other] if section.other else None)
    return FromHeading(section.feature, section.other or "", heading)


def _rule(
    axis_of_row: str, section: RuleSection, away: tuple[float, float, float], rotary: tuple[RotaryAxis, ...]
) -> Rule:
    if section.centre is not None:
        axis = next(axis for axis in rotary if axis.letter == section.centre)
        return Fixed(axis.centre["xyz".index(axis_of_row)], axis.u_centre or 0.0, axis.letter)
    if section.parent is not None and section.table is not None:
        axis = next(axis for axis in rotary if axis.letter == section.table)
        return FromTable(
            section.parent,
            axis.letter,
            section.angle,
            axis.direction,
            axis.centre,
            axis.sense,
            u_centre=axis.u_centre,
            u_direction=axis.u_direction,
            shift=away,
            placed=tuple(section.placed),
        )
    if section.feature is not None:
        return FromFeature(section.feature, section.drawing, section.allowance, other=section.other or "")
    if section.parent is not None:
        return FromRow(section.parent, section.shift, tuple(section.placed))
    return Fixed(section.fixed) if section.fixed is not None else Keep()
