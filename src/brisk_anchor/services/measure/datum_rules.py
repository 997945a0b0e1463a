"""Choosing where an offset's zero comes from: any drawn feature, the zero left where it is or moved onto it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.features.specs.registry import spec_of
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import FURTHEST, Vector
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, FromRow, Rule, parent_in
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup, drawn_heading


def axes_of(drawn: DrawnFeature) -> str:
    """The axes a drawn feature locates: "xy" where it has walls on all sides, else the one across its walls."""
    return "xy" if drawn.kind.is_built else spec_of(drawn.kind).locates(drawn.walls)


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
    master, u_master = (present.master, present.u_master) if isinstance(present, FromFeature) else (0.0, 0.0)
    distance = 0.0 if onto else drawn.machine[AXES.index(axis)] + master - zero
    return FromFeature(name, round(distance, 6), 0.0, master, u_master=u_master)


def rule_at(setup: Setup, row: str, axis: str, place: float) -> FromFeature | FromFit:
    """The rule that puts an axis of an offset's zero at a place, machine mm, measured from the feature it comes from.

    Raises:
        DatumError: it comes from no feature.
    """
    rule = setup.row(row).rules.get(axis)
    if isinstance(rule, FromFit):
        i, by = AXES.index(axis), setup.nominal(rule, axis) - place
        moved = ((x + by, y) if i == 0 else (x, y + by) for x, y in rule.places)
        return FromFit(rule.names, tuple((round(x, 6), round(y, 6)) for x, y in moved))
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
    return [parse_length(part, present=None, low=-FURTHEST, high=FURTHEST) for part in typed]


def _turns(drawn: DrawnFeature) -> bool:
    """Whether a feature tells by itself how the part is turned."""
    return not drawn.kind.is_built and spec_of(drawn.kind).turns(drawn.spread)


def turn_rule(setup: Setup, row: str, name: str) -> FromHeading:
    """The rule that takes the angle of an offset from an edge, or from the line of its X feature to another.

    Raises:
        DatumError: one touch a wall tells no angle, and there is no other feature to go to.
    """
    drawn = setup.drawn(name)
    if _turns(drawn):
        return FromHeading(name, "", drawn_heading(drawn))
    first = getattr(setup.row(row).rules.get("x"), "feature", "")
    if axes_of(drawn)[:2] != "xy" or not first or first == name or axes_of(setup.drawn(first))[:2] != "xy":
        raise DatumError(
            f"{drawn.title} does not tell how the part is turned",
            "An edge does, or anything with two touches on its walls; or a line from one bore to another",
            "Choose an edge; or take X from one bore first, then choose the other",
        )
    return FromHeading(first, name, drawn_heading(setup.drawn(first), drawn))


def fit_rules(setup: Setup, row: str, name: str) -> dict[str, Rule | None]:
    """X, Y and the angle of an offset from a best fit, with a feature more, or without it where it is part of the fit.

    A fit of one is none: the feature that is left gives X and Y, and the angle is left out. The zero stays.

    Raises:
        DatumError: a feature of it is no point, or X and Y come from nothing.
    """
    rules = setup.row(row).rules
    present = rules.get("x")
    names: tuple[str, ...] = ()
    if isinstance(present, FromFit):
        names = present.names
    elif isinstance(present, FromFeature) and present.feature != name:
        names = (present.feature,)
    names = tuple(other for other in names if other != name) if name in names else (*names, name)
    for wanted in names:
        if axes_of(setup.drawn(wanted))[:2] != "xy":
            raise DatumError(
                f"{setup.drawn(wanted).title} is no point in X and Y",
                "A best fit brings points to their places on the drawing",
                "Take X from a bore, a boss or a corner first, then ⟨setup:f⟩ on another",
            )
    zero = [_nominal(setup, row, axis) for axis in "xy"]
    places = tuple(
        (round(x - zero[0], 6), round(y - zero[1], 6)) for x, y, _ in (setup.drawn(other).machine for other in names)
    )
    if len(names) < 2:
        (name,) = names
        ((x, y),) = places
        return {"x": FromFeature(name, x), "y": FromFeature(name, y), "r": None}
    fit = FromFit(names, places)
    return {"x": fit, "y": fit, "r": fit}


def parent_rules(setup: Setup, row: str, parent: str, zeros: tuple[Vector, Vector]) -> dict[str, Rule | None]:
    """The rules that derive a row from another, by where the zeros of both lie (machine mm; its own first).

    Raises:
        DatumError: there is no such row, or it follows this one.
    """
    plans = {plan.row: plan for plan in setup.rows}
    if parent not in plans or parent == row:
        raise DatumError(f"{row} cannot follow {parent or 'nothing'}", "", f"Name one of {', '.join(plans)}")
    above: str | None = parent
    while above is not None:
        if above == row:
            raise DatumError(f"{parent} follows {row} itself", "Each would wait for the other", "Choose another")
        rules = plans[above].rules.values()
        above = next((name for rule in rules if (name := parent_in(rule))), None)
    away = [round(a - b, 6) for a, b in zip(*zeros, strict=True)]
    result: dict[str, Rule | None] = {axis: FromRow(parent, by) for axis, by in zip(AXES, away, strict=True)}
    turned = "r" in plans[parent].rules
    return result | {"r": FromRow(parent) if turned else None}


def _nominal(setup: Setup, row: str, axis: str) -> float:
    """Where the zero lies along an axis by the description. Raises DatumError where that comes from nothing."""
    rule = setup.row(row).rules.get(axis)
    if not isinstance(rule, FromFeature | FromFit):
        raise DatumError(f"{row} {axis.upper()} comes from no feature yet", "", f"Choose one and press {axis} first")
    return setup.nominal(rule, axis)


def together(setup: Setup, row: str, rules: Mapping[str, Rule | None]) -> dict[str, Rule | None]:
    """Rules as they can stand beside those the row has: X, Y and the angle of a fit are one.

    Raises:
        DatumError: one axis of a fit would come from a feature that does not locate both.
    """
    present = setup.row(row).rules
    result = dict(rules)
    fits = [rule for rule in result.values() if isinstance(rule, FromFit)]
    if fits:
        # A zero that was moved along both axes stands in two copies: what each has moved goes into one.
        (xs, ys) = (result.get(axis) or present[axis] for axis in "xy")
        if isinstance(xs, FromFit) and isinstance(ys, FromFit):
            whole = FromFit(xs.names, tuple((a[0], b[1]) for a, b in zip(xs.places, ys.places, strict=True)))
            result |= {"x": whole, "y": whole}
            if isinstance(result.get("r") or present.get("r"), FromFit):
                result["r"] = whole
        return result
    if any(isinstance(present.get(axis), FromFit) for axis in "xy") and {"x", "y"} & result.keys() != {"x", "y"}:
        changed = next((axis for axis in "xy" if axis in result), None)
        if changed is not None:
            raise DatumError(
                f"{row} takes X and Y together from a best fit",
                f"{changed.upper()} alone from a feature would contradict it",
                "Press ⟨setup:f⟩ on its features to take them off it first",
            )
    if isinstance(present.get("r"), FromFit) and "x" in result and "r" not in result:
        result["r"] = None
    return result


def with_rules(setup: Setup, row: str, rules: Mapping[str, Rule | None]) -> Setup:
    """The job with rules of a row changed; None takes one away."""
    rows = []
    for plan in setup.rows:
        if plan.row == row:
            held = {axis: rule for axis, rule in {**plan.rules, **rules}.items() if rule is not None}
            plan = replace(plan, rules=held)
        rows.append(plan)
    return replace(setup, rows=tuple(rows))
