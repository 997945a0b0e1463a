"""The order of measurements: the shortest way; those that share a table angle or a clear height stay together."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import groupby, pairwise, permutations
from typing import TypeVar

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import entry, leaving
from brisk_anchor.core.offsets.setup import Machine
from brisk_anchor.standin.motion import move_seconds

Item = TypeVar("Item")
Group = tuple[tuple[tuple[str, float], ...], float]
"""A table angle and, highest first, a clear height."""
_MOST_GROUPS = 5
"""Of so many groups every order is tried; of more the highest comes first."""
Cost = Callable[[Measurement | None, Measurement | None], float]


def way_seconds(machine: Machine) -> Cost:
    """The time a rapid takes from one measurement to the next, home being None: across at the higher clear height.

    Where a rotary axis turns in between the tool goes by way of home.
    """
    rates = {axis.letter: axis.rapid / 60 for axis in machine.rotary}
    ends: dict[int, tuple[Measurement, tuple[float, float], tuple[float, float]]] = {}

    def ends_of(m: Measurement) -> tuple[Measurement, tuple[float, float], tuple[float, float]]:
        """Where it is come to and left; looked up for every order that is tried, so worked out once."""
        if id(m) not in ends:
            ends[id(m)] = (m, entry(m), leaving(m))
        return ends[id(m)]

    def leg(a: Measurement | None, b: Measurement | None) -> float:
        x0, y0, z0 = machine.home if a is None else (*ends_of(a)[2], a.clear_z)
        x1, y1, z1 = machine.home if b is None else (*ends_of(b)[1], b.clear_z)
        turned = 0.0
        if a is not None and b is not None and a.options.table != b.options.table:
            angles = dict(a.options.table)
            turned = max(abs(angle - angles.get(letter, 0.0)) / rates[letter] for letter, angle in b.options.table)
        level = machine.home[2] if turned else max(z0, z1)
        steps = (level - z0, math.hypot(x1 - x0, y1 - y0), level - z1)
        return turned + sum(move_seconds(step, machine.rapid, machine.acceleration) for step in steps)

    return leg


def way(measurements: Sequence[Measurement]) -> float:
    """How far the tip goes over the part from feature to feature, mm."""
    return sum(math.dist(leaving(a), entry(b)) for a, b in pairwise(measurements))


def shortest(steps: Sequence[Item], machine: Machine, measurement_of: Callable[[Item], Measurement]) -> list[Item]:
    """The same in the order with the shortest way from home and back, or one hardly longer.

    Measurements at one table angle stay together, and of those the ones with one clear height, so that the table turns
    and the probe goes up and down as seldom as they can. Within a group the nearest comes next, from each beginning;
    then pieces are turned and single ones moved while that helps.
    """
    cost = way_seconds(machine)
    groups: dict[Group, list[Item]] = {}
    for step in steps:
        m = measurement_of(step)
        groups.setdefault((m.options.table, -round(m.clear_z, 6)), []).append(step)
    highest = sorted(groups)
    orders = filter(_together, permutations(highest)) if len(highest) <= _MOST_GROUPS else [tuple(highest)]
    best: list[Item] = []
    least = math.inf
    for order in orders:
        found: list[Item] = []
        for number, group in enumerate(order):
            before = measurement_of(found[-1]) if found else None
            last = number == len(order) - 1
            found += _group(groups[group], before, cost, measurement_of, home=last)
        total = _total([None, *map(measurement_of, found), None], cost)
        if total < least - 1e-9:
            best, least = found, total
    return best


def _together(order: Sequence[Group]) -> bool:
    """Whether the table is turned to each angle once."""
    return len(list(groupby(table for table, _ in order))) == len({table for table, _ in order})


def _total(places: Sequence[Measurement | None], cost: Cost) -> float:
    return sum(cost(a, b) for a, b in pairwise(places))


def _group(
    items: Sequence[Item],
    before: Measurement | None,
    cost: Cost,
    measurement_of: Callable[[Item], Measurement],
    *,
    home: bool,
) -> list[Item]:
    """One group in a short order, coming from a measurement (None is home), and going home where it is the last."""

    def length(order: Sequence[Item]) -> float:
        places = [before, *map(measurement_of, order)]
        return _total([*places, None] if home else places, cost)

    best = list(items)
    for first in items:
        left, order = [item for item in items if item is not first], [first]
        while left:
            here = measurement_of(order[-1])
            following = min(left, key=lambda item: cost(here, measurement_of(item)))
            order.append(following)
            left.remove(following)
        order = _improved(order, length)
        best = order if length(order) < length(best) - 1e-9 else best
    return best


def _improved(order: list[Item], length: Callable[[Sequence[Item]], float]) -> list[Item]:
    """Turn pieces round and move single ones while that makes it shorter."""
    now, better = length(order), True
    while better:
        better = False
        for i in range(len(order)):
            for j in range(i, len(order)):
                turned = order[:i] + order[i : j + 1][::-1] + order[j + 1 :]
                rest = order[:i] + order[i + 1 :]
                moved = [*rest[:j], order[i], *rest[j:]]
                for other in (turned, moved):
                    if (found := length(other)) < now - 1e-9:
                        order, now, better = other, found, True
    return order
