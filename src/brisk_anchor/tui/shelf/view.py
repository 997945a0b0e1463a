"""The shelf: every tool with its figures and how it stands; lengths by the setter, broken and new tools, run-out."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.quantities import bare, dim, expanded, shown_unit, signed_bare, signed_dim
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.active_row import with_active_row
from brisk_anchor.tui.base import Handlers, Stage, View
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.entry import Question, Words
from brisk_anchor.tui.panels import Heading, LatePanel, Same
from brisk_anchor.tui.shelf.drawing import radius_text, tool_text
from brisk_anchor.tui.taking_back import take_back
from brisk_anchor.tui.view_state import ViewState
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.checks import Finding
    from brisk_anchor.core.offsets.tool_setting import ToolLength
    from brisk_anchor.services.measure.by_hand import PositionFrame
    from brisk_anchor.services.rows.voiding import Voided
    from brisk_anchor.services.session.tool_shelf import ShelfLine


def _figure(label: str, value: float | None) -> str:
    if value is None:
        return "not known"
    return bare(value, 4) if not label.endswith("±") else f"±{bare(value, 4)}"


class ShelfView(View):
    """Tools on the left; the chosen one with its figures and its shape on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.chosen = 0
        self.figure_chosen = 0
        self._lines: list[ShelfLine] = []

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.MOVE: self.move,
            Do.NEXT_FIGURE: self.next_figure,
            Do.EDIT: self.edit,
            Do.LENGTH: self.length,
            Do.REFERENCE: self.reference,
            Do.TAKE_UP: self.take_up,
            Do.BRING: self.bring,
            Do.TAKE_BACK: self.take_back,
            Do.BROKEN: self.broken,
            Do.RENEWED: self.renewed,
            Do.POCKET: self.pocket,
            Do.HALF_ROUND: self.half_round,
            Do.CALIBRATE: self.calibrate,
            Do.READOUT: self.readout,
            Do.STOP: self.stop,
        }

    def compose(self) -> ComposeResult:
        """List; the chosen tool."""
        with Vertical(id="tools-left"):
            yield Heading(id="shelf-heading")
            yield ChoiceList(id="shelf")
            yield Heading(id="facts-of-tool")
            yield LatePanel(id="tool-facts")
            yield Heading(id="lengths-heading")
            yield LatePanel(id="lengths")
        with Vertical(id="tools-side"):
            yield Heading(id="tool-heading")
            yield LatePanel(id="tool-figures")
            yield LatePanel(id="tool-shape")

    @property
    def line(self) -> ShelfLine:
        """The chosen tool."""
        return self._lines[self.chosen]

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """What can be done with the chosen tool."""
        from brisk_anchor.services.session.tool_shelf import next_step

        if not self._lines:
            return "", ""
        return next_step(view_state.session, self.line)

    def show(self) -> None:
        """Bring everything up to date."""
        from brisk_anchor.services.session.tool_shelf import lines, reference

        view_state = self.view_state
        if view_state is None:
            return
        session = view_state.session
        self._lines = lines(session, date.today())
        self.chosen = min(self.chosen, len(self._lines) - 1)
        self.figure_chosen = min(self.figure_chosen, max(0, len(self.line.figures) - 1))
        self.query_one("#shelf-heading", Heading).tell(
            f"tools of {session.setup.machine.name}", f"{shown_unit().word}, ± is k = 2"
        )
        held = session.link.tool_in_spindle
        self.query_one("#shelf", ChoiceList).tell((tuple(self._lines), held), lambda _: self._rows(held), self.chosen)
        profile = session.profile.tool_lengths
        words = Text(no_wrap=True, overflow="ellipsis")
        about = {
            "gauge line": "from the gauge line of the spindle to the end of the tool",
            "master": "as the difference to the master tool",
            "part": "by touching every tool on the part",
        }[profile.convention]
        words.append(f" Lengths are counted {about}.\n", theme.TEXT)
        if (setter := session.setup.shelf.setter) is not None:
            taken = reference(session)
            foot = signed_bare(taken.values["z"], 4) if taken else "not taken"
            words.append(f" {setter.row} is kept for {setter.name}: ", theme.QUIET)
            words.append(f"Z {foot}\n", f"bold {theme.LIVE if taken else theme.CORAL}")
            active = session.link.active.words
            wrong = session.active != setter.row
            told = "work figures would count from it" if wrong else "work figures count from the reference"
            words.append(f" Active on the control: {active}, {told}.\n", theme.SAND if wrong else theme.QUIET)
        self.query_one("#lengths-heading", Heading).tell("tool lengths", session.profile.name)
        self.query_one("#lengths", LatePanel).tell_text(words)
        self._show_tool(view_state)

    def _rows(self, in_spindle: int) -> list[ListRow]:
        """A row a tool, each group under its name."""
        rows: list[ListRow] = []
        group = ""
        for number, line in enumerate(self._lines):
            if line.group != group:
                group = line.group
                rows.append(ListRow(Text(f"   {group}", theme.QUIET), None))
            text = Text("   ", no_wrap=True, overflow="ellipsis")
            held = "▸" if line.number == in_spindle and line.group != "tool setter" else " "
            text.append(f"{held}T{line.number:<4}", f"bold {theme.LIVE if held == '▸' else theme.TEXT}")
            text.append(f"{cut(line.name, 26):<27}", theme.TEXT)
            length = next((value for label, value in line.figures if label in ("length", "height")), None)
            known = any(label in ("length", "height") for label, _ in line.figures)
            text.append(f"{_figure('', length) if known else '':>10}  ", theme.TEXT if length else theme.CORAL)
            text.append("● " if line.sound else "! ", theme.LIVE if line.sound else theme.CORAL)
            text.append(line.state, theme.QUIET if line.sound else theme.CORAL)
            rows.append(ListRow(text, number))
        return rows

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on a tool."""
        self.move(message.choice - self.chosen)

    def _show_tool(self, view_state: ViewState) -> None:
        from brisk_anchor.services.session.tool_shelf import tool_facts

        line = self.line
        self.query_one("#tool-heading", Heading).tell(f"T{line.number}  {line.name}", line.group)
        text = Text(no_wrap=True, overflow="ellipsis")
        for n, (label, value) in enumerate(line.figures):
            chosen = n == self.figure_chosen
            text.append(" › " if chosen else "   ", f"bold {theme.SAND}")
            text.append(f"{label:<18}", f"bold {theme.SAND}" if chosen else theme.QUIET)
            text.append(f"{_figure(label, value):>12}\n", f"bold {theme.TEXT}" if value is not None else theme.CORAL)
        text.append(f"   {line.state}\n", theme.QUIET if line.sound else theme.CORAL)
        session = view_state.session
        if line.group == "probe":
            x, y = session.setup.stylus.offset
            text.append(f"   {'ball beside axis':<18}", theme.QUIET)
            text.append(f"  X {signed_bare(x, 4)}  Y {signed_bare(y, 4)}\n", theme.TEXT)
            if session.link.turned_round:
                text.append(" ! the spindle stands turned half round\n", theme.CORAL)
            if session.working.by_direction:
                text.append("\n   effective radius by direction, last ring\n", theme.QUIET)
                text.append_text(radius_text(session.working.by_direction))
        rows = max(4, text.plain.count("\n") + 1)
        self.query_one("#tool-figures", LatePanel).tell_text(text, rows)
        facts = Text(no_wrap=True, overflow="ellipsis")
        for label, words in tool_facts(session, line):
            facts.append(f" {label:<24}", theme.QUIET)
            facts.append(f"{words}\n", theme.TEXT)
        self.query_one("#facts-of-tool", Heading).tell(f"what depends on T{line.number}", "as far as it is known")
        self.query_one("#tool-facts", LatePanel).tell_text(facts)
        key = (line, Same(view_state.session.setup))
        self.query_one("#tool-shape", LatePanel).tell_late(
            key, lambda width, height: tool_text(session.setup, line, width, min(height, 24))
        )

    # -- choosing ----------------------------------------------------------------------------------------------

    def move(self, step: int) -> None:
        """Choose a tool."""
        self.chosen = max(0, min(len(self._lines) - 1, self.chosen + step))
        self.figure_chosen = 0
        self.stage.show_all()

    def next_figure(self, step: int) -> None:
        """Choose one of its figures."""
        count = len(self.line.figures)
        self.figure_chosen = (self.figure_chosen + step) % count
        self.show()

    def stop(self) -> None:
        """Nothing is under way here."""
        self.stage.show_all()

    @property
    def _kept(self) -> str:
        return f" {self.view_state.session.editor.where_tools_are_kept}" if self.view_state else ""

    # -- changing ----------------------------------------------------------------------------------------------

    def edit(self) -> None:
        """Type the chosen figure."""
        from brisk_anchor.services.session.tool_shelf import set_figure

        view_state = self.stage.free()
        if view_state is None:
            return
        line = self.line
        label, present = line.figures[self.figure_chosen]

        def answer(value: float) -> None:
            def work() -> tuple[str, str]:
                view_state.handed = set_figure(view_state.session, line, label, value) or view_state.handed
                return (
                    f"{line.name}: {label} is {dim(value, 4)} now.",
                    f"Results of the old figure are invalid.{self._kept}",
                )

            self.stage.attempt(work)

        note = "k = 2, as on the screen" if label.endswith("±") else ""
        self.stage.ask(Question(f"{line.name}, {label}", present, 0.0, 700.0, answer, note))

    def renewed(self) -> None:
        """The stylus is new, or the tip of the master."""
        from brisk_anchor.services.session.tool_shelf import master_voids, new_master, new_tip, probe_exchanged

        view_state = self.stage.free()
        if view_state is None:
            return
        session, line = view_state.session, self.line
        match line.group:
            case "probe":
                asked, voids = "Has the probe a new stylus?", session.editor.probe_voids()
                do, told = (
                    lambda: probe_exchanged(session, "stylus"),
                    "The stylus is new: calibrate radius, length and run-out.",
                )
            case "tool setter" | "reference tool":
                asked, voids = "Has the master a new tip?", master_voids(session)
                do, told = lambda: new_master(session), "The master has a new tip: take the reference again."
            case "3D sensor":
                asked, voids = f"Has {line.name} a new tip?", session.editor.tool_voids(line.number)
                do, told = lambda: new_tip(session, line), f"{line.name} has a new tip: type its length again."
            case _:
                self.stage.tell("That is for a stylus or a tip.", "⟨b⟩ is for a cutter.", "ask")
                return
        self._declare(asked, voids, do, told)

    def _declare(self, asked: str, voids: Voided, do: Callable[[], Voided], told: str) -> None:
        """Ask where something is lost by it; then declare it, and say what became invalid."""

        def work() -> tuple[str, str]:
            done = do()
            stale = f"Stale: {', '.join(done.rows)}." if done.rows else "No offset of this job depends on it."
            return told, f"{stale} ⟨U⟩ takes it back.{self._kept}"

        if voids.nothing:
            self.stage.attempt(work)
        else:
            self.stage.confirm(f"{asked} Enter says so, Esc leaves it.", voids.words, lambda: self.stage.attempt(work))

    def take_back(self) -> None:
        """Take the last declaration back."""
        if (view_state := self.stage.free()) is not None:
            take_back(self.stage, view_state)

    def pocket(self) -> None:
        """The probe stands in another pocket."""
        from brisk_anchor.services.session.tool_shelf import probe_exchanged

        view_state = self.stage.free()
        if view_state is None or self.line.group != "probe":
            return
        session = view_state.session
        self._declare(
            "Does the probe stand in another pocket?",
            session.editor.probe_voids(),
            lambda: probe_exchanged(session, "pocket"),
            "The probe seats anew: calibrate length and run-out.",
        )

    def broken(self) -> None:
        """A cutter broke, or is another."""
        from brisk_anchor.services.session.tool_shelf import broken, write_mark

        view_state = self.stage.free()
        if view_state is None:
            return
        line, folder = self.line, self.stage.folder
        if line.group != "cutter":
            self.stage.tell("Choose a cutter.", "⟨n⟩ is for the probe's stylus and the master's tip.", "ask")
            return

        def work() -> tuple[str, str]:
            program = broken(view_state.session, line.number)
            told = f"T{line.number} is not to be used until it is measured. Its length stands in the table as it was."
            if program is None:
                return told, "This control has no mark for it: take the tool out of the magazine. ⟨U⟩ takes it back."
            path = write_mark(program, folder)
            view_state.handed = program
            return (
                told,
                f"O{program.number:04d} marks it on the control: ⟨4⟩, then ⟨machine:o⟩ and "
                f"⟨machine:Space⟩. {path.name} has it too.",
            )

        self.stage.confirm(
            f"Is T{line.number} broken or gone? Enter says so, Esc leaves it.",
            f"Its own length is invalid then, no other; operations with T{line.number} cannot run. Nothing is written "
            "to the tool table.",
            lambda: self.stage.attempt(work),
        )

    # -- lengths -----------------------------------------------------------------------------------------------

    def take_up(self) -> None:
        """Put the chosen tool, or the master, into the spindle of the stand-in."""
        from brisk_anchor.services.session.tool_shelf import into_spindle

        view_state = self.stage.free()
        if view_state is None:
            return
        number = self.line.number

        def work() -> tuple[str, str]:
            into_spindle(view_state.session, number)
            return f"T{number} is in the spindle, at home.", ""

        self.stage.attempt(work)

    def bring(self) -> None:
        """Move the chosen tool, or the master, onto the setter of the stand-in."""
        from brisk_anchor.services.session.tool_shelf import bring_to_setter

        view_state = self.stage.free()
        if view_state is None:
            return
        number = self.line.number
        key = "⟨r⟩ takes the reference" if self.line.group == "tool setter" else "⟨l⟩ takes its length"
        self.stage.attempt(lambda: (f"T{number} met {bring_to_setter(view_state.session, number)}: {key}.", ""))

    def reference(self) -> None:
        """Take the reference of the setter with the master."""
        from brisk_anchor.services.session.tool_shelf import reference_prepared, take_reference

        view_state = self.stage.free()
        setter = view_state.session.setup.shelf.setter if view_state else None
        if view_state is None or setter is None:
            self.stage.tell("There is no tool setter on the shelf.", "machine.toml has it as [setter].", "ask")
            return

        def take(figure: float | None) -> None:
            if (desk := view_state.desk) is not None:
                session = view_state.session
                desk.hand_over(
                    "the reference", lambda orders, told: orders.set_to(*reference_prepared(session, figure), told)
                )
                return

            def work() -> tuple[str, str]:
                value = take_reference(view_state.session, figure).axis("z")
                shown = signed_bare(value.value, 4)
                return (
                    f"{setter.row} Z {shown} {shown_unit().value} {expanded(value.u)} is the reference.",
                    "Written and read back.",
                )

            self.stage.attempt(work)

        self._ask_position(view_state, setter.master, f"T{setter.master} on {setter.name}, Z", take, "machine position")

    def length(self) -> None:
        """Take the length of the chosen cutter, on the setter or on the part."""
        from brisk_anchor.services.measure.by_hand import PositionFrame
        from brisk_anchor.services.session.tool_shelf import length_on_the_part, measured_length

        view_state = self.stage.free()
        if view_state is None:
            return
        line, session = self.line, view_state.session
        if line.group != "cutter":
            self.stage.tell("Choose a cutter.", "The master's own length is one of its figures.", "ask")
            return
        if session.profile.tool_lengths.convention == "part":
            row = session.active or "the active offset"

            def place(program_z: float) -> None:
                def taken(figure: float | None) -> None:
                    self._take_length(
                        view_state, line, lambda: length_on_the_part(session, line.number, figure, program_z, 0.0)
                    )

                self._ask_position(view_state, line.number, f"T{line.number} on the part, Z", taken, "machine position")

            note = f"where the touched face lies in the program, with {row} active"
            self.stage.ask(Question("program Z of the face", 0.0, -FURTHEST, FURTHEST, place, note, 0.0))
            return
        setter = session.setup.shelf.setter
        if (desk := view_state.desk) is not None and setter is not None and setter.at is not None:
            number = line.number
            if session.setup.shelf.cutter(number).length is not None:
                desk.hand_over(f"the length of T{number}", lambda orders, told: orders.tool_length(number, told))
                return
        frame = PositionFrame()
        if view_state.in_work and setter is not None:
            frame = view_state.frame()
        label = f"T{line.number} on {setter.name if setter else 'the setter'}, Z"

        def measured(figure: float | None) -> None:
            self._take_length(view_state, line, lambda: measured_length(session, line.number, figure, frame))

        self._ask_position(view_state, line.number, label, measured, frame.short, frame)

    def _take_length(
        self, view_state: ViewState, line: ShelfLine, find: Callable[[], tuple[ToolLength, list[Finding]]]
    ) -> None:
        from brisk_anchor.services.session.tool_shelf import take_length

        def work() -> tuple[str, str]:
            length, looks = find()
            was = next((value for label, value in line.figures if label == "length"), None)
            view_state.handed = take_length(view_state.session, line.number, length, looks)
            change = f", {signed_bare(length.value - was, 4)} from before" if was is not None else ""
            sum_ = "  ".join(f"{t.sign} {bare(t.value, 4)}".strip() for t in length.terms)
            mark = (
                "  Take the mark off the control: ⟨4⟩, then ⟨machine:o⟩ and ⟨machine:Space⟩."
                if view_state.handed is not None
                else ""
            )
            if view_state.desk is not None:
                mark = "  Type it into the control's tool table."
            return f"T{line.number} is {dim(length.value, 4)} {expanded(length.u)} long{change}.", f"{sum_}{mark}"

        self.stage.attempt(work)

    def _ask_position(
        self,
        view_state: ViewState,
        number: int,
        label: str,
        take: Callable[[float | None], None],
        read: str,
        frame: PositionFrame | None = None,
    ) -> None:
        """Ask for Z; Enter takes where the stand-in stands when the right tool is in its spindle."""
        machine = view_state.session.machine
        here = machine.tool_in_spindle == number and view_state.session.setup.machine.connected
        stands = machine.position[2] - (frame.zero[2] if frame else 0.0) if here else None

        def answer(value: float) -> None:
            take(value)

        note = f"{read} with T{number} just touching"
        self.stage.ask(Question(label, stands, -FURTHEST, FURTHEST, answer, note, stands))

    def readout(self) -> None:
        """Figures count from the machine's zero, or from the active offset."""
        if (view_state := self.view_state) is None:
            return

        def turn_over() -> None:
            view_state.in_work = not view_state.in_work
            counted = f"work positions, counted from {view_state.session.link.active.words}"
            self.stage.tell(
                f"Figures are {counted if view_state.in_work else 'machine positions'}.", "⟨w⟩ changes it.", "ask"
            )

        if view_state.in_work:
            turn_over()
        else:
            with_active_row(self.stage, turn_over)

    # -- run-out -----------------------------------------------------------------------------------------------

    def half_round(self) -> None:
        """Turn the spindle half round."""
        from brisk_anchor.services.session.tool_shelf import turn_half_round

        view_state = self.stage.free()
        if view_state is not None:
            turn_half_round(view_state.session)
            self.stage.show_all()

    def calibrate(self) -> None:
        """The run-out: from a ring measured both ways, or from its centre as it was swept."""
        from brisk_anchor.services.measure.datum_rules import read_distances
        from brisk_anchor.services.session.tool_shelf import offset_of_ball

        view_state = self.stage.free()
        if view_state is None or self.line.group != "probe":
            return
        last = view_state.session.working.last_round
        if last is None:
            self.stage.tell(
                "Measure a ring or a bore with the probe on the bench first.", "Then ⟨o⟩, and again.", "ask"
            )
            return
        name = last.feature.name

        def take(known: tuple[float, float] | None) -> None:
            def work() -> tuple[str, str]:
                view_state.session.panel.turn_half_round(turned=False)
                found = offset_of_ball(view_state.session, name, known, 0.001)
                x, y = found.offset
                told = (
                    f"The ball stands X {signed_bare(x, 4)}  Y {signed_dim(y, 4)} {expanded(found.u)} beside the axis."
                )
                return told, "Programs add it to every touch. Measure again: all is stale."

            self.stage.attempt(work)

        if name in view_state.session.working.half_round:
            take(None)
            return

        def weigh(words: str) -> str:
            x, y = read_distances(words, "xy")
            return f"its centre at X {signed_bare(x, 4)}  Y {signed_dim(y, 4)}"

        def answer(words: str) -> None:
            x, y = read_distances(words, "xy")
            take((x, y))

        hint = "machine X, Y where a dial indicator swept it true; or Esc, ⟨o⟩, and measure it again"
        self.stage.ask(Words(f"centre of {name}", lambda _: hint, weigh, answer))
