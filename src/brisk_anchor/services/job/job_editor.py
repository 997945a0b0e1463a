"""The one place that changes what a job describes: a change is checked with the whole job first, and can be undone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

from brisk_anchor.core.errors import Fault, JobError, PlanError
from brisk_anchor.core.features.calibration import Calibration
from brisk_anchor.core.features.touches import AXES, CalibratedOn
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, Keep, Rule
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import fixed, signed_deg
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.exchange.folder_change import change_files
from brisk_anchor.exchange.toml_files import MILLIMETRES, parse, read_text
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import ended_as
from brisk_anchor.services.job.drawn_body import expand
from brisk_anchor.services.job.feature_commands import read_words
from brisk_anchor.services.job.job_models import NO_LENGTHS, Variation
from brisk_anchor.services.job.job_text import (
    JOB_NAME,
    figure,
    quoted,
    rule_words,
    with_key,
    with_rule,
    with_table,
    with_turner,
    without_table,
)
from brisk_anchor.services.job.jobs import Job, load_job
from brisk_anchor.services.measure.datum_rules import axes_of
from brisk_anchor.standin.scene import build_scene

_UNDOS = 50
_PREFERRED = {
    "x": ("RIGHT", "LEFT"),
    "y": ("UP", "DOWN"),
    "z": ("BELOW",),
}
"""Walls that give an axis of a zero where nothing else is said: left before right, front before back."""


Figure = str | float | tuple[CalibratedOn, ...] | None
"""What a line of a tool is set to."""


def _calibrations(known: Sequence[CalibratedOn], unit: float) -> str:
    tables = (
        f"{{ what = {quoted(c.what)}, at = {quoted(c.at)}, on = {quoted(c.on)}, u_on = {fixed(c.u_on / unit, 6)} }}"
        for c in known
    )
    return f"[{', '.join(tables)}]"


def _shown(value: float | tuple[CalibratedOn, ...], unit: float) -> str:
    return _calibrations(value, unit) if isinstance(value, tuple) else fixed(value / unit, 6)


@dataclass(frozen=True, slots=True)
class Change:
    """A change worked out and checked, not written yet: what it does in words, the job with it, the texts to write."""

    told: str
    job: Job
    texts: Mapping[str, str]
    setup: Setup
    moves_part: bool = False
    aside: str = ""
    """A file whose present text is kept under another name, because all of it is replaced."""


@lru_cache(maxsize=8)
def _unit_of(text: str, name: str) -> float:
    """mm in the unit of a file: asked for with every character of a line that is typed."""
    return MILLIMETRES[parse(text, name)["units"]]


class JobEditor:
    """The files of a job's folder, as they are and as they would be."""

    def __init__(self, folder: Path) -> None:
        """Raises JobError."""
        self.folder = folder
        self.job = load_job(folder)
        self._before: list[dict[str, str]] = []
        self.changes = 0
        """How many changes were made since the job was opened."""

    # -- working a change out ----------------------------------------------------------------------------------

    def drawn(self, words: str) -> Change:
        """What a line of words would draw. Raises DrawingFileError, NumberEntryError, JobError."""
        job = self.job
        name, text = job.job.part, self._text(job.job.part)
        solids, features = expand(job.part)
        names = [str(feature["name"]) for feature in features] + [feature.name for feature in job.part.feature]
        unit = _unit_of(text, name)
        there = {str(feature["name"]): feature for feature in features}
        ball, uncertainty = job.machine.probe.ball_diameter, job.job.start_uncertainty
        drawn = read_words(words, solids, names, job.part.name, ball, unit, there, uncertainty=uncertainty)
        if drawn.turn is not None:
            return self.turned(drawn.turn)
        if drawn.whole:
            return self.replaced(drawn.whole, drawn.told)
        return self._change({name: with_table(text, drawn.table)}, drawn.told)

    def removed(self, feature: str) -> Change:
        """The job without a feature of its part; one of a pattern takes the whole pattern along.

        Raises:
            JobError: it is not the part's own, or an offset needs it.
        """
        name = self.job.job.part
        own = {drawn.name for drawn in self.job.part.feature}
        wanted = feature if feature in own else feature.rpartition(" ")[0]
        text = without_table(self._text(name), name, "feature", wanted)
        if any(solid.name == wanted and solid.shape == "ball" for solid in self.job.part.solid):
            text = without_table(text, name, "solid", wanted)  # the ball that was drawn with it
        return self._change({name: text}, f"{wanted} taken off the drawing")

    def replaced(self, part: str, told: str) -> Change:
        """The job with another part file: real ones vary as they did, and offsets are taken from what is there.

        Raises JobError.
        """
        name = self.job.job.part
        part = with_table(part, _variation(self.job.part.variation, _unit_of(part, name)))
        fresh = {JOB_NAME: self._text(JOB_NAME), name: part}
        fixture = {str(feature["name"]) for feature in expand(self.job.fixture)[1]}
        present = {str(table["name"]) for table in parse(part, name).get("feature", []) if "name" in table}
        if not present:
            raise JobError(name, (Fault(name, "nothing on it can be measured"),), "Draw a feature")
        gone = [
            (row.row, axis)
            for row in self.job.job.offset
            for axis in AXES
            if (rule := getattr(row, axis)).feature
            and not {rule.feature, rule.other or rule.feature, *(rule.fit or ())} <= present | fixture
        ]
        gone = [(row, axis) for row, lost in gone for axis in (AXES[:2] if self._fits(row, lost) else lost)]
        for plan in self.job.job.offset:
            named = {plan.r.feature, plan.r.other} - {None} if plan.r else set()
            lost = plan.r is not None and plan.r.fit and (plan.row, "x") in gone
            if lost or not named <= present | fixture:
                fresh[JOB_NAME] = with_rule(fresh[JOB_NAME], plan.row, "r", None)
        for row, axis in gone:  # kept as they are, so that the whole can be read; the right feature follows
            fresh[JOB_NAME] = with_rule(fresh[JOB_NAME], row, axis, Keep())
        setup = _setup_of(load_job(self.folder, {**self.job.texts, **fresh}))
        zero = _part_frame(setup).point((0.0, 0.0, 0.0))
        for row, axis in gone:
            fresh[JOB_NAME] = with_rule(fresh[JOB_NAME], row, axis, proposed_rule(setup, axis, zero))
        return replace(self._change(fresh, told, moves_part=True), aside=name)

    def _fits(self, row: str, axis: str) -> bool:
        """Whether an axis of a row comes from a fit, which gives X and Y together."""
        plan = next(plan for plan in self.job.job.offset if plan.row == row)
        return getattr(plan, axis).fit is not None

    def turned(self, angle: float) -> Change:
        """The job with its part turned in the fixture, about its zero; every zero stays where it is on the part.

        Args:
            angle: seat_turn, degrees.
        """
        angle -= 360 * round(angle / 360)
        texts = {JOB_NAME: with_key(self._text(JOB_NAME), JOB_NAME, "seat_turn", figure(angle), "seat")}
        before, after = _setup_of(self.job), _setup_of(load_job(self.folder, {**self.job.texts, **texts}))
        there, here = _part_frame(before), _part_frame(after)
        bodies = {drawn.name: drawn.body for drawn in before.features}
        for plan in after.rows:
            old = before.row(plan.row).rules
            if isinstance(fit := old.get("x"), FromFit):
                place = here.turn(there.inverse().turn((*fit.places[0], 0.0)))
                moved_fit = FromFit(fit.names, ((round(float(place[0]), 6), round(float(place[1]), 6)),))
                for axis in "xy":
                    texts[JOB_NAME] = with_rule(texts[JOB_NAME], plan.row, axis, moved_fit)
                continue
            level = {axis: rule for axis, rule in old.items() if axis != "z" and isinstance(rule, FromFeature)}
            if len(level) != 2 or any(bodies[name] != before.part for rule in level.values() for name in rule.features):
                continue
            zero = (*(before.nominal(level[axis], axis) for axis in "xy"), 0.0)
            moved = here.point(there.inverse().point(zero))
            for i, axis in enumerate("xy"):
                taken = _rule_for(after, axis, [level[axis], *level.values()])
                away = after.nominal(replace(taken, drawing=0.0), axis) - moved[i]
                taken = replace(taken, drawing=round(away, 6))
                texts[JOB_NAME] = with_rule(texts[JOB_NAME], plan.row, axis, taken)
        return self._change(texts, f"the part lies turned by {signed_deg(angle)} in its fixture", moves_part=True)

    def ruled(self, row: str, rules: Mapping[str, Rule | None]) -> Change:
        """The job with axes of an offset, or its angle, taken from elsewhere; None leaves the angle out."""
        text = self._text(JOB_NAME)
        for axis, rule in rules.items():
            text = with_rule(text, row, axis, rule)
        plan = next((plan for plan in self.job.job.offset if plan.row == row), None)
        if (
            plan is not None
            and plan.r is not None
            and plan.r.table
            and isinstance(rules.get("r"), FromHeading | FromFit)
        ):
            text = with_turner(text, row, plan.r.table)
        return self._change({JOB_NAME: text}, f"{row} {', '.join(rules).upper()} changed")

    def turned_by(self, row: str, letter: str) -> Change:
        """The job with the angle of an offset used by a table, or by the row itself ("")."""
        text = with_turner(self._text(JOB_NAME), row, letter)
        return self._change(
            {JOB_NAME: text}, f"the angle of {row} is {f'turned out by {letter}' if letter else 'its own'}"
        )

    def rewritten(self, texts: Mapping[str, str], told: str) -> Change:
        """The job with texts in the place of its files."""
        return self._change(texts, told)

    def calibrated(self, calibration: Calibration, today: str) -> Change:
        """The machine's file with a calibration of its probe, and the day it was made."""
        name = self.job.job.machine
        text = self._text(name)
        unit = _unit_of(text, name)
        if calibration.what == "offset":
            x, y = (value / unit for value in calibration.offset)
            figures = {"offset": f"[{fixed(x, 6)}, {fixed(y, 6)}]", "u_offset": fixed(calibration.u / unit, 6)}
        else:
            key = "length" if calibration.what == "length" else "effective_radius"
            u_key = "u_length" if calibration.what == "length" else "u_radius"
            figures = {key: fixed(calibration.value / unit, 6), u_key: fixed(calibration.u / unit, 6)}
        probe = self.job.machine.probe
        if calibration.what == "radius" and (calibration.lobing is not None or probe.by_direction.headings):
            table = sorted(calibration.by_direction) if calibration.lobing is not None else []
            headings = ", ".join(fixed(heading, 3) for heading, _ in table)
            radii = ", ".join(fixed(radius / unit, 6) for _, radius in table)
            figures["by_direction"] = f"{{ headings = [{headings}], radii = [{radii}] }}"
        if calibration.lobing is not None:
            figures["lobing"] = fixed(calibration.lobing / unit, 6)
            figures["u_direction"] = fixed(calibration.u_direction / unit, 6)
        if calibration.on is not None:
            known: list[tuple[str, str, str, float]] = [
                (c.what, c.at, c.on, c.u_on) for c in probe.calibration if c.what != calibration.what
            ]
            known.append((calibration.on.what, calibration.on.at, calibration.on.on, calibration.on.u_on))
            figures["calibration"] = _calibrations([CalibratedOn(*item) for item in known], unit)
        due = [what for what in self.job.machine.probe.due if what != calibration.what]
        for key, value in (figures | {"calibrated": today}).items():
            text = with_key(text, name, key, value, "name", table=("probe",))
        if self.job.machine.probe.due:
            listed = ", ".join(f'"{what}"' for what in due)
            text = with_key(text, name, "due", f"[{listed}]", "name", table=("probe",))
        return self._change({name: text}, f"the probe's {calibration.what} is calibrated")

    def scatter_known(self, scatter: Scatter) -> Change:
        """The machine's file with how its probe's touches scatter, at the usual touch feed or another one."""
        name = self.job.job.machine
        text, probe = self._text(name), self.job.machine.probe
        unit = _unit_of(text, name)
        if scatter.feed is None:
            figures = {"u_repeatability": fixed(scatter.u / unit, 6), "repeats": str(scatter.repeats)}
            if scatter.day:
                figures["repeats_measured"] = scatter.day
        else:
            known = [found.scatter() for found in probe.at_feed if found.touch_feed != scatter.feed]
            tables = (
                f"{{ touch_feed = {found.feed:g}, u = {fixed(found.u / unit, 6)}, repeats = {found.repeats}"
                + (f", measured = {found.day}" if found.day else "")
                + " }"
                for found in (*known, scatter)
            )
            figures = {"at_feed": f"[{', '.join(tables)}]"}
        for key, value in figures.items():
            text = with_key(text, name, key, value, "name", table=("probe",))
        return self._change({name: text}, "how the probe scatters is known")

    def tool_figures(self, table: tuple[str | int, ...], figures: Mapping[str, Figure], told: str) -> Change:
        """The machine's file with figures of one table of its tools changed: lengths in mm, text as it is to stand.

        None takes a line out.
        """
        name = self.job.job.machine
        text = self._text(name)
        unit = _unit_of(text, name)
        for key, value in figures.items():
            shown = value if isinstance(value, str) or value is None else _shown(value, unit)
            text = with_key(text, name, key, shown, "name", table=table)
        return self._change({name: text}, told)

    def rows_stand_for(self, school: str) -> Change:
        """The job of a fixture with many places whose rows stand for something else. Raises PlanError."""
        text = self._text(JOB_NAME)
        keys = list(parse(text, JOB_NAME).get("repeat", {}))
        if not keys:
            raise PlanError("job.toml has no [repeat] that says anything", "", 'Write offsets = "part" under it')
        text = with_key(text, JOB_NAME, "offsets", f'"{school}"', keys[0], table=("repeat",))
        return self._change({JOB_NAME: text}, f"rows stand for: {school}")

    def rotary_figures(
        self,
        number: int,
        *,
        centre: Vector | None = None,
        u_centre: float | None = None,
        direction: Vector | None = None,
        u_direction: float | None = None,
        measured: str = "",
        sense: int | None = None,
        proved: str = "",
    ) -> Change:
        """The machine's file with what was found of a rotary axis, as it was measured on the pallet the job stands on:
        its centre (mm) and direction (its standard uncertainty in degrees), or its proved sense.
        """
        name = self.job.job.machine
        text = self._text(name)
        unit = _unit_of(text, name)
        figures: dict[str, str] = {}
        if centre is not None:
            figures["centre"] = f"[{', '.join(f'{value / unit:.6f}' for value in centre)}]"
        if u_centre is not None:
            figures["u_centre"] = f"{u_centre / unit:.6f}"
        if direction is not None:
            figures["direction"] = f"[{', '.join(f'{value:.9f}' for value in direction)}]"
        if u_direction is not None:
            figures["u_direction"] = f"{u_direction:.6f}"
        if sense is not None:
            figures["sense"] = str(sense)
        figures |= {"measured": measured} if measured else {}
        figures |= {"proved": proved} if proved else {}
        axis = self.job.machine.rotary[number]
        letter = axis.letter
        stands = [(item["letter"], item.get("pallet")) for item in parse(text, name)["rotary"]]
        for key, value in figures.items():
            table = ("rotary", stands.index((letter, axis.pallet)))
            text = with_key(text, name, key, value, "letter", table=table)
        return self._change({name: text}, f"the {'centre' if centre is not None else 'sense'} of {letter} is known")

    def assigned(self, operation: str, row: str) -> Change:
        """The job with an operation that uses another of its offsets.

        Raises:
            JobError: its file does not name the operation: it comes from another for each place of the fixture.
        """
        text = self._text(JOB_NAME)
        number = next((n for n, item in enumerate(self.job.job.operation) if item.name == operation), None)
        if number is None:
            reason = f"{operation} follows from the places of the fixture: no line of the file names its row"
            raise JobError(JOB_NAME, (Fault(JOB_NAME, reason),), "⟨book:O⟩ says what the rows of the places stand for")
        text = with_key(text, JOB_NAME, "offset", f'"{row}"', "name", table=("operation", number))
        return self._change({JOB_NAME: text}, f"{operation} uses {row}")

    def with_rows(self, rows: list[tuple[str, str, dict[str, Rule]]], jump_limit: float) -> Change:
        """The job with more offsets: name, title, rules by axis."""
        text = self._text(JOB_NAME)
        scale = _unit_of(text, JOB_NAME)
        for row, title, rules in rows:
            lines = [
                "[[offset]]",
                f'row = "{row}"',
                f"title = {quoted(title)}",
                f"jump_limit = {figure(jump_limit / scale)}",
            ]
            lines += [f"{axis} = {rule_words(axis, rule, scale)}" for axis, rule in rules.items()]
            text = with_table(text, "\n".join(lines))
        return self._change({JOB_NAME: text}, f"{', '.join(row for row, *_ in rows)} follow another offset")

    def one_for_all(self, row: str) -> Change:
        """The job with every operation on one offset; or, where they all are, each back on its own."""
        text = self._text(JOB_NAME)
        operations = self.job.job.operation
        back = bool(operations) and all(o.offset == row for o in operations) and any(o.own for o in operations)
        for number, operation in enumerate(operations):
            table: tuple[str | int, ...] = ("operation", number)
            if back:
                text = with_key(text, JOB_NAME, "offset", f'"{operation.own or row}"', "name", table=table)
                continue
            own = operation.own or operation.offset
            text = with_key(text, JOB_NAME, "own", f'"{own}"', "name", table=table)
            text = with_key(text, JOB_NAME, "offset", f'"{row}"', "name", table=table)
        told = "each operation uses its own offset again" if back else f"every operation uses {row}"
        return self._change({JOB_NAME: text}, told)

    def _text(self, name: str) -> str:
        """A file as it was read; what another window or an editor makes of it since, is not mixed into a change."""
        return self.job.texts[name] if name in self.job.texts else read_text(self.folder / name)

    def _change(self, texts: Mapping[str, str], told: str, *, moves_part: bool = False) -> Change:
        texts = {name: ended_as(self.job.texts.get(name, ""), text) for name, text in texts.items()}
        job = load_job(self.folder, {**self.job.texts, **texts})
        return Change(told, job, texts, _setup_of(job), moves_part)

    # -- making it ---------------------------------------------------------------------------------------------

    def make(self, change: Change) -> None:
        """Write a change. Raises JobError, ExportError; then nothing is changed."""
        before = {name: self._text(name) for name in change.texts}
        texts = dict(change.texts)
        if change.aside:
            stem = change.aside.removesuffix(".toml")
            free = next(name for n in range(1, 10_000) if not (self.folder / (name := f"{stem}-{n}.toml")).exists())
            texts[free] = before[change.aside]
        change_files(self.folder, self.job.texts, texts)
        self._before = [*self._before[-_UNDOS:], before]
        self.changes += 1
        self.job = change.job

    def undone(self) -> Change | None:
        """The job as it was before the last change; None when there was none. Raises JobError."""
        if not self._before:
            return None
        return self._change(self._before[-1], "the last change is taken back", moves_part=True)

    def take_back(self, change: Change) -> None:
        """Write what `undone` worked out. Raises JobError, ExportError; then nothing is changed."""
        change_files(self.folder, self.job.texts, change.texts)
        self._before.pop()
        self.changes += 1
        self.job = change.job


