"""Sphere tracing: how far the probe gets along a straight move before something touches.

The probe is a set of spheres: the ball exactly, stem and body as rows of spheres with a ring of points at the body's
lower rim. Along the move the clearance of the nearest one is a safe step; where a step overshoots, halving finds the
place to a ten-thousandth of a micrometre.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.frames import Array
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.touches import Stylus
from brisk_anchor.standin.solids import Solid

CONTACT = 1e-7
_SHORTEST_STEP = 2e-4


@dataclass(frozen=True, slots=True, eq=False)
class ProbeShape:
    """Spheres relative to the ball's lowest point: `offsets` (n, 3), `radii` (n), `parts` names; row 0 is the ball."""

    offsets: Array
    radii: Array
    parts: tuple[str, ...]

    @classmethod
    def of(cls, stylus: Stylus) -> ProbeShape:
        """Ball, stem and body of a stylus; the spindle nose of ⌀100 above the body."""
        offsets: list[tuple[float, float, float]] = [(0.0, 0.0, stylus.ball_diameter / 2)]
        radii = [stylus.ball_diameter / 2]
        parts = ["ball"]

        def row(part: str, radius: float, low: float, high: float, spacing: float) -> None:
            count = max(2, math.ceil((high - low) / spacing) + 1)
            step = (high - low) / (count - 1)
            for i in range(count):
                offsets.append((0.0, 0.0, low + i * step))
                radii.append(math.hypot(radius, step / 2))
                parts.append(part)

        def ring(part: str, radius: float, height: float) -> None:
            for i in range(16):
                angle = 2 * math.pi * i / 16
                offsets.append((radius * math.cos(angle), radius * math.sin(angle), height))
                radii.append(0.0)
                parts.append(part)

        stem, body = stylus.stem_diameter / 2, stylus.body_diameter / 2
        neck = stylus.stem_length
        row("stylus stem", stem, stylus.ball_diameter, neck, stem)
        row("probe body", body, neck + body, max(neck + body + 1, neck + stylus.body_length), body * 0.4)
        ring("probe body", body, neck)
        nose = stylus.length
        row("spindle nose", 50.0, nose + 50.0, nose + 150.0, 25.0)
        ring("spindle nose", 50.0, nose)
        return cls(np.array(offsets), np.array(radii), tuple(parts))


@dataclass(frozen=True, slots=True)
class Contact:
    """Where a move met something: distance along it (mm), which part of the probe, which solid, and the place."""

    distance: float
    part: str
    solid: Solid
    place: Vector


