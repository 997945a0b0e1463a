"""Marking on the bench what is to be measured: the rose, features pointed at, and the figures that go with them."""

from __future__ import annotations

import math
from dataclasses import replace

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.tui.bench.hands import HandView
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.entry import Question

_LIMITS = {
    "size": (0.5, 1000.0),
    "size_y": (0.5, 1000.0),
    "depth": (0.01, 300.0),
    "repeats": (1.0, 9.0),
    "spread": (2.0, 1000.0),
    "heading": (-360.0, 360.0),
}
"""Of typed figures, by field: lengths in mm, headings in degrees."""


class MarkingView(HandView):
    """What of the bench says what to measure."""

    def point(self, step: int) -> None:
        """Point at the next drawn feature; those the chosen offset needs come first."""
        from brisk_anchor.services.measure.measurement_request import point_at

        desk = self.free_desk()
        if desk is None:
            return
        setup = desk.workshop.setup
        wanted = desk.workshop.missing(desk.row)
        order = [item for item in setup.features if not item.of]
        order.sort(key=lambda item: wanted.index(item.name) if item.name in wanted else len(wanted))
        at = order.index(desk.asking.drawn) + step if desk.asking and desk.asking.drawn else 0
        desk.asking = point_at(setup, order[at % len(order)])
        self.owner.show_all()

    def on_drawing_pointed(self, message: Drawing.Pointed) -> None:
        """A click on the plan points at the nearest feature of the drawing."""
        from brisk_anchor.services.measure.measurement_request import NEARBY, point_at

        desk = self.free_desk()
        if desk is None:
            return
        near = [
            (math.dist((message.x, message.y), drawn.machine[:2]), drawn)
            for drawn in desk.workshop.setup.features
            if not drawn.of
        ]
        distance, chosen = min(near, key=lambda item: item[0])
        if distance <= NEARBY:
            desk.asking = point_at(desk.workshop.setup, chosen)
            self.owner.show_all()
        else:
            self.owner.tell("No feature of the drawing lies there.", "Click on one, or press f.", "ask")

    def _marked(self, rose: TouchPattern) -> None:
        from brisk_anchor.services.measure.measurement_request import MeasurementRequest

        desk = self.free_desk()
        if desk is None:
            return
        old = desk.asking
        if old is not None and old.drawn is None:
            desk.asking = replace(old, rose=rose)
        else:
            desk.asking = MeasurementRequest(rose=rose, start=desk.workshop.machine.position)
        self.owner.show_all()

    @property
    def _rose(self) -> TouchPattern:
        desk = self.desk
        return desk.asking.rose if desk and desk.asking else TouchPattern()

    def mark(self, name: str) -> None:
        """Mark or unmark metal on one side."""
        walls = {"up": Wall.UP, "down": Wall.DOWN, "left": Wall.LEFT, "right": Wall.RIGHT, "below": Wall.BELOW}
        self._marked(self._rose.toggle(walls[name]))

    def all_round(self) -> None:
        """Mark all four sides, round."""
        self._marked(self._rose.all_round())

    def stance(self) -> None:
        """Inside or over."""
        self._marked(replace(self._rose, over=not self._rose.over))

    def form(self) -> None:
        """Round or straight."""
        self._marked(replace(self._rose, round=not self._rose.round))

    def clear(self) -> None:
        """Take all marks off."""
        if (desk := self.free_desk()) is not None:
            desk.asking = None
            desk.places = []
            self.owner.show_all()

    def figure(self, after: str = "") -> None:
        """Type a figure of what is asked for: the missing one first, or the one after `after`."""
        desk = self.free_desk()
        asking = desk.present_asking() if desk else None
        kind = asking.rose.read().kind if asking else None
        if desk is None or asking is None or kind is None:
            self.owner.tell("Mark a feature first, then type its figures.", "", "ask")
            return
        fields = {**asking.figures(), **asking.optional()}
        names = list(fields)
        empty = [name for name in asking.figures() if asking.figure(fields[name]) is None]
        name = names[(names.index(after) + 1) % len(names)] if after in names else (empty or names)[0]
        proposed = desk.measurement()
        present = asking.figure(fields[name])
        if name == "search" and present is None and proposed is not None:
            present = proposed.search

        def answer(value: float) -> None:
            held = desk.asking if desk.asking is not None else asking
            try:
                desk.asking = held.with_figure(fields[name], value)
            except BriskAnchorError as error:
                self.owner.complain(error)
                return
            self.owner.show_all()

        low, high = _LIMITS.get(fields[name].split()[0], (0.1, 500.0))
        self.owner.ask(Question(name, present, low, high, answer))
