"""Zero by cutting or by a feeler: from where the axis stands and what was measured to a row of a table, with its sum.

`machine = work + geometry + wear + program`. What is set takes the rest of it: the work offset by a tool whose own
figures are right, the geometry by a zero that is right, the wear by what is left between the two.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum

from brisk_anchor.core.errors import BriskAnchorError, DatumError
from brisk_anchor.core.offsets.chain import AxisChain, Chain, Term
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.turning.setup import Member, Pair, geometry_row, wear_row
from brisk_anchor.core.turning.sums import MACHINE_POSITION, NOTHING, TurningSum, TurningTerm
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

SMALL = 1.0
"""A difference to what the tool has already of no more than this, mm, is wear; more is another geometry."""


class Method(Enum):
    """How a place was found."""

    FACE = "face"
    TURN = "turned diameter"
    FELT_FACE = "feeler on the face"
    FELT_DIAMETER = "feeler on the diameter"
    WHISKER = "whisker cut on a blued diameter"
    DIAL = "dial swept from the spindle"

    @property
    def axis(self) -> str:
        """The axis it says something of."""
        return "z" if self in (Method.FACE, Method.FELT_FACE) else "x"

    @property
    def cuts(self) -> bool:
        """Whether metal is cut, with the spindle turning."""
        return self in (Method.FACE, Method.TURN, Method.WHISKER)

    @property
    def measures(self) -> bool:
        """Whether what was cut is measured then, with the spindle standing."""
        return self in (Method.FACE, Method.TURN)


class Destination(Enum):
    """Which table a value goes into."""

    WORK = "work offset"
    GEOMETRY = "geometry"
    WEAR = "wear"


class MovedError(BriskAnchorError):
    """The axis that says it moved since the cut."""


@dataclass(frozen=True, slots=True)
class Held:
    """What stands in the tables for an axis of the tool and the row in question, as it is known.

    `measured` says whether the geometry came from a measurement; `set_here` whether the work offset was set since the
    part was clamped, by another tool.
    """

    work: Estimate
    geometry: Estimate
    wear: Estimate = NOTHING
    measured: bool = False
    set_here: bool = False


@dataclass(frozen=True, slots=True)
class CutEvidence:
    """One place on the part: how it was found, where the axis stood, and the terms of the program position there.

    `terms` add up to the program position P of the tip. `slide` is how far the top slide holds the tip off
    along the axis from where it stood when the tools were set, mm: the readout does not see it.
    """

    method: Method
    tool: TurningTool
    machine: Estimate
    terms: tuple[TurningTerm, ...]
    slide: float = 0.0
    cuts: int = 0
    """How often the metal had been cut there by then."""

    @property
    def place(self) -> Estimate:
        """The program position of the tip."""
        return TurningSum("place", self.method.axis, self.terms).result


@dataclass(frozen=True, slots=True)
class Proposal:
    """What would be stored: a row of a table, its sum and chain, why there; what the wear becomes (None: as is)."""

    row: str
    axis: str
    destination: Destination
    total: TurningSum
    chain: Chain
    why: str
    wear_becomes: float | None = None

    @property
    def value(self) -> float:
        """The value, mm; of X a diameter."""
        return self.total.result.value


def machine_reading(axis: str, value: float, resolution: float) -> Estimate:
    """Where an axis stands as its display shows it: anywhere within one step, each place as likely."""
    step = Source(f"{axis.upper()} as it is shown, {value:.4f}", f"{axis.upper()} as shown", uniform=True)
    return Estimate(value, {step: resolution / 12**0.5} if resolution else {})


def gauged(gauge: Gauge, value: float) -> Estimate:
    """A length or diameter that was measured with a gauge."""
    return Estimate(value, {gauge.source: gauge.spread / 2})


def refuse_moved(method: Method, cut: Pair, now: Pair, resolution: float) -> None:
    """Raise MovedError where the axis that says it moved since the cut: Z after facing, X after turning."""
    axis = method.axis
    at = 0 if axis == "x" else 1
    moved = now[at] - cut[at]
    if abs(moved) > resolution / 2 + 1e-9:
        other = "X" if axis == "z" else "Z"
        raise MovedError(
            f"{axis.upper()} moved by {signed_dim(moved, 3)} since the cut",
            f"Where it stood at the {'face' if axis == 'z' else 'diameter'} is gone",
            f"Cut again, then move away in {other} only",
        )


def refuse_unfit(tool: TurningTool, method: Method) -> None:
    """Raise DatumError where a tool says nothing in that way: a drill of X by its edge, an edge of X by a dial."""
    swept = tool.points[0] == 0
    if method.axis == "z" or swept == (method is Method.DIAL):
        return
    if swept:
        raise DatumError(
            f"{tool.name}, a {tool.kind.value}, touches nothing along X",
            "Its X is swept with a dial indicator on the spindle",
            "Set its X by the dial: ⟨bench:y⟩",
        )
    raise DatumError(
        f"{tool.name}, a {tool.kind.value}, is not swept with a dial",
        "Its edge does not lie on the axis of what is swept",
        "Cut a diameter, or use a feeler: ⟨bench:d⟩, ⟨bench:E⟩",
    )


def destination_for(method: Method, held: Held, corner: float) -> tuple[Destination, str]:
    """Which table a value belongs to, and why.

    Args:
        method: how the place was found.
        held: what stands in the tables.
        corner: machine position less program position, as the tool's table counts it, mm.
    """
    if method.axis == "z":
        if held.measured or not held.set_here:
            known = (
                "the tool's own Z is known" if held.measured else "the tool's Z stands in its table, not measured here"
            )
            return Destination.WORK, f"{known}: the place says where the part lies"
        return (
            Destination.GEOMETRY,
            "the zero is set already and this tool is not measured: the place says how far it reaches",
        )
    rest = corner - held.work.value - held.geometry.value
    if held.measured and abs(rest) <= SMALL:
        return Destination.WEAR, f"the tool was measured before: the rest, {signed_dim(rest, 3)}, is wear"
    why = "X zero is the spindle axis and stays: the place says how far the tool reaches"
    return Destination.GEOMETRY, why if not held.measured else f"{why}; too far from what it had for a wear"


def propose(
    evidence: CutEvidence,
    held: Held,
    row: str,
    *,
    destination: Destination | None = None,
    keep_wear: bool = False,
    without: Sequence[str] = (),
) -> Proposal:
    """What a place makes of a table.

    Args:
        evidence: the place.
        held: what stands in the tables now.
        row: the work offset in question.
        destination: into which table, where a person said; else `destination_for`.
        keep_wear: for the geometry: keep the wear and take it off, where it else becomes 0.
        without: what the ± does not include.

    Raises:
        DatumError: a tool that cannot say anything of that axis.
    """
    tool, axis = evidence.tool, evidence.method.axis
    refuse_unfit(tool, evidence.method)
    base = evidence.machine.value + evidence.slide - evidence.place.value
    shift = tool.referred(axis, 0.0)  # the table's geometry may be that of the nose's centre, the place is the corner's
    chosen, why = destination_for(evidence.method, held, base + shift)
    if destination is not None and destination is not chosen:
        chosen, why = destination, "chosen by hand"
    terms = [TurningTerm("+", MACHINE_POSITION, evidence.machine)]
    if evidence.slide:
        terms.append(TurningTerm("+", "top slide stands off", Estimate(evidence.slide)))
    wear_becomes = None
    if chosen is not Destination.WORK:
        terms.append(TurningTerm("−", f"work offset {row}", held.work))
    if chosen is not Destination.GEOMETRY:
        terms.append(TurningTerm("−", f"geometry of {tool.name}", held.geometry))
    if chosen is Destination.WORK or (chosen is Destination.GEOMETRY and keep_wear):
        if held.wear.value or held.wear.effects:
            terms.append(TurningTerm("−", "wear that is kept", held.wear))
    elif chosen is Destination.GEOMETRY and held.wear.value:
        wear_becomes = 0.0
        why += f"; its wear, {signed_dim(held.wear.value, 3)}, becomes 0"
    terms += [TurningTerm("−" if term.sign == "+" else "+", term.label, term.figure) for term in evidence.terms]
    if shift:
        label = f"nose radius to its centre{', twice' if axis == 'x' else ''}"
        terms.append(TurningTerm("+" if shift > 0 else "−", label, Estimate(abs(shift))))
    name = {
        Destination.WORK: row,
        Destination.GEOMETRY: geometry_row(tool.offset),
        Destination.WEAR: wear_row(tool.offset),
    }[chosen]
    total = TurningSum(f"{chosen.value} {axis.upper()}", axis, tuple(terms))
    return Proposal(name, axis, chosen, total, chain_of(name, [(axis, total)], without), why, wear_becomes)


def axis_chain(axis: str, total: TurningSum) -> AxisChain:
    """One axis of a chain from a sum."""
    terms = [
        Term(
            "" if n == 0 and term.sign == "+" else term.sign,
            term.label,
            term.figure.value,
            term.figure.u or None,
            k=term.figure.k,
        )
        for n, term in enumerate(total.terms)
    ]
    result = total.result
    last = Term("=", total.name + (" (⌀)" if axis == "x" else ""), result.value, result.u or None, k=result.k)
    return AxisChain(
        axis, result.value, result.u, (*terms, last), stated=bool(result.effects), effects=tuple(result.effects.items())
    )


def comes_of_a_place(axis: AxisChain) -> bool:
    """Whether an axis of a chain comes of where the machine stood, and not of another row."""
    return any(term.label == MACHINE_POSITION for term in axis.terms)


def chain_of(row: str, sums: Sequence[tuple[str, TurningSum]], without: Sequence[str] = ()) -> Chain:
    """The chain of a row of a table from sums by axis."""
    axes = tuple(axis_chain(axis, total) for axis, total in sums)
    variance = {axis.axis: axis.u**2 for axis in axes}
    covariance = tuple(tuple(variance.get(a, 0.0) if a == b else 0.0 for b in ("x", "y", "z")) for a in ("x", "y", "z"))
    return Chain(row, axes, (), covariance, without=tuple(without))


def figure_chain(row: str, figures: Sequence[tuple[str, Estimate, str]], without: Sequence[str] = ()) -> Chain:
    """The chain of figures that come as they are: (axis, figure, where it comes from)."""
    sums = [(axis, TurningSum(row, axis, (TurningTerm("+", label, figure),))) for axis, figure, label in figures]
    return chain_of(row, sums, without)


def family_sum(row: str, parent: Member, zero: Estimate, member: Member) -> TurningSum:
    """The Z of a part of a family on one back stop, from the zero of another: by the difference of their lengths."""
    more = member.length - parent.length
    terms = (
        TurningTerm("+", f"{parent.name}, {dim(parent.length)} long", zero),
        TurningTerm("+" if more >= 0 else "−", "difference in length", Estimate(abs(more))),
    )
    return TurningSum(f"{row} Z", "z", terms)
