"""`brisk-anchor turn`: the sums of a lathe from figures that are typed, each with its terms and its ±."""

from __future__ import annotations

from typing import Annotated, Literal, cast

import typer

from brisk_anchor.cli.saying import say
from brisk_anchor.core.errors import NumberEntryError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import bare, dim, shown_unit, signed_bare, signed_deg, signed_dim
from brisk_anchor.core.turning import sums as turning
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source

app = typer.Typer(
    no_args_is_help=True, help="Sums of a lathe: zero by cutting, tools, wear, grooves, families, passes."
)

MachineOption = Annotated[str, typer.Option("--machine", help="Where the axis stands, machine position (X: diameter).")]
InsideOption = Annotated[bool, typer.Option("--inside", help="A bore, not an outside diameter.")]
WearOption = Annotated[str, typer.Option("--wear", help="A wear that is kept.")]
BladeOption = Annotated[
    str, typer.Option("--blade", help="Width of a blade whose offset belongs to its front edge: the other one meets.")
]
_STILL = "With typed figures nobody can tell whether the other axis moved since the cut: it must not have."


def _read(text: str, what: str) -> Estimate:
    """A figure and its ±, as "86.15 ±0.02"; without one nothing is known of it."""
    figure, _, spread = text.replace("+-", "±").partition("±")
    value = parse_length(figure.strip(), low=-FURTHEST, high=FURTHEST)
    if not spread.strip():
        return Estimate(value)
    u = parse_length(spread.strip(), low=0.0, high=FURTHEST) / 2
    return Estimate(value, {Source(what): u})


def _axis(axis: str) -> str:
    if axis.lower() not in ("x", "z"):
        raise NumberEntryError(f"A lathe has no axis “{axis[:4]}”", "", "Give x or z")
    return axis.lower()


def _edge(edge: str) -> turning.Edge:
    if edge not in ("chuck", "front"):
        raise NumberEntryError(f"A blade has no edge “{edge[:10]}”", "", "chuck, or front")
    return cast(Literal["chuck", "front"], edge)


def _tell(found: turning.TurningSum) -> None:
    """Print a sum as it is worked out."""
    for n, term in enumerate(found.terms):
        sign = "" if n == 0 and term.sign == "+" else term.sign
        spread = f" ±{bare(term.figure.expanded, 4)}" if term.figure.effects else ""
        say(f"{sign:>2} {term.label:<20}{signed_bare(term.figure.value, 4):>14}{spread}")
    result = found.result
    spread = f" ±{bare(result.expanded, 4)}" if result.effects else "  no ± was stated"
    kind = " (⌀)" if found.axis == "x" else ""
    say(f" = {found.name + kind:<20}{signed_bare(result.value, 4):>14}{spread} {shown_unit().word}")
    if found.axis == "x":
        say(f"   in a table of radii{'':<3}{signed_bare(found.as_radius, 4):>14}")


def _look(typed: float, expected: str) -> None:
    """Say where a figure looks like half or twice what was expected."""
    from brisk_anchor.core.turning.looks import look_for_radius

    aim = parse_length(expected, low=-FURTHEST, high=FURTHEST) if expected else None
    for finding in look_for_radius(typed, aim):
        raise NumberEntryError(finding.found, finding.why, f"{finding.do}; leave --expected out where it is right")


@app.command()
def face(
    machine: MachineOption,
    geometry: Annotated[str, typer.Option("--geometry", help="Z geometry of the tool.")],
    measured: Annotated[str, typer.Option("--measured", help="From a known face to the one just cut, with its ±.")],
    wanted: Annotated[str, typer.Option("--wanted", help="What that is to be on the finished part.")],
    wear: WearOption = "0",
    blade: BladeOption = "0",
    others: Annotated[
        list[str] | None, typer.Option("--length", help="Of a family: other lengths on the same stop.")
    ] = None,
) -> None:
    """Z zero by cutting a face: move away in X only, measure, and Z is known by the difference."""
    length = parse_length(wanted, low=0.0, high=FURTHEST)
    leads = parse_length(blade, low=0.0, high=FURTHEST)
    place = turning.faced(_read(measured, "measured"), length, leads)
    say(f"   measured less wanted{signed_bare(place.value - leads, 4):>17}")
    figures = _read(machine, "machine"), _read(geometry, "geometry"), place, _read(wear, "wear")
    found = turning.work_offset("z", *figures)
    _tell(found)
    say(f"   the stop lies at    {signed_bare(turning.stop_plane(found.result, length).value, 4):>14}")
    lengths = [parse_length(other, low=0.0, high=FURTHEST) for other in others or ()]
    for other, work in zip(lengths, turning.family(found.result, length, lengths), strict=True):
        moved = signed_dim(work.value - found.result.value, 4)
        say(f" = work offset Z of {bare(other, 3):<10}{signed_bare(work.value, 4):>10}  {moved} from there")
    say(_STILL)


