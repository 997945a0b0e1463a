"""A part file with something of every kind on it, for tests that measure it on the stand-in."""

from __future__ import annotations

from collections.abc import Iterable

_SOLIDS = """
form = "brisk-anchor-part-1"
units = "mm"
name = "{name}"
[variation]
shift = [0.8, 0.8, 0.05]
[[solid]]
name = "plate"
shape = "block"
low = [0.0, 0.0]
high = [160.0, 100.0]
bottom = -35.0
top = 0.0
holes = [{{ at = [130.0, 75.0], diameter = 30.0 }}]
slots = [{{ low = [10.0, 20.0], high = [70.0, 60.0], depth = 15.0 }}, {{ low = [90.0, 10.0], high = [102.0, 90.0] }}]
[[solid]]
name = "island"
shape = "block"
low = [116.0, 30.0]
high = [150.0, 52.0]
bottom = 0.0
top = 20.0
[[solid]]
name = "ball"
shape = "ball"
centre = [35.0, 82.0]
bottom = 2.0
top = 22.0
"""


def part_file(name: str, features: Iterable[str]) -> str:
    """A plate with a pocket, a slot, a bore, an island and a ball on it, and what is drawn on that."""
    return _SOLIDS.format(name=name) + "".join(features)


def feature(name: str, kind: str, place: tuple[float, float, float], more: str, solid: str = "plate") -> str:
    """A feature of the part file."""
    lines = f'name = "{name}"\ntitle = "{name}"\nkind = "{kind}"\nsolid = "{solid}"\nplace = {list(place)}\n{more}\n'
    return f"[[feature]]\n{lines}"


def offset(row: str, **rules: str) -> str:
    """An offset of the job file; rules by axis, without their braces."""
    lines = "".join(f"{axis} = {{ {rule} }}\n" for axis, rule in rules.items())
    return f'[[offset]]\nrow = "{row}"\ntitle = "sample {row}"\njump_limit = 8.0\n{lines}'
