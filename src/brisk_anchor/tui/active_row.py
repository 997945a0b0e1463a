"""Asking which offset is active, where the control is not connected and cannot say so."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import Words


def with_active_row(stage: Stage, then: Callable[[], None]) -> None:
    """Go on at once where the control says which row is active; else ask what it shows, note it, and go on."""
    view_state = stage.view_state
    if view_state is None:
        return
    session = view_state.session
    if session.setup.machine.connected:
        then()
        return

    def answer(words: str) -> None:
        session.link.tell_active(session.setter.read_row(words))
        then()

    stage.ask(
        Words(
            "active on the control",
            "the offset that the control shows as active: work figures count from it",
            lambda words: f"{session.setter.read_row(words)} is taken as active",
            answer,
            session.active,
            lambda words, by: session.setter.stepped(words, -by),
            replaced=True,
        )
    )