@app.command()
def diameter(
    machine: MachineOption,
    work: Annotated[str, typer.Option("--work", help="X work offset: the spindle axis, which seldom changes.")],
    measured: Annotated[str, typer.Option("--measured", help="The diameter just cut, with its ±.")],
    wear: WearOption = "0",
    beyond: Annotated[bool, typer.Option("--beyond", help="Cut beyond the axis.")] = False,
    expected: Annotated[str, typer.Option("--expected", help="About what it should be.")] = "",
) -> None:
    """X geometry by turning: do not move X, measure, and enter the diameter."""
    cut = _read(measured, "measured")
    _look(cut.value, expected)
    place = turning.turned_to(cut, beyond=beyond)
    _tell(turning.geometry("x", _read(machine, "machine"), _read(work, "work"), place, _read(wear, "wear")))
    say(_STILL)


@app.command()
def feeler(
    axis: Annotated[str, typer.Argument(help="x or z.")],
    machine: MachineOption,
    work: Annotated[str, typer.Option("--work", help="Work offset of that axis.")],
    thickness: Annotated[str, typer.Option("--thickness", help="Of the feeler or shim, with its ±.")],
    on: Annotated[str, typer.Option("--on", help="The diameter it lies on, or the Z of the face.")] = "0",
    inside: InsideOption = False,
    wear: WearOption = "0",
    blade: BladeOption = "0",
) -> None:
    """Geometry of a tool by a feeler on a known face, or a shim on a known diameter."""
    axis, thick = _axis(axis), _read(thickness, "thickness")
    known = _read(on, "known")
    if axis == "x":
        place = turning.felt_on_diameter(known, thick, inside=inside)
    else:
        place = turning.felt_on_face(thick, known.value, parse_length(blade, low=0.0, high=FURTHEST))
    _tell(turning.geometry(axis, _read(machine, "machine"), _read(work, "work"), place, _read(wear, "wear")))


@app.command()
def wear(
    axis: Annotated[str, typer.Argument(help="x or z.")],
    wanted: Annotated[str, typer.Option("--wanted", help="What the drawing asks for (X: a diameter).")],
    actual: Annotated[str, typer.Option("--actual", help="What was measured, with its ±.")],
) -> None:
    """What a wear changes by: wanted less actual. Nothing within the ± of what was measured."""
    axis, aim = _axis(axis), parse_length(wanted, low=-FURTHEST, high=FURTHEST)
    found = _read(actual, "measured")
    _look(found.value, wanted)
    due = turning.wear_due(aim, found)
    spread = f" ±{bare(due.expanded, 4)}" if due.effects else "  no ± was stated"
    say(f"wear {axis.upper()} changes by {signed_dim(due.value, 4)}{spread}")
    if axis == "x":
        say(f"in a table of radii by {signed_dim(due.value / 2, 4)}")
    if due.effects and abs(due.value) <= due.expanded:
        say("That is within its ±: leave it.")


@app.command()
def insert(
    allowance: Annotated[
        str, typer.Option("--allowance", help="How much too large (in a bore too small) it cuts first.")
    ],
    inside: InsideOption = False,
) -> None:
    """The X wear of a new insert with the same nose, until its first cut was measured and the wear taken back."""
    more = parse_length(allowance, low=0.0, high=FURTHEST)
    due = turning.first_cut_wear(more, inside=inside)
    say(f"wear X {signed_dim(due, 4)}, in a table of radii {signed_dim(due / 2, 4)}; Z 0")
    say("Cut, measure, then: brisk-anchor turn wear x --wanted … --actual …. Another nose radius: touch it anew.")


@app.command()
def nose(
    axis: Annotated[str, typer.Argument(help="x or z.")],
    figure: Annotated[str, typer.Option("--geometry", help="Of the sharp corner, as it was touched.")],
    radius: Annotated[str, typer.Option("--radius", help="Of the nose.")],
    centre: Annotated[
        str, typer.Option("--centre", help="Where its centre lies from the corner: + or − along the axis.")
    ],
) -> None:
    """The geometry of a tool that is referred to the centre of its nose."""
    axis = _axis(axis)
    if centre not in ("+", "-", "−"):
        raise NumberEntryError("On which side the nose's centre lies is not said", "It is never guessed", "+ or -")
    corner = parse_length(figure, low=-FURTHEST, high=FURTHEST)
    size = parse_length(radius, low=0.0, high=FURTHEST)
    found = turning.nose_centre(corner, size, 1 if centre == "+" else -1, axis=axis)
    say(f"geometry {axis.upper()} of the nose's centre {signed_dim(found, 4)}")


