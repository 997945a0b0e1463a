"""What of the plan runs behind the screen: the path and the time, the proof, the drawings."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.base import Stage

if TYPE_CHECKING:
    from brisk_anchor.services.plan.plan_builder import PlanBuilder
    from brisk_anchor.services.plan.planning import Planned
    from brisk_anchor.services.plan.proving import Outcome
    from brisk_anchor.services.plan.timing import Times
    from brisk_anchor.standin.motion import Motion
    from brisk_anchor.tui.view_state import ViewState

_TOLD_EVERY = 5
"""After so many parts a proof says how far it is."""


class PlanScreen(Protocol):
    """What shows the plan while something of it runs."""

    @property
    def builder(self) -> PlanBuilder | None:
        """The plan."""

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """What can be done next."""

    def show(self) -> None:
        """Bring everything up to date."""

    def show_whole(self, builder: PlanBuilder) -> None:
        """Time, second look and proof."""

    def show_motion(self) -> None:
        """The drawing alone."""


class PlanRuns:
    """Everything of the plan that takes longer than a key may."""

    def __init__(self, stage: Stage, screen: PlanScreen) -> None:
        self.stage = stage
        self.screen = screen
        self.digest = ""
        self.motions: list[Motion] = []
        self.times: Times | None = None
        self.ended = ""
        """Why the run on the nominal set-up failed."""
        self.running = ""
        self.shown_of: object = None
        self.spoken = False
        """Whether something was told that what runs behind the screen must not talk over."""
        self._halt = False

    def tell_next(self) -> None:
        """Say what can be done next."""
        if self.stage.view_state is not None:
            self.stage.tell(*self.screen.next_sentence(self.stage.view_state))

    # -- the run behind the drawing ----------------------------------------------------------------------------

    def rehearse(self) -> None:
        """Work out path and time behind the screen when the plan is another than was run."""
        builder = self.screen.builder
        if builder is None or builder.ready is None or self.shown_of is builder.ready:
            if builder is not None and builder.ready is None:
                self.motions, self.times, self.digest, self.ended = [], None, "", ""
            return
        self.shown_of = builder.ready
        work = partial(self._rehearse, builder, builder.ready)
        self.stage.in_background(work, "plan-path")

    def _rehearse(self, builder: PlanBuilder, ready: Planned) -> None:
        from brisk_anchor.services.plan.proving import rehearse

        digest, motions, times, ended = "", [], None, ""
        try:
            digest, run, times = rehearse(builder.session, ready)
            motions = list(run.machine.motions)
            failure = run.failure()
            ended = failure.one_line() if failure is not None else ""
        except BriskAnchorError as error:
            ended = error.what
        self.stage.from_background(partial(self._rehearsed, ready, digest, motions, times, ended))

    def _rehearsed(self, ready: Planned, digest: str, motions: list[Motion], times: Times | None, ended: str) -> None:
        builder = self.screen.builder
        if builder is None or builder.ready is not ready:
            return
        self.digest, self.motions, self.times, self.ended = digest, motions, times, ended
        if self.stage.view == "plan":
            self.screen.show_whole(builder)
            self.screen.show_motion()
            if not self.running and not self.spoken:
                self.tell_next()

    # -- code, proof, files ------------------------------------------------------------------------------------

    async def code(self) -> None:
        """Show the program of the plan in the code view."""
        view_state, builder = self.stage.view_state, self.screen.builder
        if view_state is None or builder is None:
            return
        view_state.code_of_plan, view_state.proving = True, None
        await self.stage.go_to("code")

    def prove_plan(self) -> None:
        """Run the program on 200 parts within what is stated, behind the screen."""
        from brisk_anchor.services.plan.planning import program_of
        from brisk_anchor.services.plan.proving import VARIATIONS

        builder = self.screen.builder
        if builder is None or self.running:
            return
        if builder.ready is None:
            self.tell_next()
            return
        try:
            program_of(builder.session, builder.ready)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self.running, self._halt = "proving …", False
        self.screen.show_whole(builder)
        self.stage.tell(f"Proving on {VARIATIONS} parts. Esc ends it.", "Nothing here is moved or stored.")
        work = partial(self._prove, builder, builder.ready)
        self.stage.in_background(work, "plan-proof")

    def _prove(self, builder: PlanBuilder, ready: Planned) -> None:
        from brisk_anchor.services.plan.planning import program_of
        from brisk_anchor.services.plan.proving import VARIATIONS, prove

        def told(outcome: Outcome) -> bool:
            count = len(outcome.endings)
            if count % _TOLD_EVERY == 0:
                self.stage.from_background(partial(self._progress, builder, outcome.right, count, outcome.wanted))
            return not self._halt and self.stage.is_running

        outcome = prove(builder.session, ready, program_of(builder.session, ready), VARIATIONS, told=told)
        self.stage.from_background(partial(self._proved, builder, outcome))

    def _progress(self, builder: PlanBuilder, right: int, count: int, wanted: int) -> None:
        bar = "█" * round(20 * count / wanted)
        self.running = f"{bar:<20} {count} of {wanted} parts, {right} ended right"
        self.screen.show_whole(builder)

    def _proved(self, builder: PlanBuilder, outcome: Outcome) -> None:
        self.running, self.spoken = "", True
        if not outcome.complete:
            self.stage.tell("The proof was ended.", "It says nothing: a plan is proved when all parts were run.", "ask")
            self.screen.show_whole(builder)
            return
        try:
            builder.prove(outcome)
        except BriskAnchorError as error:
            self.stage.complain(error)
        self.screen.show()
        if outcome.proved:
            stopped = sum(outcome.stopped.values())
            rest = f", {stopped} stopped safely" if stopped else ""
            told = f"Proved: {outcome.right} of {outcome.wanted} parts ended right{rest}."
            self.stage.tell(told, "⟨w⟩ writes plan and program; the proof is of that text alone.", "good")
        else:
            bad = len(outcome.of("wrong")) + len(outcome.of("crashed"))
            told = f"Not proved: {bad} of {outcome.wanted} parts went wrong."
            self.stage.tell(told, next((e.words for e in outcome.endings if e.how in ("crashed", "wrong")), ""), "bad")

    def halt(self) -> bool:
        """End the proof that runs; False where none does."""
        self._halt = bool(self.running)
        return self._halt

    def write_sheet(self) -> None:
        """Draw path and sheet of the plan in a thread."""
        builder = self.screen.builder
        if builder is None or builder.ready is None:
            return
        work = partial(self._draw, builder, builder.ready)
        self.stage.beside("Drawing the path and the plan's sheet …", work, self.stage.tell_written)

    def _draw(self, builder: PlanBuilder, ready: Planned) -> list[Path]:
        from brisk_anchor.services.plan.plan_sheets import write_plan_sheets

        return write_plan_sheets(builder.session, ready, builder.path, self.stage.folder, proof=builder.proof)
