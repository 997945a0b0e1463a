"""The steps that work an offset out from what was measured, guard it, write it and read it back."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Expression,
    Name,
    Number,
    RowValue,
    add,
    half_sum,
    heading,
    plus,
    sine_and_cosine,
    small_angle,
    subtract,
    times,
)
from brisk_anchor.core.features.specs.wall_sums import LineExpression, along, crossing, slope_of
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.checks import TURN_LIMIT
from brisk_anchor.core.offsets.rotated_offsets import table_sum, wrapped
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
    features_in,
    needs,
)
from brisk_anchor.nc.programs.control_result import ControlResult
from brisk_anchor.nc.programs.program import row_word
from brisk_anchor.nc.programs.steps import (
    AlarmNumber,
    Check,
    Compute,
    KeepAngle,
    NoCommonShift,
    ReadBack,
    Report,
    SectionHeading,
    Step,
    Store,
    TurnTable,
)

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.plan import StorePlan


HELD_WITHIN = 0.002
"""How near, mm, a row has to hold what it held when its new figures were decided on: what a saved table loses by its
last decimal. A person who corrects it at the control corrects it by more.
"""
_NOT_TURNED = Fixed(0.0)
_NO_ANGLE = Number(0.0)
_MOST_TURN = 45.0
"""How far, degrees, an edge may be turned from the axis it lies along: the form of `small_angle`."""


def store_steps(
    steps: list[Step], store: StorePlan, located: dict[tuple[str, str], ControlResult], number: int = 1
) -> None:
    """Append everything that sets the row.

    Raises:
        PlanError: a rule needs what the plan does not measure, nothing is written, or a value has no guard.
    """
    steps.append(SectionHeading(f"offset {store.row}"))
    rules = dict(store.rules)
    _look_at_angle(store, rules.get("r"))
    _build(steps, store, located)
    for axis, rule in rules.items():
        for name in features_in(rule):
            for letter in needs(rule, axis):
                if (name, letter) not in located:
                    raise PlanError(
                        f"{store.row} {axis.upper()} is to come from {name}, which this plan does not measure",
                        "The offset would be incomplete",
                        "Measure it first",
                    )
    values: list[tuple[str, Expression]] = []
    turning = None if rules.get("r") == _NOT_TURNED else rules.get("r")
    fitted = any(isinstance(rules.get(axis), FromFit) for axis in "xy")
    typed = all(isinstance(rule, Fixed | Keep) for rule in rules.values())
    turned: dict[str, Expression] = {}
    own = "" if number == 1 else str(number)  # some controls are read after the program: no row's names serve another
    if not typed and (fitted or (turning is not None and not isinstance(turning, Keep | FromRow))):
        turned = _turned(steps, store, rules, located, own)
    turning_by: Expression | None = None if store.table is None else Number(store.table[1])
    if store.turner is not None and "r" in turned:
        turning_by = times(turned["r"], Number(float(-store.turner.sense)))
        turned = _straightened(steps, store, store.turner, turned, own)
    for axis, rule in rules.items():
        if isinstance(rule, Keep):
            continue
        name = f"o{axis}{own}"
        if rule == _NOT_TURNED and axis == "r":
            values.append((axis, _NO_ANGLE))
            continue
        if axis in turned:
            values.append((axis, turned[axis]))
            continue
        if isinstance(rule, Fixed):
            expression: Expression = Number(rule.value)
            why = f"{store.row} {axis.upper()}: as worked out by the application"
        elif isinstance(rule, FromTable):
            expression, why = _from_table(store.row, axis, rule)
        elif isinstance(rule, FromRow):
            expression, why = _from_row(store.row, axis, rule, rules)
        elif isinstance(rule, FromFeature):
            expression, why = _from_feature(steps, store.row, axis, rule, located)
        else:
            raise PlanError(f"{store.row} {axis.upper()} has a rule of another axis", "", "Choose another")
        steps.append(Compute(name, expression, why))
        values.append((axis, Name(name)))
    if not values:
        raise PlanError(f"{store.row} keeps all its values", "There is nothing to store", "Give an axis a rule")
    _guards(steps, store, values)
    steps.append(NoCommonShift())
    written = tuple(values)
    steps.append(Store(store.row, written))
    steps.append(ReadBack(store.row, written))
    for axis, value in values:
        if axis == "r":
            steps.append(KeepAngle(store.row, value))
    letter = store.turner.letter if store.turner is not None else store.table[0] if store.table is not None else ""
    if turning_by is not None:
        steps.append(TurnTable(letter, turning_by))
    steps.append(Report(("STORED", row_word(store.row)), tuple((axis.upper(), value, -1) for axis, value in values)))


def _build(steps: list[Step], store: StorePlan, located: dict[tuple[str, str], ControlResult]) -> None:
    """Work out the points between features and the intersections that the rules need, where the plan measures those."""
    for number, (name, kind, (first, second)) in enumerate(store.built, 1):
        found: dict[str, Expression] = {}
        if kind is FeatureKind.BETWEEN:
            if not all((of, axis) in located for of in (first, second) for axis in "xy"):
                continue
            for axis in (axis for axis in AXES if (first, axis) in located and (second, axis) in located):
                found[axis] = half_sum(located[first, axis].value, located[second, axis].value)
            why = f"between {first} and {second}"
        else:
            lines = {axis: line for name in (first, second) for axis, line in _line(located, name).items()}
            if len(lines) != 2:
                continue
            found["x"] = crossing(lines[0], lines[1])
            found["y"] = along(lines[1], Name(f"b{number}x"))
            why = f"where {first} and {second} cross"
        names = {axis: Name(f"b{number}{axis}") for axis in found}
        for axis, value in found.items():
            steps.append(Compute(names[axis].name, value, f"{name} {axis.upper()}: {why}"))
        for axis, other in (("x", "y"), ("y", "x"), ("z", "z")):
            if axis in names:
                located[name, axis] = ControlResult(names[axis], None if axis == "z" else names[other])


def _line(located: dict[tuple[str, str], ControlResult], name: str) -> dict[int, LineExpression]:
    """A measured line by the axis it lies across; nothing where the plan does not measure it."""
    for i, axis in enumerate("xy"):
        found = located.get((name, axis))
        if found is not None and found.across is not None:
            turn = located.get((name, "r"))
            slope = slope_of(turn.value if turn else None, i)
            return {i: LineExpression(found.value, found.across, slope)}
    return {}


def held_steps(steps: list[Step], stores: Sequence[StorePlan]) -> None:
    """Append checks that stop the program before it writes any row: each must hold what it held when its new figures
    were decided on.
    """
    if any(store.held for store in stores):
        steps.append(SectionHeading("the rows as they were looked at"))
    for store in stores:
        for axis, held in store.held:
            steps.append(
                Check(
                    RowValue(store.row, axis),
                    Number(held),
                    HELD_WITHIN,
                    AlarmNumber.CHANGED,
                    f"{store.row} {axis.upper()} HOLDS SOMETHING ELSE NOW",
                    f"guard: the table still holds {held:.3f} within {HELD_WITHIN:g}, as when this was written",
                )
            )


def _guards(steps: list[Step], store: StorePlan, values: list[tuple[str, Expression]]) -> None:
    expected, guarded = dict(store.expected), {axis for axis, _ in store.held}
    for axis, value in values:
        if axis in guarded:
            continue  # its value is a figure someone has decided on
        if value == _NO_ANGLE:
            continue  # a row that is not turned has nothing that could jump
        if axis not in expected:
            raise PlanError(f"No expected value for {store.row} {axis.upper()}", "The jump guard needs one", "")
        limit = TURN_LIMIT if axis == "r" else store.jump_limit
        steps.append(
            Check(
                value,
                Number(expected[axis]),
                limit,
                AlarmNumber.ANGLE if axis == "r" else AlarmNumber.JUMP,
                f"{store.row} {axis.upper()} JUMPS TOO FAR",
                f"jump guard: within {limit:g} of {expected[axis]:.3f}",
            )
        )


def _from_row(row: str, axis: str, rule: FromRow, rules: dict[str, Rule]) -> tuple[Expression, str]:
    """An axis derived from another row, by what stands in the table for that one."""
    why = f"{row} {axis.upper()}: {rule.row} moved by {rule.shift:g} along its own axis"
    own: Expression = RowValue(rule.row, axis)
    other = rules.get("y" if axis == "x" else "x")
    across = other.shift if isinstance(other, FromRow) and axis in "xy" else 0.0
    if axis in "zr" or not (rule.shift or across) or "r" not in rules:
        return plus(own, rule.shift), why
    s, c = sine_and_cosine(RowValue(rule.row, "r"))
    turned = times(c, Number(rule.shift))
    aside = times(s, Number(across))
    return add(own, subtract(turned, aside) if axis == "x" else add(turned, aside)), why


def _from_table(row: str, axis: str, rule: FromTable) -> tuple[Expression, str]:
    """An axis of a zero the table has carried round, by what stands in the table of offsets for the other row."""
    shares, constant = table_sum(rule, axis)
    total: Expression = Number(constant)
    for letter, share in zip(AXES, (round(share, 12) for share in shares), strict=True):
        if share:
            held: Expression = RowValue(rule.row, letter)
            total = add(held if share == 1 else times(held, Number(share)), total)
    return total, f"{row} {axis.upper()}: {rule.row} with {rule.letter} turned by {rule.angle:+g} about its centre"


def _from_feature(
    steps: list[Step], row: str, axis: str, rule: FromFeature, located: dict[tuple[str, str], ControlResult]
) -> tuple[Expression, str]:
    expression = located[rule.feature, axis].value
    if rule.other:
        pair = half_sum(expression, located[rule.other, axis].value)
        middle = f"h{axis}"
        steps.append(Compute(middle, pair, f"halfway between {rule.feature} and {rule.other}"))
        expression = Name(middle)
    if rule.drawing:
        expression = plus(expression, -rule.drawing)
    what = f"middle of {rule.feature} and {rule.other}" if rule.other else rule.feature
    why = f"{row} {axis.upper()}: {what} less its place on the drawing"
    if rule.allowance:
        expression = plus(expression, rule.allowance)
        why += ", with allowance"
    if rule.master:
        expression = plus(expression, rule.master)
        why += ", master tool"
    return expression, why


def _turned(
    steps: list[Step],
    store: StorePlan,
    rules: dict[str, Rule],
    located: dict[tuple[str, str], ControlResult],
    own: str,
) -> dict[str, Expression]:
    """X, Y and R of a row that lies turned; the names that hold them."""

    def compute(name: str, value: Expression, why: str) -> Name:
        steps.append(Compute(f"{name}{own}", value, why))
        return Name(f"{name}{own}")

    row, turning = store.row, rules.get("r")
    angle = compute("or", _angle(steps, store, turning, located), f"{row} R: how far the part is turned")
    sine, cosine = sine_and_cosine(angle)
    c, s = compute("oc", cosine, "its cosine"), compute("os", sine, "its sine")
    places: list[Expression] = []
    for i, axis in enumerate("xy"):
        rule = rules.get(axis)
        if isinstance(rule, FromFit):
            x, y = _fitted_place(store, rule, located, c, s)
            places.append(add(times(c, x), times(s, y)) if i == 0 else subtract(times(c, y), times(s, x)))
        elif isinstance(rule, FromFeature):
            parts = [_in_frame(located[name, axis], i, c, s) for name in rule.features]
            total = half_sum(parts[0], parts[-1])
            places.append(plus(total, rule.allowance - rule.drawing))
        else:
            raise PlanError(
                f"{row} is turned, and its {axis.upper()} comes from no feature",
                "The drawing is turned about its zero, which must be measured",
                "Take X and Y from features",
            )
    u = compute("ou", places[0], "the zero along the part's own X")
    v = compute("ov", places[1], "the zero along the part's own Y")
    found: dict[str, Expression] = {
        "x": compute("ox", subtract(times(c, u), times(s, v)), f"{row} X: turned back to the machine"),
        "y": compute("oy", add(times(s, u), times(c, v)), f"{row} Y"),
    }
    return found if turning is None else {**found, "r": angle}


def _straightened(
    steps: list[Step], store: StorePlan, turner: Turner, turned: dict[str, Expression], own: str
) -> dict[str, Expression]:
    """X and Y where the table carries them when it turns the part straight; the row keeps no angle."""
    (cx, cy), c, s = turner.centre, Name(f"oc{own}"), Name(f"os{own}")
    u, v = plus(turned["x"], -cx), plus(turned["y"], -cy)
    why = f"as the table {turner.letter} carries it"
    places = {
        "x": plus(add(times(c, u), times(s, v)), cx),
        "y": plus(subtract(times(c, v), times(s, u)), cy),
    }
    for axis, value in places.items():
        steps.append(Compute(f"w{axis}{own}", value, f"{store.row} {axis.upper()}: {why}"))
    return {"x": Name(f"wx{own}"), "y": Name(f"wy{own}"), "r": _NO_ANGLE}


def _in_frame(found: ControlResult, axis: int, c: Expression, s: Expression) -> Expression:
    """A coordinate along an axis of the turned frame: the ball's centre is turned, then its radius added."""
    centre = plus(found.value, -found.radius) if found.radius else found.value
    across = found.across or Number(0)
    if axis == 0:
        place: Expression = add(times(c, centre), times(s, across))
    else:
        place = subtract(times(c, centre), times(s, across))
    return plus(place, found.radius) if found.radius else place


