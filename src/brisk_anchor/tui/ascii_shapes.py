"""The screen in ASCII, for a terminal whose locale is not UTF-8: every character becomes one that it shows, as wide."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from functools import lru_cache

from rich.cells import cell_len
from rich.segment import Segment
from textual.color import Color
from textual.filter import LineFilter

_SHAPES = {
    "-": "⁻┈⌫−–—─━╌╍┄▔",
    "_": "▁□",
    "|": "│┃▏▕┊",
    "+": "┌┐└┘├┤┬┴┼╭╮╰╯◆◇⊕",
    "#": "▮█▌▐▛▜▙▟▞▚■▇▆▅",
    "'": "′▘▝’‘",
    ".": "▖▗▄·◌⋅▪",
    ":": "⁝",
    "*": "●•◉◎★",
    "%": "◐◑◒◓◔◕",
    "o": "○",
    ">": "→›▸▶≥»▹↗↘⟩",
    "<": "←‹◂◀≤«↖↙⟨",
    "^": "↑△▲▴°",
    "v": "↓▽▼▾✓✔",
    "x": "×✗✕✘",
    "~": "±∓…≈",
    "=": "≡",
    "!": "⚠",
    "D": "⌀∅",
    "u": "µμ",
    "2": "²",
    "3": "³",
    '"': "“”„″▀",
    "r": "↻",
    "E": "Σ",
    "s": "σ",
    "w": "Δω",
    "t": "θ",
    "l": "λ",
    "n": "ν",
    "p": "π¶",
    "h": "ρ",
    "f": "φ",
    "d": "∂",
    "?": "\ufffd",
    "/": "⁄∕",
    "L": "∠",
    "S": "√",
    "e": "↔↕",
    "i": "∞",
    " ": "\u00a0\u2009\u202f\u2800",
}
_PLAIN = {shape: plain for plain, shapes in _SHAPES.items() for shape in shapes}
_BRAILLE = range(0x2801, 0x2900)


def needs_ascii(environment: Mapping[str, str]) -> bool:
    """Whether the locale says that the terminal shows no UTF-8; where it says nothing, it does."""
    said = next((environment[name] for name in ("LC_ALL", "LC_CTYPE", "LANG") if environment.get(name)), "UTF-8")
    return re.search(r"utf-?8", said, re.IGNORECASE) is None


@lru_cache(4096)
def plain(text: str) -> str:
    """A text in ASCII that takes as many columns."""
    return text if text.isascii() else "".join(_plain(character) for character in text)


def _plain(character: str) -> str:
    if character.isascii():
        return character
    if (known := _PLAIN.get(character)) is not None:
        return known
    if ord(character) in _BRAILLE:
        return "." if (ord(character) - 0x2800).bit_count() < 3 else ":"
    width = cell_len(character)
    base = unicodedata.normalize("NFKD", character)[0]
    return base if base.isascii() and width == 1 else "?" * width


class AsciiShapes(LineFilter):
    """Replaces what is about to be written to the terminal."""

    def apply(self, segments: list[Segment], background: Color) -> list[Segment]:
        """The same segments in ASCII."""
        return [Segment(plain(text), style, control) for text, style, control in segments]
