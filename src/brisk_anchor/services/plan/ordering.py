"""The order of measurements: the shortest way; those that share a table angle or a clear height stay together."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import accumulate, groupby, pairwise, permutations
from typing import TypeVar

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import entry, leaving
from brisk_anchor.core.offsets.setup import Machine
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.standin.motion import move_seconds

Item = TypeVar("Item")
Group = tuple[tuple[tuple[str, float], ...], float]
"""A table angle and, highest first, a clear height."""
_MOST_GROUPS = 5
"""Of so many groups every order is tried; of more the highest comes first."""
_MOST_LOOKS = 4_000_000
"""Of large groups so many looks for the nearest place are made: not every place is tried as the first."""
_MOST_TURNS = 30_000
"""Of large groups not every order is improved, but the shortest: one look at each pair of places for so many pairs."""
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
    places = [measurement_of(item) for item in items]
    count = len(places)
    between = [[cost(a, b) for b in places] for a in places]
    legs = Legs(
        between,
        [*zip(*between, strict=True)],
        [cost(before, place) for place in places],
        [cost(place, None) if home else 0.0 for place in places],
    )
    begins = range(0, count, math.ceil(count**3 / _MOST_LOOKS) if count else 1)
    found = sorted((legs.nearest_from(first) for first in begins), key=legs.length)
    best = list(range(count))
    for order in found[: max(1, _MOST_TURNS // max(1, count * count))]:
        order = legs.improved(order)
        best = order if legs.length(order) < legs.length(best) - 1e-9 else best
    return [items[n] for n in best]


@dataclass(frozen=True, slots=True)
class Legs:
    """What it costs to go from each place to each, onto each from each, to each first, and home from each last, s."""

    between: Sequence[Sequence[float]]
    onto: Sequence[Sequence[float]]
    first: Sequence[float]
    last: Sequence[float]

    def length(self, order: Sequence[int]) -> float:
        """What an order of all places costs."""
        if not order:
            return 0.0
        return self.first[order[0]] + sum(self.between[a][b] for a, b in pairwise(order)) + self.last[order[-1]]

    def nearest_from(self, first: int) -> list[int]:
        """An order that begins with a place, the nearest always next."""
        left, order = [n for n in range(len(self.first)) if n != first], [first]
        while left:
            following = min(left, key=self.between[order[-1]].__getitem__)
            order.append(following)
            left.remove(following)
        return order

    def improved(self, order: list[int]) -> list[int]:
        """Turn pieces round and move single ones while that makes it shorter.

        What a change gains follows from its ends, and of a piece that is turned from sums along the order both ways: a
        look costs the same however long the order is.
        """
        better = True
        while better:
            better = False
            for i in range(len(order)):
                ahead, back = self._sums(order)
                for j in range(i + 1, len(order)):
                    turned, moved = self._gains(order, ahead, back, i, j)
                    if max(turned, moved) > 1e-9:
                        piece = order[i : j + 1]
                        piece = piece[::-1] if turned >= moved else [*piece[1:], piece[0]]
                        order = [*order[:i], *piece, *order[j + 1 :]]
                        ahead, back = self._sums(order)
                        better = True
        return order

    def _sums(self, order: Sequence[int]) -> tuple[list[float], list[float]]:
        """What it costs to come to each place of an order from its first, and to go back from each to the first."""
        ahead = accumulate((self.between[a][b] for a, b in pairwise(order)), initial=0.0)
        back = accumulate((self.between[b][a] for a, b in pairwise(order)), initial=0.0)
        return list(ahead), list(back)

    def _gains(
        self, order: Sequence[int], ahead: Sequence[float], back: Sequence[float], i: int, j: int
    ) -> tuple[float, float]:
        """What it gains to turn the piece from `i` to `j` round, and to move its first behind its last."""
        between, a, b = self.between, order[i], order[j]
        into = between[order[i - 1]] if i else self.first
        out = self.onto[order[j + 1]] if j + 1 < len(order) else self.last
        now = into[a] + ahead[j] - ahead[i] + out[b]
        turned = into[b] + back[j] - back[i] + out[a]
        moved = into[order[i + 1]] + ahead[j] - ahead[i + 1] + between[b][a] + out[a]
        return now - turned, now - moved
