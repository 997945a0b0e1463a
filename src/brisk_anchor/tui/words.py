"""Words in columns."""

from __future__ import annotations

from brisk_anchor.core.key_marks import plain


def cut(text: str, room: int) -> str:
    """A text that fits; where it is cut, keys in it are those of the table."""
    bare = plain(text)
    return text if len(bare) <= room else f"{bare[: max(0, room - 1)]}…"
