"""Sums in another unit: whatever they are made of, they come to the same length, square, slope or angle."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Binary,
    Function,
    LengthInTable,
    Name,
    Number,
    RowValue,
    Variable,
    add,
    half_sum,
    root,
    times,
)
from brisk_anchor.core.lengths_in_sums import LengthPowers
from brisk_anchor.nc.programs.control_solution import Sloped, evaluate
from brisk_anchor.nc.programs.in_inches import in_inches
from brisk_anchor.nc.programs.steps import Check, Compute, Report, Store, TouchStep

FACTOR = 1 / 25.4
LENGTHS = {"a": 31.7, "b": -12.25, "c": 4.5}
SHARES = {"s": 0.6, "t": -0.2}


def leaf(power):
    names = {1: LENGTHS, 0: SHARES}.get(power, {})
    return st.sampled_from([Name(name) for name in names]) if names else st.nothing()


@st.composite
def sums(draw, power, depth=3):
    """A sum of that power of length, with bare figures where a program has them."""
    if depth == 0 and power in (0, 1):
        return draw(leaf(power))
    below = depth - 1
    kinds = ["product", "quotient"] + (["leaf"] if power in (0, 1) else []) + (["sum", "figure"] if depth > 0 else [])
    if power >= 0 and depth > 1:
        kinds.append("root")
    if power == 0 and depth > 0:
        kinds.append("angle")
    match draw(st.sampled_from(kinds)) if depth > 0 else "product":
        case "leaf":
            return draw(leaf(power))
        case "sum":
            return Binary(draw(sums(power, below)), draw(st.sampled_from("+-")), draw(sums(power, below)))
        case "figure":
            figure = Number(draw(st.floats(0.1, 50)))
            return Binary(draw(sums(power, below)), "+", figure)
        case "product" if power != 0:
            return Binary(draw(sums(power - 1, max(0, below))), "*", draw(leaf(1)))
        case "root":
            return root(times(inner := draw(sums(power, below)), inner))
        case "angle":
            top, bottom = draw(sums(1, below)), draw(leaf(1))
            return Function("ATAN", (top, bottom))
        case _:
            return Binary(draw(sums(power, max(0, below))), "*", draw(leaf(0)))


def worked_out(value, known):
    return evaluate(value, {name: Sloped(figure) for name, figure in known.items()}).value


@given(st.sampled_from([0, 1, 2]).flatmap(lambda power: st.tuples(st.just(power), sums(power))))
def test_a_sum_comes_to_the_same_in_another_unit(drawn):
    power, value = drawn
    powers = LengthPowers(lambda _: None, dict.fromkeys(LENGTHS, 1) | dict.fromkeys(SHARES, 0))
    other = {name: figure * FACTOR for name, figure in LENGTHS.items()} | SHARES
    found = worked_out(powers.scaled(value, power, FACTOR), other)
    assert found == pytest.approx(worked_out(value, LENGTHS | SHARES) * FACTOR**power, rel=1e-9, abs=1e-9)


def test_a_figure_is_a_length_where_one_is_wanted_and_a_share_where_nothing_tells():
    """2.994 · √(1 + k²) is added to a place: the ball's radius, not a share."""
    touch = [TouchStep(n, (0, -1, 0), 10.0, (f"t{n}x", f"t{n}y", f"t{n}z"), "wall") for n in (1, 2)]
    k = Compute("k", Binary(Binary(Name("t2y"), "-", Name("t1y")), "/", Binary(Name("t2x"), "-", Name("t1x"))), "slope")
    ball = times(Number(2.994), root(add(Number(1), times(Name("k"), Name("k")))))
    y = Compute("y", add(half_sum(Name("t1y"), Name("t2y")), ball), "the wall")
    size = Compute("d", add(times(Name("y"), Number(2.0)), Number(5.988)), "a size")
    report = Report(("SOLVED",), (("Y", Name("y"), -1), ("K", Name("k"), -1), ("R", Number(2.994), 4)))
    guard = Check(Name("k"), Number(0.0), 0.05, 109, "TURNED", "angle")
    steps = [*touch, k, y, size, guard, Store("G54", (("y", Name("y")),)), report]
    found = in_inches(steps, lambda _: None)
    known = {"t1x": 1.0, "t1y": 2.0, "t2x": 3.0, "t2y": 2.2}
    for step in found[2:5]:
        known[step.name] = worked_out(step.value, known)
    slope = 0.2 / 2.0
    assert known["k"] == pytest.approx(slope)
    assert known["y"] == pytest.approx(2.1 + 2.994 / 25.4 * math.sqrt(1 + slope * slope))
    assert known["d"] == pytest.approx(2 * known["y"] + 5.988 / 25.4)
    assert found[0].distance == pytest.approx(10 / 25.4)
    assert found[5].limit == 0.05
    assert found[-1].inches == frozenset("Y")
    assert found[-1].values[2] == ("R", Number(2.994), 4)


