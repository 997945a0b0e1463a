"""How what is drawn is looked at: nearer, further, beside, with or without distances."""

from __future__ import annotations

from brisk_anchor.tui.base import View
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.view_state import ZOOMS


class DrawnView(View):
    """A view with a drawing; what is looked at stays the same from one to the next."""

    def show_motion(self) -> None:
        """The drawing alone."""
        raise NotImplementedError

    def zoom(self) -> None:
        """Show the set-up, the feature or the whole machine."""
        if self.view_state:
            self.view_state.zoom = ZOOMS[(ZOOMS.index(self.view_state.zoom) + 1) % len(ZOOMS)]
            self.view_state.magnify, self.view_state.pan = 1.0, (0.0, 0.0, 0.0)
            self.show_motion()

    def magnify(self, sense: int) -> None:
        """Look from nearer or further away."""
        if self.view_state:
            self.view_state.magnify = min(64.0, max(0.25, self.view_state.magnify * 2 ** (sense / 2)))
            self.show_motion()

    def pan(self, across: int, up: int) -> None:
        """Move what is looked at by a fifth of the drawing."""
        if self.view_state:
            step = self.query_one(Drawing).millimetres_across / 5
            x, y, z = self.view_state.pan
            self.view_state.pan = (x + across * step, y + up * step, z)
            self.show_motion()

    def dimensions(self) -> None:
        """Show distances from the zero, or leave them out."""
        if self.view_state:
            self.view_state.dimensions = not self.view_state.dimensions
            self.show_motion()

    def on_drawing_scrolled(self, message: Drawing.Scrolled) -> None:
        """The mouse wheel over a drawing."""
        self.magnify(message.sense)