def _look_at_angle(store: StorePlan, rule: Rule | None) -> None:
    """Raises PlanError where an edge is to tell an angle that it cannot."""
    if isinstance(rule, FromHeading) and not rule.other and abs(rule.drawing) > _MOST_TURN:
        raise PlanError(
            f"{store.row} R is stated {rule.drawing:+.3f}° from the axis that {rule.feature} lies along",
            f"A touched edge tells its angle within ±{_MOST_TURN:g}°; the program would always stop",
            "State how far the edge is drawn from its own axis",
        )


def _angle(
    steps: list[Step], store: StorePlan, rule: Rule | None, located: dict[tuple[str, str], ControlResult]
) -> Expression:
    match rule:
        case FromHeading(name, "", drawing):
            return plus(located[name, "r"].value, -drawing) if drawing else located[name, "r"].value
        case FromHeading(name, other, drawing):
            dx, dy = (subtract(located[other, a].value, located[name, a].value) for a in "xy")
            return heading(dx, dy, wrapped(drawing))
        case FromFit():
            return _fitted_angle(steps, store, rule, located)
        case Fixed(value):
            return Number(value)
    return Number(0)


def _weights(store: StorePlan, rule: FromFit) -> list[float]:
    given = dict(store.weights)
    whole = [given.get(name, 1.0) for name in rule.names]
    # As the program writes them, so that its figures and its middles go together.
    rest = [round(weight / sum(whole), 8) for weight in whole[1:]]
    return [1.0 - sum(rest), *rest]


