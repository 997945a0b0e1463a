"""The machine: its control as an operator has it. Positions to be read from two metres, jog, MDI, program, tables."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError, MachineError
from brisk_anchor.core.numbers import is_whole
from brisk_anchor.core.quantities import dim, shown_unit, signed_bare, signed_deg
from brisk_anchor.standin.control import Mode, Switch
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage, View
from brisk_anchor.tui.bench.readout import Readout
from brisk_anchor.tui.code.listing import Listing
from brisk_anchor.tui.entry import Words
from brisk_anchor.tui.machine.operated import ProgramOperator
from brisk_anchor.tui.machine.panels import ModePanel, TablePanel
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.view_state import HANDLE_STEPS, JOG_STEPS, Running, ViewState

if TYPE_CHECKING:
    from brisk_anchor.services.machine.machine_panel import Table
    from brisk_anchor.tui.link_desk import LinkDesk


class MachineView(View):
    """Readout, mode and switches on the left; program and tables on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.operator = ProgramOperator(stage, self)
        self.axis = "x"
        self.table = "offsets"
        self.watched: tuple[int, ...] = ()

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.JOG: self.jog,
            Do.HOME: self.home,
            Do.JOG_STEP: self.jog_step,
            Do.MODE: self.mode,
            Do.CHOOSE_AXIS: self.choose_axis,
            Do.BY_HAND: self.by_hand,
            Do.TYPE_LINE: self.operator.type_line,
            Do.LOAD: self.operator.load,
            Do.LOAD_FILE: self.operator.load_file,
            Do.RUN: self.operator.run,
            Do.STEP: self.operator.step,
            Do.NEXT_TABLE: self.next_table,
            Do.WATCH_VARIABLE: self.watch_variable,
            Do.SWITCH: self.switch,
            Do.POWER: self.power,
            Do.READ_TABLE: self.read_table,
            Do.WAIT_NO_MORE: self.wait_no_more,
            Do.STOP: self.operator.stop,
        }

    def follow(self, seconds: float) -> None:
        """Let what runs go on."""
        self.operator.follow(seconds)

    def compose(self) -> ComposeResult:
        """Left and right column."""
        with Vertical(id="machine-left"):
            yield Readout(id="machine-readout")
            yield LatePanel(id="machine-work")
            yield Heading(id="mode-heading")
            yield ModePanel(id="mode")
            yield Heading(id="printed-heading")
            yield LatePanel(id="printed")
        with Vertical(id="machine-side"):
            yield Heading(id="machine-program-heading")
            yield Listing(id="machine-listing")
            yield Heading(id="machine-table-heading")
            yield TablePanel(id="machine-table")

    # -- showing -----------------------------------------------------------------------------------------------

    def show(self) -> None:
        """Bring everything up to date."""
        view_state = self.view_state
        if view_state is None:
            return
        if view_state.desk is not None:
            self._show_linked(view_state.desk)
            return
        view_state.session.control.settle()
        self.show_motion()

    def show_motion(self) -> None:
        """Readout, program, modes and tables; called many times a second while something moves."""
        from brisk_anchor.services.machine.machine_panel import TABLES, modal_words, table, work_position

        view_state = self.view_state
        if view_state is None:
            return
        control = view_state.session.control
        running = view_state.operating
        spindle = running.player.position if running else control.machine.position
        figures = tuple(signed_bare(value, 3) for value in spindle)
        doing, to_go, share = "at rest" if control.homed else "not homed: press ⟨h⟩", None, 0.0
        if running and (progress := running.player.progress()):
            held = "held, " if running.player.paused else ""
            doing, to_go, share = f"{held}{progress.doing}", progress.to_go, progress.share
        elif running:
            doing = "held" if running.player.paused else "running"
        self.query_one("#machine-readout", Readout).tell(
            (figures[0], figures[1], figures[2]),
            "spindle, machine position",
            doing,
            to_go,
            share,
            live=running is not None,
            steady=True,
            doubt="" if control.homed else "not homed",
            chosen=self.axis.upper() if control.mode in (Mode.JOG, Mode.HANDLE) and not running else "",
        )
        work = work_position(control, spindle)
        words = Text(no_wrap=True)
        active = control.reader.modal.offset
        unset = not control.homed or not any(control.machine.offset(active))
        words.append(f" {active}{' ?' if unset else ''} ".ljust(8), f"bold {theme.SAND}")
        for axis, value in zip("XYZ", work, strict=True):
            words.append(f"{axis} ", theme.QUIET)
            words.append(f"{signed_bare(value, 3):>10}  ", theme.FAINT if unset else f"bold {theme.TEXT}")
        for letter, angle in control.machine.angles.items():
            words.append(f"{letter} ", theme.QUIET)
            words.append(f"{signed_deg(angle, 3)}  ", f"bold {theme.TEXT}")
        self.query_one("#machine-work", LatePanel).tell_text(words)
        alarm = f"alarm {int(control.alarm.number)}: {control.alarm.text}" if control.alarm else ""
        self.query_one("#mode-heading", Heading).tell("control", control.profile.name)
        modes = tuple(mode.value for mode in Mode)
        self.query_one(ModePanel).tell(
            control.mode.value, modes, self._hand(view_state), self._switches(view_state), modal_words(control), alarm
        )
        self._show_program(view_state, running)
        shown: Table = table(control, self.table, self.watched, view_state.session.ledger.title)
        printed = list(running.player.run.printed) if running else self.operator.printed
        heading = "printed"
        if not printed and running is None:
            heading, printed = "last report", view_state.session.link.report()
        self.query_one("#printed-heading", Heading).tell(heading, f"{len(printed)} lines" if printed else "")
        last = printed[-40:]
        self.query_one("#printed", LatePanel).tell_late(
            tuple(last), lambda _width, height: Text("\n".join(f" {line}" for line in last[-height:]), theme.QUIET)
        )
        names = "  ".join(f"▸{name}" if name == self.table else name for name in TABLES)
        self.query_one("#machine-table-heading", Heading).tell(names, "⟨l⟩ next")
        self.query_one(TablePanel).tell(shown)

    def _hand(self, view_state: ViewState) -> str:
        control = view_state.session.control
        axis = self.axis.upper()
        if control.mode is Mode.JOG:
            return f"← → axis {axis}   ↑ ↓ jog it {dim(view_state.jog_step)}   ⟨g⟩ step"
        if control.mode is Mode.HANDLE:
            return f"← → axis {axis}   ↑ ↓ one click, {dim(view_state.handle_step)}   ⟨g⟩ click"
        if control.mode is Mode.MDI:
            return "⟨i⟩ types a line, Enter runs it"
        return "⟨o⟩ load   ⟨Space⟩ start and hold   ⟨n⟩ one block"

    @staticmethod
    def _switches(view_state: ViewState) -> tuple[tuple[str, str, bool], ...]:
        control = view_state.session.control
        return (
            ("⟨s⟩", "single block", control.single_block),
            ("⟨y⟩", "optional stop", control.optional_stop),
            ("⟨b⟩", "block delete", control.block_delete),
            ("⟨d⟩", "door open", control.door_open),
            ("⟨h⟩", "homed", control.homed),
        )

    def _show_program(self, view_state: ViewState, running: Running | None) -> None:
        title, text = self.operator.text
        line = running.player.line if running else 0
        control = view_state.session.control
        if running and control.mode is Mode.MDI:
            title, listed = "MDI", [(control.title, False)]
        else:
            listed = self.operator.listed if text else []
        if not title and not listed:  # the room shows what ran last
            runs = list(reversed(control.history))[:40]
            listed = [(f"{run.title}: {run.ended}, {run.seconds:.1f} s", False) for run in runs]
            title = "no program loaded; last runs" if runs else ""
        note = "runs on the machine" if running else ("" if text else "⟨o⟩ loads it, ⟨O⟩ a file")
        self.query_one("#machine-program-heading", Heading).tell(
            title or "no program loaded", note, theme.LIVE if running else theme.QUIET
        )
        self.query_one(Listing).tell(listed, max(1, line), line)

    def _show_linked(self, desk: LinkDesk) -> None:
        """A control that stands elsewhere: how the link stands, what waits, what it printed, what is known of it."""
        from brisk_anchor.services.orders.known_control import LINKED_TABLES, known_facts, known_table
        from brisk_anchor.services.orders.orders_words import large_words, order_lines

        big, what, doing, live = large_words(desk.orders, desk.state)
        self.query_one("#machine-readout", Readout).tell_linked(big, what, doing, live=live)
        facts = Text(no_wrap=True, overflow="ellipsis")
        for name, words, old in known_facts(desk.orders, desk.state):
            facts.append(f" {name:<10}", theme.QUIET)
            facts.append(f"{words}\n", f"bold {theme.CORAL}" if old else theme.TEXT)
        self.query_one("#machine-work", LatePanel).tell_text(Text(""))
        self.query_one("#mode-heading", Heading).tell("link", "worked at its own control")
        self.query_one(ModePanel).tell_text(facts)
        heard = desk.state.heard
        printed = list(heard.lines) if heard is not None else desk.orders.last_report
        self.query_one("#printed-heading", Heading).tell("printed" if heard else "last report", f"{len(printed)} lines")
        last = printed[-40:]
        self.query_one("#printed", LatePanel).tell_late(
            tuple(last), lambda _width, height: Text("\n".join(f" {line}" for line in last[-height:]), theme.QUIET)
        )
        lines = order_lines(desk.orders)
        self.query_one("#machine-program-heading", Heading).tell("programs handed over", f"{len(lines)}")
        listed = [
            (f"{label}  {title}: {state}, {ago}  {told}".rstrip(), False) for label, title, state, ago, told in lines
        ]
        self.query_one(Listing).tell(listed, 1, 0)
        self.table = self.table if self.table in LINKED_TABLES else LINKED_TABLES[0]
        names = "  ".join(f"▸{name}" if name == self.table else name for name in LINKED_TABLES)
        self.query_one("#machine-table-heading", Heading).tell(f"{names}, as last told", "⟨l⟩ next")
        self.query_one(TablePanel).tell(known_table(desk.orders, self.table))

    def read_table(self) -> None:
        """Hand over the program that prints the control's tables."""
        view_state = self.stage.free()
        if view_state is not None and view_state.desk is not None:
            view_state.desk.hand_over(
                "the program that prints the tables", lambda orders, told: orders.read_table(told)
            )

    def wait_no_more(self) -> None:
        """Wait for the newest program no more."""
        view_state = self.stage.free()
        if view_state is not None and view_state.desk is not None:
            view_state.desk.give_up()

    # -- modes and switches --------------------------------------------------------------------------------------

    def mode(self) -> None:
        """Turn the mode switch on by one."""
        if (view_state := self.operator.free()) is not None:
            modes = list(Mode)
            view_state.session.control.choose(modes[(modes.index(view_state.session.control.mode) + 1) % len(modes)])
            self.operator.told(view_state)

    def switch(self, name: str) -> None:
        """Turn one of the operator's switches."""
        view_state = self.view_state
        if view_state is None:
            return
        control = view_state.session.control
        try:
            control.turn(Switch(name))
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        if view_state.operating:
            view_state.operating.player.single = control.single_block
        view_state.session.link.settle()
        self.operator.told(view_state)

    def power(self) -> None:
        """Switch the control off and on again."""
        if (view_state := self.operator.free()) is not None:
            view_state.session.control.power_off_and_on()
            view_state.session.link.settle()
            self.show()
            self.stage.tell(
                "The control was off and is on again: common variables are gone, the home position is lost.",
                "⟨h⟩ sends every axis home.",
                "ask",
            )

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do here."""
        from brisk_anchor.services.machine.machine_panel import next_step

        if view_state.desk is not None:
            return view_state.desk.waits or (
                "⟨r⟩ hands over a program that prints the control's tables.",
                "What is known of them, and how old it is, stands on the right.",
            )
        return next_step(view_state.session.control, loaded=bool(self.operator.text[1]))

    # -- by hand ---------------------------------------------------------------------------------------------------

    def choose_axis(self, step: int) -> None:
        """Choose the axis that moves by hand."""
        if (view_state := self.operator.free()) is not None:
            axes = ["x", "y", "z", *(letter.lower() for letter in view_state.session.link.angles)]
            self.axis = axes[(axes.index(self.axis) + step) % len(axes)]
            self.show_motion()

    def by_hand(self, sign: int) -> None:
        """Move the chosen axis by a step or a click."""
        view_state = self.operator.free()
        if view_state is not None:
            self.jog(self.axis, sign)

    def jog(self, axis: str, sign: int) -> None:
        """Move an axis by a step, as the mode has it."""
        view_state = self.operator.free()
        if view_state is None:
            return
        control = view_state.session.control
        if control.mode not in (Mode.JOG, Mode.HANDLE):
            self.stage.tell(
                f"The mode is {control.mode.value}: nothing moves by hand.", "⟨m⟩ turns the mode switch.", "ask"
            )
            return
        step = view_state.jog_step if control.mode is Mode.JOG else view_state.handle_step
        try:
            met = control.jog(axis, sign * step)
        except MachineError as error:
            control.raise_alarm(error)
            self.show()
            self.stage.complain(error)
            return
        finally:
            view_state.session.link.settle()
        self.show()
        if met:
            self.stage.tell(f"Contact with {met}: stopped, and backed off.", "", "ask")

    def jog_step(self) -> None:
        """Take the next step."""
        if (view_state := self.operator.free()) is not None:
            if view_state.session.control.mode is Mode.HANDLE:
                view_state.handle_chosen = (view_state.handle_chosen + 1) % len(HANDLE_STEPS[shown_unit()])
            else:
                view_state.jog_chosen = (view_state.jog_chosen + 1) % len(JOG_STEPS[shown_unit()])
            self.show_motion()

    def home(self) -> None:
        """Send every axis home."""
        view_state = self.operator.free()
        if view_state is None:
            return
        try:
            view_state.session.control.go_home()
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        view_state.session.link.settle()
        self.operator.told(view_state)

    # -- tables ----------------------------------------------------------------------------------------------------

    def next_table(self) -> None:
        """Show the next table."""
        from brisk_anchor.services.machine.machine_panel import TABLES

        if self.view_state is not None and self.view_state.desk is not None:
            from brisk_anchor.services.orders.known_control import LINKED_TABLES

            self.table = LINKED_TABLES[(LINKED_TABLES.index(self.table) + 1) % len(LINKED_TABLES)]
            self._show_linked(self.view_state.desk)
            return
        self.table = TABLES[(TABLES.index(self.table) + 1) % len(TABLES)]
        self.show_motion()

    def watch_variable(self) -> None:
        """Ask for a variable to watch."""
        if self.view_state is not None:
            self.stage.ask(Words("watch #", "number of a variable; again to leave it out", _weigh_number, self._watch))

    def _watch(self, text: str) -> None:
        number = int(text.removeprefix("#"))
        known = number in self.watched
        self.watched = tuple(n for n in self.watched if n != number) if known else (*self.watched, number)
        self.table = "variables"
        self.show_motion()


def _weigh_number(text: str) -> str:
    from brisk_anchor.core.errors import NumberEntryError

    if not is_whole(text.removeprefix("#"), 5):
        raise NumberEntryError(f"“{text}” is no number of a variable", "", "Type a whole number")
    return "Enter watches it"
