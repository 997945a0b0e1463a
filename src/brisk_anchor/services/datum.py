"""Choosing where an offset's zero comes from: any drawn feature, the zero left where it is or moved onto it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.rose import Wall
from brisk_anchor.core.rules import FromFeature, Rule
from brisk_anchor.core.setup import DrawnFeature, Setup
from brisk_anchor.core.touches import AXES


def axes_of(drawn: DrawnFeature) -> str:
    """The axes a drawn feature locates: "xy" where it has walls on all sides, else the one across its walls."""
    if drawn.kind is FeatureKind.BALL:
        return "xyz"
    if len(drawn.walls) == 4 or drawn.kind.is_corner:
        return "xy"
    direction = Wall[drawn.walls[0]].direction
    return AXES[max(range(3), key=lambda i: abs(direction[i]))]


def rule_from(setup: Setup, row: str, axis: str, name: str, zero: float, *, onto: bool) -> FromFeature:
    """The rule that takes an axis of an offset from a drawn feature.

    Args:
        setup: the job.
        row: the offset.
        axis: "x", "y" or "z".
        name: the feature.
        zero: where the zero lies now by the description, machine mm.
        onto: the zero moves onto the feature; else it stays and the distance becomes part of the chain.

    Raises:
        DatumError: the feature does not locate that axis.
    """
    drawn = next(feature for feature in setup.features if feature.name == name)
    if axis not in axes_of(drawn):
        raise DatumError(
            f"{drawn.title} does not locate {axis.upper()}",
            f"It locates {' and '.join(axes_of(drawn).upper())}",
            "Choose another feature",
        )
    present = setup.row(row).rules.get(axis)
    master = present.master if isinstance(present, FromFeature) else 0.0
    distance = 0.0 if onto else drawn.machine[AXES.index(axis)] + master - zero
    return FromFeature(name, round(distance, 6), 0.0, master)


def rule_at(setup: Setup, row: str, axis: str, place: float) -> FromFeature:
    """The rule that puts an axis of an offset's zero at a place, machine mm, measured from the feature it comes from.

    Raises:
        DatumError: it comes from no feature.
    """
    rule = setup.row(row).rules.get(axis)
    if not isinstance(rule, FromFeature):
        raise DatumError(
            f"{row} {axis.upper()} is not measured on anything",
            "A place by the description alone could be millimetres off",
            f"Choose a feature and press {axis} first",
        )
    away = setup.nominal(replace(rule, drawing=0.0), axis) - place
    return replace(rule, drawing=round(away, 6))


def middle_rule(setup: Setup, row: str, axis: str, other: str) -> FromFeature:
    """The rule that takes an axis from the middle between its feature and another, the zero staying where it is.

    Raises:
        DatumError: it comes from no feature, from the same one, or the other does not locate that axis.
    """
    rule = setup.row(row).rules.get(axis)
    drawn = setup.drawn(other)
    if not isinstance(rule, FromFeature) or rule.feature == other:
        raise DatumError(
            f"{row} {axis.upper()} has no other feature to go halfway to",
            "A middle lies between two",
            f"Choose one of them and press {axis}, then the other",
        )
    if axis not in axes_of(drawn):
        raise DatumError(f"{drawn.title} does not locate {axis.upper()}", "", "Choose another feature")
    zero = setup.nominal(rule, axis)
    taken = replace(rule, other=other, drawing=0.0)
    return replace(taken, drawing=round(setup.nominal(taken, axis) - zero, 6))


def read_distances(words: str, axes: str) -> list[float]:
    """Figures for axes from a line with commas, mm.

    Raises:
        DatumError: too few or too many. NumberEntryError: one is none.
    """
    typed = [part.strip() for part in words.split(",")]
    if len(typed) != len(axes) or not all(typed):
        raise DatumError(f"It takes {len(axes)} figures: {', '.join(axes.upper())}", "", "Put commas between them")
    return [parse_length(part, present=None, low=-20_000.0, high=20_000.0) for part in typed]


def with_rules(setup: Setup, row: str, rules: Mapping[str, Rule]) -> Setup:
    """The job with rules of a row changed."""
    rows = tuple(replace(plan, rules={**plan.rules, **rules}) if plan.row == row else plan for plan in setup.rows)
    return replace(setup, rows=rows)
