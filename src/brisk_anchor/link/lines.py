"""Lines of what comes down a wire or lies in a file: any line ends, nulls and flow characters taken out, noise told."""

from __future__ import annotations

import re

from brisk_anchor.lazy_dataclass import dataclass

LONGEST = 400
"""Characters of a line; what is longer is none of ours, and is cut off."""
_SILENT = bytes(code for code in range(32) if code not in (9, 10, 13)) + b"\x7f"
"""Nulls, tape codes and flow control: no line has them."""
_ENDS = re.compile(rb"\r\n|\n\r|\r|\n")


@dataclass(frozen=True, slots=True)
class Line:
    """A line with its number in its source, from 1. `noisy`: it holds bytes that no control prints in text."""

    number: int
    text: str
    noisy: bool = False


class LineSplitter:
    """Bytes in, lines out. Lines end with LF, CR, CR LF or LF CR; an empty one is passed over, and counted."""

    def __init__(self, number: int = 0) -> None:
        """`number` of lines are known before."""
        self._number = number
        self._rest = b""
        self._ended = b""

    def add(self, data: bytes) -> list[Line]:
        """The lines that are complete with these bytes."""
        data = data.translate(None, _SILENT)
        if data and self._ended and data[:1] in b"\r\n" and data[:1] != self._ended:
            data = data[1:]  # the second half of CR LF
        if not data:
            return []
        *whole, rest = _ENDS.split(self._rest + data)
        self._ended = data[-1:] if data[-1:] in b"\r\n" else b""
        found = [self._line(raw) for raw in whole]
        self._rest = rest if len(rest) <= 2 * LONGEST else rest[:LONGEST] + b"\xff"
        return [line for line in found if line.text]

    def end(self) -> list[Line]:
        """What came without an end of line, as a line."""
        rest, self._rest = self._rest, b""
        return [self._line(rest)] if rest.strip() else []

    @property
    def empty(self) -> bool:
        """Whether no line has begun."""
        return not self._rest

    def _line(self, raw: bytes) -> Line:
        self._number += 1
        noisy = not raw.isascii() or len(raw) > LONGEST
        return Line(self._number, raw[:LONGEST].decode("ascii", "replace").strip(), noisy)
