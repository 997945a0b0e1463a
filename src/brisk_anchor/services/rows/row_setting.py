"""Setting a row from what was touched: which feature gives which axis, and where it lies in the program.

G56  X 0  Y 0  Z -1.5 allow 0.3        each axis from the feature that is proposed for it
G54.1 P3  X 25.4/2 from 2  Y 0 from 2   from what stands second in the list
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.core.errors import DatumError, PlanError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.kinds import FURTHEST, FeatureKind
from brisk_anchor.core.numbers import parse_length, parse_number
from brisk_anchor.core.offsets.rules import FromFeature, FromHeading, Keep, Rule
from brisk_anchor.core.offsets.setup import RowPlan
from brisk_anchor.core.quantities import entered, num
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.setup_editor import SetupEditor

_ROW = re.compile(r"\s*(G?[0-9][0-9](?:\.[0-9])?(?:\s*P\s*[0-9]{1,3})?)(?![\w.])", re.IGNORECASE)
_AXIS = re.compile(r"(?<![A-Za-z])([XYZR])(?![A-Za-z])", re.IGNORECASE)
_PARTS = re.compile(
    r"^(?P<position>.*?)(?:\bfrom\s+(?P<number>[0-9]{1,3}))?\s*(?:\ballow\s+(?P<allowance>.+?))?\s*$", re.I
)
_MOST_ALLOWANCE = 50.0
"""The largest allowance, mm, each way: as in a job's file."""


def _tidy(words: str) -> str:
    """A row as it is written, from however it was typed: "54.1p7" is G54.1 P7."""
    row = re.sub(r"\s+", "", words).upper().replace("P", " P")
    return row if row.startswith("G") else f"G{row}"


@dataclass(frozen=True, slots=True)
class AxisFrom:
    """What an axis of a row is set from: the feature, the position it has in the program (mm; of R degrees), and how
    much further the zero moves, mm."""

    feature: str
    position: float = 0.0
    allowance: float = 0.0


@dataclass(frozen=True, slots=True)
class RowSetting:
    """What a row is to be set from, by axis; an axis that is not named keeps its value."""

    row: str
    axes: Mapping[str, AxisFrom]

    @property
    def words(self) -> str:
        """As it is typed."""
        parts = [self.row]
        for axis, source in self.axes.items():
            allow = f" allow {entered(source.allowance)}" if source.allowance else ""
            position = num(source.position).replace("−", "-") if axis == "r" else entered(source.position)
            parts.append(f"{axis.upper()} {position}{allow}")
        return "  ".join(parts)


def counted_rule(rule: Rule, axis: str, profile: Profile) -> Rule:
    """A rule as the control counts tool lengths: along Z alone it makes a difference."""
    if axis == "z" and profile.tool_lengths.convention == "part":
        return Keep()
    if axis == "z" and isinstance(rule, FromFeature) and profile.tool_lengths.convention == "master":
        return replace(rule, master=profile.length_reference, u_master=profile.u_length_reference)
    return rule


def axes_proposed(feature: Feature, taken: Sequence[str], *, may_turn: bool) -> list[str]:
    """The axes of a row that a feature is proposed for.

    Args:
        feature: what was measured.
        taken: axes that come from another feature already.
        may_turn: whether rows of the control can be turned.
    """
    located = [axis for axis in feature.axes if axis in "xyz"]
    turns = ["r"] if may_turn and "r" in feature.axes else []
    if feature.kind is FeatureKind.EDGE:
        free = [axis for axis in located if axis not in taken]
        return free if free or not turns else turns
    if feature.kind in (FeatureKind.BALL, FeatureKind.TILTED_BORE):
        located = [axis for axis in located if axis != "z"]
    return [axis for axis in [*located, *turns] if axis not in taken]


