"""The code: the program, what each line does, its path, and the prove-out on a twin of the machine."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.numbers import format_length
from brisk_anchor.tui import theme
from brisk_anchor.tui.base import View
from brisk_anchor.tui.code.listing import Listing
from brisk_anchor.tui.desk import Desk, Proving
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.picture import Anchor, Picture
from brisk_anchor.tui.rule import Heading, LatePanel

if TYPE_CHECKING:
    from brisk_anchor.nc.program import Program


class CodeView(View):
    """Program on the left, path and state on the right."""

    def __init__(self) -> None:
        super().__init__(id="code")
        self.program: Program | None = None
        self.cursor = 1
        self.verdict: tuple[str, str] = ("", theme.QUIET)

    def compose(self) -> ComposeResult:
        """Listing and meaning; path and state."""
        with Vertical(id="code-left"):
            yield Heading(id="code-heading")
            yield Listing()
            yield Heading(id="meaning-heading")
            yield LatePanel(id="meaning")
        with Vertical(id="code-side"):
            yield Drawing(id="code-drawing")
            yield Heading(id="state-heading")
            yield LatePanel(id="code-state")

    # -- showing -----------------------------------------------------------------------------------------------

    def show(self) -> None:
        """Bring everything up to date; the program is written anew when the measurements have changed."""
        desk = self.desk
        if desk is None:
            return
        if desk.proving is None or desk.proving.player.over:
            self._write(desk)
        self.show_motion()

    def _write(self, desk: Desk) -> None:
        try:
            program = desk.workshop.full_program(desk.row)
        except BriskAnchorError as error:
            self.program = None
            self.verdict = (error.one_line(), theme.QUIET)
            return
        if self.program is None or program.digest != self.program.digest:
            self.program, self.cursor = program, 1
        entries = desk.workshop.history(desk.row)
        proof = desk.workshop.ledger.whole(desk.row, len(entries) - 1).proof if entries else None
        if proof and proof.holds and proof.digest == program.digest:
            self.verdict = ("● proved", theme.LIVE)
        else:
            self.verdict = ("○ not proved", theme.QUIET)

    def show_motion(self) -> None:
        """Listing, path and state; called many times a second while it runs."""
        desk = self.desk
        if desk is None:
            return
        running = desk.proving
        line = running.player.line if running else 0
        program = self.program
        lines = [(item.text, item.heading) for item in program.lines] if program else []
        self.query_one(Listing).tell(lines, self.cursor, line)
        title = f"O{program.number:04d}  {program.title}" if program else "no program yet"
        self.query_one("#code-heading", Heading).tell(title, self.verdict[0] if program else "", self.verdict[1])
        watched = line or self.cursor
        meaning = program.lines[watched - 1].meaning if program and watched <= len(program.lines) else self.verdict[0]
        self.query_one("#meaning-heading", Heading).tell(f"what line {watched} does" if program else "why")
        told = Text()
        if program and watched <= len(program.lines):
            told.append(f" {program.lines[watched - 1].text}\n", theme.QUIET)
        told.append(f" {meaning or 'nothing: a blank line'}", theme.TEXT)
        self.query_one("#meaning", LatePanel).tell_text(told)
        self._show_path(desk, running)
        self._show_state(desk, running)

    def _show_path(self, desk: Desk, running: Proving | None) -> None:
        setup = desk.workshop.setup
        motions = list(running.player.done_motions) if running else []
        spindle = running.player.position if running else desk.workshop.machine.position
        if running and running.player.motion and running.player.motion not in motions:
            motions.append(running.player.motion)
        touches = [m.contact for m in (running.player.contacts if running else []) if m.contact and m.feed < 200]
        machine = running.player.run.machine if running else desk.workshop.machine
        picture = Picture(
            setup=setup,
            zoom=desk.zoom,
            centre=desk.tip_of(spindle),
            tip=desk.tip_of(spindle),
            anchors=[
                Anchor(desk.row, machine.offset(desk.row), theme.LIVE if running else theme.FAINT, ghost=not running)
            ],
            touches=touches,
            motions=motions,
            ball=setup.stylus.ball_diameter,
            length=setup.stylus.length,
        )
        self.query_one(Drawing).show(picture)

    def _show_state(self, desk: Desk, running: Proving | None) -> None:
        note = ""
        text = Text(no_wrap=True)
        if running:
            player = running.player
            note = "held" if player.paused else ("over" if player.over else "running on a twin of the machine")
            modal = player.run.interpreter.modal
            position = "  ".join(
                f"{a} {format_length(v, decimals=3, signed=True)}" for a, v in zip("XYZ", player.position, strict=True)
            )
            text.append(f" spindle {position} mm\n", f"bold {theme.LIVE}")
            text.append(
                f" G{'90' if modal.absolute else '91'} {modal.offset} F{modal.feed:.0f}   "
                f"blocks {player.run.interpreter.blocks_run}   machine time {player.run.machine.seconds:.1f} s\n",
                theme.QUIET,
            )
            for printed in player.run.printed[-3:]:
                text.append(f" {printed}\n", theme.QUIET)
        else:
            text.append(" Space runs it on a twin of the machine: nothing here is moved or stored.\n", theme.QUIET)
            text.append(" ", theme.QUIET)
            for sign, word, colour in (
                ("┄┄", "rapid", theme.FAINT),
                ("──", "guarded and touching", theme.LIVE),
                ("×", "touch", theme.SAND),
            ):
                text.append(f"{sign} ", colour)
                text.append(f"{word}   ", theme.QUIET)
        self.query_one("#state-heading", Heading).tell("prove-out", note, theme.LIVE)
        self.query_one("#code-state", LatePanel).tell_text(text)

    # -- doing -------------------------------------------------------------------------------------------------

    def _begin(self, desk: Desk) -> Proving | None:
        from brisk_anchor.services.player import Player

        if desk.proving is not None and not desk.proving.player.over:
            return desk.proving
        self._write(desk)
        if self.program is None:
            self.owner.tell("There is no program yet.", self.verdict[0], "ask")
            return None
        try:
            player = Player(desk.workshop.proving_run(self.program), desk.speed)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return None
        desk.proving = Proving(player, self.program)
        return desk.proving

    def run(self) -> None:
        """Run the program, or hold it."""
        desk = self.desk
        if desk is None:
            return
        going = desk.proving is not None and not desk.proving.player.over
        running = self._begin(desk)
        if running is None:
            return
        running.player.paused = going and not running.player.paused
        words = (
            "Held. Space goes on, n runs one block, Esc ends it."
            if running.player.paused
            else "Proving. Space holds it, Esc ends it."
        )
        self.owner.tell(words, "It runs on a twin: the machine and its tables are not touched.")
        self.show_motion()

    def prove(self) -> None:
        """Run the program from its beginning."""
        if (desk := self.desk) is not None:
            desk.proving = None
            self.run()

    def step(self) -> None:
        """Run one block."""
        desk = self.desk
        if desk is None or (running := self._begin(desk)) is None:
            return
        running.player.paused = True
        running.player.step()
        self.cursor = running.player.line or self.cursor
        self.owner.tell("Held after this block. n runs the next, Space goes on.", "")
        if running.player.over:
            self._judge(desk, running)
        self.show_motion()

    def follow(self, seconds: float) -> None:
        """Let the prove-out go on; judge it at its end."""
        desk = self.desk
        if desk is None or desk.proving is None or desk.proving.player.paused:
            return
        running = desk.proving
        if running.player.over:
            return
        running.player.advance(seconds)
        if running.player.over:
            self._judge(desk, running)
        self.show_motion()

    def _judge(self, desk: Desk, running: Proving) -> None:
        try:
            proof = desk.workshop.judge(desk.row, running.program, running.player.run)
        except BriskAnchorError as error:
            self.verdict = ("! not proved", theme.CORAL)
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        words = f"{proof.worst * 1000:.2f} µm from the stored value, {proof.allowed * 1000:.2f} allowed"
        self.verdict = ("● proved", theme.LIVE) if proof.holds else ("! not proved", theme.CORAL)
        self.owner.show_all(keep_prompt=True)
        if proof.holds:
            self.owner.tell(
                f"{desk.row} is proved: the program ended {words}.", "Press t for the set-up sheet.", "good"
            )
        else:
            self.owner.tell(
                f"{desk.row} is not proved: the program ended {words}.", "Measure again, and look at the part.", "bad"
            )

    def move(self, step: int) -> None:
        """Move the cursor."""
        if self.program:
            self.cursor = max(1, min(len(self.program.lines), self.cursor + step))
            self.show_motion()

    def stop(self) -> None:
        """End the prove-out."""
        desk = self.desk
        if desk is not None and desk.proving is not None:
            over = desk.proving.player.over
            desk.proving.player.stop()
            desk.proving = None
            if not over:
                self.owner.tell("The prove-out was ended.", "Nothing was changed by it.", "ask")
            self.show()