def _variation(variation: Variation, unit: float) -> str:
    """How real parts differ, as a table; `unit` is mm in one unit of the file."""
    lines = ["[variation]"]
    for key, value in variation.model_dump().items():
        if not value or not (any(value) if isinstance(value, tuple) else True):
            continue
        scale = 1.0 if key in NO_LENGTHS else unit
        shown = [figure(item / scale) for item in (value if isinstance(value, tuple) else (value,))]
        lines.append(f"{key} = [{', '.join(shown)}]" if isinstance(value, tuple) else f"{key} = {shown[0]}")
    return "\n".join(lines)


def _setup_of(job: Job) -> Setup:
    profile = job.profile
    return build_scene(job.scene(0)).setup.with_lengths(
        profile.tool_lengths.convention, profile.length_reference, profile.u_length_reference
    )


def _part_frame(setup: Setup) -> Frame:
    zero = next(point for point in setup.points if point.title == "zero of the drawing" and point.body == setup.part)
    return Frame.from_angles(zero.machine, c=setup.turn)


def _rule_for(setup: Setup, axis: str, rules: list[FromFeature]) -> FromFeature:
    """The first rule whose features all locate the axis and lie square to it; the first of all where none does."""
    found = (
        rule
        for rule in rules
        if all(axis in axes_of(drawn) and not drawn.skew for drawn in map(setup.drawn, rule.features))
    )
    return next(found, rules[0])


def proposed_rule(setup: Setup, axis: str, zero: Vector) -> FromFeature | Keep:
    """A rule for an axis of a zero at a place on the machine: from a face of the part, else from anything round.

    Where nothing locates the axis, what is there is kept.
    """
    own = [feature for feature in setup.features if feature.body == setup.part and not feature.skew]
    faces = [f for wall in _PREFERRED[axis] for f in own if f.walls == (wall,)]
    found = next(iter([*faces, *(f for f in own if f.kind is not FeatureKind.SURFACE and axis in axes_of(f))]), None)
    if found is None:
        return Keep()
    i = AXES.index(axis)
    return FromFeature(found.name, round(found.machine[i] - zero[i], 6))
