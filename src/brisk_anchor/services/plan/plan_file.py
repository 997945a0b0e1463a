"""A plan as a file: what to measure in which order, and what it sets. TOML, to be read and compared by a person."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import Field, ValidationError, model_validator

from brisk_anchor.core.errors import Fault, JobError, PlanFileError
from brisk_anchor.core.features.measurement_options import MeasurementOptions
from brisk_anchor.core.quantities import shown_unit
from brisk_anchor.exchange.toml_files import MILLIMETRES, faults_in, in_millimetres, parse, read_text
from brisk_anchor.nc.bounded import strictly
from brisk_anchor.services.job.job_text import figure, quoted
from brisk_anchor.standin.row_file import ROW
from brisk_anchor.standin.solid_file import Coordinate, FileSection, Place

_NO_LENGTHS = frozenset(
    (
        *("units", "form", "name", "number", "offset", "order", "probe", "half_turn", "feature", "enabled", "repeats"),
        *("also", "turning", "check_on", "balloon", "unsure", "again", "scrap", "flag", "correct", "ending"),
        *("comment", "walls", "headings", "keep", "on_fail", "tool", "row", "r", "A", "B", "C"),
    )
)
Figure = Annotated[float, Field(gt=0, le=1000)]
Feed = Annotated[float, Field(ge=1, le=5000)]
Reaction = Literal["alarm", "stop", "go on"]
_KEEP = re.compile(r"^([XYZDERABIJK]) #([0-9]{1,4})$")
FIGURES = (
    *(
        "depth",
        "depth_check",
        "hop",
        "search",
        "spread",
        "second_depth",
        "size",
        "size_y",
        "size_limit",
        "standoff",
        "clear",
    ),
    *("search_feed", "touch_feed", "repeats"),
)
"""Fields of a measurement that hold one figure each, in the order they are shown and written."""


class SetsSection(FileSection):
    """An offset that a measurement sets: `x`, `y`, `z` are where the feature lies in it, `r` the angle it has there.

    An axis that is left out keeps what stands in the table; `allowance` is added, so that a first cut cleans up.
    """

    row: Annotated[str, Field(pattern=ROW)]
    x: Coordinate | None = None
    y: Coordinate | None = None
    z: Coordinate | None = None
    r: Annotated[float, Field(ge=-360, le=360)] | None = None
    allowance: dict[Literal["x", "y", "z"], Annotated[float, Field(ge=-50, le=50)]] = {}

    @model_validator(mode="after")
    def _something(self) -> Self:
        given = [axis for axis in ("x", "y", "z", "r") if getattr(self, axis) is not None]
        if not given or not set(self.allowance) <= set(given):
            raise ValueError("say where the feature lies: x, y, z or r; an allowance belongs to one of these")
        return self


class MeasureSection(FileSection):
    """One measurement: of a drawn `feature`, or of what is marked round a place (`name`, `walls`, `at`).

    A figure that is left out is proposed. `at` is the tip, machine mm; `standoff` how far before the wall it stands,
    `clear` the tip's machine Z at which nothing is in the way here; with `depth_check` each wall is touched again so
    much higher, to tell it from its edge. `keep` copies results: "X #610". With `table` it is
    measured with rotary axes at those machine angles; all else of such a plan then with all of them at 0. With `check`
    it must lie so near to where the row of its place has it.
    """

    feature: Annotated[str, Field(max_length=24)] | None = None
    name: Annotated[str, Field(min_length=1, max_length=24)] | None = None
    walls: list[Literal["LEFT", "RIGHT", "UP", "DOWN", "BELOW"]] = []
    over: bool = False
    round: bool = False
    twice: bool = False
    at: Place | None = None
    enabled: bool = True
    depth: Figure | None = None
    depth_check: Figure | None = None
    hop: Figure | None = None
    search: Figure | None = None
    spread: Figure | None = None
    second_depth: Figure | None = None
    size: Figure | None = None
    size_y: Figure | None = None
    size_limit: Figure | None = None
    standoff: Figure | None = None
    clear: Coordinate | None = None
    search_feed: Feed | None = None
    touch_feed: Feed | None = None
    repeats: int | None = Field(default=None, ge=1, le=9)
    headings: Annotated[list[Annotated[float, Field(ge=-360, le=360)]], Field(min_length=2, max_length=36)] | None = (
        None
    )
    over_the_top: bool | None = None
    table: dict[Literal["A", "B", "C"], Annotated[float, Field(ge=-36000, le=36000)]] = {}
    on_fail: Reaction = "alarm"
    keep: Annotated[list[Annotated[str, Field(pattern=_KEEP.pattern)]], Field(max_length=12)] = []
    sets: SetsSection | None = None
    check: Figure | None = None
    comment: Annotated[str, Field(max_length=120)] = ""

    def options(self, *, half_turn: bool, table: tuple[tuple[str, float], ...]) -> MeasurementOptions:
        """How it is made where that is stated; `half_turn` is the whole plan's, `table` where rotary axes stand."""
        return MeasurementOptions(
            clear=self.clear,
            size_limit=self.size_limit,
            over_the_top=self.over_the_top,
            half_turn=half_turn,
            search_feed=self.search_feed,
            touch_feed=self.touch_feed,
            on_fail=self.on_fail,
            keep=self.kept,
            table=table,
            hop=self.hop,
            depth_check=self.depth_check,
        )

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        marked = (self.name, self.at, self.walls or None)
        if (self.feature is None) == (self.name is None) or (self.name is not None and None in marked):
            raise ValueError("give a feature of the drawing; or name, walls and at of one that is not drawn")
        if self.feature is not None and any(value is not None for value in marked):
            raise ValueError("a feature of the drawing has its own walls and place")
        return self

    @property
    def known_as(self) -> str:
        """The name it is known by in the plan."""
        return self.feature or f"Free {self.name}"

    @property
    def stated(self) -> dict[str, float]:
        """The figures that are stated, by field; lengths mm."""
        found = {name: getattr(self, name) for name in FIGURES}
        return {name: float(value) for name, value in found.items() if value is not None}

    @property
    def kept(self) -> tuple[tuple[str, int], ...]:
        """Letters of results and the variables that take them."""
        pairs = (_KEEP.match(item) for item in self.keep)
        return tuple((found[1].lower(), int(found[2])) for found in pairs if found)


