"""Large figures of half blocks, six dots high, to be read from two metres."""

from __future__ import annotations

from functools import lru_cache

_GLYPHS = {
    "0": (".##.", "#..#", "#..#", "#..#", "#..#", ".##."),
    "1": (".#.", "##.", ".#.", ".#.", ".#.", "###"),
    "2": ("###.", "...#", ".##.", "#...", "#...", "####"),
    "3": ("###.", "...#", ".##.", "...#", "...#", "###."),
    "4": ("#..#", "#..#", "#..#", "####", "...#", "...#"),
    "5": ("####", "#...", "###.", "...#", "...#", "###."),
    "6": (".##.", "#...", "###.", "#..#", "#..#", ".##."),
    "7": ("####", "...#", "..#.", "..#.", ".#..", ".#.."),
    "8": (".##.", "#..#", ".##.", "#..#", "#..#", ".##."),
    "9": (".##.", "#..#", ".###", "...#", "...#", ".##."),
    "−": ("....", "....", "###.", "....", "....", "...."),
    "+": ("....", ".#..", "###.", ".#..", "....", "...."),
    ".": (".", ".", ".", ".", ".", "#"),
    " ": ("....", "....", "....", "....", "....", "...."),
    "X": ("#..#", "#..#", ".##.", ".##.", "#..#", "#..#"),
    "Y": ("#.#", "#.#", "#.#", ".#.", ".#.", ".#."),
    "R": ("###.", "#..#", "###.", "#.#.", "#..#", "#..#"),
    "Z": ("####", "...#", "..#.", ".#..", "#...", "####"),
}
_HALVES = {(False, False): " ", (True, False): "▀", (False, True): "▄", (True, True): "█"}


@lru_cache(maxsize=256)
def large(text: str) -> tuple[str, str, str]:
    """Three lines of half blocks for figures, signs and axis letters; ValueError for anything else."""
    rows = [""] * 6
    for character in text:
        glyph = _GLYPHS.get(character)
        if glyph is None:
            raise ValueError(f"no large form of {character!r}")
        wide = max(len(glyph[0]), 4 if character.isdigit() else 0)
        for i, row in enumerate(glyph):
            rows[i] += row.ljust(wide, ".") + "."
    top, middle, bottom = (
        "".join(_HALVES[a == "#", b == "#"] for a, b in zip(rows[i], rows[i + 1], strict=True)) for i in (0, 2, 4)
    )
    return top, middle, bottom
