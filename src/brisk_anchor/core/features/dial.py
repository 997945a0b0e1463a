"""Features from a dial indicator: a round swept by the spindle, an edge run along."""

from __future__ import annotations

import math

import numpy as np

from brisk_anchor.core.features.alignment import Point, Sweep
from brisk_anchor.core.features.budget import ENOUGH
from brisk_anchor.core.features.feature import Feature, rows_of
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.core.uncertainty.estimates import Effects, Estimate, combined, correlated
from brisk_anchor.core.uncertainty.sources import Source


def _own(name: str, stated: Stated) -> str:
    return f"{name}, {stated.measurement}" if stated.measurement else name


def swept_feature(name: str, kind: FeatureKind, at: Point, u_at: float, sweep: Sweep, stated: Stated) -> Feature:
    """A bore or boss from a sweep: `at` is where the spindle stood, mm, `u_at` the standard uncertainty of that.

    Readings that lie further off the circle than they scatter widen its ±, as touches do. A dial sees form as a probe
    does: stated, it counts a quarter of each reading's part.
    """
    misfit = sweep.misfit
    widened = misfit.birge if misfit is not None and misfit.too_large else 1.0
    label = f"readings of {name}"
    group, freedom = (f"repeatability of the dial, {name}", sweep.scatter.freedom)
    if misfit is not None and widened > 1:
        group, freedom = f"residuals of {_own(label, stated)}", misfit.freedom
    source = Source(_own(label, stated), label, own=True, group=group, freedom=freedom)
    readings = correlated(source, sweep.covariance * widened**2)
    # Form within ± f: of four readings two stand against each other along an axis, in full where they are opposite.
    form = (stated.form or 0.0) / 2 / math.sqrt(2)
    found = {}
    for i, axis in enumerate("xy"):
        stood = Source(_own(f"{axis.upper()} of the spindle, {name}", stated), "spindle as it was read", own=True)
        more: Effects = {
            stood: u_at,
            Source(f"form of {name}, {axis.upper()}", f"form of {name}", bounded=True): form,
        }
        found[axis] = Estimate(at[i] + sweep.centre[i], combined((1.0, readings[i]), (1.0, more)))
    few = stated.form is None and len(sweep.residuals) < ENOUGH
    return Feature(
        name=name,
        kind=kind,
        axes=("x", "y"),
        coordinates=tuple(item.value for item in found.values()),
        effects=rows_of(found),
        touches=(),
        residuals=sweep.residuals,
        form=float(np.ptp(sweep.residuals)),
        misfit=misfit,
        widened=widened,
        without=(f"form: not bounded below {ENOUGH} readings",) if few else (),
    )


def dialled_edge(name: str, turn: float, run: float, u_read: float, scatter: Scatter, stated: Stated) -> Feature:
    """An edge along which a dial was run: how far it is turned, degrees, from two readings `run` mm apart."""
    by_mm = math.degrees(math.sqrt(2) / abs(run))
    label = f"readings of {name}"
    dial = Source(
        _own(label, stated), label, own=True, group=f"repeatability of the dial, {name}", freedom=scatter.freedom
    )
    digit = Source(_own(f"last digit of {label}", stated), label, own=True)
    flat = Source(f"form of {name}", f"form of {name}", bounded=True)
    form = (stated.form or 0.0) / 2 / math.sqrt(3)
    effects = {dial: by_mm * scatter.u, digit: by_mm * u_read, flat: by_mm * form}
    found = {"r": Estimate(turn, {source: effect for source, effect in effects.items() if effect})}
    return Feature(
        name=name,
        kind=FeatureKind.EDGE,
        axes=("r",),
        coordinates=(turn,),
        effects=rows_of(found),
        touches=(),
        residuals=(),
        without=() if stated.form is not None else ("form: not stated",),
    )
