"""Running things from the machine's own control: typed lines, the program of an offset, a program from a file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.standin.control import Mode
from brisk_anchor.tui.base import View
from brisk_anchor.tui.entry import Words
from brisk_anchor.tui.view_state import Running, ViewState

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.program import Program
    from brisk_anchor.services.machine.runs import Run


class OperatedView(View):
    """What can run, hold and reset; the view below it shows it."""

    def __init__(self, *, id: str) -> None:
        super().__init__(id=id)
        self.text: tuple[str, str] = ("", "")
        """The loaded program: title and text."""
        self.program: Program | None = None
        """The same where it is ours: its report is read from the variables of a control that prints nothing."""
        self.listed: list[tuple[str, bool]] = []
        self.printed: list[str] = []

    def show(self) -> None:
        """Bring everything up to date."""
        raise NotImplementedError

    def show_motion(self) -> None:
        """Bring up to date what changes while something moves."""
        raise NotImplementedError

    def next_sentence(self, desk: ViewState) -> tuple[str, str]:
        """The next thing to do here."""
        raise NotImplementedError

    def _free_desk(self) -> ViewState | None:
        desk = self.desk
        if desk is None:
            return None
        if desk.moving:
            self.owner.tell("The machine is moving. Space holds it, Esc resets.", "", "ask")
            return None
        return desk

    def _told(self, desk: ViewState) -> None:
        self.show()
        self.owner.tell(*self.next_sentence(desk))

    def type_line(self) -> None:
        """Ask for a line and run it."""
        if (desk := self._free_desk()) is not None:
            if desk.workshop.control.mode is not Mode.MDI:
                desk.workshop.control.choose(Mode.MDI)
            self.show()
            hint = "one block as on the control, for example G0 X10. or #500=2"
            self.owner.ask(Words("MDI", hint, self._weigh_line, self._run_line))

    def _weigh_line(self, line: str) -> str:
        from brisk_anchor.nc.read.scanner import Reader

        desk = self.desk
        if desk is not None:
            Reader(desk.workshop.profile).block(line, 1)
        return "Enter runs it on the machine"

    def _run_line(self, line: str) -> None:
        from brisk_anchor.services.machine.runs import Run

        desk = self.desk
        if desk is None:
            return
        workshop = desk.workshop
        try:
            interpreter = workshop.control.begin_mdi(line.upper())
        except BriskAnchorError as error:
            self.show()
            self.owner.complain(error)
            return
        self._operate(desk, Run(line.upper(), workshop.profile, workshop.machine, interpreter))

    def load(self) -> None:
        """Load the program that measures and sets the chosen offset."""
        desk = self._free_desk()
        if desk is None:
            return
        try:
            program = desk.workshop.full_program(desk.row)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        self._loaded(desk, f"O{program.number:04d}  {program.title}", program.text)
        self.program = program

    def load_file(self) -> None:
        """Ask for a file with NC text and load it."""
        if self._free_desk() is not None:
            self.owner.ask(Words("program file", "path of a file with NC text", self._weigh_path, self._load_path))

    @staticmethod
    def _weigh_path(path: str) -> str:
        from brisk_anchor.services.machine.dry_run import ProgramFileError

        if not Path(path).expanduser().is_file():
            raise ProgramFileError(f"{path} is no file", "", "Type the whole path")
        return "Enter loads it"

    def _load_path(self, path: str) -> None:
        from brisk_anchor.services.machine.dry_run import read_program

        desk = self.desk
        if desk is None:
            return
        file = Path(path).expanduser()
        try:
            text = read_program(file)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        self._loaded(desk, file.name, text)

    def _loaded(self, desk: ViewState, title: str, text: str) -> None:
        desk.workshop.control.choose(Mode.AUTO)
        self.text, self.program = (title, text), None
        self.listed = [(line, False) for line in text.splitlines()]
        self._told(desk)

    def run(self) -> None:
        """Start the loaded program, or hold and go on."""
        from brisk_anchor.services.machine.runs import Run

        desk = self.desk
        if desk is None:
            return
        if desk.operating is not None:
            player = desk.operating.player
            player.paused = not player.paused
            words = (
                "Held. Space goes on, n runs one block, Esc resets." if player.paused else "Running. Space holds it."
            )
            self.owner.tell(words, "")
            self.show_motion()
            return
        if self._free_desk() is None:
            return
        title, text = self.text
        if not text:
            self.owner.tell("No program is loaded.", "o loads the one of the chosen offset, O a file.", "ask")
            return
        workshop = desk.workshop
        try:
            interpreter = workshop.control.begin(text, title)
        except BriskAnchorError as error:
            self.show()
            self.owner.complain(error)
            return
        self._operate(desk, Run(self.program or text, workshop.profile, workshop.machine, interpreter))
        self.owner.tell("Running on the machine. Space holds it, Esc resets.", "Its tables are those of the control.")

    def _operate(self, desk: ViewState, run: Run) -> None:
        from brisk_anchor.services.machine.player import Player

        player = Player(run, desk.speed)
        player.single = desk.workshop.control.single_block
        desk.operating = Running(player)
        self.show_motion()

    def step(self) -> None:
        """Run one block."""
        desk = self.desk
        if desk is None:
            return
        if desk.operating is None:
            self.run()
        if desk.operating is not None:
            desk.operating.player.paused = True
            desk.operating.player.step()
            self._after(desk)
            self.show_motion()

    def follow(self, seconds: float) -> None:
        """Let what runs go on."""
        desk = self.desk
        if desk is None or desk.operating is None:
            return
        was = desk.operating.player.paused
        if not desk.operating.player.advance(seconds) and not desk.operating.player.over:
            return
        if desk.operating.player.paused and not was:
            message = desk.operating.player.run.interpreter.message
            self.owner.tell(f"Held: {message}." if message else "Held after this block.", "Space goes on.", "ask")
        self._after(desk)
        self.show_motion()

    def _after(self, desk: ViewState) -> None:
        """What is over is put away, and said."""
        operating = desk.operating
        if operating is None or not operating.player.over:
            return
        failure = operating.player.run.failure()
        self.printed = list(operating.player.run.printed)
        desk.operating = None
        desk.workshop.save()
        if failure is not None:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(failure)
            return
        self.owner.show_all(keep_prompt=True)
        self.owner.tell("Done.", self.next_sentence(desk)[0], "good")

    def stop(self) -> None:
        """Reset: stop what moves where it is, clear the alarm."""
        desk = self.desk
        if desk is None:
            return
        moved = desk.operating is not None
        if desk.operating is not None:
            desk.operating.player.stop()
            desk.operating = None
        desk.workshop.control.reset()
        desk.workshop.save()
        self.owner.show_all(keep_prompt=True)
        if moved:
            self.owner.tell("Reset: the machine stands where it is.", "The program has to start anew.", "ask")
        else:
            self.owner.tell(*self.next_sentence(desk))
