"""What of the plan runs behind the screen: the path and the time, the proof, the drawings."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.looking import DrawnView

if TYPE_CHECKING:
    from brisk_anchor.services.plan.plan_builder import PlanBuilder
    from brisk_anchor.services.plan.planning import Planned
    from brisk_anchor.services.plan.proving import Outcome
    from brisk_anchor.services.plan.timing import Times
    from brisk_anchor.standin.motion import Motion
    from brisk_anchor.tui.view_state import ViewState

_TOLD_EVERY = 5
"""After so many parts a proof says how far it is."""


class PlanRuns(DrawnView):
    """Everything of the plan view that takes longer than a key may."""

    def __init__(self) -> None:
        super().__init__(id="plan")
        self.digest = ""
        self.motions: list[Motion] = []
        self.times: Times | None = None
        self.ended = ""
        """Why the run on the set-up as it stands did not end well."""
        self.running = ""
        self.shown_of: object = None
        self.spoken = False
        """Whether something was told that what runs behind the screen must not talk over."""
        self._halt = False

    @property
    def builder(self) -> PlanBuilder | None:
        """The plan."""
        raise NotImplementedError

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """What can be done next."""
        raise NotImplementedError

    def show(self) -> None:
        """Bring everything up to date."""
        raise NotImplementedError

    def show_whole(self, builder: PlanBuilder) -> None:
        """Time, second look and proof."""
        raise NotImplementedError

    def tell_next(self) -> None:
        """Say what can be done next."""
        if self.view_state is not None:
            self.owner.tell(*self.next_sentence(self.view_state))

    # -- the run behind the drawing ----------------------------------------------------------------------------

    def rehearse(self) -> None:
        """Work out path and time behind the screen when the plan is another than was run."""
        builder = self.builder
        if builder is None or builder.ready is None or self.shown_of is builder.ready:
            if builder is not None and builder.ready is None:
                self.motions, self.times, self.digest, self.ended = [], None, "", ""
            return
        self.shown_of = builder.ready
        work = partial(self._rehearse, builder, builder.ready)
        self.owner.run_worker(work, thread=True, exclusive=True, group="plan-path", name="plan-path")

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
        if self.owner.is_running:
            self.owner.call_from_thread(self._rehearsed, ready, digest, motions, times, ended)

    def _rehearsed(self, ready: Planned, digest: str, motions: list[Motion], times: Times | None, ended: str) -> None:
        builder = self.builder
        if builder is None or builder.ready is not ready:
            return
        self.digest, self.motions, self.times, self.ended = digest, motions, times, ended
        if self.owner.view == "plan":
            self.show_whole(builder)
            self.show_motion()
            if not self.running and not self.spoken:
                self.tell_next()

    # -- code, proof, files ------------------------------------------------------------------------------------

    async def code(self) -> None:
        """Show the program of the plan in the code view."""
        view_state, builder = self.view_state, self.builder
        if view_state is None or builder is None:
            return
        view_state.code_of_plan, view_state.proving = True, None
        await self.owner.do_view("code")

    def prove_plan(self) -> None:
        """Run the program on 200 parts within what is stated, behind the screen."""
        from brisk_anchor.services.plan.planning import program_of
        from brisk_anchor.services.plan.proving import VARIATIONS

        builder = self.builder
        if builder is None or self.running:
            return
        if builder.ready is None:
            self.tell_next()
            return
        try:
            program_of(builder.session, builder.ready)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        self.running, self._halt = "proving …", False
        self.show_whole(builder)
        self.owner.tell(f"Proving on {VARIATIONS} parts. Esc ends it.", "Nothing here is moved or stored.")
        work = partial(self._prove, builder, builder.ready)
        self.owner.run_worker(work, thread=True, exclusive=True, group="plan-proof", name="plan-proof")

    def _prove(self, builder: PlanBuilder, ready: Planned) -> None:
        from brisk_anchor.services.plan.planning import program_of
        from brisk_anchor.services.plan.proving import VARIATIONS, prove

        def told(outcome: Outcome) -> bool:
            count = len(outcome.endings)
            if count % _TOLD_EVERY == 0 and self.owner.is_running:
                self.owner.call_from_thread(self._progress, builder, outcome.right, count, outcome.wanted)
            return not self._halt and self.owner.is_running

        outcome = prove(builder.session, ready, program_of(builder.session, ready), VARIATIONS, told=told)
        if self.owner.is_running:
            self.owner.call_from_thread(self._proved, builder, outcome)

    def _progress(self, builder: PlanBuilder, right: int, count: int, wanted: int) -> None:
        bar = "█" * round(20 * count / wanted)
        self.running = f"{bar:<20} {count} of {wanted} parts, {right} ended right"
        self.show_whole(builder)

    def _proved(self, builder: PlanBuilder, outcome: Outcome) -> None:
        self.running, self.spoken = "", True
        if not outcome.complete:
            self.owner.tell("The proof was ended.", "It says nothing: a plan is proved when all parts were run.", "ask")
            self.show_whole(builder)
            return
        try:
            builder.prove(outcome)
        except BriskAnchorError as error:
            self.owner.complain(error)
        self.show()
        if outcome.proved:
            stopped = sum(outcome.stopped.values())
            rest = f", {stopped} stopped safely" if stopped else ""
            told = f"Proved: {outcome.right} of {outcome.wanted} parts ended right{rest}."
            self.owner.tell(told, "w writes plan and program; the proof is of that text alone.", "good")
        else:
            bad = len(outcome.of("wrong")) + len(outcome.of("crashed"))
            told = f"Not proved: {bad} of {outcome.wanted} parts went wrong."
            self.owner.tell(told, next((e.words for e in outcome.endings if e.how in ("crashed", "wrong")), ""), "bad")

    def sheet_of_view(self) -> None:
        """Draw path and sheet of the plan in a thread."""
        builder = self.builder
        if builder is None or builder.ready is None:
            return
        self.owner.tell("Drawing the path and the plan's sheet …")
        work = partial(self._draw, builder, builder.ready)
        self.owner.run_worker(work, thread=True, exclusive=True, name="sheet")

    def _draw(self, builder: PlanBuilder, ready: Planned) -> None:
        from brisk_anchor.services.plan.plan_sheets import write_plan_sheets

        try:
            paths = write_plan_sheets(builder.session, ready, builder.path, self.owner.folder, proof=builder.proof)
        except BriskAnchorError as error:
            self.owner.call_from_thread(self.owner.complain, error)
            return
        shown = ", ".join(path.name for path in paths)
        self.owner.call_from_thread(self.owner.tell, f"Drawn: {shown}.", f"In {paths[0].parent}", "good")