class RowSetter:
    """Sets rows from features, drawn or not. Nothing is written to the control by it: that is the store's."""

    def __init__(self, parts: WorkedOut, profile: Profile, ledger: Ledger, editor: SetupEditor) -> None:
        self._working, self._rows, self._solver = parts.working, parts.rows, parts.solver
        self._profile = profile
        self._ledger = ledger
        self._editor = editor

    @property
    def may_set(self) -> list[str]:
        """The rows that can be set, in the order of the control."""
        setter = self._working.setup.shelf.setter
        kept = {self._profile.common_shift, setter.row if setter is not None else ""}
        return [row for row in self._profile.all_rows if row not in kept]

    def read_row(self, words: str) -> str:
        """The row that is meant. Raises PlanError: the control has none of that name, or it is kept for the setter."""
        wanted = _tidy(words)
        if wanted in self.may_set:
            return wanted
        setter = self._working.setup.shelf.setter
        if setter is not None and setter.row == wanted:
            raise PlanError(f"{wanted} is kept for {setter.name}", "Every tool's length depends on it", "Use another")
        known = self.may_set
        raise PlanError(f"The control has no row {wanted[:16]} to set", "", f"{known[0]} to {known[-1]}")

    def next_row(self, row: str, step: int) -> str:
        """The row that stands so many further in the control's table, round its end."""
        known = self.may_set
        at = known.index(row) if row in known else 0
        return known[(at + step) % len(known)]

    def stepped(self, words: str, step: int) -> str:
        """The words with the row they begin with so many further in the control's table."""
        found = _ROW.match(words)
        row = next((row for row in self.may_set if found and row == _tidy(found.group(1))), "")
        rest = words[found.end() :] if found else ""
        return f"{self.next_row(row, step) if row else self.may_set[0]}{rest}"

    # -- what it is set from ----------------------------------------------------------------------------------------

    def proposed(self, row: str, chosen: str | None = None) -> RowSetting:
        """What a row would be set from: the chosen feature or the newest one, then what the row has, then the rest.

        Raises:
            PlanError: nothing was measured since the last clamping.
        """
        listed = [measured.feature for measured in reversed(self._working.listed())]
        if not listed:
            raise PlanError("Nothing was measured since the last clamping", "", "Measure a feature first")
        first = next((feature for feature in listed if feature.name == chosen), listed[0])
        may_turn = self._profile.angle_of(row) is not None
        axes: dict[str, AxisFrom] = {}
        for axis in axes_proposed(first, (), may_turn=may_turn):
            axes[axis] = AxisFrom(first.name)
        for axis, source in self._set_before(row).items():
            axes.setdefault(axis, source)
        used = {name for plan in self._working.setup.rows for name in plan.features}
        drawn = {feature.name for feature in self._working.setup.features if not feature.found}
        for feature in listed:
            if feature.name not in used | drawn:
                for axis in axes_proposed(feature, tuple(axes), may_turn=may_turn):
                    axes[axis] = AxisFrom(feature.name)
        return RowSetting(row, {axis: axes[axis] for axis in "xyzr" if axis in axes})

    def _set_before(self, row: str) -> dict[str, AxisFrom]:
        """What a row that was set on the bench comes from already, as far as that still holds."""
        plan = self._working.setup.row(row)
        found = {}
        for axis, rule in plan.rules.items() if plan.on_bench else ():
            if isinstance(rule, FromFeature) and not rule.other and self._working.holds(rule.feature):
                found[axis] = AxisFrom(rule.feature, rule.drawing, rule.allowance)
            elif isinstance(rule, FromHeading) and not rule.other and self._working.holds(rule.feature):
                found[axis] = AxisFrom(rule.feature, rule.drawing)
        return found

    def read(self, words: str, chosen: str | None = None) -> RowSetting:
        """What typed words say; an axis without `from` comes from the feature that is proposed for it.

        Raises:
            PlanError: no row, no axis, one twice, or no feature for it. NumberEntryError: a figure is none.
        """
        found = _ROW.match(words)
        if found is None:
            raise PlanError("Which row is to be set?", "", "Begin with it: G54, or G54.1 P3")
        row = self.read_row(found.group(1))
        proposed = self.proposed(row, chosen).axes
        pieces = _AXIS.split(words[found.end() :])
        if pieces[0].strip():
            raise PlanError(f"“{pieces[0].strip()[:12]}” is no axis", "", "X, Y, Z or R, each with its position")
        axes: dict[str, AxisFrom] = {}
        for letter, text in zip(pieces[1::2], pieces[2::2], strict=True):
            axis = letter.lower()
            if axis in axes:
                raise PlanError(f"{letter.upper()} stands twice", "", "Say each axis once")
            axes[axis] = self._axis(axis, text, proposed.get(axis))
        if not axes:
            raise PlanError(f"Which axes of {row} are to be set?", "", "As X 0 Y 0; what is not named stays as it is")
        return RowSetting(row, {axis: axes[axis] for axis in "xyzr" if axis in axes})

    def _axis(self, axis: str, text: str, proposed: AxisFrom | None) -> AxisFrom:
        parts = _PARTS.match(text.strip())
        if parts is None:
            raise PlanError(f"“{text.strip()[:20]}” is no position", "", "As X 0 from 2 allow 0.3")
        listed = [measured.feature for measured in self._working.listed()]
        if parts["number"] is not None:
            at = int(parts["number"]) - 1
            if not 0 <= at < len(listed):
                raise PlanError(f"There is no feature {at + 1} in the list", "", f"1 to {len(listed)}")
            name = listed[at].name
        elif proposed is not None:
            name = proposed.feature
        else:
            raise PlanError(f"Nothing that was measured gives {axis.upper()}", "", f"Measure it, or leave {axis} out")
        feature = next(feature for feature in listed if feature.name == name)
        if axis not in feature.axes:
            tells = ", ".join(letter for letter in feature.axes if letter in "xyzr").upper()
            raise PlanError(f"{name} does not tell {axis.upper()}", f"It tells {tells}", "Choose another feature")
        position = parts["position"].strip() or "0"
        allowance = 0.0
        if parts["allowance"] is not None:
            if axis == "r":
                raise PlanError("An angle has no allowance", "", "Leave it out")
            allowance = parse_length(parts["allowance"], low=-_MOST_ALLOWANCE, high=_MOST_ALLOWANCE)
        if axis == "r":
            return AxisFrom(name, parse_number(position, low=-360.0, high=360.0))
        return AxisFrom(name, parse_length(position, low=-FURTHEST, high=FURTHEST), allowance)

    # -- what comes of it -------------------------------------------------------------------------------------------

    def plan_of(self, setting: RowSetting) -> RowPlan:
        """The row with the rules that a setting means; what it does not name is kept.

        Raises:
            DatumError: it is turned by an angle that the control cannot hold, or locked.
        """
        row = setting.row
        if "r" in setting.axes and self._profile.angle_of(row) is None:
            what = f"{row} cannot be turned: no angle is kept for it"
            others = ", ".join(self._profile.turned_rows)
            remedy = f"Take one of {others}, or leave R out" if others else "Turn the part, or leave R out"
            raise DatumError(what, "The angle would be lost", remedy)
        if self._ledger.locked(row):
            raise DatumError(f"{row} is locked", "Nothing writes it while it is", "Unlock it in the book, if meant")
        rules: dict[str, Rule] = {axis: Keep() for axis in "xyz"}
        for axis, source in setting.axes.items():
            rule: Rule = FromFeature(source.feature, source.position, source.allowance)
            rules[axis] = (
                FromHeading(source.feature, "", source.position)
                if axis == "r"
                else counted_rule(rule, axis, self._profile)
            )
        known = self._working.setup.row(row)
        title = self._ledger.title(row) or "from " + ", ".join(dict.fromkeys(s.feature for s in setting.axes.values()))
        return RowPlan(row, title[:60], rules, known.jump_limit, None, on_bench=True)

    def take(self, setting: RowSetting) -> None:
        """Let a row come from what a setting says, until another one is said; it is not stored by that.

        Raises:
            DatumError: it cannot be. BookWriteError: the book does not answer.
        """
        plan = self.plan_of(setting)
        before = self._working.setup.row(plan.row)
        if before.rules and before.rules != plan.rules:
            self._editor.mark_stale(plan.row, "set from something else")
        self._working.setup = self._working.setup.with_row(plan)
        chain = self._solver.chain(plan.row)
        if chain is not None:
            names = ", ".join(dict.fromkeys(source.feature for source in setting.axes.values()))
            self._ledger.add(EntryKind.MEASURED, plan.row, chain, note=f"set from {names}")
