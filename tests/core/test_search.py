"""Finding one of many by words of its name."""

from __future__ import annotations

import pytest

from brisk_anchor.core.errors import NothingFoundError
from brisk_anchor.core.search import Match, next_with

TITLES = ("bush ⌀17 in the jaw", "7  dowel bore ⌀16", "17  bore ⌀7 H7", "3  left edge", "71  dowel bore ⌀16", "b7")


@pytest.mark.parametrize(
    ("words", "after", "found"),
    [
        ("7", -1, Match(1, 1)),  # the number 7, not ⌀17, 71 or b7
        ("17", -1, Match(2, 1)),
        ("bore", -1, Match(1, 3)),
        ("bore", 1, Match(2, 3)),
        ("Bore", 2, Match(4, 3)),
        ("bore", 4, Match(1, 3)),  # from the first again
        ("⌀16  dow", -1, Match(1, 2)),
        ("b7", -1, Match(5, 1)),
        ("3 left", -1, Match(3, 1)),
        ("EDGE", 3, Match(3, 1)),
    ],
)
def test_words_find_the_next_that_has_them_all(words, after, found):
    assert next_with(words, TITLES, after) == found


@pytest.mark.parametrize(("words", "told"), [("slot", "Nothing here has “slot”"), ("  ", "Nothing was typed")])
def test_what_nothing_has_is_said(words, told):
    with pytest.raises(NothingFoundError, match=told):
        next_with(words, TITLES)
    with pytest.raises(NothingFoundError):
        next_with("bore", ())
