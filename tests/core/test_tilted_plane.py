"""Angles of a tilted plane: three turns worked back into the rotation they came from, by matrices written out here."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.offsets.tilted_plane import angles_of, tilted_zero

ANGLES = st.one_of(st.floats(-180, 180), st.sampled_from((0.0, 90.0, -90.0, 180.0)))


def about_x(degrees: float) -> np.ndarray:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array(((1, 0, 0), (0, c, -s), (0, s, c)))


def about_z(degrees: float) -> np.ndarray:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array(((c, -s, 0), (s, c, 0), (0, 0, 1)))


def about_y(degrees: float) -> np.ndarray:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array(((c, 0, s), (0, 1, 0), (-s, 0, c)))


@given(ANGLES, ANGLES, ANGLES)
def test_the_angles_make_the_same_rotation(i, j, k):
    for order, make in (
        ("zxz", lambda a, b, c: about_z(a) @ about_x(b) @ about_z(c)),
        ("xyz", lambda a, b, c: about_z(c) @ about_y(b) @ about_x(a)),
    ):
        rotation = make(i, j, k)
        found = angles_of(rotation, order)
        assert make(*found) == pytest.approx(rotation, abs=1e-7)
        assert (0 <= found[1] <= 180) if order == "zxz" else (-90 <= found[1] <= 90)


def test_a_face_of_a_column_is_a_plane_from_its_first():
    """B90 by ISO brings +X of the table to the spindle: a face at X +150 of a centre at (−500, −600), by hand."""
    axis = RotaryAxis("B", (0.0, 1.0, 0.0), (-500.0, -740.0, -600.0), -1, None, None, 1.0)
    # Met at B90 the face lies 150 towards the spindle; 20 to the right of the centre then is 20 towards −Z at B0.
    found = tilted_zero((axis,), ((-480.0, -700.0, -450.0), {"B": 90.0}), ((-500.0, -740.0, -600.0), {}, 0.0), "zxz")
    assert found.zero == pytest.approx((150.0, 40.0, -20.0), abs=1e-9)
    normal = about_z(found.angles[0]) @ about_x(found.angles[1]) @ np.array((0.0, 0.0, 1.0))
    assert normal == pytest.approx((1.0, 0.0, 0.0), abs=1e-9)
    # From a row that is turned by 30° about Z its own X and Y count.
    turned = tilted_zero((axis,), ((-480.0, -700.0, -450.0), {"B": 90.0}), ((-500.0, -740.0, -600.0), {}, 30.0), "xyz")
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    assert turned.zero == pytest.approx((150 * c + 40 * s, -150 * s + 40 * c, -20.0), abs=1e-9)
