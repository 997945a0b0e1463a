"""What the screen has of a linked control: programs handed over in the background, reports taken as they come."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import partial
from threading import Lock
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.services.orders.listening import LinkState, Listening
from brisk_anchor.services.orders.order import Kind
from brisk_anchor.services.orders.orders import Arrival, Orders, Progress
from brisk_anchor.services.orders.orders_words import link_words, waiting_words
from brisk_anchor.services.paths import data_folder
from brisk_anchor.tui.base import Stage

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.heard import Heard
    from brisk_anchor.services.orders.order import Order
    from brisk_anchor.services.session.session import Session

_TURN = 0.0005
"""Seconds that one thread works before another may."""
_QUICK = 200
"""A report of so many touches is taken at once; a larger one beside the screen, which waits with changes meanwhile."""


class LinkDesk:
    """One job's orders on the screen."""

    def __init__(self, stage: Stage, orders: Orders, came: Callable[[Arrival], None]) -> None:
        """`came` shows what became of a report."""
        self.stage = stage
        self.orders = orders
        self._came = came
        self.busy = ""
        """What is under way beside the screen, "" for nothing: what changes something waits for it."""
        self.state = LinkState()
        self._usual_turn = sys.getswitchinterval()
        self._lock = Lock()
        settings = orders.session.link_settings
        self._listening = None
        if settings is not None and settings.reports:
            self._listening = Listening(
                settings,
                orders.session.wire,
                orders.kept.mark,
                orders.folder.path,
                data_folder(),
                self._heard,
                orders.marked,
                self._stands,
                fresh=not orders.folder.all(),
            )

    @classmethod
    def of(cls, stage: Stage, session: Session, came: Callable[[Arrival], None]) -> LinkDesk | None:
        """The desk of a session with a real link; None where there is none. Raises BriskAnchorError."""
        if session.real is None:
            return None
        return cls(stage, Orders(session, stage.folder, data_folder()), came)

    def start(self) -> None:
        """Begin to listen."""
        if self._listening is not None:
            # Between two threads keys wait no longer than this, however long a report is worked on.
            sys.setswitchinterval(_TURN)
            self.stage.in_background(self._listening.run, "link")

    def stop(self) -> None:
        """Listen no more."""
        if self._listening is not None:
            self._listening.stop()
            sys.setswitchinterval(self._usual_turn)

    # -- hearing, on the thread of the link ----------------------------------------------------------------------------

    def _heard(self, heard: Heard) -> bool:
        """See to a report; whether that was done, and the application has not ended meanwhile."""
        outcomes: list[Arrival] = []
        if heard.touches <= _QUICK:
            self.stage.from_background(partial(self._take, heard, outcomes))
            return bool(outcomes)
        self.busy = f"taking a report of {heard.touches} touches"
        try:
            outcome = self.orders.arrived(heard)
        finally:
            self.busy = ""
        self.stage.from_background(partial(self._came, outcome))
        return True

    def _take(self, heard: Heard, outcomes: list[Arrival]) -> None:
        outcomes.append(self.orders.arrived(heard))
        self._came(outcomes[-1])

    def _stands(self, state: LinkState) -> None:
        before, self.state = self.state, state
        if before.lost and not state.lost:
            self.stage.from_background(partial(self.stage.tell, "The link answers again.", "Nothing is lost.", "good"))
        told = state.heard is not before.heard or state.lost != before.lost or state.busy != before.busy
        if told:
            self.stage.from_background(self._show)

    def _show(self) -> None:
        self.stage.show_all(keep_prompt=True)
        if self.state.heard is not None and (waits := self.waits) is not None:
            self.stage.tell(*waits)  # what came of it stays when it has ended
        if self.state.lost:
            self.stage.tell("The link is lost; it is tried again.", self.state.lost, "bad")

    def look(self) -> None:
        """What other windows took, or heard for this job; about once a second."""
        if self.busy:
            return
        with self._lock:
            try:
                self.orders.refresh()
                outcomes = self.orders.take_offered()
            except BriskAnchorError:
                return  # the folder does not answer now; the next look tells when something is asked for
        for outcome in outcomes:
            self._came(outcome)

    # -- what is shown --------------------------------------------------------------------------------

    @property
    def words(self) -> str:
        """How the link stands, in a few words."""
        return link_words(self.orders, self.state)

    @property
    def waits(self) -> tuple[str, str] | None:
        """What is waited for, in two sentences; None where nothing is."""
        return waiting_words(self.orders, self.state)

    # -- handing over --------------------------------------------------------------------------------

    def hand_over(self, what: str, work: Callable[[Orders, Progress], Order]) -> None:
        """Hand a program over beside the screen, and tell what to press; or why it could not be."""
        if self.busy:
            self.stage.tell(f"Still {self.busy}.", "", "ask")
            return
        self.busy = f"handing over {what}"

        def told(done: int, of: int) -> bool:
            self.busy = f"sending {what}: {done} of {of} lines"
            return self.stage.is_running

        def run() -> None:
            trouble: BriskAnchorError | None = None
            try:
                work(self.orders, told)
            except BriskAnchorError as error:
                trouble = error
            finally:
                self.busy = ""
            self.stage.from_background(partial(self._handed, trouble))

        self.stage.tell(f"Handing over {what} …")
        self.stage.in_background(run, "hand over")

    def _handed(self, trouble: BriskAnchorError | None) -> None:
        self.stage.show_all(keep_prompt=trouble is not None)
        if trouble is not None:
            self.stage.complain(trouble)
        elif (waits := self.waits) is not None:
            self.stage.tell(*waits)

    def give_up(self) -> None:
        """Ask whether the newest order is to be waited for no more."""
        waiting = self.orders.waiting
        if not waiting:
            self.stage.tell("Nothing is waited for.", "", "ask")
            return
        order = waiting[-1]

        def work() -> None:
            self.stage.attempt(lambda: (self._given_up(order), "A report that comes all the same is taken."))

        self.stage.confirm(
            f"Wait for {order.label}, {order.title}, no more? Enter: no more, Esc: wait on.",
            "Its program is taken away, where it lies as a file.",
            work,
        )

    def _given_up(self, order: Order) -> str:
        self.orders.give_up(order)
        return f"{order.label} is not waited for any more"


def is_measurement(outcome: Arrival) -> bool:
    """Whether a report measured one feature, as on the bench."""
    return outcome.order is not None and outcome.order.kind is Kind.MEASURE
