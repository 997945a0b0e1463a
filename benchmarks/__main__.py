"""Run all benchmarks, or those named: `python -m benchmarks accuracy speed`."""

from __future__ import annotations

import sys

from benchmarks import (
    accuracy,
    contact,
    coverage,
    description,
    extents,
    fixtures,
    fuzz,
    inspection,
    lathes,
    links,
    memory,
    mutants,
    orders,
    plans,
    readers,
    rows,
    shapes,
    speed,
    start,
    strength,
    turning,
    wander,
    weaves,
)

ALL = {
    "accuracy": accuracy.main,
    "contact": contact.main,
    "coverage": coverage.main,
    "description": description.main,
    "plans": plans.main,
    "readers": readers.main,
    "rows": rows.main,
    "shapes": shapes.main,
    "speed": speed.main,
    "start": start.main,
    "extents": extents.main,
    "fixtures": fixtures.main,
    "fuzz": fuzz.main,
    "inspection": inspection.main,
    "lathes": lathes.main,
    "links": links.main,
    "memory": memory.main,
    "mutants": mutants.main,
    "orders": orders.main,
    "strength": strength.main,
    "turning": turning.main,
    "wander": wander.main,
    "weaves": weaves.main,
}


def main() -> None:
    """Run and print."""
    args = sys.argv[1:]
    values = {n + 1 for n, arg in enumerate(args) if arg.startswith("--")}
    names = [arg for n, arg in enumerate(args) if not arg.startswith("-") and n not in values]
    for name in names or list(ALL):
        print(f"== {name}")
        ALL[name]()


main()
