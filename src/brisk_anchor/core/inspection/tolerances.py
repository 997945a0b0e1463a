"""Limits as a drawing gives them: two deviations, a letter and grade, or a general tolerance.

Tables: ISO 286-1:2010 (standard tolerances IT5 to IT16, fundamental deviations) to 500 mm; ISO 2768-1:1989.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from typing import Literal

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.quantities import bare

_RANGES = (3, 6, 10, 18, 30, 50, 80, 120, 180, 250, 315, 400, 500)
"""Upper ends of the ranges of nominal sizes, mm."""
_GRADES: dict[int, tuple[int, ...]] = {
    5: (4, 5, 6, 8, 9, 11, 13, 15, 18, 20, 23, 25, 27),
    6: (6, 8, 9, 11, 13, 16, 19, 22, 25, 29, 32, 36, 40),
    7: (10, 12, 15, 18, 21, 25, 30, 35, 40, 46, 52, 57, 63),
    8: (14, 18, 22, 27, 33, 39, 46, 54, 63, 72, 81, 89, 97),
    9: (25, 30, 36, 43, 52, 62, 74, 87, 100, 115, 130, 140, 155),
    10: (40, 48, 58, 70, 84, 100, 120, 140, 160, 185, 210, 230, 250),
    11: (60, 75, 90, 110, 130, 160, 190, 220, 250, 290, 320, 360, 400),
    12: (100, 120, 150, 180, 210, 250, 300, 350, 400, 460, 520, 570, 630),
    13: (140, 180, 220, 270, 330, 390, 460, 540, 630, 720, 810, 890, 970),
    14: (250, 300, 360, 430, 520, 620, 740, 870, 1000, 1150, 1300, 1400, 1550),
    15: (400, 480, 580, 700, 840, 1000, 1200, 1400, 1600, 1850, 2100, 2300, 2500),
    16: (600, 750, 900, 1100, 1300, 1600, 1900, 2200, 2500, 2900, 3200, 3600, 4000),
}
"""Standard tolerances, µm, by grade and range."""
_BELOW: dict[str, tuple[int, ...]] = {
    "d": (20, 30, 40, 50, 65, 80, 100, 120, 145, 170, 190, 210, 230),
    "e": (14, 20, 25, 32, 40, 50, 60, 72, 85, 100, 110, 125, 135),
    "f": (6, 10, 13, 16, 20, 25, 30, 36, 43, 50, 56, 62, 68),
    "g": (2, 4, 5, 6, 7, 9, 10, 12, 14, 15, 17, 18, 20),
    "h": (0,) * 13,
}
"""How far the upper deviation of a shaft lies below nominal, µm."""
_ABOVE: dict[str, tuple[int, ...]] = {
    "k": (0, 1, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4, 5),
    "m": (2, 4, 6, 7, 8, 9, 11, 13, 15, 17, 20, 21, 23),
    "n": (4, 8, 10, 12, 15, 17, 20, 23, 27, 31, 34, 37, 40),
    "p": (6, 12, 15, 18, 22, 26, 32, 37, 43, 50, 56, 62, 68),
}
"""How far the lower deviation of a shaft lies above nominal, µm."""
_FINE_RANGES = (3, 6, 10, 18, 30, 50, 65, 80, 100, 120, 140, 160, 180, 200, 225, 250, 280, 315, 355, 400, 450, 500)
_FINE_ABOVE: dict[str, tuple[int, ...]] = {
    "r": (10, 15, 19, 23, 28, 34, 41, 43, 51, 54, 63, 65, 68, 77, 80, 84, 94, 98, 108, 114, 126, 132),
    "s": (14, 19, 23, 28, 35, 43, 53, 59, 71, 79, 92, 100, 108, 122, 130, 140, 158, 170, 190, 208, 232, 252),
}
_CODE = re.compile(r"^([a-zA-Z]{1,2})\s?([0-9]{1,2})$")
LETTERS = ("d", "e", "f", "g", "h", "js", "k", "m", "n", "p", "r", "s")


def _unknown(code: str, why: str) -> InspectionError:
    return InspectionError(f"{code} is not in the tables: {why}", "", "Type the two deviations, as +0.025 0")


def _row(size: float, ranges: tuple[int, ...]) -> int:
    return bisect_left(ranges, size)


def standard_tolerance(size: float, grade: int) -> float:
    """IT of a grade for a nominal size, mm (ISO 286-1, table 1). Raises InspectionError: outside the tables."""
    if not 0 < size <= _RANGES[-1]:
        raise _unknown(f"IT{grade} of {bare(size)}", "they go to 500 mm")
    if grade not in _GRADES:
        raise _unknown(f"IT{grade}", "they have IT5 to IT16")
    return _GRADES[grade][_row(size, _RANGES)] / 1000


def deviations(size: float, code: str) -> tuple[float, float]:
    """Lower and upper deviation, mm, of a tolerance class such as H7 or g6 for a nominal size, mm.

    Raises:
        InspectionError: it is none, or outside the tables.
    """
    found = _CODE.match(code.strip())
    if found is None or not (found[1].islower() or found[1].isupper()):
        raise _unknown(code[:12], "that is no letter and grade")
    letter, grade = found[1].lower(), int(found[2])
    if letter not in LETTERS:
        raise _unknown(code, f"they have the letters {', '.join(LETTERS)}")
    width = standard_tolerance(size, grade)
    if letter == "js":
        return -width / 2, width / 2
    if found[1].islower():
        return _shaft(size, letter, grade, width)
    return _hole(size, letter, grade, width, code)


def _shaft(size: float, letter: str, grade: int, width: float) -> tuple[float, float]:
    if letter in _BELOW:
        upper = -_BELOW[letter][_row(size, _RANGES)] / 1000
        return round(upper - width, 6), upper
    lower = _above(size, letter) / 1000
    if letter == "k" and grade > 7:
        lower = 0.0
    return lower, round(lower + width, 6)


def _above(size: float, letter: str) -> int:
    if letter in _FINE_ABOVE:
        return _FINE_ABOVE[letter][_row(size, _FINE_RANGES)]
    return _ABOVE[letter][_row(size, _RANGES)]


def _hole(size: float, letter: str, grade: int, width: float, code: str) -> tuple[float, float]:
    if letter in _BELOW:
        lower = _BELOW[letter][_row(size, _RANGES)] / 1000
        return lower, round(lower + width, 6)
    by_rule = grade <= (8 if letter in "kmn" else 7)
    own = 0 if letter == "k" and grade > 7 and not by_rule else _above(size, letter)
    if letter == "k" and not by_rule and size > 3:
        raise _unknown(code, "K has grades to 8 above 3 mm")
    if letter == "n" and not by_rule and size > 3:
        return -width, 0.0
    if size <= 3 or not by_rule:
        upper = -own / 1000
        return round(upper - width, 6), upper
    if grade - 1 not in _GRADES:
        raise _unknown(code, "their grades begin at 6 for this letter")
    # The hole is as tight as the next finer shaft: its deviation is raised by the difference of the two tolerances.
    upper = -own / 1000 + width - standard_tolerance(size, grade - 1)
    if letter == "m" and grade == 6 and 250 < size <= 315:
        upper = -0.009  # the one exception of the rule, ISO 286-1, 4.3.2.6
    return round(upper - width, 6), round(upper, 6)


General = Literal["f", "m", "c", "v"]
_LINEAR_RANGES = (3, 6, 30, 120, 400, 1000, 2000, 4000)
_LINEAR: dict[str, tuple[float | None, ...]] = {
    "f": (0.05, 0.05, 0.1, 0.15, 0.2, 0.3, 0.5, None),
    "m": (0.1, 0.1, 0.2, 0.3, 0.5, 0.8, 1.2, 2.0),
    "c": (0.2, 0.3, 0.5, 0.8, 1.2, 2.0, 3.0, 4.0),
    "v": (None, 0.5, 1.0, 1.5, 2.5, 4.0, 6.0, 8.0),
}
_ANGLE_RANGES = (10, 50, 120, 400)
_ANGULAR: dict[str, tuple[float, ...]] = {
    "f": (60, 30, 20, 10, 5),
    "m": (60, 30, 20, 10, 5),
    "c": (90, 60, 30, 15, 10),
    "v": (180, 120, 60, 30, 20),
}
"""Minutes of arc, by the length of the shorter leg."""


def general_tolerance(size: float, of: General) -> float:
    """How far a length may lie off, each way, mm, where no tolerance stands at it (ISO 2768-1, table 1).

    Raises:
        InspectionError: the standard gives none for it.
    """
    row = _row(abs(size), _LINEAR_RANGES)
    limit = _LINEAR[of][row] if abs(size) >= 0.5 and row < len(_LINEAR_RANGES) else None
    if limit is None:
        raise InspectionError(
            f"ISO 2768-{of} gives nothing for {bare(size)} mm", "Its tables end there", "Type the two deviations"
        )
    return limit


def general_angle(leg: float, of: General) -> float:
    """How far an angle may lie off, each way, degrees, by its shorter leg, mm (ISO 2768-1, table 3)."""
    return _ANGULAR[of][_row(leg, _ANGLE_RANGES)] / 60
