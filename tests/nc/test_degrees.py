"""Trigonometry in degrees against series in 40 digits."""

from __future__ import annotations

import math
from decimal import Decimal, localcontext

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.geometry.degrees import cosine, degrees, sine, tangent

PI = Decimal("3.141592653589793238462643383279502884197169399375105820974944592")


def series(angle, start):
    """Sine (start 1) or cosine (start 0) of an angle in degrees, by its power series."""
    with localcontext() as context:
        context.prec = 60
        context.Emin = -9999
        x = Decimal(math.fmod(angle, 360.0)) * PI / 180
        term = x if start else Decimal(1)
        total, n = Decimal(0), start
        while abs(term) > abs(total) * Decimal(10) ** -45:
            total += term
            term = -term * x * x / ((n + 1) * (n + 2))
            n += 2
        # π has 64 digits here: what is left of an exact zero lies below them.
        return Decimal(0) if abs(x) > 1 and abs(total) < Decimal(10) ** -50 else total


@given(st.floats(-1e5, 1e5) | st.sampled_from([90.0, -180.0, 270.0, 360.0, 60.0, 1e-9]))
def test_within_one_unit_in_the_last_place(angle):
    for function, start in ((sine, 1), (cosine, 0)):
        exact = series(angle, start)
        assert abs(Decimal(function(angle)) - exact) <= Decimal(math.ulp(float(exact)))


def test_angles_a_machinist_knows_are_exact():
    assert [sine(a) for a in (0, 30, 90, 150, 180, 270, -30, 390)] == [0, 0.5, 1, 0.5, 0, -1, -0.5, 0.5]
    assert [cosine(a) for a in (0, 60, 90, 120, 180, -60)] == [1, 0.5, 0, -0.5, -1, 0.5]
    assert [tangent(a) for a in (0, 45, 135, 180, -45)] == [0, 1, -1, 0, -1]
    with pytest.raises(ZeroDivisionError):
        tangent(90)
    assert degrees(math.pi / 2) == 90.0
    assert degrees(math.atan(1.0)) == 45.0
