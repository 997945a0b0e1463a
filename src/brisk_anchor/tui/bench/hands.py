"""Measuring by hand on the bench: which tool, and one figure after another from the control's screen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.quantities import bare, deg, expanded, shown_unit, signed_deg, signed_dim
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import Question, Words
from brisk_anchor.tui.view_state import ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.features.feature import Feature
    from brisk_anchor.services.measure.by_hand import ByHand


class HandMeasuring:
    """What of the bench is done by hand, and what every way of measuring tells at its end."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage

    def ask_figure(self, view_state: ViewState, by_hand: ByHand) -> None:
        """Ask for what the control shows at the next touch; take the feature after the last."""
        prompt = by_hand.prompt()
        reading = view_state.session.positions.read()
        stands: float | None = None
        if reading is not None and reading.live and reading.settled and prompt.axis:
            i = "xyz".index(prompt.axis)
            stands = reading.spindle[i] - by_hand.frame.zero[i]

        def answer(figure: float) -> None:
            more = by_hand.typed(figure)
            if not more.complete:
                self.ask_figure(view_state, more)
                return
            try:
                measured = view_state.session.runner.take_by_hand(more)
            except BriskAnchorError as error:
                self.stage.show_all(keep_prompt=True)
                self.stage.complain(error)
                return
            view_state.request = None
            self.tell_measured(view_state, measured.feature, more.request.title, more.told())

        note = f"{prompt.read}; {prompt.sign}"
        present = prompt.present if prompt.present is not None else stands
        enter = stands
        self.stage.ask(Question(prompt.label, present, -FURTHEST, FURTHEST, answer, note, enter))

    def calibrate(self) -> None:
        """Calibrate the probe on the feature that was measured last: asks for its certified figure and the ± of it."""
        view_state = self.stage.free()
        if view_state is None:
            return
        last = view_state.session.working.last_measured
        if last is None or last.measurement is None:
            self.stage.tell(
                "Measure a ring, a disc or a face of known figure first.", "⟨f⟩ points, Enter measures.", "ask"
            )
            return
        title = last.measurement.title
        session = view_state.session
        from brisk_anchor.services.session.certified_heights import FORMS, read_height, u_certified

        def spread(known: float, u_base: float = 0.0) -> None:
            note = "as the certificate states it, k = 2; 0 where it is taken as true"

            def both(twice: float) -> None:
                take(known, u_certified(twice, u_base))

            self.stage.ask(Question(f"± of {title}", None, 0.0, 1.0, both, note))

        def take(known: float, u: float) -> None:
            try:
                found = view_state.session.editor.calibrate(last.feature.name, known, u)
            except BriskAnchorError as error:
                self.stage.show_all(keep_prompt=True)
                self.stage.complain(error)
                return
            view_state.request = None
            self.stage.show_all(keep_prompt=True)
            was, now = (bare(value, 4) for value in (found.was, found.value))
            around = "  ".join(f"{deg(heading, 0)} {bare(radius, 4)}" for heading, radius in found.by_direction)
            kept = view_state.session.editor.where_tools_are_kept
            told = f"{found.what.capitalize()} {now} {shown_unit().value} {expanded(found.u)}, it was {was}."
            self.stage.tell(
                f"{told} Measure again: all is stale.",
                f"{around}  {kept}".strip(),
                "good",
            )

        if last.feature.size is not None:
            asked = f"certified diameter of {title}"
            self.stage.ask(Question(asked, last.feature.size, 0.0, FURTHEST, spread, "from the certificate"))
            return

        def weigh(words: str) -> str:
            height = read_height(session, words)
            return f"{height.words}: machine Z {signed_dim(height.z, 4)}"

        def height(words: str) -> None:
            found = read_height(session, words)
            spread(found.z, found.u)

        self.stage.ask(Words(f"certified height of {title}", FORMS, weigh, height))

    def way(self) -> None:
        """The next way of measuring: the probe, then each tool of the hand."""
        view_state = self.stage.free()
        if view_state is None:
            return
        ways = view_state.next_way()
        self.stage.show_all()
        if ways == 1:
            self.stage.tell("No tool of the hand is on the shelf.", "machine.toml has them as [[hand_tool]].", "ask")

    def tell_measured(self, view_state: ViewState, feature: Feature, title: str, more: str = "") -> None:
        """What was found, and the next thing to do."""
        self.stage.show_all()
        sentence, behind = self.stage.next_sentence()
        from brisk_anchor.core.offsets.checks import look_at_residuals
        from brisk_anchor.services.session.guide import levelling_words, size_words, value_words

        if view_state.session.link.turned_round:
            more += "The spindle stands turned half round: this only calibrates; ⟨6⟩, then ⟨tools:c⟩. "
        found = value_words(dict(zip(feature.axes, feature.coordinates, strict=True)))
        if looks := look_at_residuals(feature):
            self.stage.tell(f"{looks[0].found}.", f"{looks[0].do}. {looks[0].why}.", "bad")
            return
        if looks := view_state.session.working.scatter_to_tell():
            behind = f"{looks[0].found}. {looks[0].do}."
        more += f"{level[2:]}. " if (level := levelling_words(view_state.session, feature)) else ""
        square = f"  out of square {signed_deg(feature.square, 4)}" if feature.square is not None else ""
        self.stage.tell(f"{title}: {found}{size_words(feature)}{square}. {more}{sentence}", behind, "good")
