"""Taking a declaration back, on the bench and on the shelf."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from brisk_anchor.tui.base import Stage
    from brisk_anchor.tui.view_state import ViewState


def take_back(stage: Stage, view_state: ViewState) -> None:
    """Take the last declaration back and tell what holds again; or why it cannot be."""

    def work() -> tuple[str, str]:
        last = view_state.session.editor.take_back()
        view_state.request = None
        rows = f"{', '.join(last.rows)} and " if last.rows else ""
        return f"Taken back: {last.words}.", f"{rows}what was measured before holds again."

    stage.attempt(work)