class ToolCheckSection(FileSection):
    """A tool that must still be whole before anything is measured; `search` is how far beyond its length it may be."""

    tool: int = Field(ge=1, le=99)
    tolerance: float = Field(gt=0, le=5)
    search: float = Field(default=5.0, gt=0, le=50)
    on_fail: Reaction = "alarm"
    enabled: bool = True

    @model_validator(mode="after")
    def _within(self) -> Self:
        if self.tolerance >= self.search:
            raise ValueError("search further than the tolerance, or a tool outside it is never found")
        return self


After = Annotated[str, Field(pattern=r"^(go on|stop|alarm|end|block [A-Z0-9. #\[\]=+*-]{1,40})$")]
"""What follows a verdict; a block of the shop's own stands as it is written."""


class JudgeSection(FileSection):
    """A characteristic, by its number on the drawing, that the program judges; what follows where it is not good.

    `unsure`: its ± leaves it open; `again`: metal is left that can be cut; `scrap`: it is not. `flag` keeps the verdict
    in a variable (0 in, 1 unsure, 2 again, 3 scrap); with `correct` the control answers the wear of what cut it.
    """

    balloon: Annotated[str, Field(min_length=1, max_length=8)]
    unsure: After = "stop"
    again: After = "stop"
    scrap: After = "stop"
    flag: int | None = Field(default=None, ge=1, le=9999)
    correct: bool = False


class PlanFile(FileSection):
    """A list of measurements; `offset` is the row they set by the job's own rules, where they set one so.

    `also` are more rows of the job that it sets by their own rules. A table without limits goes the `shortest` way from
    angle to angle, always one way round, or winds back to where it came from. `judge` are characteristics of the
    drawing that the program judges when all is measured; `ending` is what stands before its end: with "return" it is
    called by another program, which goes on. Without `z_home` the tip stays at the last clear height.
    `probe` says whether it stays on between measurements or is switched on for each; `half_turn` touches everything
    twice, the spindle half round between; with `call_probe` the program puts the probe in itself.
    """

    form: Literal["brisk-anchor-plan-1"]
    units: Literal["mm", "inch"]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    number: int | None = Field(default=None, ge=1, le=9899)
    offset: Annotated[str, Field(pattern=ROW)] | None = None
    also: Annotated[list[Annotated[str, Field(pattern=ROW)]], Field(max_length=300)] = []
    turning: Literal["shortest", "clockwise", "counter-clockwise", "unwind"] = "shortest"
    order: Literal["as listed", "shortest"] = "as listed"
    probe: Literal["kept on", "each"] = "kept on"
    half_turn: bool = False
    call_probe: bool = False
    tool_check: list[ToolCheckSection] = Field(default=[], max_length=40)
    measure: list[MeasureSection] = Field(max_length=400)
    judge: list[JudgeSection] = Field(default=[], max_length=200)
    ending: Literal["end", "stop", "optional stop", "return"] = "end"
    z_home: bool = True

    def with_measure(self, measure: list[MeasureSection]) -> PlanFile:
        """The same plan with another list."""
        return self.model_copy(update={"measure": measure})


def refuse_nothing(plan: PlanFile, name: str) -> None:
    """A plan that is begun on the screen may be empty; no file is.

    Raises:
        PlanFileError: it measures nothing and looks at no tool.
    """
    if not plan.measure and not plan.tool_check:
        raise PlanFileError(name, (Fault("", "there is nothing in it: give [[measure]] or [[tool_check]]"),))


def parse_plan(text: str, name: str) -> PlanFile:
    """A plan from the text of a file; lengths become mm.

    Raises:
        PlanFileError: with every fault, its line and its field. JobError: it is no TOML.
    """
    data = parse(text, name)
    try:
        plan = strictly(PlanFile, in_millimetres(data, MILLIMETRES[data["units"]], _NO_LENGTHS))
    except ValidationError as error:
        raise PlanFileError(name, tuple(faults_in(name, text, error))) from None
    refuse_nothing(plan, name)
    return plan


