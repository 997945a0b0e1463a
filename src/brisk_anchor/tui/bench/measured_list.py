"""What is done with the list of what was measured: choose, rename, correct a typed figure, remove."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.quantities import signed_dim
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import LENGTH, Question, Words
from brisk_anchor.tui.view_state import ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.features.feature import Feature

CORRECTED = "correct "
"""What the name of a question begins with that corrects a typed figure."""


class MeasuredList:
    """The keys of the list under the bench's drawing."""

    def __init__(self, stage: Stage) -> None:
        self.stage = stage

    def _names(self, view_state: ViewState) -> list[str]:
        return [measured.feature.name for measured in view_state.session.working.listed()]

    def _chosen(self) -> tuple[ViewState, str] | None:
        """The chosen feature, the newest where none is; says so where there is none."""
        view_state = self.stage.free()
        if view_state is None:
            return None
        names = self._names(view_state)
        if not names:
            self.stage.tell("Nothing was measured since the last clamping.", "Mark metal, then Enter measures.", "ask")
            return None
        return view_state, view_state.chosen if view_state.chosen in names else names[-1]

    def choose(self, step: int) -> None:
        """Choose the feature before, or the next one."""
        if (found := self._chosen()) is not None:
            view_state, name = found
            names = self._names(view_state)
            view_state.chosen = names[(names.index(name) + step) % len(names)]
            self.stage.show_all(keep_prompt=True)

    def choose_named(self, wanted: str) -> None:
        """Choose a feature by its name, where it is still listed."""
        if (found := self._chosen()) is not None and wanted in self._names(found[0]):
            found[0].chosen = wanted
            self.stage.show_all(keep_prompt=True)

    def rename(self) -> None:
        """Rename the chosen feature."""
        from brisk_anchor.services.measure.found_features import name_of_found
        from brisk_anchor.services.session.feature_list import FeatureList

        if (found := self._chosen()) is None:
            return
        view_state, name = found
        others = [drawn.name for drawn in view_state.session.setup.features if drawn.name != name]

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                view_state.chosen = FeatureList(view_state.session).rename(name, words)
                return f"{name} is {view_state.chosen} now.", ""

            self.stage.attempt(work)

        hint = "letters, figures, spaces and hyphens; its chain and its programs call it so"
        self.stage.ask(Words(f"name of {name}", hint, lambda words: name_of_found(words, others), answer))

    def remove(self) -> None:
        """Forget the chosen feature."""
        from brisk_anchor.services.session.feature_list import FeatureList

        if (found := self._chosen()) is not None:
            view_state, name = found

            def work() -> tuple[str, str]:
                title = FeatureList(view_state.session).remove(name)
                view_state.chosen, view_state.request = None, None
                return f"{title} is forgotten.", ""

            self.stage.attempt(work)

    def read_again(self, feature: Feature) -> None:
        """Ask again for the figure of the first touch that may be off; Tab goes on to the next."""
        from brisk_anchor.services.measure.touch_again import suspects_of

        view_state = self.stage.free()
        if view_state is not None:
            view_state.chosen = feature.name
            typed = view_state.session.working.by_hand[feature.name]
            self.correct(at=typed.figure_of(min(suspects_of(feature), default=0)))

    def correct(self, after: str = "", at: int = 0) -> None:
        """Correct a figure that was typed for the chosen feature; Tab goes on to the next, the others stay."""
        from brisk_anchor.services.session.feature_list import FeatureList

        if (found := self._chosen()) is None:
            return
        view_state, name = found
        try:
            figures = FeatureList(view_state.session).figures(name)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        named = [f"{CORRECTED}{n}, {prompt.label.rpartition(', ')[2]}" for n, (prompt, _) in enumerate(figures, 1)]
        at = (named.index(after) + 1) % len(named) if after in named else at
        prompt, present = figures[at]

        def answer(figure: float) -> None:
            def work() -> tuple[str, str]:
                measured = FeatureList(view_state.session).correct(name, at, figure)
                view_state.chosen = measured.feature.name
                return f"{name}: {prompt.label} is {signed_dim(figure, 4)} now.", "What is set from it follows."

            self.stage.attempt(work)

        note = f"{prompt.read}; Tab goes to the next of {len(figures)}, Esc leaves them as they are"
        self.stage.ask(Question(named[at], present, -FURTHEST, FURTHEST, answer, note, unit=LENGTH))
