"""The rose: every set of marks has one meaning, and names it in trade words."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.features.touch_pattern import SIDES, TouchPattern, Wall
from brisk_anchor.core.kinds import FeatureKind

L, R, U, D, B = Wall.LEFT, Wall.RIGHT, Wall.UP, Wall.DOWN, Wall.BELOW


@pytest.mark.parametrize(
    ("marks", "over", "round_", "name", "kind"),
    [
        ((), False, False, "nothing marked", None),
        ((B,), False, False, "surface below", FeatureKind.SURFACE),
        ((L,), False, False, "surface towards −X", FeatureKind.SURFACE),
        ((U,), True, False, "surface towards +Y", FeatureKind.SURFACE),
        ((L, U), False, False, "inside corner", FeatureKind.INSIDE_CORNER),
        ((R, D), True, False, "outside corner", FeatureKind.OUTSIDE_CORNER),
        ((L, R), False, False, "slot", FeatureKind.SLOT),
        ((U, D), True, False, "web", FeatureKind.WEB),
        ((L, R, U), False, False, "three walls", None),
        (SIDES, False, True, "bore", FeatureKind.BORE),
        (SIDES, True, True, "boss", FeatureKind.BOSS),
        (SIDES, False, False, "pocket", FeatureKind.POCKET),
        (SIDES, True, False, "block", FeatureKind.BLOCK),
    ],
)
def test_the_marks_are_the_feature(marks, over, round_, name, kind):
    reading = TouchPattern(frozenset(marks), over, round_).read()
    assert (reading.name, reading.kind) == (name, kind)
    assert reading.hint.endswith(".")


@given(st.lists(st.sampled_from(Wall), max_size=12), st.booleans(), st.booleans())
def test_no_order_of_keys_makes_a_contradiction(keys, over, round_):
    pattern = TouchPattern(over=over, round=round_)
    for wall in keys:
        before, pattern = pattern, pattern.toggle(wall)
        # A key marks a wall, marks it twice, takes it off.
        assert any(wall not in state.marks for state in (before, before.toggle(wall), before.toggle(wall).toggle(wall)))
        assert not (B in pattern.marks and len(pattern.marks) > 1 and pattern.read().kind is not FeatureKind.BALL)
    assert pattern.read().name


def test_all_round_is_four_and_round():
    assert TouchPattern().toggle(B).all_round().read().kind is FeatureKind.BORE