@pytest.mark.parametrize(
    "value",
    [
        Binary(Name("length"), "+", Name("share")),
        root(Name("length")),
        Binary(Name("share"), "-", times(Name("length"), Name("share"))),
    ],
)
def test_what_mixes_lengths_with_shares_is_refused(value):
    powers = LengthPowers(lambda _: None, {"length": 1, "share": 0})
    with pytest.raises(PlanError, match="adds a length to something"):
        powers.scaled(value, 1, FACTOR)


def test_a_value_that_nothing_tells_of_is_refused():
    with pytest.raises(PlanError, match="It is not known whether “what is it” is a length"):
        in_inches([Compute("w", Variable(900), "what is it")], lambda _: None)


def test_what_a_name_is_comes_from_its_sum_and_from_where_it_is_used():
    powers = LengthPowers(lambda number: 1 if number == 5021 else None, {"length": 1})
    assert powers.power(Binary(Name("length"), "/", Number(2))) == 1
    assert powers.power(Binary(Number(2), "/", Name("length"))) is None
    assert powers.power(Binary(Number(2), "/", Name("length")), shares=True) == -1
    assert powers.power(root(times(Variable(5021), Name("length")))) == 1
    powers.define("square", Binary(Name("a"), "+", Number(4.0)))
    powers.want(root(Name("square")), 1)
    assert (powers.names["square"], powers.names["a"]) == (2, 2)
    powers.want(times(Name("length"), Name("b")), 1)
    powers.want(Binary(Name("length"), "/", Name("c")), 0)
    powers.want(Function("ATAN", (Name("length"), Name("d"))), 0)
    powers.want(Function("SIN", (Name("e"),)), 0)
    powers.want(times(Name("f"), Name("length")), 1)
    powers.want(Binary(Name("g"), "/", Name("length")), 0)
    assert [powers.names[name] for name in "bcdefg"] == [0, 1, 1, 0, 0, 1]
    with pytest.raises(PlanError, match="adds a length to something"):
        powers.define("a", Name("length"))


def test_a_length_that_no_variable_holds_is_converted_and_one_that_a_row_holds_is_not():
    powers = LengthPowers(lambda _: 0)
    assert powers.scaled(LengthInTable(5, 127.0), 1, FACTOR) == LengthInTable(5, pytest.approx(5.0))
    assert powers.scaled(RowValue("G54", "x"), 1, FACTOR) == RowValue("G54", "x")
    assert powers.power(RowValue("G54", "r")) == 0
    assert powers.power(Variable(4006)) == 0


@pytest.mark.parametrize(
    ("value", "power", "figure"),
    [
        (Binary(Number(2.0), "*", Name("length")), 2, 2.0 * FACTOR),  # a length times a length
        (Binary(Number(2.0), "/", Name("length")), 0, 2.0 * FACTOR),
        (Binary(Number(2.0), "*", Name("length")), 1, 2.0),
        (Binary(Name("open"), "*", Binary(Number(2.0), "/", Name("length"))), 0, 2.0),  # what is open is the length
    ],
)
def test_a_figure_in_a_product_is_what_the_product_still_lacks(value, power, figure):
    found = LengthPowers(lambda _: None, {"length": 1}).scaled(value, power, FACTOR)
    number = found.left if isinstance(found.left, Number) else found.right.left
    assert number.value == pytest.approx(figure)
