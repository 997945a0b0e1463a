"""Words in columns."""

from __future__ import annotations

from textwrap import wrap

from brisk_anchor.core.key_marks import plain


def cut(text: str, room: int) -> str:
    """A text that fits; where it is cut, keys in it are those of the table."""
    bare = plain(text)
    return text if len(bare) <= room else f"{bare[: max(0, room - 1)]}…"


def folded(text: str, room: int, lines: int = 2) -> list[str]:
    """A text on as many lines as it needs, cut where that is more than there may be."""
    found = wrap(text, max(20, room)) or [""]
    return found if len(found) <= lines else [*found[: lines - 1], cut(" ".join(found[lines - 1 :]), room)]
