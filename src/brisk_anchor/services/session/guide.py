"""The next thing to do, in one sentence."""

from __future__ import annotations

import math
from collections.abc import Mapping

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import BriskAnchorError, GeometryError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain, solve_offset
from brisk_anchor.core.offsets.checks import look_at_control
from brisk_anchor.core.quantities import bare, dim, shown_unit, signed_bare, signed_deg, signed_num
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.services.measure.by_hand import MACHINE, PositionFrame
from brisk_anchor.services.measure.hands import begin
from brisk_anchor.services.measure.measurement_request import MeasurementRequest
from brisk_anchor.services.rows.row_owner import located_before
from brisk_anchor.services.rows.row_setting import RowSetting
from brisk_anchor.services.session.session import Session


def value_words(values: Mapping[str, float], decimals: int = 4) -> str:
    """Signed values by axis, lengths with their unit, then angles: "X −470.0123  Y −286.0042 mm  R +0.2130°"."""
    lengths = [f"{axis.upper()} {signed_bare(value, decimals)}" for axis, value in values.items() if axis in AXES]
    angles = [f"{axis.upper()} {signed_num(value, decimals)}°" for axis, value in values.items() if axis not in AXES]
    return "  ".join([*([" ".join(("  ".join(lengths), shown_unit().value))] if lengths else []), *angles])


def moved_words(before: Vector, after: Vector) -> str:
    """How far a place moved, by axis; empty where it did not."""
    away = {axis: new - old for axis, new, old in zip(AXES, after, before, strict=True)}
    return value_words({axis: value for axis, value in away.items() if abs(value) > 5e-7}, 3)


def size_words(feature: Feature) -> str:
    """The sizes of a measured feature for the end of a line, empty for a surface: "  ⌀ 38.0000"."""
    sizes = " × ".join(bare(size, 4) for size in feature.sizes.values())
    return f"  {feature.kind.size_sign or 'size'} {sizes} {shown_unit().value}" if sizes else ""


def _lacking_words(request: MeasurementRequest, lacking: str) -> str:
    """Why a figure is asked for, and how it could be known otherwise."""
    if request.figures().get(lacking) == "down":
        return "How far the tip goes down from here, past the top. Touch the top first (⟨d⟩), and it is proposed."
    return "It is not known, and it is never guessed."


def _proposed_words(request: MeasurementRequest) -> str:
    """Figures that nobody typed, for the sentence behind: "Proposed: inside 10 mm. "."""
    words = {field: word for word, field in {**request.figures(), **request.optional()}.items()}
    told = [f"{words[name]} {dim(request.figure(name) or 0.0)}" for name in sorted(request.proposed) if name in words]
    return f"Proposed: {', '.join(told)} (⟨e⟩ changes it). " if told else ""


def _request_step(
    session: Session, row: str, request: MeasurementRequest, hand: HandTool | None, frame: PositionFrame
) -> tuple[str, str]:
    """What to do next with what is marked."""
    titles, missing = _titles(session), session.rows.missing(row)
    kind = request.pattern.read().kind
    if kind is None:
        return request.pattern.read().hint, f"The marks read: {request.pattern.read().name}."
    if hand is not None:
        try:
            by_hand = begin(request, hand, frame)
        except BriskAnchorError as error:
            return error.what + ".", f"{error.meaning}. {error.remedy}."
        count = by_hand.count
        told = f"Enter asks for {count} figure{'s' if count > 1 else ''} of {request.title} by hand."
        return told, f"Touch with {hand.name}, then type the {by_hand.frame.words}."
    lacking = request.missing()
    if lacking:
        return f"Type “{lacking}” of this {kind.value}: ⟨e⟩", _lacking_words(request, lacking)
    try:
        looks = session.runner.look(session.planner.measurement_of(request))
    except BriskAnchorError as error:
        return error.what + ".", f"{error.meaning}. {error.remedy}."
    stops = [look for look in looks if look.stops]
    if stops:
        return stops[0].found + ".", f"{stops[0].why}. {stops[0].do}."
    drawn = request.drawn
    if drawn is None or drawn.found:
        words = f"{looks[0].found}. {looks[0].do}." if looks else f"⟨z⟩ then sets {row} from it, or another row."
        return f"Enter measures {request.title}.", f"{_proposed_words(request)}{words}"
    if looks:
        return f"Enter measures {request.title}.", f"{looks[0].found}. {looks[0].do}."
    name = drawn.name
    if name not in session.rows.needed(session.setup.row(row)):
        return f"Enter measures {request.title}.", f"{row} does not depend on it; ⟨5⟩ chooses what it comes from."
    if name not in missing:
        return f"Enter measures {request.title} again.", f"{row} then follows the new figures."
    return f"Enter measures {request.title}.", f"{row} needs: {', '.join(titles[name] for name in missing)}."


