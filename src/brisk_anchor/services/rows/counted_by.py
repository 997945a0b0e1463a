"""What the value of a row follows from, beside what is touched; and a file that keeps it as it was at the last store.

A job's files may be changed in an editor while nothing is open: what was stored by the old ones is out of date then.
"""

from __future__ import annotations

import hashlib
import json
import logging
from collections.abc import Iterable
from pathlib import Path

from brisk_anchor import __version__
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.conditions import grown
from brisk_anchor.core.offsets.setup import RowPlan, Setup
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.bounded import read_at_most

_LOG = logging.getLogger(__name__)
_LONGEST = 4_000_000


def counted_by(setup: Setup, plan: RowPlan) -> tuple[object, ...]:
    """What the value of a row follows from, beside what is touched.

    Its rules, with figures of the drawing as long as they are at the part's temperature; the table that turns it, and
    about which centre; and which places of the part its features are.
    """
    known = {feature.name: (feature.kind, feature.body, feature.drawing) for feature in setup.features}
    places = tuple(known.get(name) for name in setup.touched(plan.features))
    return tuple(sorted(grown(plan.rules, setup.conditions).items())), plan.turner, places


def other_figures(setup: Setup, chain: Chain) -> str:
    """Which tool has other figures now than those that a row was worked out with; "" where none has."""
    hands = {tool.tool_number: _figures(tool) for tool in setup.hand_tools}
    for feature in chain.features:
        for touch in feature.touches:
            tool = touch.stylus
            now = _figures(setup.stylus) if isinstance(tool, Stylus) else hands.get(tool.tool_number)
            if now != _figures(tool):
                return tool.name
    return ""


def _figures(tool: Stylus | HandTool) -> tuple[object, ...]:
    """The figures of a tool that a touched place follows from; its ± is none of them."""
    if isinstance(tool, Stylus):
        return (tool.effective_radius, tool.length, tool.offset, tool.by_direction)
    return (tool.diameter, tool.thickness, tool.bare_length)


def mark_of(counted: tuple[object, ...]) -> str:
    """The same in a few letters, of this version of ours."""
    return hashlib.sha256(f"{__version__} {counted!r}".encode()).hexdigest()[:20]


class CountedFile:
    """By job and row: when it was stored last, and what it counted with then. Without a path nothing is kept."""

    def __init__(self, path: Path | None) -> None:
        self._path = path

    def _read(self) -> dict[str, dict[str, list[str]]]:
        if self._path is None or not self._path.exists():
            return {}
        try:
            jobs = json.loads(read_at_most(self._path, _LONGEST))
        except (OSError, ValueError) as error:
            _LOG.warning("%s tells nothing: %s", self._path.name, error)
            return {}
        try:
            return {job: {row: [str(at), str(mark)] for row, (at, mark) in rows.items()} for job, rows in jobs.items()}
        except (AttributeError, TypeError, ValueError) as error:
            _LOG.warning("%s tells nothing: %s", self._path.name, error)
            return {}

    def keep(self, job: str, marks: Iterable[tuple[str, str, str]]) -> None:
        """Note rows that were stored: each with when, and its mark. What cannot be noted is not known the next time."""
        if self._path is None or not (new := {row: [at, mark] for row, at, mark in marks}):
            return
        jobs = self._read()
        jobs[job] = jobs.get(job, {}) | new
        try:
            write_whole(self._path, json.dumps(jobs, indent=1).encode())
        except BriskAnchorError as error:
            _LOG.warning("what rows counted with is not kept: %s", error.one_line())

    def of(self, job: str) -> dict[str, tuple[str, str]]:
        """The rows of a job: when each was stored last, and its mark then."""
        known = self._read().get(job, {}).items()
        return {row: (at, mark) for row, (at, mark) in known}
