"""Where things are kept: the user's data folder, and the demo's own beside it."""

from __future__ import annotations

import os
from pathlib import Path

from brisk_anchor.nc.bounded import is_file

HOME_VARIABLE = "BRISK_ANCHOR_HOME"
THEME_VARIABLE = "BRISK_ANCHOR_THEME"
THEMES = ("slate", "stone", "contrast")
"""Colours of the screen: deep slate, stone for bright shops, high contrast."""
DEMO_SPEED = 6.0
"""How many times faster than a machine the demo's stand-in moves."""


def data_folder() -> Path:
    """The user's data folder; the variable BRISK_ANCHOR_HOME puts it elsewhere."""
    if home := os.environ.get(HOME_VARIABLE):
        return Path(home).absolute()
    import platformdirs

    return Path(platformdirs.user_data_dir("brisk-anchor", appauthor=False))


def demo_folder() -> Path:
    """The demo keeps its book and its files apart from the user's own."""
    return data_folder() / "demo"


def file_stem(name: str) -> str:
    """A name as part of a file's name: small letters and digits, anything else a hyphen."""
    return "".join(c if c.isalnum() else "-" for c in name.lower())


TURNING_NAME = "turning.toml"
"""The file of a job to turn."""


def turning_file_in(place: Path) -> Path | None:
    """The file of a job to turn: that file itself, or the one in a folder; None where there is none."""
    if is_file(place):
        return place if place.name == TURNING_NAME else None
    return place / TURNING_NAME if is_file(place / TURNING_NAME) else None
