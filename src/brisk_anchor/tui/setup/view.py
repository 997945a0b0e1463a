"""The set-up: what is drawn on part and fixture, what the probe can reach, and where each offset's zero comes from."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.numbers import format_length
from brisk_anchor.tui import theme
from brisk_anchor.tui.base import View
from brisk_anchor.tui.desk import Desk
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.rule import Heading, LatePanel

if TYPE_CHECKING:
    from brisk_anchor.services.datum import Reach


def _mm(value: float) -> str:
    return format_length(value, decimals=1, signed=True)


class SetupView(View):
    """Features on the left; the drawing and the zero of the chosen offset on the right."""

    def __init__(self) -> None:
        super().__init__(id="setup")
        self.chosen = 0
        self._reaches: list[Reach] = []
        self._of: object = None

    def compose(self) -> ComposeResult:
        """Features; drawing and zero."""
        with Vertical(id="setup-left"):
            yield Heading(id="features-heading")
            yield LatePanel(id="features")
            yield Heading(id="feature-heading")
            yield LatePanel(id="feature")
            yield Heading(id="facts-heading")
            yield LatePanel(id="facts")
        with Vertical(id="setup-side"):
            yield Drawing(id="setup-drawing")
            yield Heading(id="zero-heading")
            yield LatePanel(id="zero")

    def show(self) -> None:
        """Bring everything up to date."""
        from brisk_anchor.services.datum import axes_of, reaches

        desk = self.desk
        if desk is None:
            return
        workshop = desk.workshop
        if self._of is not workshop.setup.features:
            self._of, self._reaches = workshop.setup.features, reaches(workshop.setup)
        self.chosen = min(self.chosen, max(0, len(self._reaches) - 1))
        used: dict[str, dict[str, str]] = {}
        for plan in workshop.setup.rows:
            for axis, rule in plan.rules.items():
                by_row = used.setdefault(getattr(rule, "feature", ""), {})
                by_row[plan.row] = by_row.get(plan.row, "") + axis.upper()
        chosen, measured = self.chosen, frozenset(workshop.measured)

        def make(width: int, _height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            room = max(16, min(34, width - 38))
            for number, reach in enumerate(self._reaches):
                drawn, here, known = reach.drawn, number == chosen, reach.drawn.name in measured
                sign = "!" if reach.reason else ("●" if known else "○")
                colour = theme.CORAL if reach.reason else (theme.LIVE if known else theme.QUIET)
                title = drawn.title if len(drawn.title) <= room else drawn.title[: room - 1] + "…"
                size = drawn.size_words or f"{axes_of(drawn).upper()} face"
                text.append(" › " if here else "   ", f"bold {theme.SAND}")
                text.append(f"{sign} ", colour)
                text.append(f"{title:<{room}} ", f"bold {theme.TEXT}" if here else theme.TEXT)
                text.append(f"{drawn.body:<8.8} {size:<8} ", theme.QUIET)
                words = [f"{row} {axes}" for row, axes in used.get(drawn.name, {}).items()]
                text.append(", ".join(words) + "\n", theme.SAND)
            return text

        key = (chosen, measured, tuple(self._reaches), repr(used))
        self.query_one("#features-heading", Heading).tell("drawn", "! out of reach   ○ to measure   ● measured")
        self.query_one("#features", LatePanel).tell_late(key, make, max(1, len(self._reaches)) + 1)
        self._show_feature(desk)
        self._show_zero(desk)
        self._show_facts(desk)
        self.query_one(Drawing).show(desk.picture())

    def show_motion(self) -> None:
        """What the zoom key asks for."""
        if self.desk is not None:
            self.query_one(Drawing).show(self.desk.picture())

    def _show_feature(self, desk: Desk) -> None:
        if not self._reaches:
            self.query_one("#feature-heading", Heading).tell("nothing is drawn")
            return
        reach = self._reaches[self.chosen]
        drawn = reach.drawn
        note = "cannot be measured as drawn" if reach.reason else "the probe can reach it"
        self.query_one("#feature-heading", Heading).tell(drawn.title, note, theme.CORAL if reach.reason else theme.LIVE)
        text = Text(no_wrap=True, overflow="ellipsis")
        for label, place in (("on the drawing", drawn.drawing), ("on the machine", drawn.machine)):
            text.append(f" {label:<16}", theme.QUIET)
            for axis, value in zip("XYZ", place, strict=True):
                text.append(f" {axis} ", theme.QUIET)
                text.append(f"{format_length(value, decimals=3, signed=True):>10}", theme.TEXT)
            text.append("\n")
        if drawn.size:
            text.append(f" {drawn.kind.value} {drawn.size_words} mm", theme.TEXT)
            text.append(f", measured must lie within {drawn.size_limit or 0:g}\n", theme.QUIET)
        if reach.reason:
            text.append(f" ! {reach.reason}\n", theme.CORAL)
        self.query_one("#feature", LatePanel).tell_text(text)

    def _show_facts(self, desk: Desk) -> None:
        """The machine and what is on it, as they are described."""
        workshop = desk.workshop
        setup, machine = workshop.setup, workshop.setup.machine
        rotary = ", ".join(axis.letter for axis in machine.rotary)
        lengths = workshop.profile.tool_lengths.convention
        travels = zip("XYZ", machine.travel.low, machine.travel.high, strict=True)
        stylus = setup.stylus
        facts = [
            ("machine", f"{machine.name}, {machine.kind}" + (f", rotary {rotary}" if rotary else "")),
            *((f"travel {axis}", f"{_mm(low)} to {_mm(high)}") for axis, low, high in travels),
            ("control", f"{workshop.profile.name}, tool lengths from the {lengths}"),
            ("probe", f"T{stylus.tool_number}, ball ⌀{stylus.ball_diameter:g}, length {stylus.length:g}"),
            ("fixture", setup.fixture),
            ("part", f"{setup.part}, may lie {setup.start_uncertainty:g} mm off, each way"),
        ]
        text = Text(no_wrap=True, overflow="ellipsis")
        for label, words in facts:
            text.append(f" {label:<12}", theme.QUIET)
            text.append(f"{words}\n", theme.TEXT)
        self.query_one("#facts-heading", Heading).tell("as described", "mm")
        self.query_one("#facts", LatePanel).tell_text(text)

    def _show_zero(self, desk: Desk) -> None:
        workshop = desk.workshop
        expected = workshop.expected(desk.row)
        titles = {drawn.name: drawn.title for drawn in workshop.setup.features}
        text = Text(no_wrap=True, overflow="ellipsis")
        for axis, rule in workshop.setup.row(desk.row).rules.items():
            text.append(f" {axis.upper()} ", f"bold {theme.SAND}")
            text.append(f"{format_length(expected[axis], decimals=3, signed=True):>10}", f"bold {theme.TEXT}")
            feature = getattr(rule, "feature", None)
            if feature is None:
                text.append("   kept or given by hand\n", theme.QUIET)
                continue
            away = rule.allowance - rule.drawing  # type: ignore[union-attr]
            # The figure first: what a small window cuts off is the end of a name, never of a figure.
            shift = f"{format_length(away, decimals=3, signed=True)} from" if away else "on"
            text.append(f"   {shift} ", theme.QUIET)
            text.append(f"{titles[feature]}\n", theme.TEXT)
        text.append(" machine mm, by the description\n", theme.QUIET)
        self.query_one("#zero-heading", Heading).tell(f"zero of {desk.row}")
        self.query_one("#zero", LatePanel).tell_text(text)

    # -- doing -------------------------------------------------------------------------------------------------

    def move(self, step: int) -> None:
        """Choose a feature."""
        if self._reaches:
            self.chosen = max(0, min(len(self._reaches) - 1, self.chosen + step))
            self.show()

    def take(self, axis: str, onto: int) -> None:
        """Take an axis of the offset's zero from the chosen feature."""
        desk = self.desk
        if desk is None or desk.moving or not self._reaches:
            return
        drawn = self._reaches[self.chosen].drawn
        try:
            kept = desk.workshop.take_datum(desk.row, axis, drawn.name, onto=bool(onto))
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        self.owner.show_all(keep_prompt=True)
        where = "The zero lies on it now" if onto else "The zero stays where it is"
        saved = "job.toml says so too." if kept else "This job has no file of its own: it lasts until you leave."
        self.owner.tell(f"{desk.row} {axis.upper()} comes from {drawn.title}.", f"{where}. {saved}", "good")
