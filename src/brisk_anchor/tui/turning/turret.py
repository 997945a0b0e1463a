"""The turret: each tool with the way its tip points, what its offset belongs to, geometry and wear; new inserts."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import bare, dim, shown_unit
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.nc.bounded import typed_path
from brisk_anchor.services.turning.half_section import section_of_tool
from brisk_anchor.services.turning.tool_room import USUAL_ALLOWANCE
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import tip_number, tool_lines
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.entry import Question, Words
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.turning.hands import Hands
from brisk_anchor.tui.turning.section_drawing import SectionDrawing

NO_TOOL = ("No tool is in the turret.", "Add one in the set-up: ⟨5⟩.")


class TurretView(TurningPanel):
    """The turret."""

    def __init__(self, stage: TurningStage, hands: Hands, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.hands = hands
        self.chosen = 0

    @property
    def handlers(self) -> Handlers:
        """What the turret view does."""
        return {
            "move": self.move,
            "next_tool": self.hands.next_tool,
            "insert": self.insert,
            "other_nose": self.other_nose,
            "wear": self.wear,
            "preset": self.preset,
        }

    def compose(self) -> ComposeResult:
        """Tools at the left; the chosen one and the gauges at the right."""
        with Vertical(id="turret-left"):
            yield Heading(id="tools-heading")
            yield ChoiceList(id="turret-tools")
        with Vertical(id="turret-side"):
            yield Heading(id="tip-heading")
            yield SectionDrawing(id="tip-section")
            yield LatePanel(id="tip")
            yield Heading(id="gauges-heading")
            yield LatePanel(id="gauges")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """What can be done here."""
        tool = self.tool(session)
        if tool is None:
            return NO_TOOL
        return (
            f"⟨n⟩: a new insert in {tool.name}; ⟨w⟩: its wear after measuring.",
            "Geometry is found on the bench (⟨1⟩), or taken from a presetter's list: ⟨L⟩.",
        )

    def tool(self, session: TurningSession) -> TurningTool | None:
        """The chosen tool; None in an empty turret."""
        tools = session.job.setup.tools
        return tools[min(self.chosen, len(tools) - 1)] if tools else None

    def _chosen(self) -> tuple[TurningSession, TurningTool] | None:
        """The job and the chosen tool, for what is done to one; without a tool that is told."""
        session = self.stage.session
        tool = None if session is None else self.tool(session)
        if session is None or tool is None:
            self.stage.tell(*NO_TOOL, "ask")
            return None
        return session, tool

    def show(self) -> None:
        """Bring everything up to date."""
        session = self.stage.session
        if session is None:
            return
        lines = tool_lines(session)
        at_work, turret = session.machine.tool, session.job.setup.lathe.turret
        self.query_one("#tools-heading", Heading).tell("turret", f"X diameters, {shown_unit().word}")

        def make(width: int) -> list[ListRow]:
            head = f"   {'tool':<17}{'tip':<5}{'geometry ⌀ X':>14}{'Z':>12}{'wear ⌀ X':>11}{'Z':>9}  state"
            rows = [ListRow(Text(head, theme.FAINT), None)]
            for number, (tool, geometry, wear) in enumerate(lines):
                text = Text("   ", no_wrap=True, overflow="ellipsis")
                held = f"[{tool.name}]" if tool == at_work else tool.name
                text.append(f"{held:<17}", f"bold {theme.TEXT}")
                text.append(f"{tool.picture(turret):<5}", f"bold {theme.SAND}")
                text.append(f"{geometry.x:>14}{geometry.z:>12}{wear.x:>11}{wear.z:>9}", theme.TEXT)
                shape, colour = theme.STATE_SHAPES[geometry.state]
                text.append(f"  {shape} {geometry.state}", colour)
                text.append(f"\n   {tool.title}", theme.QUIET)
                text.append(f", {tool.about_edge}" if tool.about_edge else "", theme.QUIET)
                rows.append(ListRow(text, number))
            return rows

        self.query_one(ChoiceList).tell((tuple(lines), at_work, shown_unit()), make, self.chosen)
        self._show_tip(session)
        text = Text(no_wrap=True, overflow="ellipsis")
        for gauge in session.job.setup.gauges:
            text.append(f" {gauge.name:<24}", theme.TEXT)
            text.append(f"±{dim(gauge.spread, 3)}\n", theme.QUIET)
        self.query_one("#gauges-heading", Heading).tell("gauges on the shelf", "± at 95 %")
        self.query_one("#gauges", LatePanel).tell_text(text)

    def _show_tip(self, session: TurningSession) -> None:
        tool = self.tool(session)
        self.query_one(SectionDrawing).display = tool is not None
        if tool is None:
            self.query_one("#tip-heading", Heading).tell("turret", "empty")
            self.query_one("#tip", LatePanel).tell_text(Text(" no tool is in the turret", theme.QUIET), 1)
            return
        number = tip_number(session, tool)
        self.query_one("#tip-heading", Heading).tell(f"{tool.name}, {tool.title}", "chuck at the left")
        self.query_one(SectionDrawing).show(section_of_tool(session, tool))
        text = Text(no_wrap=True, overflow="ellipsis")
        text.append(f" nose radius {dim(tool.nose_radius, 3)}, {tool.refers_to}\n", theme.TEXT)
        if tool.width:
            text.append(f" {dim(tool.width, 3)} wide, {tool.edge} edge counts\n", theme.TEXT)
        if tool.size:
            text.append(f" ⌀{dim(tool.size)}\n", theme.TEXT)
        text.append(f" sticks out {dim(tool.sticks_out)}, station {tool.station}, offset {tool.offset}\n", theme.TEXT)
        told = "the profile gives it no number" if number is None else f"the control's number for the tip is {number}"
        text.append(f" {told}\n", theme.QUIET)
        self.query_one("#tip", LatePanel).tell_text(text, text.plain.count("\n") + 1)

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click chooses a tool."""
        self.chosen = message.choice
        self.stage.show_all()

    def move(self, by: int) -> None:
        """Choose the next tool."""
        session = self.stage.session
        if session is not None and session.job.setup.tools:
            self.chosen = (self.chosen + by) % len(session.job.setup.tools)
            self.stage.show_all()

    def insert(self) -> None:
        """A new insert with the same nose: how much too large the first cut is to be."""
        if (chosen := self._chosen()) is None:
            return
        session, tool = chosen

        def take(more: float) -> None:
            def work() -> tuple[str, str]:
                return session.tools.new_insert(tool, same_nose=True, allowance=more) + ".", ""

            self.stage.attempt(work)

        side = "too small, it is a bore" if tool.kind.is_inside else "too large"
        note = f"how much {side}, of the diameter; Enter takes {dim(USUAL_ALLOWANCE)}"
        self.stage.ask(Question("first cut leaves", USUAL_ALLOWANCE, 0.0, 5.0, take, note=note, enter=USUAL_ALLOWANCE))

    def other_nose(self) -> None:
        """An insert with another nose radius."""
        if (chosen := self._chosen()) is None:
            return
        session, tool = chosen

        def go() -> None:
            self.stage.attempt(lambda: (session.tools.new_insert(tool, same_nose=False) + ".", ""))

        self.stage.confirm(
            f"Enter: {tool.name} has an insert with another nose.", "Its geometry becomes out of date.", go
        )

    def wear(self, axis: str) -> None:
        """Wanted, then measured."""
        if (chosen := self._chosen()) is None:
            return
        session, tool = chosen
        what = "Z" if axis == "z" else "bore" if tool.kind is ToolKind.BORING else "diameter"
        low = -5000.0 if axis == "z" else 0.0

        def wanted(aim: float) -> None:
            def measured(actual: float) -> None:
                def work() -> tuple[str, str]:
                    told, program = session.tools.wear_after(tool, axis, aim, actual)
                    return f"{told}.", "" if program is None else f"{program.label} wrote it and read it back."

                try:
                    looks = session.tools.look_at_wear(tool, axis, aim, actual)
                except BriskAnchorError as error:
                    self.stage.complain(error)
                    return
                if looks and not looks[0].stops:
                    told = f"{looks[0].found}. {looks[0].why}."
                    self.stage.confirm(told, "Enter changes the wear all the same.", partial(self.stage.attempt, work))
                else:
                    self.stage.attempt(work)

            self.stage.ask(Question(f"{what} measured", None, low, 5000.0, measured, note=f"wanted {bare(aim, 3)}"))

        self.stage.ask(Question(f"{what} wanted", None, low, 5000.0, wanted, note="what the drawing asks for"))

    def preset(self) -> None:
        """Geometry from a presetter's list, after its changes are shown."""
        session = self.stage.session
        if session is None:
            return

        def weigh(words: str) -> str:
            changes = session.tools.preset(_path(words, session))
            stale = session.tools.voided_by(changes)
            return "; ".join([*(change.told for change in changes), *(f"{row} is out of date then" for row in stale)])

        def take(words: str) -> None:
            path = _path(words, session)

            def work() -> tuple[str, str]:
                changes = session.tools.preset(path)
                stale = session.tools.voided_by(changes)
                program = session.tools.take_presets(changes, path.name)
                names = ", ".join(change.tool.name for change in changes)
                told = "" if program is None else f"{program.label} wrote it."
                told += f" Out of date by it: {', '.join(stale)}." if stale else ""
                return f"Geometry of {names} is stored.", told.strip()

            self.stage.attempt(work)

        try:
            hint = "the file, from the job's folder or in full"
            self.stage.ask(Words("presetter's list", hint, weigh, take, text="presetter.csv"))
        except BriskAnchorError as error:
            self.stage.complain(error)


def _path(words: str, session: TurningSession) -> Path:
    path = typed_path(words)
    return path if path.is_absolute() else session.job.path.parent / path
