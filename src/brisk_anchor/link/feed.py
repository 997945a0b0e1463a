"""What every way of hearing a control has in common: pieces of bytes as they come, and how far it was heard."""

from __future__ import annotations

from typing import Any, Protocol

from brisk_anchor.lazy_dataclass import dataclass

MOST = 4_000_000
"""Bytes that are read at once at most."""


@dataclass(frozen=True, slots=True)
class Piece:
    """Bytes that came. A `whole` piece is a file from its first byte to its last; others go on where the last ended.

    `anew`: the source began again, so what was heard of it before and has no end will have none.
    """

    source: str
    data: bytes
    whole: bool = False
    anew: bool = False


class Feed(Protocol):
    """Something that prints."""

    def read(self, wait: float) -> list[Piece]:
        """What came since, after so many seconds at most. Raises LinkError: nobody is there now."""

    @property
    def mark(self) -> dict[str, Any]:
        """How far it was heard, as JSON: a feed that is opened with it goes on from there."""

    @property
    def words(self) -> str:
        """What is listened to, for a person."""

    def close(self) -> None:
        """Let go of it."""