def _titles(session: Session) -> dict[str, str]:
    return {drawn.name: drawn.title for drawn in session.setup.features}


def next_step(
    session: Session,
    row: str,
    request: MeasurementRequest | None,
    hand: HandTool | None,
    frame: PositionFrame = MACHINE,
) -> tuple[str, str]:
    """What to do next on the bench for a row, with the probe or a tool of the hand: a sentence, and what is behind."""
    state = session.rows.state(row)
    missing = session.rows.missing(row)
    titles = _titles(session)
    if hand is None and (stops := [look for look in look_at_control(session.link.condition) if look.stops]):
        return f"{stops[0].found}.", f"{stops[0].why}. {stops[0].do}."
    if request is not None and request.pattern.marks:
        return _request_step(session, row, request, hand, frame)
    if not session.setup.row(row).rules and state in (RowState.EMPTY, RowState.STALE, RowState.TYPED):
        if session.working.listed():
            return f"⟨z⟩ sets {row} from what was measured.", "Or touch more first: mark metal with the arrow keys."
        near = "Shift and arrows" if session.real is None else "at the control; ⟨h⟩ types its place"
        behind = f"Bring the tip near ({near}), mark metal with the arrows, Enter; ⟨z⟩ then sets the row."
        return f"{row} comes from no drawing: touch what it is to be set from.", behind
    if missing:
        names = ", ".join(titles[name] for name in missing)
        if state.is_settled:
            return f"{row} is {state.value}; ⟨f⟩ measures it again, ⟨3⟩ shows its code.", f"It needs: {names}."
        stale = "Clamped again: earlier measurements are out of date. " if state is RowState.STALE else ""
        stale += located_words(session, row)
        return f"Press ⟨f⟩ to point at {titles[missing[0]]}.", f"{stale}{row} needs: {names}."
    parent = session.rows.parent_of(row)
    if parent is not None and parent not in session.rows.parents():
        return f"{row} follows {parent}: store that first.", "Tab goes to the next offset."
    match state:
        case RowState.DIFFERS:
            away = value_words(session.rows.away_from_control(row))
            then = f" ({age})" if (age := session.link.age(row)) else ""
            return (
                f"The control holds {row} {away} from what was stored{then}.",
                "⟨2⟩ compares; ⟨book:a⟩ takes it over, ⟨book:s⟩ writes ours.",
            )
        case RowState.NOT_WRITTEN:
            return (
                f"{row} follows {parent} and is not written.",
                f"⟨W⟩ writes everything that follows; ⟨s⟩ {row} alone.",
            )
        case RowState.MEASURED:
            return f"{row} is complete. Press ⟨s⟩ to store it.", "The second look comes first."
        case RowState.STORED:
            if session.real is not None:
                return (
                    f"{row} is stored. Press ⟨p⟩ to prove it.",
                    "Its features are touched again on the machine itself.",
                )
            return f"{row} is stored. Press ⟨p⟩ to prove it.", "The written code runs on a twin of the machine."
        case RowState.PROVED:
            return f"{row} is proved. Press ⟨t⟩ for the set-up sheet.", "Tab goes to the next offset."
    return f"{row}: {state.value}.", ""


def row_words(session: Session, row: str) -> str:
    """What a row that is chosen to be set holds, and how it stands: nothing is active by it."""
    held = value_words({axis: v for axis, v in session.link.table_values(row).items() if axis in AXES}, 4)
    title = session.ledger.title(row)
    state = session.rows.state(row).value
    active = "active" if session.active == row else f"{session.active} stays active"
    return f"{row}{f', {title},' if title else ''} is {state} and holds {held}; {active}."


def setting_words(session: Session, setting: RowSetting) -> str:
    """What a row would come to, and which feature gives which axis. Raises DatumError: it cannot be set so."""
    plan = session.setter.plan_of(setting)
    chain = solve_offset(
        plan.row,
        plan.rules,
        session.solver.features(),
        session.link.table_values(plan.row),
        session.rows.parents(),
        conditions=session.setup.conditions,
    )
    origins: dict[str, list[str]] = {}
    for axis, source in setting.axes.items():
        origins.setdefault(source.feature, []).append(axis.upper())
    told = ", ".join(f"{' '.join(axes)} from {name}" for name, axes in origins.items())
    values = value_words({axis.axis: axis.value for axis in chain.axes if axis.written})
    kept = " ".join(axis.axis.upper() for axis in chain.axes if not axis.written)
    lean = _lean_words(session, setting) + _turn_words(session, setting)
    return f"{plan.row} {values}: {told}{f'; {kept} kept' if kept else ''}{lean}"


def _lean_words(session: Session, setting: RowSetting) -> str:
    """How a plane that gives Z leans, or a bore its axis."""
    feature = session.measured[setting.axes["z"].feature].feature if "z" in setting.axes else None
    if feature is None or "a" not in feature.axes:
        return ""
    leans = " ".join(f"{axis.upper()} {signed_deg(value, 3)}" for axis, value in feature.angles.items() if axis in "ab")
    return f"; it leans {leans}{levelling_words(session, feature)}"