@app.command()
def taper(
    first: Annotated[str, typer.Argument(help="Diameter nearer to the front.")],
    second: Annotated[str, typer.Argument(help="Diameter nearer to the chuck.")],
    apart: Annotated[str, typer.Option("--apart", help="How far they lie apart along Z.")],
) -> None:
    """A taper from two diameters: told, never put into wear."""
    a, b, far = (parse_length(text, low=0.0, high=FURTHEST) for text in (first, second, apart))
    if far <= 0:
        raise NumberEntryError("Two diameters at one place are no taper", "", "Give how far they lie apart")
    angle = turning.taper_of(a, b, far)
    say(f"{signed_dim(b - a, 4)} over {dim(far)}, half angle {signed_deg(angle, 4)}: no wear takes that out")


@app.command()
def groove(
    chuck_wall: Annotated[str, typer.Option("--chuck-wall", help="Z of the wall on the chuck's side.")],
    front_wall: Annotated[str, typer.Option("--front-wall", help="Z of the other wall.")],
    width: Annotated[str, typer.Option("--width", help="Of the blade.")],
) -> None:
    """Where a blade stands for both walls of a groove, by whichever of its edges its offset belongs to."""
    first, second, wide = (parse_length(t, low=-FURTHEST, high=FURTHEST) for t in (chuck_wall, front_wall, width))
    for edge in ("chuck", "front"):
        places = turning.groove_places(first, second, wide, _edge(edge))
        told = " and ".join(signed_bare(place, 3) for place in places)
        say(f"offset on the {edge} edge: Z {told} {shown_unit().word}")


@app.command("part-off")
def part_off(
    length: Annotated[str, typer.Argument(help="Of the finished part.")],
    width: Annotated[str, typer.Option("--width", help="Of the blade.")],
    allowance: Annotated[str, typer.Option("--allowance", help="Left for facing the other end.")] = "0",
) -> None:
    """Where a parting blade stands, by whichever of its edges its offset belongs to."""
    long, wide, more = (parse_length(text, low=0.0, high=FURTHEST) for text in (length, width, allowance))
    for edge in ("chuck", "front"):
        say(f"offset on the {edge} edge: Z {signed_dim(turning.parting_place(long, more, wide, _edge(edge)), 3)}")


@app.command()
def jaws(
    machine: MachineOption,
    geometry: Annotated[str, typer.Option("--geometry", help="Z geometry of the tool that touched the jaws' face.")],
    step: Annotated[str, typer.Option("--step", help="How deep the step lies below that face.")],
    length: Annotated[str, typer.Option("--length", help="Of the part against the step.")],
) -> None:
    """Z zero of a part in soft jaws: their face touched, their step known."""
    face_ = turning.work_offset("z", _read(machine, "machine"), _read(geometry, "geometry"), turning.NOTHING)
    deep, long = (parse_length(text, low=0.0, high=FURTHEST) for text in (step, length))
    plane, zero = turning.soft_jaws(face_.result, deep, long)
    for name, found in (("face", face_.result), ("step", plane), ("work offset Z", zero)):
        say(f"{name:<16}{signed_dim(found.value, 4)}")


@app.command("passes")
def plan_passes(
    present: Annotated[str, typer.Argument(help="The diameter now.")],
    target: Annotated[str, typer.Argument(help="The diameter wanted.")],
    depth: Annotated[str, typer.Option("--depth", help="Of the deepest cut, on one side.")],
    finish: Annotated[str, typer.Option("--finish", help="What the last cut takes, on one side.")] = "0",
    spring: Annotated[int, typer.Option("--spring", min=0, max=20, help="Passes more at the target.")] = 0,
) -> None:
    """Diameters to cut one after another, and how far each is to go."""
    now, aim, deep, last = (parse_length(t, low=0.0, high=FURTHEST) for t in (present, target, depth, finish))
    for number, stop in enumerate(turning.passes(now, aim, deep, last, spring), 1):
        say(f"{number:>3}  ⌀ {bare(stop, 3):>10} {shown_unit().word}   to go {signed_dim((stop - now) / 2, 3)} a side")
        now = stop