def load_plan(path: Path) -> PlanFile:
    """Read a plan. Raises PlanFileError: with every fault, its line and its field."""
    try:
        return parse_plan(read_text(path), path.name)
    except JobError as error:
        raise PlanFileError(path.name, error.findings) from None


def plan_of_features(name: str, offset: str | None, features: list[str]) -> PlanFile:
    """A plan that measures some features as the drawing proposes; its file is written in the unit that is shown."""
    measure = [MeasureSection(feature=feature) for feature in features]
    return PlanFile(form="brisk-anchor-plan-1", units=shown_unit().word, name=name, offset=offset, measure=measure)


def plan_text(plan: PlanFile) -> str:
    """A plan as the text of a file in its own unit: what is proposed is left out, so a change shows as one line."""
    inches = plan.units == "inch"
    lines = ['form = "brisk-anchor-plan-1"', f'units = "{plan.units}"', f"name = {quoted(plan.name, 60)}"]
    lines += [f"number = {plan.number}"] if plan.number is not None else []
    lines += [f'offset = "{plan.offset}"'] if plan.offset else []
    lines += [f"also = [{', '.join(quoted(row) for row in plan.also)}]"] if plan.also else []
    lines += [f'turning = "{plan.turning}"'] if plan.turning != "shortest" else []
    lines += [f'ending = "{plan.ending}"'] if plan.ending != "end" else []
    lines += ["z_home = false"] if not plan.z_home else []
    lines.append(f'order = "{plan.order}"             # or: as listed, shortest')
    lines += [f'probe = "{plan.probe}"'] if plan.probe != "kept on" else []
    lines += [f"{name} = true" for name in ("half_turn", "call_probe") if getattr(plan, name)]
    for check in plan.tool_check:
        lines += ["", "[[tool_check]]", f"tool = {check.tool}", f"tolerance = {figure(check.tolerance, inches=inches)}"]
        lines.append(f"search = {figure(check.search, inches=inches)}")
        lines += [f'on_fail = "{check.on_fail}"'] if check.on_fail != "alarm" else []
        lines += ["enabled = false"] if not check.enabled else []
    for section in plan.measure:
        lines += ["", "[[measure]]", *_measure_lines(section, inches=inches)]
    for judged in plan.judge:
        lines += ["", "[[judge]]", f"balloon = {quoted(judged.balloon, 8)}"]
        lines += [
            f"{name} = {quoted(getattr(judged, name), 60)}"
            for name in ("unsure", "again", "scrap")
            if getattr(judged, name) != "stop"
        ]
        lines += [f"flag = {judged.flag}"] if judged.flag is not None else []
        lines += ["correct = true"] if judged.correct else []
    return "\n".join([*lines, ""])


def _measure_lines(section: MeasureSection, *, inches: bool) -> list[str]:
    if section.feature is not None:
        lines = [f"feature = {quoted(section.feature)}"]
    else:
        walls = ", ".join(f'"{wall}"' for wall in section.walls)
        at = ", ".join(figure(value, inches=inches) for value in section.at or ())
        lines = [f"name = {quoted(section.name or '')}", f"walls = [{walls}]", f"at = [{at}]"]
        lines += [f"{name} = true" for name in ("over", "round", "twice") if getattr(section, name)]
    lines += ["enabled = false"] if not section.enabled else []
    for name, value in section.stated.items():
        written = figure(value, inches=inches and name not in _NO_LENGTHS)
        lines.append(f"{name} = {int(value) if name == 'repeats' else written}")
    if section.headings is not None:
        lines.append(f"headings = [{', '.join(figure(value) for value in section.headings)}]")
    if section.over_the_top is not None:
        lines.append(f"over_the_top = {str(section.over_the_top).lower()}")
    if section.table:
        angles = ", ".join(f"{letter} = {figure(angle)}" for letter, angle in sorted(section.table.items()))
        lines.append(f"table = {{ {angles} }}")
    lines += [f'on_fail = "{section.on_fail}"'] if section.on_fail != "alarm" else []
    if section.keep:
        kept = ", ".join(f'"{item}"' for item in section.keep)
        lines.append(f"keep = [{kept}]")
    if (sets := section.sets) is not None:
        places = ((axis, getattr(sets, axis)) for axis in "xyzr")
        axes = [f"{axis} = {figure(v, inches=inches and axis != 'r')}" for axis, v in places if v is not None]
        allowed = ", ".join(f"{axis} = {figure(value, inches=inches)}" for axis, value in sets.allowance.items())
        axes += [f"allowance = {{ {allowed} }}"] if allowed else []
        lines.append(f'sets = {{ row = "{sets.row}", {", ".join(axes)} }}')
    lines += [f"check = {figure(section.check, inches=inches)}"] if section.check is not None else []
    lines += [f"comment = {quoted(section.comment, 120)}"] if section.comment else []
    return lines
