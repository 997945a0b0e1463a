"""Rigid transforms."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.geometry.frames import Frame

ANGLES = st.floats(-180, 180)
PLACES = st.tuples(*[st.floats(-1000, 1000)] * 3)
FRAMES = st.builds(lambda t, a, b, c: Frame.from_angles(t, a=a, b=b, c=c), PLACES, ANGLES, ANGLES, ANGLES)


@given(FRAMES, PLACES)
def test_inverse_undoes(frame, point):
    assert frame.inverse().apply(frame.apply(point)) == pytest.approx(point, abs=1e-9)


@given(FRAMES, FRAMES, PLACES)
def test_product_is_one_after_the_other(first, second, point):
    assert (first @ second).apply(point) == pytest.approx(first.apply(second.apply(point)), abs=1e-9)


@given(FRAMES, PLACES, PLACES)
def test_distances_stay(frame, a, b):
    before = np.linalg.norm(np.subtract(a, b))
    assert np.linalg.norm(frame.apply(a) - frame.apply(b)) == pytest.approx(before, abs=1e-9)


@pytest.mark.parametrize(
    ("angles", "point", "expected"),
    [
        ({"c": 90}, (1, 0, 0), (0, 1, 0)),
        ({"a": 90}, (0, 1, 0), (0, 0, 1)),
        ({"b": 90}, (0, 0, 1), (1, 0, 0)),
    ],
)
def test_sense_of_angles(angles, point, expected):
    assert Frame.from_angles((0, 0, 0), **angles).turn(point) == pytest.approx(expected, abs=1e-12)


@pytest.mark.parametrize(
    ("rotation", "translation"),
    [
        (np.eye(3) * 2, np.zeros(3)),
        (np.diag([1, 1, -1]), np.zeros(3)),
        (np.eye(3), np.array([0, 0, np.nan])),
        (np.eye(2), np.zeros(3)),
    ],
)
def test_what_is_no_rigid_transform_is_refused(rotation, translation):
    with pytest.raises(ValueError, match="rotation|translation"):
        Frame(rotation, translation)


def test_frames_cannot_be_changed():
    with pytest.raises(ValueError, match="read-only"):
        Frame.identity().translation[0] = 1
