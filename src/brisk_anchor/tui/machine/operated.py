"""Running things from the machine's own control: typed lines, the program of an offset, a program from a file."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.nc.bounded import is_file, lines_of, typed_path
from brisk_anchor.standin.control import Mode
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.entry import Words
from brisk_anchor.tui.view_state import Running, ViewState

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.program import Program
    from brisk_anchor.services.machine.runs import Run


class MachineScreen(Protocol):
    """What shows the machine while something runs on it."""

    def show(self) -> None:
        """Bring everything up to date."""

    def show_motion(self) -> None:
        """Bring up to date what changes while something moves."""

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do here."""


class ProgramOperator:
    """Loads, runs, holds and resets what runs from the machine's own control."""

    def __init__(self, stage: Stage, screen: MachineScreen) -> None:
        self.stage = stage
        self.screen = screen
        self.text: tuple[str, str] = ("", "")
        """The loaded program: title and text."""
        self.program: Program | None = None
        """The same where it is ours: its report is read from the variables of a control that prints nothing."""
        self.listed: list[tuple[str, bool]] = []
        self.printed: list[str] = []

    def free(self) -> ViewState | None:
        """What the views share, when nothing moves; otherwise says what to do and returns None."""
        return self.stage.free("⟨Space⟩ holds it, Esc resets.")

    def told(self, view_state: ViewState) -> None:
        """Show the view, and say what comes next."""
        self.screen.show()
        self.stage.tell(*self.screen.next_sentence(view_state))

    def type_line(self) -> None:
        """Ask for a line and run it."""
        if (view_state := self.free()) is not None:
            if view_state.session.control.mode is not Mode.MDI:
                view_state.session.control.choose(Mode.MDI)
            self.screen.show()
            hint = "one block as on the control, for example G0 X10. or #500=2"
            self.stage.ask(Words("MDI", hint, self._weigh_line, self._run_line))

    def _weigh_line(self, line: str) -> str:
        from brisk_anchor.nc.read.scanner import Reader

        view_state = self.stage.view_state
        if view_state is not None:
            Reader(view_state.session.profile).block(line, 1)
        return "Enter runs it on the machine"

    def _run_line(self, line: str) -> None:
        view_state = self.stage.view_state
        if view_state is None:
            return
        session = view_state.session
        try:
            run = session.panel.mdi(line.upper())
        except BriskAnchorError as error:
            self.screen.show()
            self.stage.complain(error)
            return
        self._operate(view_state, run)

    def load(self) -> None:
        """Load the program that waits to be started, or the one that measures and sets the chosen offset."""
        view_state = self.free()
        if view_state is None:
            return
        try:
            program = view_state.handed or view_state.session.programs.full_program(view_state.row)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self._loaded(view_state, f"O{program.number:04d}  {program.title}", program.text)
        self.program, view_state.handed = program, None

    def load_file(self) -> None:
        """Ask for a file with NC text and load it."""
        if self.free() is not None:
            self.stage.ask(Words("program file", "path of a file with NC text", self._weigh_path, self._load_path))

    @staticmethod
    def _weigh_path(path: str) -> str:
        from brisk_anchor.services.machine.dry_run import ProgramFileError

        if not is_file(typed_path(path)):
            raise ProgramFileError(f"{path} is no file", "", "Type the whole path")
        return "Enter loads it"

    def _load_path(self, path: str) -> None:
        from brisk_anchor.services.machine.dry_run import read_program

        view_state = self.stage.view_state
        if view_state is None:
            return
        file = typed_path(path)
        try:
            text = read_program(file)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self._loaded(view_state, file.name, text)

    def _loaded(self, view_state: ViewState, title: str, text: str) -> None:
        view_state.session.control.choose(Mode.AUTO)
        self.text, self.program = (title, text), None
        self.listed = [(line, False) for line in lines_of(text)]
        self.told(view_state)

    def run(self) -> None:
        """Start the loaded program, or hold and go on."""
        view_state = self.stage.view_state
        if view_state is None:
            return
        if view_state.operating is not None:
            player = view_state.operating.player
            player.paused = not player.paused
            words = (
                "Held. ⟨Space⟩ goes on, ⟨n⟩ runs one block, Esc resets."
                if player.paused
                else "Running. ⟨Space⟩ holds it."
            )
            self.stage.tell(words, "")
            self.screen.show_motion()
            return
        if self.free() is None:
            return
        title, text = self.text
        if not text:
            self.stage.tell("No program is loaded.", "⟨o⟩ loads the one of the chosen offset, ⟨O⟩ a file.", "ask")
            return
        session = view_state.session
        try:
            run = session.panel.start_loaded(title, self.program or text)
        except BriskAnchorError as error:
            self.screen.show()
            self.stage.complain(error)
            return
        self._operate(view_state, run)
        self.stage.tell("Running on the machine. ⟨Space⟩ holds it, Esc resets.", "Its tables are those of the control.")

    def _operate(self, view_state: ViewState, run: Run) -> None:
        from brisk_anchor.services.machine.player import Player

        player = Player(run, view_state.speed)
        player.single = view_state.session.control.single_block
        view_state.operating = Running(player)
        self.screen.show_motion()

    def step(self) -> None:
        """Run one block."""
        view_state = self.stage.view_state
        if view_state is None:
            return
        if view_state.operating is None:
            self.run()
        if view_state.operating is not None:
            view_state.operating.player.paused = True
            view_state.operating.player.step()
            self._after(view_state)
            self.screen.show_motion()

    def follow(self, seconds: float) -> None:
        """Let what runs go on."""
        view_state = self.stage.view_state
        if view_state is None or view_state.operating is None:
            return
        was = view_state.operating.player.paused
        if not view_state.operating.player.advance(seconds) and not view_state.operating.player.over:
            return
        if view_state.operating.player.paused and not was:
            message = view_state.operating.player.run.interpreter.message
            self.stage.tell(f"Held: {message}." if message else "Held after this block.", "⟨Space⟩ goes on.", "ask")
        self._after(view_state)
        self.screen.show_motion()

    def _after(self, view_state: ViewState) -> None:
        """What is over is put away, and said."""
        operating = view_state.operating
        if operating is None or not operating.player.over:
            return
        failure = operating.player.run.failure()
        view_state.session.note_ending(failure)
        self.printed = list(operating.player.run.printed)
        view_state.operating = None
        view_state.session.link.settle()
        if failure is not None:
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(failure)
            return
        self.stage.show_all(keep_prompt=True)
        self.stage.tell("Done.", self.screen.next_sentence(view_state)[0], "good")

    def stop(self) -> None:
        """Reset: stop what moves where it is, clear the alarm."""
        view_state = self.stage.view_state
        if view_state is None:
            return
        moved = view_state.operating is not None
        if view_state.operating is not None:
            view_state.operating.player.stop()
            view_state.operating = None
        view_state.session.control.reset()
        view_state.session.link.settle()
        self.stage.show_all(keep_prompt=True)
        if moved:
            self.stage.tell("Reset: the machine stands where it is.", "The program has to start anew.", "ask")
        else:
            self.stage.tell(*self.screen.next_sentence(view_state))