def levelling_words(session: Session, feature: Feature) -> str:
    """How to bring a plane level: which axis takes out what, and what needs packing, with figures for its feet.

    Feet are those of the corners of what it was touched on, as far as its touches lie apart.
    """
    from brisk_anchor.core.offsets.rotation_centre import level_angles, levelling, shims

    angles = feature.angles
    if not {"a", "b"} <= set(angles) or max(abs(angles["a"]), abs(angles["b"])) < _LEVEL:
        return ""
    axes, lean = session.setup.machine.rotary, (angles["a"], angles["b"])
    measured = session.measured.get(feature.name)
    if len(axes) > 1 and measured is not None and measured.measurement is not None:
        stands = dict(session.link.angles) | dict(measured.measurement.options.table)
        try:
            to = " ".join(f"{letter} {signed_deg(by, 3)}" for letter, by in level_angles(axes, stands, lean).items())
        except GeometryError:
            return ""
        return f"; {to} levels it: touch it again there, then turn the row with an edge"
    way = levelling(axes, lean)
    words = [f"{letter} {signed_deg(by, 3)}" for letter, by in way.turns.items()]
    told = f"; {' and '.join(words)} levels it" if words else ""
    if max(map(abs, way.left)) < _LEVEL or not feature.touches:
        return told
    xs, ys = ([touch.ball_centre[i] for touch in feature.touches] for i in (0, 1))
    feet = [
        ("left front", min(xs), min(ys)),
        ("right front", max(xs), min(ys)),
        ("left back", min(xs), max(ys)),
        ("right back", max(xs), max(ys)),
    ]
    under = [f"{dim(high, 3)} under the {name}" for name, high in shims(way.left, feet) if high > 0.001]
    return f"{told}; no axis takes out the rest: {', '.join(under)}"


_LEVEL = 0.002
"""A lean below that, degrees, is level."""


def located_words(session: Session, row: str) -> str:
    """Where the fixture of a row stood when another job located it, and what it takes to know that it stands there."""
    known = located_before(session.setup, session.ledger, row)
    if known is None:
        return ""
    keyed = "" if "r" in session.setup.row(row).rules else ", two where nothing keys its angle"
    words = value_words(known.values, 3)
    touch = f"one touch in each direction{keyed} tells whether it does again"
    return f"{session.setup.fixture} stood at {words} on {known.day} ({known.job}): {touch}. "


def _turn_words(session: Session, setting: RowSetting) -> str:
    """How the feature that gives X and Y lies turned, where the row does not take that over."""
    source = setting.axes.get("x") or setting.axes.get("y")
    feature = session.measured[source.feature].feature if source is not None else None
    if feature is None or "r" not in feature.axes or "r" in setting.axes:
        return ""
    lies = f"; it lies turned {signed_deg(feature.coordinate('r'), 3)}"
    held = session.profile.angle_of(setting.row) is not None
    return f"{lies}, R takes that over" if held else f"{lies}, and {setting.row} keeps no angle"


def following_words(session: Session, row: str, chain: Chain) -> list[str]:
    """What a store of a row means for each row that follows it: how far it is then from where the control has it."""
    told = []
    for entry in session.writer.followers(row, chain):
        held = session.link.table_values(entry.row)
        if not entry.values:
            told.append(f"{entry.row} becomes stale")
        elif any(held[axis] for axis in AXES):
            away = math.dist([entry.values.get(a, held[a]) for a in AXES], [held[a] for a in AXES])
            told.append(f"{entry.row} follows by {dim(away, 3)}, to be written")
        else:
            told.append(f"{entry.row} follows, to be written")
    kept = [child for child in session.rows.children(row) if session.ledger.locked(child)]
    return [*told, *(f"{child} is locked and stays" for child in kept)]


def store_preview(session: Session, row: str) -> str:
    """What storing would change against the control's table, per axis."""
    chain = session.solver.chain(row)
    if chain is None:
        return ""
    if not session.link.knows(row):
        return f"What the control holds in {row} is not known: how far its programs move, nobody can tell."
    now = session.link.table_values(row)
    moves = value_words({axis.axis: axis.value - now.get(axis.axis, 0.0) for axis in chain.axes}, 3)
    turned = ", and turns" if "r" in chain.values else ""
    if chain.table is not None:
        return f"The table {chain.table[0]} turns by {signed_deg(chain.table[1], 4)}, and {row} moves by {moves}."
    with_it = "".join(f" {words}." for words in following_words(session, row, chain))
    age = f" (by the control's table of {age})" if (age := session.link.age(row)) else ""
    return f"Every program on {row} then moves{turned} by {moves}{age}.{with_it}"