class Tracer:
    """Traces one probe through a set of solids."""

    def __init__(self, solids: tuple[Solid, ...], shape: ProbeShape) -> None:
        self.solids = solids
        self.shape = shape
        bounds = [solid.bounds() for solid in solids]
        self._below = np.array([below for below, _ in bounds]).reshape(-1, 3)
        self._above = np.array([above for _, above in bounds]).reshape(-1, 3)
        self._groups = [self._group(parts) for parts in (("ball", "stylus stem"), ("probe body",), ("spindle nose",))]

    def _group(self, parts: tuple[str, ...]) -> tuple[Array, Array, Array]:
        """Rows of the spheres of some parts, and the box around them. Row 0, the ball, comes first in its group."""
        rows = np.array([i for i, part in enumerate(self.shape.parts) if part in parts])
        offsets, radii = self.shape.offsets[rows], self.shape.radii[rows, None]
        return rows, (offsets - radii).min(axis=0), (offsets + radii).max(axis=0)

    def _near(self, start: Array, end: Array, low: Array, high: Array) -> list[Solid]:
        """Solids whose box meets a box swept from start to end; no other can be touched on this move."""
        swept_low, swept_high = np.minimum(start, end) + low, np.maximum(start, end) + high
        met = ((swept_low <= self._above) & (swept_high >= self._below)).all(axis=1)
        return [self.solids[i] for i in np.flatnonzero(met)]

    def _clearance(self, tip: Array, solids: list[Solid], rows: Array) -> tuple[Array, Array]:
        """Clearance of the chosen spheres with the ball's end at `tip`, and which of `solids` is nearest to each."""
        points = tip + self.shape.offsets[rows]
        fields = np.array([solid.distance(points) for solid in solids])
        nearest = fields.argmin(axis=0)
        return fields[nearest, np.arange(len(rows))] - self.shape.radii[rows], nearest

    def penetration(self, tip: Array) -> float:
        """How deep the ball is in metal now, mm; 0 when it is free, a trace above 0 when it just touches."""
        _, low, high = self._groups[0]
        solids = self._near(tip, tip, low, high)
        if not solids:
            return 0.0
        clear, _ = self._clearance(tip, solids, np.array([0]))
        return 0.0 if clear[0] > 10 * CONTACT else float(max(CONTACT, -clear[0]))

    def free(self, tip: Array) -> bool:
        """Whether no part of the probe touches anything with the ball's end at `tip`."""
        for rows, low, high in self._groups:
            solids = self._near(tip, tip, low, high)
            if solids and float(self._clearance(tip, solids, rows)[0].min()) <= 10 * CONTACT:
                return False
        return True

    def trace(self, start: Array, end: Array, *, pressed: float = 0.0) -> Contact | None:
        """First contact of any part of the probe from `start` to `end` (the ball's lowest point, machine mm).

        `pressed` is how deep (mm) the ball is in metal at the start, deflected by an earlier touch: until it has come
        free, only going deeper counts as contact.
        """
        path = end - start
        length = float(np.linalg.norm(path))
        if length == 0:
            return None
        first: Contact | None = None
        for rows, low, high in self._groups:
            solids = self._near(start, end, low, high)
            if solids:
                reach = first.distance if first else length
                found = self._march(start, path / length, reach, solids, rows, pressed if rows[0] == 0 else 0.0)
                first = found or first
        return first

    def _march(
        self, start: Array, unit: Array, length: float, solids: list[Solid], rows: Array, pressed: float
    ) -> Contact | None:
        share = min(solid.step_share for solid in solids)
        travelled, before = 0.0, 0.0
        allowed = pressed + CONTACT if pressed > 0 else 0.0
        while True:
            clear, nearest = self._clearance(start + unit * travelled, solids, rows)
            if allowed:
                ball = clear[0] if rows[0] == 0 else math.inf
                allowed = 0.0 if ball > CONTACT else allowed
                if allowed and -allowed <= ball <= CONTACT:
                    clear[0] = max(_SHORTEST_STEP, -ball)  # it cannot come free sooner than this
            worst = int(clear.argmin())
            margin = float(clear[worst])
            if margin <= CONTACT:
                if margin < -CONTACT and travelled > before and not allowed:
                    travelled = self._halve(start, unit, before, travelled, solids, rows)
                    clear, nearest = self._clearance(start + unit * travelled, solids, rows)
                    worst = int(clear.argmin())
                sphere = int(rows[worst])
                place = start + unit * travelled + self.shape.offsets[sphere]
                where = (float(place[0]), float(place[1]), float(place[2]))
                return Contact(travelled, self.shape.parts[sphere], solids[int(nearest[worst])], where)
            if travelled >= length:
                return None
            before = travelled
            travelled = min(length, travelled + max(margin * share, _SHORTEST_STEP))
            # A sphere with more room than the rest of the way cannot touch any more on this move.
            rows = rows[clear * share <= length - before + 2 * CONTACT]
            if not len(rows):
                return None

    def _halve(self, start: Array, unit: Array, free: float, met: float, solids: list[Solid], rows: Array) -> float:
        while met - free > CONTACT:
            middle = (free + met) / 2
            clear, _ = self._clearance(start + unit * middle, solids, rows)
            if float(clear.min()) > CONTACT:
                free = middle
            else:
                met = middle
        return met
