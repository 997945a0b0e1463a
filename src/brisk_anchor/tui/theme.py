"""Colours: deep slate ground, sea-glass for what is live and sound, sand for what waits, coral for danger."""

from __future__ import annotations

from textual.theme import Theme

GROUND = "#14202a"
RAISED = "#1a2934"
RULE = "#2e4250"
TEXT = "#d8e2e4"
QUIET = "#8ca2ad"
FAINT = "#4c6472"
LIVE = "#7fd4b8"
SAND = "#e6c88f"
CORAL = "#ff8d78"
CHOSEN = "#3d5766"
"""Behind what is chosen: a lighter slate, so that colours are left for states."""
PART = "#c9d6da"
FIXTURE = "#7593a2"
TABLE_GROUND = "#182530"
FIXTURE_GROUND = "#1e303c"
PART_GROUND = "#33474f"

SLATE = Theme(
    name="slate-and-sea-glass",
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
    dark=True,
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
