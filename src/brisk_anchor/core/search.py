"""Finding one of many by words of its name."""

from __future__ import annotations

from collections.abc import Sequence

from brisk_anchor.core.errors import NothingFoundError
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Match:
    """Which of the texts was found, and how many have the same words."""

    at: int
    count: int


def next_with(words: str, texts: Sequence[str], after: int = -1) -> Match:
    """The next text behind number `after` that has all the words, from the first again behind the last.

    One that begins with the words as a whole, as with a balloon number, goes before those that have them anywhere: 7
    is not ⌀17.

    Raises:
        NothingFoundError: there are no words, or none has them.
    """
    wanted = words.casefold().split()
    pieces = [text.casefold().split() for text in texts]
    found = [n for n, held in enumerate(pieces) if wanted and held[: len(wanted)] == wanted]
    if not found:
        joined = [" ".join(held) for held in pieces]
        found = [n for n, text in enumerate(joined) if wanted and all(word in text for word in wanted)]
    if not found:
        raise NothingFoundError(
            f"Nothing here has “{words[:40]}” in its name" if wanted else "Nothing was typed",
            "",
            "Type some words of its name, or its number",
        )
    return Match(next((n for n in found if n > after), found[0]), len(found))
