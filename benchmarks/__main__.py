"""Run all benchmarks, or those named: `python -m benchmarks accuracy speed`."""

from __future__ import annotations

import sys

from benchmarks import accuracy, contact, description, extents, fuzz, plans, shapes, speed, start, strength

ALL = {
    "accuracy": accuracy.main,
    "contact": contact.main,
    "description": description.main,
    "plans": plans.main,
    "shapes": shapes.main,
    "speed": speed.main,
    "start": start.main,
    "extents": extents.main,
    "fuzz": fuzz.main,
    "strength": strength.main,
}


def main() -> None:
    """Run and print."""
    for name in [name for name in sys.argv[1:] if not name.startswith("-")] or list(ALL):
        print(f"== {name}")
        ALL[name]()


main()
