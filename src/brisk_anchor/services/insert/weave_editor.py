"""A cutting program being changed: operations marked, measuring put in and taken out, seen as a difference, written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from brisk_anchor.core.tools.shelf import Health
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.services.insert.program_text import read_text
from brisk_anchor.services.insert.weave_proof import cut_as_before
from brisk_anchor.services.insert.weaving import (
    CuttingProgram,
    WeaveError,
    again_of,
    difference,
    take_apart,
    unweave,
    weave,
)
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile, ToolCheckSection
from brisk_anchor.services.plan.planning import planned
from brisk_anchor.services.session.session import Session

TOLERANCE = 0.05
"""How far, mm, a tool may be off its length where nothing else is stated."""


class WeaveEditor:
    """One program. The file itself is never changed: the result goes beside it under another name."""

    def __init__(self, session: Session, path: Path) -> None:
        """Raises WeaveError: the file is none that anything can be put into."""
        self.session = session
        self.path = path
        self.before = read_text(path)
        self.program: CuttingProgram = take_apart(self.before)
        self.marked: set[int] = set()
        self.verdict = ""
        """What the stand-in says of the program as it is now."""
        self.difference: list[str] = []
        """What changed against the file, as a unified diff."""
        self.going: Callable[[], bool] = lambda: True
        """Whether anybody still waits for what is worked out."""
        self._history: list[str] = []

    @property
    def changed(self) -> bool:
        """Whether it is another text than the file's."""
        return self.program.text != self.before

    @property
    def unusable(self) -> set[int]:
        """Tools that are declared broken: no program is written that calls one."""
        return {cutter.number for cutter in self.session.setup.shelf.cutters if cutter.health is Health.BROKEN}

    def toggle(self, number: int) -> None:
        """Mark an operation, or leave it out."""
        self.marked ^= {number}

    def _places(self, chosen: int) -> list[int]:
        return sorted(self.marked) or [chosen]

    def _becomes(self, text: str) -> None:
        program = take_apart(text)
        verdict = cut_as_before(self.session, self.before, text, self.going) if text != self.before else ""
        self._history.append(self.program.text)  # only now: what was given up meanwhile has changed nothing
        self.program, self.verdict, self.marked = program, verdict, set()
        self.difference = difference(self.before, text, self.path.name)

    def _plan(self, measure: list[MeasureSection], tools: list[ToolCheckSection]) -> PlanFile:
        return PlanFile(form="brisk-anchor-plan-1", units="mm", name="WOVEN", measure=measure, tool_check=tools)

    def measure(self, section: MeasureSection, chosen: int, count: int | None) -> str:
        """Put a measurement in after the marked operations, or the chosen one; with `count` it is cut again in it.

        Raises:
            WeaveError, SecondLookError, PlanError: it cannot be.
        """
        ready = planned(self.session, self._plan([section.model_copy(update={"enabled": True})], []))
        places = self._places(chosen)
        again = again_of(ready, count) if count is not None else None
        self._becomes(weave(self.session, self.program, ready, places, again))
        return f"{section.known_as} is measured after operation {', '.join(map(str, places))}"

    def check_tool(self, tool: int, tolerance: float, chosen: int) -> str:
        """Put a look at a tool in after the marked operations, or the chosen one. Raises like `measure`."""
        check = ToolCheckSection(tool=tool, tolerance=tolerance, search=max(5.0, 2 * tolerance))
        ready = planned(self.session, self._plan([], [check]))
        places = self._places(chosen)
        self._becomes(weave(self.session, self.program, ready, places))
        return f"T{tool} is looked at after operation {', '.join(map(str, places))}"

    def take_out(self) -> str:
        """What was put in last is out again. Raises WeaveError: nothing is in it."""
        if not self.program.woven:
            raise WeaveError("Nothing of ours is in this program", "", "m puts a measurement in, k a tool check")
        last = self.program.woven[-1]
        self._becomes(unweave(self.program, last.number))
        return f"{last.title} is out again, without a trace"

    def undo(self) -> bool:
        """The last change taken back; False where there is none."""
        if not self._history:
            return False
        self._becomes(self._history[-1])
        del self._history[-2:]
        return True

    def write(self) -> Path:
        """Write the result beside the file. Raises ExportError; WeaveError: there is nothing to write."""
        if broken := sorted({operation.tool for operation in self.program.operations} & self.unusable):
            names = ", ".join(f"T{number}" for number in broken)
            raise WeaveError(
                f"The program calls {names}, which is broken", "It would be cut with", "Measure a whole one"
            )
        if not self.changed:
            raise WeaveError("Nothing was changed", "There is nothing to write", "Put something in first")
        stem = self.path.stem.removesuffix(".measured")
        path = self.path.with_name(f"{stem}.measured{self.path.suffix}")
        return write_whole(path, self.program.text.encode("latin-1"))
