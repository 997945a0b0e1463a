"""The G and M codes whose meaning is the same on every control here, in groups of which a block may hold one each."""

from __future__ import annotations

_GROUPS: dict[str, tuple[float, ...]] = {
    "motion": (0, 1, 2, 3, 38.2, 38.3, 38.4, 38.5, 80),
    "plane": (17, 18, 19),
    "distance": (90, 91),
    "feed mode": (93, 94, 95),
    "units": (20, 21),
    "radius compensation": (40,),
    "tool length": (43, 43.1, 49),
    "offset": (54, 55, 56, 57, 58, 59, 59.1, 59.2, 59.3, 54.1),
    "path": (61, 64),
    "rotation": (68, 69),
}
_ONE_BLOCK = (4, 10, 28, 30, 31, 52, 53, 65, 92, 92.1, 92.2, 92.3)
GROUP_OF: dict[float, str] = {code: group for group, codes in _GROUPS.items() for code in codes} | {
    code: "machine coordinates" if code == 53 else "one block" for code in _ONE_BLOCK
}
M_GROUP_OF: dict[float, str] = {
    **dict.fromkeys((0, 1, 2, 30, 98, 99), "program"),
    **dict.fromkeys((3, 4, 5, 19), "spindle"),
    **dict.fromkeys((7, 8, 9), "coolant"),
    6: "tool change",
}
STRAIGHT_PROBES = (38.2, 38.3, 38.4, 38.5)
"""Probing moves of RS-274/NGC: towards contact or away from it, with and without an alarm where none comes."""
SKIP_CODES = (31, *STRAIGHT_PROBES)
"""Moves until the probe signals that are known by their code; a profile may name others."""
_CYCLES = (41, 42, 50, 51, 66, 67, 70, 71, 72, 73, 74, 76, *range(81, 90), 96, 97, 98, 99)
MEANS_ELSE = (frozenset(GROUP_OF) | frozenset(map(float, _CYCLES)) | {68.2}) - frozenset(SKIP_CODES)
"""Codes that no control may use for a probing move: they cut, turn, or change what the next block means."""
