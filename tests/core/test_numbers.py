"""Number entry, against figures worked out by hand."""

from __future__ import annotations

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import NumberEntryError
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import Unit, fixed, quantity


@pytest.mark.parametrize(
    ("text", "unit", "present", "expected"),
    [
        ("12.5", Unit.MM, None, 12.5),
        (" .5 ", Unit.MM, None, 0.5),
        ("-3", Unit.MM, None, -3.0),
        ("−3", Unit.MM, None, -3.0),
        ("25.4/2", Unit.MM, None, 12.7),
        ("1in", Unit.MM, None, 25.4),
        ('1"', Unit.MM, None, 25.4),
        ("1 3/8in", Unit.MM, None, 34.925),
        ("3/8 in", Unit.MM, None, 9.525),
        ("1 1/2", Unit.INCH, None, 38.1),
        ("2", Unit.INCH, None, 50.8),
        ("2mm", Unit.INCH, None, 2.0),
        ("1in + 2", Unit.MM, None, 27.4),
        ("2*(3+4)", Unit.MM, None, 14.0),
        ("(1in+1mm)/2", Unit.MM, None, 13.2),
        ("(1+2)in", Unit.MM, None, 76.2),
        ("10mm/4", Unit.MM, None, 2.5),
        ("--2", Unit.MM, None, 2.0),
        ("=-0.2", Unit.MM, 5.0, 4.8),
        ("=+1in", Unit.MM, 5.0, 30.4),
        ("=/2", Unit.MM, -7.0, -3.5),
        ("=*3", Unit.MM, 1.5, 4.5),
        ("= - .001in", Unit.MM, 0.0, -0.0254),
    ],
)
def test_what_people_type(text, unit, present, expected):
    assert parse_length(text, unit, present=present) == pytest.approx(expected, abs=1e-12)


@pytest.mark.parametrize(
    ("text", "present", "reason"),
    [
        ("", None, "Nothing"),
        ("12,5", None, "comma"),
        ("abc", None, "no figure"),
        ("1//2", None, "stands where a figure should be"),
        ("1/0", None, "divides by zero"),
        ("3/0in", None, "divides by zero"),
        ("2in*3in", None, "a length times a length"),
        ("5/2mm*0+1/(1mm)", None, "divides by a length"),
        ("1in in", None, "unit twice|follows"),
        ("(1+2", None, "not closed"),
        ("1+", None, "ends too early"),
        ("1 2", None, "follows with no sign"),
        ("=5", 1.0, "sign must follow"),
        ("=-1", None, "no present value"),
        ("9" * 81, None, "longer"),
        ("(" * 30 + "1" + ")" * 30, None, "too many brackets"),
        ("9" * 40, None, "too large"),
        ("1e5", None, "no figure"),
        ("__import__('os')", None, "no figure"),
    ],
)
def test_what_is_refused_says_why(text, present, reason):
    with pytest.raises(NumberEntryError, match=reason):
        parse_length(text, present=present)


def test_limits_name_the_limit():
    with pytest.raises(NumberEntryError, match=r"below the limit of 0\.5000"):
        parse_length("0.1", low=0.5)
    with pytest.raises(NumberEntryError, match="above"):
        parse_length("99in", high=100)


@given(st.integers(-(10**6), 10**6), st.integers(1, 999), st.sampled_from("+-*"))
def test_sums_are_exact(a, b, sign):
    expected = {"+": Fraction(a, 1000) + b, "-": Fraction(a, 1000) - b, "*": Fraction(a, 1000) * b}[sign]
    assert parse_length(f"({a}/1000){sign}{b}") == float(expected)


@given(st.text(max_size=30))
def test_no_text_does_anything_but_give_a_number_or_a_reason(text):
    try:
        assert math.isfinite(parse_length(text, present=1.0))
    except NumberEntryError as error:
        assert "\n" not in error.one_line()


@pytest.mark.parametrize(
    ("value", "decimals", "signed", "shown"),
    [
        (-0.00004, 3, True, "0.000"),
        (1.0, 3, True, "+1.000"),
        (-1.23456, 4, False, "−1.2346"),
        (0.0, 1, True, "0.0"),
    ],
)
def test_no_negative_zero_is_ever_shown(value, decimals, signed, shown):
    assert quantity(value, decimals=decimals, signed=signed, bare=True) == shown
    assert "-0.000" not in fixed(-1e-9, 3)


def test_inches_are_shown_with_their_own_fineness():
    assert quantity(25.4, decimals=5, unit=Unit.INCH) == "1.00000 in"