def _middles(rule: FromFit, weights: list[float]) -> tuple[float, float]:
    x, y = (sum(w * place[i] for w, place in zip(weights, rule.places, strict=True)) for i in (0, 1))
    return x, y


def _fitted_angle(
    steps: list[Step], store: StorePlan, rule: FromFit, located: dict[tuple[str, str], ControlResult]
) -> Expression:
    """Procrustes: the angle whose tangent is Σ w (d × m) over Σ w (d · m), places about their middles."""
    weights = _weights(store, rule)
    x0, y0 = _middles(rule, weights)
    # Scaled to the largest arm, so that the digits of a figure in the program are plenty.
    arms = [(w * (x - x0), w * (y - y0)) for w, (x, y) in zip(weights, rule.places, strict=True)]
    largest = max(math.hypot(*arm) for arm in arms)
    if largest < 1e-6:
        raise PlanError("The features of the fit lie on one spot", "They say nothing of the angle", "Take others")
    cross: Expression = Number(0)
    along: Expression = Number(0)
    first = rule.names[0]
    for name, (dx, dy) in list(zip(rule.names, arms, strict=True))[1:]:
        # Counted from the first feature: the arms sum to zero, so that changes nothing and keeps figures small.
        mx, my = (subtract(located[name, a].value, located[first, a].value) for a in "xy")
        a, b = Number(1000 * dx / largest), Number(1000 * dy / largest)
        cross = add(cross, subtract(times(a, my), times(b, mx)))
        along = add(along, add(times(a, mx), times(b, my)))
    steps += [Compute("fc", cross, "fit: across the drawing"), Compute("fa", along, "fit: along the drawing")]
    return small_angle(Name("fc"), Name("fa"))


def _fitted_place(
    store: StorePlan, rule: FromFit, located: dict[tuple[str, str], ControlResult], c: Expression, s: Expression
) -> tuple[Expression, Expression]:
    """The measured middle less the drawn one, turned."""
    weights = _weights(store, rule)
    x0, y0 = _middles(rule, weights)
    means = []
    for axis in AXES[:2]:
        first = located[rule.names[0], axis].value
        total: Expression = first
        for name, weight in list(zip(rule.names, weights, strict=True))[1:]:
            total = add(total, times(Number(weight), subtract(located[name, axis].value, first)))
        means.append(total)
    x = subtract(means[0], subtract(times(c, Number(x0)), times(s, Number(y0))))
    y = subtract(means[1], add(times(s, Number(x0)), times(c, Number(y0))))
    return x, y
