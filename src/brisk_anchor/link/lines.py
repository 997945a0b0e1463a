"""Lines of what comes down a wire or lies in a file: any line ends, nulls and flow characters taken out, noise told."""

from __future__ import annotations

from dataclasses import dataclass

LONGEST = 400
"""Characters of a line; what is longer is none of ours, and is cut off."""
_SILENT = bytes(code for code in range(32) if code not in (9, 10, 13)) + b"\x7f"
"""Nulls, tape codes and flow control: no line has them."""


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
        found = []
        begun = 0
        joined = self._rest + data.translate(None, _SILENT)
        for at in range(len(self._rest), len(joined)):
            byte = joined[at : at + 1]
            if byte not in (b"\r", b"\n"):
                self._ended = b""
                continue
            if self._ended and self._ended != byte:  # the second half of CR LF
                begun, self._ended = at + 1, b""
                continue
            self._ended = byte
            found.append(self._line(joined[begun:at]))
            begun = at + 1
        self._rest = joined[begun:]
        if len(self._rest) > 2 * LONGEST:
            self._rest = self._rest[:LONGEST] + b"\xff"
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
        noisy = any(byte > 126 for byte in raw) or len(raw) > LONGEST
        return Line(self._number, raw[:LONGEST].decode("ascii", "replace").strip(), noisy)
