"""Marking on the bench what is to be measured: the rose, features pointed at, and the figures that go with them."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.touch_pattern import TouchPattern, Wall
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import LENGTH, Question, search

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.setup import DrawnFeature


class Marking:
    """What of the bench says what to measure."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage

    def point(self, step: int) -> None:
        """Point at the next drawn feature; those the chosen offset needs come first."""
        if order := self._order():
            at = self._pointed(order)
            self._point_at(order[(at + step) % len(order) if at >= 0 else 0])

    def find(self) -> None:
        """Point at a drawn feature by words of its title, or its balloon number."""
        if order := self._order():
            texts = [drawn.numbered_title for drawn in order]
            self.stage.ask(search(texts, self._pointed(order), lambda at: self._point_at(order[at])))

    def _order(self) -> list[DrawnFeature]:
        """What can be pointed at, those the chosen offset needs first; nothing, and said, where there is none."""
        view_state = self.stage.free()
        if view_state is None:
            return []
        wanted = view_state.session.rows.missing(view_state.row)
        order = [item for item in view_state.session.setup.features if not item.of]
        order.sort(key=lambda item: wanted.index(item.name) if item.name in wanted else len(wanted))
        if not order:
            self.stage.tell(
                "Nothing is drawn here to point at.", "Bring the tip near and mark metal with the arrow keys.", "ask"
            )
        return order

    def _pointed(self, order: list[DrawnFeature]) -> int:
        """Which of them is pointed at; -1 is none."""
        view_state = self.stage.view_state
        drawn = view_state.request.drawn if view_state and view_state.request else None
        return order.index(drawn) if drawn in order else -1

    def _point_at(self, drawn: DrawnFeature) -> None:
        if (view_state := self.stage.free()) is not None:
            view_state.request = view_state.session.planner.pointed_at(drawn)
            self.stage.show_all()

    def point_near(self, x: float, y: float) -> None:
        """Point at the feature of the drawing that is nearest to a place on the plan, machine mm."""
        from brisk_anchor.services.measure.measurement_request import NEARBY, nearest

        view_state = self.stage.free()
        if view_state is None:
            return
        chosen = nearest(view_state.standing(view_state.shown_angles)[0], x, y, NEARBY)
        if chosen is not None:
            self._point_at(chosen)
        else:
            self.stage.tell("No feature of the drawing lies there.", "Click on one, or press ⟨f⟩.", "ask")

    def _marked(self, pattern: TouchPattern) -> None:
        from brisk_anchor.services.measure.measurement_request import MeasurementRequest

        view_state = self.stage.free()
        if view_state is None:
            return
        old = view_state.request
        if old is not None and old.drawn is None:
            view_state.request = replace(old, pattern=pattern)
        else:
            view_state.request = MeasurementRequest(pattern=pattern, start=view_state.session.link.spindle)
        self.stage.show_all()

    @property
    def _pattern(self) -> TouchPattern:
        view_state = self.stage.view_state
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
        if (view_state := self.stage.free()) is not None:
            view_state.request = None
            view_state.places = []
            self.stage.show_all()

    def figure(self, after: str = "") -> None:
        """Type a figure of what is asked for: the first one, or the one after `after`."""
        from brisk_anchor.services.measure.measurement_request import limits_of, step_of, unit_of

        view_state = self.stage.free()
        request = view_state.present_request() if view_state else None
        kind = request.pattern.read().kind if request else None
        if view_state is None or request is None or kind is None:
            self.stage.tell("Mark a feature first, then type its figures.", "", "ask")
            return
        fields = {**request.figures(), **request.optional()}
        names = list(fields)
        name = names[(names.index(after) + 1) % len(names)] if after in names else names[0]
        proposed = view_state.measurement()
        present = request.figure(fields[name])
        if name == "search" and present is None and proposed is not None:
            present = proposed.search
        held = view_state.request if view_state.request is not None else request

        def shown(value: float) -> None:
            with suppress(BriskAnchorError):  # a step beyond what makes sense changes nothing
                view_state.request = held.with_figure(fields[name], value)
            self.stage.show_all(keep_prompt=True)

        def answer(value: float) -> None:
            try:
                view_state.request = held.with_figure(fields[name], value)
            except BriskAnchorError as error:
                self.stage.complain(error)
                return
            self.stage.show_all()

        low, high = limits_of(fields[name])
        unit = unit_of(fields[name])
        usual = "Tab goes to the next figure, Esc leaves"
        self.stage.ask(
            Question(
                name,
                present,
                low,
                high,
                answer,
                "" if unit is None else usual,
                unit=LENGTH if unit is None else unit,
                step=step_of(fields[name]),
                preview=shown,
            )
        )
