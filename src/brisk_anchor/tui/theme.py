"""Colours: sea-glass for what is live and sound, sand for what waits, coral for danger; the ground as the place needs.

Three palettes: deep slate, stone for bright shops, high contrast. Which one holds is decided once, before the
first picture: by BRISK_ANCHOR_THEME (`--theme` sets it), else by what the terminal says of its own ground.
"""

from __future__ import annotations

import os

from textual.theme import Theme

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.paths import THEME_VARIABLE, THEMES
from brisk_anchor.tui.ground import is_light


@dataclass(frozen=True, slots=True)
class ColourSet:
    """One set of colours; `chosen` lies behind what is chosen, so that colours are left for states."""

    name: str
    dark: bool
    ground: str
    raised: str
    rule: str
    text: str
    quiet: str
    faint: str
    live: str
    sand: str
    coral: str
    chosen: str
    part: str
    fixture: str
    table_ground: str
    fixture_ground: str
    part_ground: str


_SLATE = ColourSet(
    "slate",
    dark=True,
    ground="#14202a",
    raised="#1a2934",
    rule="#2e4250",
    text="#d8e2e4",
    quiet="#8ca2ad",
    faint="#4c6472",
    live="#7fd4b8",
    sand="#e6c88f",
    coral="#ff8d78",
    chosen="#3d5766",
    part="#c9d6da",
    fixture="#7593a2",
    table_ground="#182530",
    fixture_ground="#1e303c",
    part_ground="#33474f",
)
_STONE = ColourSet(
    "stone",
    dark=False,
    ground="#f1f0ea",
    raised="#e5e5dd",
    rule="#b4bab6",
    text="#17262d",
    quiet="#4f626a",
    faint="#93a09f",
    live="#0b6a55",
    sand="#7d5200",
    coral="#b02a14",
    chosen="#c3cfcd",
    part="#22353d",
    fixture="#5d7480",
    table_ground="#e9e8e0",
    fixture_ground="#dcdfd9",
    part_ground="#c6d0cf",
)
_CONTRAST = ColourSet(
    "contrast",
    dark=True,
    ground="#000000",
    raised="#101a20",
    rule="#7f97a3",
    text="#ffffff",
    quiet="#cfdbe0",
    faint="#8fa3ad",
    live="#6ffcd0",
    sand="#ffdf7a",
    coral="#ff9a86",
    chosen="#28536b",
    part="#ffffff",
    fixture="#b7ccd6",
    table_ground="#0a0f12",
    fixture_ground="#13212a",
    part_ground="#27424e",
)
PALETTES = {palette.name: palette for palette in (_SLATE, _STONE, _CONTRAST)}
assert tuple(PALETTES) == THEMES


def chosen_palette(environment: dict[str, str] | os._Environ[str]) -> ColourSet:
    """The palette that a person asked for, else the one for the terminal's own ground, where it tells.

    It does by COLORFGBG, or when it is asked.
    """
    if (wanted := environment.get(THEME_VARIABLE, "")) in PALETTES:
        return PALETTES[wanted]
    if told := environment.get("COLORFGBG", "").rpartition(";")[2]:
        return _STONE if told in ("7", "15") else _SLATE
    return _STONE if is_light(environment) else _SLATE


HOLDS = chosen_palette(os.environ)
"""The palette of this process."""
GROUND, RAISED, RULE = HOLDS.ground, HOLDS.raised, HOLDS.rule
TEXT, QUIET, FAINT = HOLDS.text, HOLDS.quiet, HOLDS.faint
LIVE, SAND, CORAL = HOLDS.live, HOLDS.sand, HOLDS.coral
CHOSEN, PART, FIXTURE = HOLDS.chosen, HOLDS.part, HOLDS.fixture
TABLE_GROUND, FIXTURE_GROUND, PART_GROUND = HOLDS.table_ground, HOLDS.fixture_ground, HOLDS.part_ground

SHOWN = Theme(
    name=f"brisk-{HOLDS.name}",
    primary=LIVE,
    secondary=SAND,
    accent=SAND,
    warning=SAND,
    error=CORAL,
    success=LIVE,
    foreground=TEXT,
    background=GROUND,
    surface=GROUND,
    panel=RAISED,
    dark=HOLDS.dark,
    variables={"input-cursor-background": SAND, "input-selection-background": f"{SAND} 30%"},
)

STATE_SHAPES = {
    "not measured": ("○", QUIET),
    "part": ("◔", SAND),
    "typed": ("◇", SAND),
    "measured": ("◑", SAND),
    "stored": ("◕", LIVE),
    "proved": ("●", LIVE),
    "stale": ("◌", CORAL),
    "not written": ("△", SAND),
    "differs": ("≠", CORAL),
}
"""Each state by a shape that fills up as the chain does, and a colour; the word stands beside it."""
ENTRY_SHAPES = STATE_SHAPES | {
    "holds again": ("◕", LIVE),
    "locked": ("■", SAND),
    "unlocked": ("□", QUIET),
    "limit": ("↔", QUIET),
    "named": ("¶", QUIET),
    "snapshot": ("◎", QUIET),
}
"""The same for every kind of entry."""
