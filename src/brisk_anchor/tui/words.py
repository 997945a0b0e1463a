"""Words in columns."""

from __future__ import annotations


def cut(text: str, room: int) -> str:
    """A text that fits."""
    return text if len(text) <= room else f"{text[: max(0, room - 1)]}…"
