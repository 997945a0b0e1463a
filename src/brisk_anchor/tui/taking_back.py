"""Taking a declaration back, on the bench and on the shelf."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from brisk_anchor.tui.base import Stage
    from brisk_anchor.tui.view_state import ViewState


def take_back(stage: Stage, view_state: ViewState) -> None:
    """Take the last declaration back and tell what holds again; or why it cannot be."""

    def work() -> tuple[str, str]:
        from brisk_anchor.services.session.tool_shelf import take_back as taken_back

        last, view_state.handed = taken_back(view_state.session)
        view_state.request = None
        rows = f"{', '.join(last.rows)} and " if last.rows else ""
        mark = (
            " Take the mark off the control: ⟨4⟩, then ⟨machine:o⟩ and ⟨machine:Space⟩."
            if view_state.handed is not None
            else ""
        )
        return f"Taken back: {last.words}.", f"{rows}what was measured before holds again.{mark}"

    stage.attempt(work)
