"""Plays a run at a watchable speed: so much machine time for so much of the viewer's time."""

from __future__ import annotations

import math
from collections.abc import Callable

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.interpreter import Status
from brisk_anchor.services.machine.runs import Run, Stride
from brisk_anchor.standin.motion import Motion, MoveKind, touches_in

_DOING = {
    MoveKind.RAPID: "rapid",
    MoveKind.SKIP: "skip move",
    MoveKind.FEED: "feed",
    MoveKind.DWELL: "waiting",
}
_MEASURING = {**_DOING, MoveKind.SKIP: "guarded", MoveKind.FEED: "backing off"}
"""What the same moves are in a measurement."""
_BLOCKS_A_CALL = 400
"""Blocks without a move that one call of `advance` runs at most, so that a screen stays alive."""


@dataclass(frozen=True, slots=True)
class Mark:
    """How far a run was: its line and its touches."""

    line: int
    touches: int


@dataclass(frozen=True, slots=True)
class Progress:
    """What the machine does now, how far the move still goes, mm, and which share of it is done."""

    doing: str
    to_go: float | None
    share: float


class Player:
    """Follows one run. Call `advance` with the seconds that have passed; read `position` and `motion`."""

    def __init__(self, run: Run, speed: float) -> None:
        self.run = run
        self.speed = speed
        self.position: Vector = run.machine.position
        self.motion: Motion | None = None
        self.stride: Stride | None = None
        self.contacts: list[Motion] = []
        self.done_motions: list[Motion] = []
        self.steps = 0
        """Blocks taken so far."""
        self.touches = 0
        """Touches made so far: each meets the metal twice, and the second counts."""
        self.paused = False
        self.single = False
        """Whether it holds after every block that does something."""
        self._queue: list[Motion] = []
        self._spent = 0.0
        self._hold_next = False

    @property
    def over(self) -> bool:
        """Whether the last move has been shown and there is nothing more to run."""
        return self.run.over and not self._queue

    @property
    def line(self) -> int:
        """Line of the block that runs now, 0 before the first."""
        return self.stride.line if self.stride else 0

    @property
    def caller(self) -> int:
        """Line of the main program that called what runs now, 0 in the main program itself."""
        calls = self.run.interpreter.calls
        if len(calls) < 2 or calls[0].at < 1 or calls[0].stream is not None:
            return 0
        return calls[0].routine.blocks[calls[0].at - 1].line

    @property
    def to_go(self) -> float | None:
        """Machine mm to the end of the present move, None between moves."""
        if self.motion is None or self.motion.kind is MoveKind.DWELL:
            return None
        return math.dist(self.motion.end, self.position)

    def progress(self, measurement: Measurement | None = None) -> Progress | None:
        """What it does now, None between moves; of a `measurement`, touch by touch, to where the wall should be."""
        motion = self.motion
        if motion is None:
            return None
        words = _DOING if measurement is None else _MEASURING
        doing, whole = words[motion.kind], math.dist(motion.start, motion.end)
        probing = self.run.profile.probing
        guarded = (
            probing is None
            or motion.kind is not MoveKind.SKIP
            or math.isclose(motion.feed, probing.guarded_feed, rel_tol=1e-4)
        )
        if measurement is not None and probing is not None and not guarded:
            slow = len(self.contacts) % 2 == 1  # the wall was found: what comes now is the touch that counts
            number = min(measurement.touch_count, len(self.touched) + 1)
            doing = f"touch {number} of {measurement.touch_count}" + (", slow" if slow else "")
            whole = probing.back_off if slow else measurement.nominal_reach
        gone = math.dist(self.position, motion.start)
        to_go = whole - gone if self.to_go is not None else None
        return Progress(doing, to_go, min(1.0, gone / whole) if whole else 1.0)

    def advance(self, seconds: float) -> bool:
        """Let time pass; returns whether anything changed. Does nothing while paused."""
        if self.paused or self.over:
            return False
        budget = seconds * self.speed
        for _ in range(_BLOCKS_A_CALL):
            if self._queue:
                motion = self._queue[0]
                if self._spent + budget < motion.seconds:
                    self._spent += budget
                    self._show(motion, self._spent / motion.seconds)
                    return True
                budget -= max(0.0, motion.seconds - self._spent)
                self._finish(motion)
            elif self.run.over:
                return True
            else:
                self._take(self.run.stride())
                self._hold_next = self._holds()
            if self._hold_next and not self._queue:
                self.paused, self._hold_next = True, False
                return True
        return True

    def _holds(self) -> bool:
        """Whether the block just taken ends in a hold: a stop of the program, or single block."""
        if self.run.interpreter.status is Status.STOPPED:
            return True
        block = self.run.interpreter.block
        return self.single and block is not None and block.statement is not None

    def step(self) -> None:
        """Finish the present block, or run the next that is not empty, at once."""
        self.finish()
        if not self.run.over:
            self._take(self.run.stride())
            self.finish()

    def finish(self) -> None:
        """Finish the present block at once."""
        while self._queue:
            self._finish(self._queue[0])

    def on(self, until: Callable[[Player], bool]) -> None:
        """Run block by block, at once, until something holds or nothing is left."""
        while not self.run.over and not until(self):
            self.step()

    def mark(self) -> Mark:
        """How far it is now."""
        return Mark(self.line, self.touches)

    def stop(self) -> None:
        """Stop where the spindle is shown now."""
        motion = self._queue[0] if self._queue else None
        share = self._spent / motion.seconds if motion and motion.seconds else 1.0
        self.run.stop(motion, share)
        self._queue.clear()
        self.motion = None
        self.position = self.run.machine.position

    def _take(self, stride: Stride) -> None:
        self.stride = stride
        self.steps += 1
        self._queue = [motion for motion in stride.motions if motion.seconds > 0 or motion.contact]

    def _show(self, motion: Motion, share: float) -> None:
        self.motion = motion
        self.position = motion.at(share)

    @property
    def touched(self) -> list[Motion]:
        """Of the contacts so far the touches that count."""
        return touches_in(self.contacts)

    def _finish(self, motion: Motion) -> None:
        self._show(motion, 1.0)
        self._queue.pop(0)
        self._spent = 0.0
        self.done_motions.append(motion)
        if motion.contact is not None:
            self.contacts.append(motion)
            self.touches = len(self.contacts) // 2
