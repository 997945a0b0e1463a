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

        view_state = self.free_desk()
        if view_state is None:
            return
        setup = view_state.session.setup
        wanted = view_state.session.rows.missing(view_state.row)
        order = [item for item in setup.features if not item.of]
        order.sort(key=lambda item: wanted.index(item.name) if item.name in wanted else len(wanted))
        at = order.index(view_state.request.drawn) + step if view_state.request and view_state.request.drawn else 0
        view_state.request = point_at(setup, order[at % len(order)])
        self.owner.show_all()

    def on_drawing_pointed(self, message: Drawing.Pointed) -> None:
        """A click on the plan points at the nearest feature of the drawing."""
        from brisk_anchor.services.measure.measurement_request import NEARBY, point_at

        view_state = self.free_desk()
        if view_state is None:
            return
        near = [
            (math.dist((message.x, message.y), drawn.machine[:2]), drawn)
            for drawn in view_state.session.setup.features
            if not drawn.of
        ]
        distance, chosen = min(near, key=lambda item: item[0])
        if distance <= NEARBY:
            view_state.request = point_at(view_state.session.setup, chosen)
            self.owner.show_all()
        else:
            self.owner.tell("No feature of the drawing lies there.", "Click on one, or press f.", "ask")

    def _marked(self, pattern: TouchPattern) -> None:
        from brisk_anchor.services.measure.measurement_request import MeasurementRequest

        view_state = self.free_desk()
        if view_state is None:
            return
        old = view_state.request
        if old is not None and old.drawn is None:
            view_state.request = replace(old, pattern=pattern)
        else:
            view_state.request = MeasurementRequest(pattern=pattern, start=view_state.session.link.spindle)
        self.owner.show_all()

    @property
    def _pattern(self) -> TouchPattern:
        view_state = self.view_state
        return view_state.request.pattern if view_state and view_state.request else TouchPattern()

    def mark(self, name: str) -> None:
        """Mark or unmark metal on one side."""
        walls = {"up": Wall.UP, "down": Wall.DOWN, "left": Wall.LEFT, "right": Wall.RIGHT, "below": Wall.BELOW}
        self._marked(self._pattern.toggle(walls[name]))

    def all_round(self) -> None:
        """Mark all four sides, round."""
        self._marked(self._pattern.all_round())

    def stance(self) -> None:
        """Inside or over."""
        self._marked(replace(self._pattern, over=not self._pattern.over))

    def form(self) -> None:
        """Round or straight."""
        self._marked(replace(self._pattern, round=not self._pattern.round))

    def clear(self) -> None:
        """Take all marks off."""
        if (view_state := self.free_desk()) is not None:
            view_state.request = None
            view_state.places = []
            self.owner.show_all()

    def figure(self, after: str = "") -> None:
        """Type a figure of what is asked for: the missing one first, or the one after `after`."""
        view_state = self.free_desk()
        request = view_state.present_request() if view_state else None
        kind = request.pattern.read().kind if request else None
        if view_state is None or request is None or kind is None:
            self.owner.tell("Mark a feature first, then type its figures.", "", "ask")
            return
        fields = {**request.figures(), **request.optional()}
        names = list(fields)
        empty = [name for name in request.figures() if request.figure(fields[name]) is None]
        name = names[(names.index(after) + 1) % len(names)] if after in names else (empty or names)[0]
        proposed = view_state.measurement()
        present = request.figure(fields[name])
        if name == "search" and present is None and proposed is not None:
            present = proposed.search

        def answer(value: float) -> None:
            held = view_state.request if view_state.request is not None else request
            try:
                view_state.request = held.with_figure(fields[name], value)
            except BriskAnchorError as error:
                self.owner.complain(error)
                return
            self.owner.show_all()

        low, high = _LIMITS.get(fields[name].split()[0], (0.1, 500.0))
        self.owner.ask(Question(name, present, low, high, answer))
