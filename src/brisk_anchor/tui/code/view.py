"""The code: the program, what each line does, its path, and the prove-out on a twin of the machine."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import num, shown_unit, signed_bare, signed_deg, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage
from brisk_anchor.tui.code.listing import Listing
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.looking import DrawnView
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.picture import Anchor, Picture
from brisk_anchor.tui.plan.panels import append_legend
from brisk_anchor.tui.view_state import Proving, ViewState

if TYPE_CHECKING:
    from collections.abc import Callable

    from brisk_anchor.nc.programs.program import Program
    from brisk_anchor.services.machine.player import Mark, Player


_SPEEDS = (0.5, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0)


class CodeView(DrawnView):
    """Program on the left, path and state on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.program: Program | None = None
        self.cursor = 1
        self.verdict: tuple[str, str] = ("", theme.QUIET)
        self._speed: float | None = None

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.ZOOM: self.zoom,
            Do.MAGNIFY: self.magnify,
            Do.PAN: self.pan,
            Do.MOVE: self.move,
            Do.RUN: self.run,
            Do.STEP: self.step,
            Do.BACK: self.back,
            Do.TO_TOUCH: self.to_touch,
            Do.TO_LINE: self.to_line,
            Do.FASTER: self.faster,
            Do.SOURCE: self.source,
            Do.STOP: self.stop,
        }

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do."""
        return view_state.next_step()

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
        view_state = self.view_state
        if view_state is None:
            return
        if view_state.proving is None or view_state.proving.player.over:
            self._write(view_state)
        self.show_motion()

    def _write(self, view_state: ViewState) -> None:
        of_plan = view_state.code_of_plan and view_state.plan is not None
        try:
            program = self._of_plan(view_state) if of_plan else view_state.session.programs.full_program(view_state.row)
        except BriskAnchorError as error:
            self.program = None
            self.verdict = (error.one_line(marked=True), theme.QUIET)
            return
        if self.program is None or program.digest != self.program.digest:
            self.program, self.cursor = program, 1
        if of_plan and view_state.plan is not None:
            held = view_state.plan.is_proved(program.digest)
            self.verdict = ("● proved", theme.LIVE) if held else ("○ not proved: ⟨7⟩, ⟨plan:p⟩", theme.QUIET)
            return
        entries = view_state.session.rows.history(view_state.row)
        proof = view_state.session.ledger.whole(view_state.row, len(entries) - 1).proof if entries else None
        if (
            proof
            and proof.holds
            and proof.digest == program.digest
            and proof.is_of(*view_state.session.rows.proved_with)
        ):
            self.verdict = ("● proved", theme.LIVE)
        else:
            self.verdict = ("○ not proved", theme.QUIET)

    @staticmethod
    def _of_plan(view_state: ViewState) -> Program:
        """The program of the plan. Raises PlanError, SecondLookError: there is none."""
        from brisk_anchor.core.errors import PlanError
        from brisk_anchor.services.plan.planning import program_of

        plan = view_state.plan
        if plan is not None:
            plan.keep_up()
        if plan is None or plan.ready is None:
            raise (plan and plan.problem) or PlanError("There is no plan yet", "", "⟨7⟩ is the plan")
        return program_of(view_state.session, plan.ready)

    def show_motion(self) -> None:
        """Listing, path and state; called many times a second while it runs."""
        view_state = self.view_state
        if view_state is None:
            return
        running = view_state.proving
        line = running.player.line if running else 0
        program = self.program
        lines = [(item.text, item.heading) for item in program.lines] if program else []
        self.query_one(Listing).tell(lines, self.cursor, line)
        title = f"{program.label}  {program.title}" if program else "no program yet"
        title = f"plan  {title}" if view_state.code_of_plan else title
        self.query_one("#code-heading", Heading).tell(title, self.verdict[0] if program else "", self.verdict[1])
        watched = line or self.cursor
        meaning = program.lines[watched - 1].meaning if program and watched <= len(program.lines) else self.verdict[0]
        called = f", called from line {running.player.caller}" if running and running.player.caller else ""
        self.query_one("#meaning-heading", Heading).tell(f"what line {watched} does{called}" if program else "why")
        told = Text()
        if program and watched <= len(program.lines):
            told.append(f" {program.lines[watched - 1].text}\n", theme.QUIET)
        told.append(f" {meaning or 'nothing: a blank line'}", theme.TEXT)
        self.query_one("#meaning", LatePanel).tell_text(told)
        self._show_path(view_state, running)
        self._show_state(view_state, running)

    def _show_path(self, view_state: ViewState, running: Proving | None) -> None:
        motions = list(running.player.done_motions) if running else []
        spindle = running.player.position if running else view_state.session.link.spindle
        if running and running.player.motion and running.player.motion not in motions:
            motions.append(running.player.motion)
        touches = [m.contact for m in (running.player.touched if running else []) if m.contact]
        machine = running.player.run.machine if running else view_state.session.machine
        setup, turned = view_state.standing(machine.angles)
        if any(motion.angles for motion in motions):
            from brisk_anchor.standin.motion import motions_at

            motions = motions_at(motions, view_state.session.link.angles, machine.angles)
        picture = Picture(
            setup=setup,
            table=turned,
            zoom=view_state.zoom,
            centre=view_state.tip_of(spindle),
            tip=view_state.tip_of(spindle),
            anchors=[
                Anchor(
                    view_state.row,
                    machine.offset(view_state.row),
                    theme.LIVE if running else theme.FAINT,
                    ghost=not running,
                )
            ],
            touches=touches,
            motions=motions,
            ball=setup.stylus.ball_diameter,
            length=setup.stylus.length,
        )
        self.query_one(Drawing).show(picture)

    def _show_state(self, view_state: ViewState, running: Proving | None) -> None:
        note = f"{num(self.speed)} times as fast as the machine"
        text = Text(no_wrap=True)
        if running:
            player = running.player
            held = "held" if player.paused else ("over" if player.over else "running on a twin of the machine")
            note = f"{held}, ×{num(player.speed)}"
            modal = player.run.interpreter.modal
            position = "  ".join(f"{a} {signed_bare(v, 3)}" for a, v in zip("XYZ", player.position, strict=True))
            text.append(f" spindle {position} {shown_unit().value}", f"bold {theme.LIVE}")
            tip = view_state.tip_of(player.position)[2]
            text.append(f"   tip Z {signed_bare(tip, 3)}\n", theme.LIVE)
            motion = "" if modal.motion is None else f"G{num(modal.motion)} "
            length = f" H{modal.length}" if modal.length else ""
            turned = f" turned {signed_deg(modal.rotation, 3)}" if modal.rotation else ""
            text.append(
                f" {motion}G{'90' if modal.absolute else '91'} G{'20' if modal.inches else '21'} G{modal.plane} "
                f"{modal.offset}{length}{turned} {modal.feed_word}   T{player.run.machine.tool_in_spindle}   "
                f"block {player.run.interpreter.blocks_run}   {num(player.run.machine.seconds, 1)} s\n",
                theme.QUIET,
            )
            for printed in player.run.printed[-3:]:
                text.append(f" {printed}\n", theme.QUIET)
        else:
            text.append(" ⟨Space⟩ runs it on a twin of the machine: nothing here is moved or stored.\n", theme.QUIET)
            text.append(" ⟨N⟩ goes a block back, ⟨j⟩ on to the next touch, ⟨g⟩ on to the line with ›.\n", theme.QUIET)
            append_legend(text)
        self.query_one("#state-heading", Heading).tell("prove-out", note, theme.LIVE)
        self.query_one("#code-state", LatePanel).tell_text(text)

    # -- doing -------------------------------------------------------------------------------------------------

    def _begin(self, view_state: ViewState) -> Proving | None:
        if view_state.proving is not None and not view_state.proving.player.over:
            return view_state.proving
        self._write(view_state)
        return self._from_the_start(view_state)

    def _from_the_start(self, view_state: ViewState) -> Proving | None:
        """The program ready to begin, on a twin of the machine."""
        from brisk_anchor.services.machine.player import Player

        if self.program is None:
            self.stage.tell("There is no program yet.", self.verdict[0], "ask")
            return None
        try:
            player = Player(view_state.session.prover.proving_run(self.program), self.speed)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return None
        view_state.proving = Proving(player, self.program)
        return view_state.proving

    @property
    def speed(self) -> float:
        """How many times as fast as the machine it is shown."""
        if self._speed is None:
            self._speed = self.view_state.speed if self.view_state is not None else 1.0
        return self._speed

    def faster(self, step: int) -> None:
        """Show it faster, or slower."""
        at = min(range(len(_SPEEDS)), key=lambda i: abs(_SPEEDS[i] - self.speed))
        self._speed = _SPEEDS[max(0, min(len(_SPEEDS) - 1, at + step))]
        if self.view_state is not None and self.view_state.proving is not None:
            self.view_state.proving.player.speed = self._speed
        self.show_motion()

    def back(self) -> None:
        """A block back: the run is made again up to there, which takes no time to speak of."""
        view_state = self.view_state
        if view_state is None or view_state.proving is None:
            self.stage.tell("Nothing has run yet.", "⟨n⟩ runs a block, ⟨Space⟩ all of it.", "ask")
            return
        steps = max(0, view_state.proving.player.steps - 1)
        running = self._from_the_start(view_state)
        if running is None:
            return
        running.player.paused = True
        running.player.on(lambda player: player.steps >= steps)
        self._held(view_state, running, "One block back.")

    def to_touch(self) -> None:
        """On to the end of the next touch, the slow one that counts."""
        self._on_to("Held after the next touch.", lambda before: lambda player: player.touches > before.touches)

    def to_line(self) -> None:
        """On to the line with the cursor."""
        wanted = self.cursor
        self._on_to(f"Held after line {wanted}.", lambda _before: lambda player: player.line == wanted)

    def _on_to(self, told: str, until: Callable[[Mark], Callable[[Player], bool]]) -> None:
        view_state = self.view_state
        if view_state is None or (running := self._begin(view_state)) is None:
            return
        running.player.paused = True
        running.player.finish()
        running.player.on(until(running.player.mark()))
        self._held(view_state, running, told)

    def _held(self, view_state: ViewState, running: Proving, told: str) -> None:
        running.player.paused = True
        if running.player.line:
            self.cursor = running.player.line
        self.stage.tell(told, "⟨n⟩ runs the next block, ⟨N⟩ goes back, ⟨Space⟩ goes on.")
        if running.player.over:
            self._judge(view_state, running)
        self.show_motion()

    def source(self) -> None:
        """The program of the plan, or of the chosen offset."""
        view_state = self.view_state
        if view_state is None or (view_state.proving is not None and not view_state.proving.player.over):
            return
        if not view_state.code_of_plan and view_state.plan is None:
            self.stage.tell("There is no plan yet.", "⟨7⟩ is the plan.", "ask")
            return
        view_state.code_of_plan, view_state.proving = not view_state.code_of_plan, None
        self.show()
        self.stage.tell(
            "The program of the plan." if view_state.code_of_plan else f"The program of {view_state.row}.", ""
        )

    def run(self) -> None:
        """Run the program, or hold it."""
        view_state = self.view_state
        if view_state is None:
            return
        going = view_state.proving is not None and not view_state.proving.player.over
        running = self._begin(view_state)
        if running is None:
            return
        running.player.paused = going and not running.player.paused
        words = (
            "Held. ⟨Space⟩ goes on, ⟨n⟩ runs one block, Esc ends it."
            if running.player.paused
            else "Proving. ⟨Space⟩ holds it, Esc ends it."
        )
        self.stage.tell(words, "It runs on a twin: the machine and its tables are not touched.")
        self.show_motion()

    def prove(self) -> None:
        """Run the program from its beginning."""
        if (view_state := self.view_state) is not None:
            view_state.proving = None
            self.run()

    def step(self) -> None:
        """Run one block."""
        view_state = self.view_state
        if view_state is None or (running := self._begin(view_state)) is None:
            return
        running.player.paused = True
        running.player.step()
        self._held(view_state, running, "Held after this block.")

    def follow(self, seconds: float) -> None:
        """Let the prove-out go on; judge it at its end."""
        view_state = self.view_state
        if view_state is None or view_state.proving is None or view_state.proving.player.paused:
            return
        running = view_state.proving
        if running.player.over:
            return
        running.player.advance(seconds)
        if running.player.over:
            self._judge(view_state, running)
        self.show_motion()

    def _judge(self, view_state: ViewState, running: Proving) -> None:
        if view_state.code_of_plan:
            failure = running.player.run.failure()
            self.stage.show_all(keep_prompt=True)
            if failure is not None:
                self.stage.complain(failure)
            else:
                told = f"It ended well, after {num(running.player.run.machine.seconds, 0)} s of machine time."
                self.stage.tell(told, "⟨7⟩ and ⟨plan:p⟩ prove it on 200 parts.", "good")
            return
        try:
            proof = view_state.session.prover.judge(view_state.row, running.program, running.player.run)
        except BriskAnchorError as error:
            self.verdict = ("! not proved", theme.CORAL)
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        words = f"{um(proof.worst)} from the stored value, {um(proof.allowed)} allowed"
        self.verdict = ("● proved", theme.LIVE) if proof.holds else ("! not proved", theme.CORAL)
        self.stage.show_all(keep_prompt=True)
        if proof.holds:
            self.stage.tell(
                f"{view_state.row} is proved: the program ended {words}.", "Press ⟨t⟩ for the set-up sheet.", "good"
            )
        else:
            self.stage.tell(
                f"{view_state.row} is not proved: the program ended {words}.",
                "Measure again, and look at the part.",
                "bad",
            )

    def move(self, step: int) -> None:
        """Move the cursor."""
        if self.program:
            self.cursor = max(1, min(len(self.program.lines), self.cursor + step))
            self.show_motion()

    def on_listing_pointed(self, message: Listing.Pointed) -> None:
        """A click on a line of the program."""
        self.move(message.line - self.cursor)

    def on_listing_scrolled(self, message: Listing.Scrolled) -> None:
        """The wheel over the program."""
        self.move(message.by)

    def stop(self) -> None:
        """End the prove-out."""
        view_state = self.view_state
        if view_state is not None and view_state.proving is not None:
            over = view_state.proving.player.over
            view_state.proving.player.stop()
            view_state.proving = None
            if not over:
                self.stage.tell("The prove-out was ended.", "Nothing was changed by it.", "ask")
            self.show()
