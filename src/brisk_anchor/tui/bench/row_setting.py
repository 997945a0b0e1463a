"""On the bench: which row is being set, and what it is set from."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import Words


class RowSettingLine:
    """The lines that choose the row being set, and say which measured feature gives which of its axes."""

    def __init__(self, stage: Stage, store: Callable[[], None]) -> None:
        """`store` begins the second look for the row that is being set."""
        self.stage = stage
        self._store = store

    def choose_row(self) -> None:
        """Choose the row being set, any that the control has; the active one stays as it is."""
        from brisk_anchor.services.session.guide import row_words

        view_state = self.stage.free()
        if view_state is None:
            return
        session, setter = view_state.session, view_state.session.setter

        def answer(words: str) -> None:
            view_state.choose_row(setter.read_row(words))
            self.stage.show_all()

        self.stage.ask(
            Words(
                "row being set",
                "↑ ↓ step through the control's rows, or type one: G59, 54.1 P7",
                lambda words: row_words(session, setter.read_row(words)),
                answer,
                view_state.row,
                lambda words, by: setter.stepped(words, -by),
                replaced=True,
            )
        )

    def set_from(self) -> None:
        """Say what the row is set from, with what is proposed; then comes the second look."""
        from brisk_anchor.services.session.guide import setting_words

        view_state = self.stage.free()
        if view_state is None:
            return
        session, setter, chosen = view_state.session, view_state.session.setter, view_state.chosen
        try:
            proposed = setter.proposed(view_state.row, chosen)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return

        def answer(words: str) -> None:
            try:
                setting = setter.read(words, chosen)
                setter.take(setting)
            except BriskAnchorError as error:
                self.stage.show_all(keep_prompt=True)
                self.stage.complain(error)
                return
            view_state.choose_row(setting.row)
            self.stage.show_all()
            self._store()

        self.stage.ask(
            Words(
                "set",
                "↑ ↓ row · X Y Z R with its position in the program · from 2: feature 2 of the list · allow 0.3",
                lambda words: setting_words(session, setter.read(words, chosen)),
                answer,
                proposed.words,
                lambda words, by: setter.stepped(words, -by),
            )
        )
