"""A scene made ready: the solids as they really are, the set-up as the person knows it, and the truth."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from brisk_anchor.core.errors import Fault, GeometryError, SceneError
from brisk_anchor.core.geometry.frames import Array, Frame
from brisk_anchor.core.geometry.rotary import RotaryAxis, table_frame
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets.conditions import Conditions
from brisk_anchor.core.offsets.rotation_centre import angles_facing
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, Rules
from brisk_anchor.core.offsets.setup import (
    DrawnFeature,
    DrawnPoint,
    DrawnWord,
    JobCard,
    Machine,
    Operation,
    Outline,
    PlaceOnFixture,
    RowPlan,
    Setup,
    Travel,
)
from brisk_anchor.core.quantities import deg, num
from brisk_anchor.core.tools.shelf import Shelf
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.motion import RealProbe
from brisk_anchor.standin.outlines import outline_of
from brisk_anchor.standin.row_rules import rules_of, turner_of
from brisk_anchor.standin.scene_file import BodySection, FeatureSection, MachineSection, SceneFile
from brisk_anchor.standin.solid_file import Point, SolidSection, extent_of
from brisk_anchor.standin.solids import Ball, Cone, Disc, Lever, Polygon, Rectangle, Region, Solid, Unevenness
from brisk_anchor.standin.tools import Tool


@dataclass(frozen=True, slots=True, eq=False)
class Scene:
    """`setup` and `nominal` are as described; `solids` are real. Both in machine coordinates of the tip, mm."""

    file: SceneFile
    setup: Setup
    solids: tuple[Solid, ...]
    nominal: tuple[Solid, ...] = ()

    def as_described(self) -> Scene:
        """The same with nothing of real life in it: metal as drawn, the probe as calibrated."""
        machine = self.file.machine
        none = (0.0, 0.0, 0.0)
        exact = [axis.model_copy(update={"real_shift": none, "real_turn": none}) for axis in machine.rotary]
        file = self.file.model_copy(update={"machine": machine.model_copy(update={"rotary": exact})})
        solids = (self.solids[0], *(solid for solid in self.nominal if solid.role != "drawn"))
        return replace(self, file=file, solids=solids)

    def outlines_at(self, angles: Mapping[str, float]) -> tuple[Outline, ...]:
        """The set-up as it is described, drawn as rotary axes at those angles, degrees, have carried it."""
        table = table_frame(self.setup.machine.rotary, angles)
        solids = (self.solids[0], *self.nominal)
        placed = [replace(solid, frame=table @ solid.frame) if solid.carried else solid for solid in solids]
        return tuple(outline_of(solid) for solid in placed)

    def stand_in(
        self, *, seed: int | None = 1, position: Vector | None = None, length_reference: float = 0.0
    ) -> StandIn:
        """A fresh machine in this scene; `seed` None switches the probe's noise off.

        Lengths in its tool table are short of those from the gauge line by `length_reference` mm.
        """
        real = self.file.probe.real
        probe = RealProbe(
            self.setup.stylus,
            real.length,
            real.pre_travel,
            real.lobing,
            real.noise,
            real.over_travel,
            real.delay,
            real.fault,
            real.offset,
        )
        magazine = {tool.number for tool in self.file.tool} | {self.setup.stylus.tool_number}
        by_hand = [
            Tool.cutter(t.tool_number, t.name, t.diameter or 6.0, 0.4 * t.bare_length, 40.0, t.bare_length)
            for t in self.setup.hand_tools
            if t.bare_length and t.tool_number not in magazine
        ]
        return StandIn(
            self.setup.machine,
            self.solids,
            probe,
            position or self.file.machine.position,
            self.file.offsets,
            seed=seed,
            length_reference=length_reference,
            tools=tuple(
                Tool.cutter(t.number, t.name, t.diameter, t.reach, t.holder_diameter, t.real_length or t.length)
                for t in self.file.tool
            )
            + tuple(by_hand),
            lengths={t.number: t.length for t in self.file.tool},
            rotary=self.real_axes,
        )

    @property
    def real_axes(self) -> tuple[RotaryAxis, ...]:
        """The rotary axes as they really are."""
        return tuple(axis.real_axis() for axis in self.file.machine.rotary)

    def true_value(self, feature: str, axis: str, tip: Vector) -> float:
        """Where a feature really is along `axis`, machine mm, at the place the tip (ball's end) touched.

        A bore's or boss's axis is taken at the height of the ball's centre; a surface at the X and Y of the touch.

        Raises:
            GeometryError: the touch of a surface lies beside its metal.
        """
        section = next(item for item in self.file.feature if item.name == feature)
        body = next(item for item in self.file.body if item.name == section.body)
        frame = self._real_feature_frame(section, body)
        if section.kind == "ball":
            return frame.point((0.0, 0.0, 0.0))["xyz".index(axis)]
        if section.kind not in ("surface", "edge", "plane"):
            up = tip[2] + self.setup.stylus.ball_diameter / 2 - float(frame.translation[2])
            return frame.point((0.0, 0.0, up))["xyz".index(axis)]
        solid = next(s for s in self.solids if (s.body, s.name) == (section.body, section.solid))
        if solid.carried:
            axes = tuple(rotary.real_axis() for rotary in self.file.machine.rotary)
            solid = replace(solid, frame=table_frame(axes, stance_of(section, body)) @ solid.frame)
        radius = self.setup.stylus.ball_diameter / 2
        if section.walls == ["BELOW"]:
            found = _surface_height(solid, tip, radius)
        else:
            found = _wall_place(solid, tip, radius, "xyz".index(axis))
        if found is None:
            what = f"A touch of {feature} lies beside {solid.title}: no metal is on the ball's way"
            raise GeometryError(what, "Where the surface would be there is not known", "")
        return found

    def _real_feature_frame(self, section: FeatureSection, body: BodySection) -> Frame:
        """Where a feature's own frame really lies with rotary axes as it is measured, machine mm."""
        frame = real_frame(body) @ own_frame(section)
        if body.on != "rotary table":
            return frame
        rotary = self.file.machine.rotary
        carried = table_frame(tuple(axis.real_axis() for axis in rotary), stance_of(section, body))
        return carried @ table_frame(tuple(axis.axis() for axis in rotary), body.stance).inverse() @ frame

    def true_offset(self, rules: Rules, tips: Mapping[tuple[str, str], Vector]) -> dict[str, float]:
        """The offset a perfect measurement would give, machine mm, of a row that is not turned.

        `tips` says by feature and axis where the tip touched. Of a turned row only those whose X and Y come from
        features, and whose angle comes from one, are known; of others the result is empty.
        """
        turn = rules.get("r")
        if isinstance(turn, FromHeading | FromFit):
            return self._true_turned(rules, tips)
        result = {}
        for axis, rule in rules.items():
            if isinstance(rule, FromFeature):
                places = [self.true_value(name, axis, tips[name, axis]) for name in rule.features]
                result[axis] = sum(places) / len(places) - rule.drawing + rule.allowance + rule.master
        return result

    def true_turn(self, feature: str) -> float:
        """How far the walls of a feature are really turned from the machine's axes, degrees."""
        section = next(item for item in self.file.feature if item.name == feature)
        body = next(item for item in self.file.body if item.name == section.body)
        skew = next(drawn.skew for drawn in self.setup.features if drawn.name == feature)
        if not section.stance and not body.stance:
            return body.real.turn[2] + skew
        axes = tuple(axis.axis() for axis in self.file.machine.rotary)
        real = self._real_feature_frame(section, body).rotation
        drawn = feature_frame(section, body, axes).rotation
        turned = np.arctan2(real[1, 0], real[0, 0]) - np.arctan2(drawn[1, 0], drawn[0, 0])
        return float(np.degrees(np.arctan2(np.sin(turned), np.cos(turned)))) + skew

    def _true_turned(self, rules: Rules, tips: Mapping[tuple[str, str], Vector]) -> dict[str, float]:
        """Zero and angle of a row that lies turned: the features are brought to their places about the zero."""
        turn, across, along = rules.get("r"), rules.get("x"), rules.get("y")
        if not (isinstance(turn, FromHeading) and isinstance(across, FromFeature) and isinstance(along, FromFeature)):
            return {}
        if turn.other or across.other or along.other:
            return {}
        angle = self.true_turn(turn.feature) - turn.drawing
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        ax, ay = self._true_point(across.feature, "x", tips)
        bx, by = self._true_point(along.feature, "y", tips)
        u = c * ax + s * ay - across.drawing + across.allowance
        v = c * by - s * bx - along.drawing + along.allowance
        found = {"x": float(c * u - s * v), "y": float(s * u + c * v), "r": float(angle)}
        if isinstance(height := rules.get("z"), FromFeature):
            found |= self.true_offset({"z": height}, tips)
        return found

    def _true_point(self, feature: str, axis: str, tips: Mapping[tuple[str, str], Vector]) -> tuple[float, float]:
        """A feature's centre, or a point on its wall beside where the tip touched for that axis."""
        place = list(tips[feature, axis])
        for i, letter in enumerate("xy"):
            if letter == axis or (feature, letter) in tips:
                place[i] = self.true_value(feature, letter, tips[feature, axis])
        return place[0], place[1]


def _wall_place(solid: Solid, tip: Vector, radius: float, axis: int) -> float | None:
    """Where the wall nearest to the tip is along an axis, at the height of the ball's centre.

    If the ball's centre is above or below the wall, the wall is extended along the extrusion direction of its solid.
    None: no wall lies in the ball's direction.
    """
    centre = (tip[0], tip[1], tip[2] + radius)
    way = np.eye(3)[axis]
    place = centre
    if not solid.turned:
        # A wall is invariant along its extrusion direction, so neither the height nor a step along it matters.
        place, upwards = _beside_metal(solid, centre), solid.frame.rotation[:, 2]
        way = way - (way @ upwards) * upwards
    ahead, behind = (solid.distance(*(np.array(place) + step * way).tolist()) for step in (0.01, -0.01))
    towards = 1.0 if ahead < behind else -1.0
    length = _way_to_metal(solid, place, towards * way)
    return None if length is None else centre[axis] + towards * length


def _beside_metal(solid: Solid, point: Vector) -> Vector:
    """Return the point, moved along the extrusion direction into the height range of the solid."""
    x, y, z = solid.frame.inverse().point(point)
    top = solid.top + (solid.uneven.height(x, y) if solid.uneven else 0.0)
    return solid.frame.point((x, y, max(min(z, top - _WITHIN), solid.bottom + _WITHIN)))


def _surface_height(solid: Solid, tip: Vector, radius: float) -> float | None:
    """Height of the surface right below the ball's centre; None where there is no metal below it."""
    centre = (tip[0], tip[1], tip[2] + radius)
    length = _way_to_metal(solid, centre, np.array((0.0, 0.0, -1.0)))
    return None if length is None else centre[2] - length


def _way_to_metal(solid: Solid, point: Vector, way: Array) -> float | None:
    """Return the distance from a point to metal along `way` (length at most 1 mm), in multiples of `way`.

    Sphere tracing: each step is as long as the distance field allows. Negative inside metal; None: no metal is hit.
    """
    start = np.array(point)
    middle, size = solid.ball()
    past = math.dist(point, middle) + size
    length = 0.0
    for _ in range(_STEPS):
        if length > past:
            break
        left = solid.distance(*(start + length * way).tolist())
        if abs(left) < _NOTHING_LEFT:
            return length
        length += solid.step_share * left
    return None


def real_frame(body: BodySection) -> Frame:
    """Where a body really lies on the machine."""
    a, b, c = body.real.turn
    at = np.array(body.at) + np.array(body.real.shift)
    return Frame.from_angles(at, a=a, b=b, c=c + body.turn)


def nominal_frame(body: BodySection) -> Frame:
    """Where a body is described to lie on the machine, with rotary axes at its stance."""
    return Frame.from_angles(np.array(body.at), c=body.turn)


_NOTHING_LEFT = 1e-10
"""Nearer to metal than that, mm, is at it."""
_WITHIN = 0.001
"""How far below the top, or above the bottom, of a solid its wall is looked for, mm."""
_STEPS = 1000
"""So many steps lead to any metal that a line does not merely graze."""
_UPRIGHT = 0.9999
"""Least cosine between a rotary axis and one of the machine's that it is taken to run along."""
_THICK = 60.0
"""How thick a table is, mm."""
Axes = tuple[RotaryAxis, ...]
_LEAN = 0.01
"""How far, degrees, a face may be described to lean from the spindle where it is measured."""


def own_frame(section: FeatureSection) -> Frame:
    """A feature's own frame in its body's: its origin is its place, its Z points out of the face it lies in."""
    a, b = section.tilt
    return Frame.from_angles(section.place, a=a, b=b) @ Frame.from_angles((0.0, 0.0, 0.0), c=section.angle)


def stance_of(section: FeatureSection, body: BodySection) -> Mapping[str, float]:
    """Where rotary axes stand when a feature is measured, degrees."""
    return body.stance if section.stance is None else section.stance


def body_frame(body: BodySection, axes: Axes, angles: Mapping[str, float]) -> Frame:
    """Where a body is described to lie with rotary axes at some angles."""
    if body.on != "rotary table":
        return nominal_frame(body)
    return table_frame(axes, angles) @ table_frame(axes, body.stance).inverse() @ nominal_frame(body)


def at_zero(frame: Frame, body: BodySection, axes: Axes) -> Frame:
    """A frame of a body that is given with rotary axes at its stance, with all of them at 0."""
    return table_frame(axes, body.stance).inverse() @ frame if body.stance else frame


def faces_away(file: SceneFile) -> list[Fault]:
    """Features whose face does not look at the spindle where they are measured, or is none of their solid's."""
    solids = {(body.name, solid.name): solid for body in file.body for solid in body.solid}
    axes, bodies = tuple(rotary.axis() for rotary in file.machine.rotary), {body.name: body for body in file.body}
    found = []
    for number, section in enumerate(file.feature):
        frame = feature_frame(section, bodies[section.body], axes)
        lean = float(np.degrees(np.arccos(np.clip(frame.rotation[2, 2], -1.0, 1.0))))
        if lean > _LEAN:
            words = ", ".join(f"{k}{num(v)}" for k, v in stance_of(section, bodies[section.body]).items()) or "0"
            reason = f"its face leans {deg(lean, 3)} from the spindle with the table at {words}"
            reason += _way_out(axes, section, bodies)
            found.append(Fault(f"feature.{number}.stance", reason))
        off = _off_the_metal(section, solids[section.body, section.solid])
        if off > _LEAN:
            reason = f"its face leans {deg(off, 3)} from those of {section.solid}: one tilt for both"
            found.append(Fault(f"feature.{number}.tilt", reason))
    return found


def _off_the_metal(section: FeatureSection, solid: SolidSection) -> float:
    """How far, degrees, a feature's face leans from the nearest face of the solid it lies on: its top or a side.

    0 of a ball and a cone, whose sides have no one direction, and of a tilted bore, which is one that leans.
    """
    if solid.shape in ("ball", "cone") or FeatureKind(section.kind).has_levels or FeatureKind(section.kind).is_built:
        return 0.0
    a, b = solid.tilt or (0.0, 0.0)
    x, y, z = map(abs, Frame.from_angles((0.0, 0.0, 0.0), a=a, b=b).inverse().turn(_out_of_face(section)))
    side = max(x, y) if solid.shape == "block" else math.hypot(x, y)
    return math.degrees(math.acos(min(1.0, max(z, side))))


def _out_of_face(section: FeatureSection) -> tuple[float, float, float]:
    """Away from the face a feature lies in, in its body's frame; of length 1."""
    x, y, z = own_frame(section).turn((0.0, 0.0, 1.0))
    return float(x), float(y), float(z)


def _way_out(axes: Axes, section: FeatureSection, bodies: Mapping[str, BodySection]) -> str:
    """Angles that would turn a feature's face to the spindle, in words: every solution within the limits."""
    x, y, z = (float(value) for value in body_frame(bodies[section.body], axes, {}).turn(_out_of_face(section)))
    try:
        ways = angles_facing(axes, (x, y, z))
    except GeometryError:
        return "; no angle of the machine turns it there"
    told = (" ".join(f"{letter}{num(angle)}" for letter, angle in way.items()) for way in ways)
    return f"; these would turn it there: {' or '.join(told)}"


def feature_frame(section: FeatureSection, body: BodySection, axes: Axes) -> Frame:
    """Where a feature's own frame is described to lie when it is measured."""
    return body_frame(body, axes, stance_of(section, body)) @ own_frame(section)


def _turned(section: SolidSection) -> Ball | Cone | None:
    if section.shape == "ball":
        return Ball((section.top - section.bottom) / 2, (section.top + section.bottom) / 2)
    if section.shape == "cone":
        return Cone((section.diameter or 0.0) / 2, (section.top_diameter or 0.0) / 2, section.bottom, section.top)
    return None


def region_of(section: SolidSection, *, real: bool = False) -> Region:
    """The flat region of a described solid, openings not taken out; ValueError where it has none."""
    if section.shape == "ball" and section.centre:
        return Disc(section.centre, (section.top - section.bottom) / 2)
    if section.shape == "cone" and section.centre:
        return Disc(section.centre, max(section.diameter or 0.0, section.top_diameter or 0.0) / 2)
    if section.low and section.high:
        return _rectangle(section.low, section.high, section.real_size if real else None)
    if section.centre and section.diameter:
        diameter = (section.real_diameter if real else None) or section.diameter
        return Disc(section.centre, diameter / 2)
    if section.a and section.b and section.radius_a and section.radius_b:
        return Lever(section.a, section.radius_a, section.b, section.radius_b)
    if section.points:
        return Polygon(tuple(section.points))
    raise ValueError(f"{section.name} has no shape")  # SolidSection lets none of these through


def _holes(section: SolidSection, *, real: bool) -> list[Disc]:
    return [Disc(hole.at, ((hole.real_diameter if real else None) or hole.diameter) / 2) for hole in section.holes]


def _rectangle(low: Point, high: Point, size: tuple[float, float] | None) -> Rectangle:
    """One from `low` to `high`, or as wide as `size` about its middle."""
    if size is None:
        return Rectangle(low, high)
    middle = (low[0] + high[0]) / 2, (low[1] + high[1]) / 2
    (x0, x1), (y0, y1) = ((m - wide / 2, m + wide / 2) for m, wide in zip(middle, size, strict=True))
    return Rectangle((x0, y0), (x1, y1))


def _slots(section: SolidSection, *, real: bool) -> list[Rectangle | Polygon]:
    return [
        _rectangle(slot.low, slot.high, slot.real_size if real else None)
        if slot.low and slot.high
        else Polygon(tuple(slot.points or ()))
        for slot in section.slots
    ]


def openings_of(section: SolidSection) -> list[Region]:
    """What is cut out of a described solid, seen from above."""
    return [*_holes(section, real=False), *_slots(section, real=False)]


def _centre(section: SolidSection) -> tuple[float, float]:
    if section.centre:
        return section.centre
    if section.a:
        return section.a
    if section.points:
        xs, ys = zip(*section.points, strict=True)
        return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
    if section.low and section.high:
        return (section.low[0] + section.high[0]) / 2, (section.low[1] + section.high[1]) / 2
    raise ValueError(f"{section.name} has no shape")


def _solid(body: BodySection, section: SolidSection, frame: Frame, *, real: bool) -> Solid:
    uneven, top = None, section.top
    if real and (r := section.real):
        if any(r.slope) or r.wave:
            uneven = Unevenness(r.rise, r.slope, r.wave, r.pitch, _centre(section))
        else:
            top += r.rise  # as flat as it is drawn: the field stays exact
    if section.tilt is not None:
        frame = frame @ Frame.from_angles(section.place, a=section.tilt[0], b=section.tilt[1])
    holes, slots = _holes(section, real=real), _slots(section, real=real)
    depths = [*(hole.depth for hole in section.holes), *(slot.depth for slot in section.slots)]
    return Solid(
        name=section.name,
        body=body.name,
        role=body.role,
        region=region_of(section, real=real),
        bottom=section.bottom,
        top=top,
        holes=tuple(holes),
        slots=tuple(slots),
        plugs=tuple(
            (region, section.top - depth)
            for region, depth in zip([*holes, *slots], depths, strict=True)
            if depth is not None
        ),
        uneven=uneven,
        turned=_turned(section),
        frame=frame,
        carried=body.on == "rotary table",
    )


_TURNED = ("RIGHT", "UP", "LEFT", "DOWN")
"""Walls in the order a quarter of a turn takes them through."""


def _drawn(section: FeatureSection, bodies: dict[str, BodySection], axes: Axes, *, turning: bool) -> DrawnFeature:
    """A feature as it lies on the machine: turned with its body, its walls named as the machine's axes see them."""
    body = bodies[section.body]
    kind = FeatureKind(section.kind)
    stance = stance_of(section, body)
    if any(section.tilt) or (section.stance is not None and section.stance != body.stance):
        frame = feature_frame(section, body, axes)
        turn = float(np.degrees(np.arctan2(frame.rotation[1, 0], frame.rotation[0, 0])))
        machine = frame.point((0.0, 0.0, 0.0))
    else:
        turn, machine = body.turn + section.angle, nominal_frame(body).point(section.place)
    quarters = round(turn / 90)
    walls = [wall if wall == "BELOW" else _TURNED[(_TURNED.index(wall) + quarters) % 4] for wall in section.walls]
    skew = 0.0 if kind.is_round or walls == ["BELOW"] else round(turn - 90 * quarters, 9)
    size, size_y = section.size, section.size_y
    if kind.has_two_sizes and quarters % 2:
        size, size_y = size_y, size
    return DrawnFeature(
        name=section.name,
        title=section.title,
        kind=kind,
        body=section.body,
        drawing=section.place,
        machine=machine,
        walls=tuple(walls),
        size=size,
        size_y=size_y,
        size_limit=section.size_limit,
        depth=section.depth,
        over=section.over or kind.is_outside,
        skew=skew,
        spread=section.spread or 0.0,
        second_depth=section.second_depth or 0.0,
        of=tuple(section.of or ()),
        headings=tuple(heading + turn for heading in section.headings or ()),
        balloon=section.balloon,
        tolerance=section.tolerance,
        form=section.form_tolerance,
        asks=tuple(section.asks),
        asks_unit=section.asks_unit,
        table=tuple((axis.letter, stance.get(axis.letter, 0.0)) for axis in axes) if turning else (),
    )


_ACROSS = ("left", "middle", "right")
_ALONG = ("front", "middle", "back")


def _points(body: BodySection) -> list[DrawnPoint]:
    """Corners, middles of edges, centre and heights of a body, named as its own drawing has them; its own zero last."""
    low, high = extent_of(body.solid)
    frame = nominal_frame(body)
    xs, ys, zs = ([a, (a + b) / 2, b] for a, b in zip(low, high, strict=True))
    points = []
    if body.role != "fixture":
        for across, x in zip(_ACROSS, xs, strict=True):
            for along, y in zip(_ALONG, ys, strict=True):
                corner = "middle" not in (across, along)
                edge = along if across == "middle" else across
                title = f"{along} {across} corner" if corner else f"middle of the {edge} edge"
                title = "centre" if across == along == "middle" else title
                points.append(DrawnPoint(title, body.name, frame.point((x, y, high[2])), "xy"))
        for title, z in (("top", zs[2]), ("middle height", zs[1]), ("bottom", zs[0])):
            points.append(DrawnPoint(title, body.name, frame.point((xs[1], ys[1], z)), "z"))
    points.append(DrawnPoint("zero of the drawing", body.name, frame.point((0.0, 0.0, 0.0)), "xyz"))
    return points


def _table_seen(m: MachineSection) -> tuple[float, float, float, float, float]:
    """The room of what stands on the table as the spindle sees it, and the lowest Z of that. Of a horizontal mill it is
    what lies above the table.
    """
    x0, y0, x1, y1, top = m.table
    return (x0, top, x1, max(m.travel_high[1], top + 1.0), y0) if m.kind == "horizontal mill" else (x0, y0, x1, y1, top)


def _sweeps(axes: Axes, nominal: Sequence[Solid]) -> tuple[tuple[str, Vector, int, float], ...]:
    """How far out from each rotary axis that runs along X, Y or Z anything lies that it carries, by the description."""
    corners = [
        (x, y, z)
        for solid in nominal
        if solid.carried
        for low, high in (solid.bounds(),)
        for x in (low[0], high[0])
        for y in (low[1], high[1])
        for z in (low[2], high[2])
    ]
    found = []
    for axis in axes:
        along = max(range(3), key=lambda i: abs(axis.direction[i]))
        if corners and abs(axis.direction[along]) > _UPRIGHT:
            away = np.delete(np.array(corners) - np.array(axis.centre), along, axis=1)
            found.append((axis.letter, axis.centre, along, float(np.hypot(away[:, 0], away[:, 1]).max())))
    return tuple(found)


def _setter_solids(file: SceneFile) -> list[Solid]:
    """The tool setter on the table, where the file says it stands."""
    if file.setter is None or file.setter.at is None:
        return []
    top = file.machine.table[4]
    shape = Disc(file.setter.at, 20.0)
    return [Solid(file.setter.name, file.setter.name, "setter", shape, top, top + file.setter.height)]


def real_solids(file: SceneFile) -> tuple[Solid, ...]:
    """Everything on the table as it really is."""
    axes = tuple(rotary.axis() for rotary in file.machine.rotary)
    real = [
        _solid(body, section, at_zero(real_frame(body), body, axes), real=True)
        for body in file.body
        if body.role != "drawn"
        for section in body.solid
    ]
    return (*_setter_solids(file), *real)


def build_scene(file: SceneFile) -> Scene:
    """Make a validated scene ready to run. Raises SceneError."""
    bodies = {body.name: body for body in file.body}
    if faults := faces_away(file):
        raise SceneError(file.job.name, tuple(faults))
    m = file.machine
    machine = Machine(
        m.name,
        m.kind,
        Travel(m.travel_low, m.travel_high),
        m.home,
        _table_seen(m),
        m.rapid,
        m.acceleration,
        m.profile,
        tuple(axis.axis() for axis in m.rotary),
        m.tool_direction,
        m.connection == "stand-in",
        linked=m.connection == "link",
    )
    described = [body for body in file.body if body.role != "undrawn"]
    axes = machine.rotary
    nominal = [
        _solid(body, section, at_zero(nominal_frame(body), body, axes), real=False)
        for body in described
        for section in body.solid
    ]
    x0, y0, x1, y1, top = m.table
    table = Solid("table", m.name, "table", Rectangle((x0, y0), (x1, y1)), top - _THICK, top)
    if m.kind == "horizontal mill":  # its top looks up along Y
        table = Solid("table", m.name, "table", Rectangle((x0, top - _THICK), (x1, top)), y0, y1)
    nominal = _setter_solids(file) + nominal
    turning = any(body.stance for body in file.body) or any(section.stance for section in file.feature)
    machine = replace(machine, sweeps=_sweeps(machine.rotary, nominal))
    features = tuple(_drawn(section, bodies, axes, turning=turning) for section in file.feature)
    setup = Setup(
        job=file.job.name,
        title=file.job.title,
        company=file.job.company,
        machine=machine,
        stylus=file.probe.stylus(),
        part=file.job.part,
        parts=tuple(body.name for body in file.body if body.role == "part"),
        places=tuple(
            PlaceOnFixture(
                place.name,
                place.face,
                place.column,
                place.row,
                place.body or "",
                tuple((axis.letter, place.stance.get(axis.letter, 0.0)) for axis in axes),
                tuple(place.rows),
                None if file.skip_flags is None else file.skip_flags + number,
            )
            for number, place in enumerate(file.place)
        ),
        fixture=file.job.fixture,
        clear_height=file.job.clear_height,
        start_uncertainty=file.job.start_uncertainty,
        turn_uncertainty=file.job.turn_uncertainty,
        features=features,
        rows=tuple(
            RowPlan(
                row.row,
                row.title,
                rules_of(row, {f.name: f for f in features}, machine.rotary),
                row.jump_limit,
                turner_of(row, machine.rotary),
            )
            for row in file.row
        ),
        outlines=tuple(outline_of(solid) for solid in (table, *nominal)),
        points=tuple(point for body in reversed(described) for point in _points(body)),
        words=tuple(
            DrawnWord(word.text, nominal_frame(bodies[file.job.first_part]).point((*word.at, 0.0)))
            for word in (file.word if file.job.first_part in bodies else ())
        ),
        hand_tools=tuple(tool.tool() for tool in file.hand_tool),
        shelf=Shelf(
            file.probe.record(),
            tuple(tool.cutter() for tool in file.tool),
            file.setter.setter() if file.setter else None,
        ),
        card=JobCard(
            file.job.program,
            file.job.program_comment,
            tuple(Operation(o.name, o.offset, o.comment, tuple(o.tools)) for o in file.job.operation),
            tuple(file.job.note),
        ),
        turn=bodies[file.job.first_part].turn if file.job.first_part in bodies else 0.0,
        conditions=Conditions(
            m.u_scale, m.u_square, file.job.temperature.temperature() if file.job.temperature else None
        ),
    )
    return Scene(file, setup, (table, *real_solids(file)), tuple(nominal))
