"""Where the ball stops against box, cylinder, cone and sphere, from 1,000 random directions, against closed forms."""

from __future__ import annotations

import math

import numpy as np
from tests.standin.test_tracing import BODIES, ProbeShape, R, Tracer

DIRECTIONS = 1000


def main() -> None:
    """Print how far the ball's centre at contact is from one radius off each body; for the sphere, its place too."""
    random = np.random.default_rng(11)
    for name, (body, distance) in BODIES.items():
        tracer = Tracer((body,), ProbeShape(R, ()))
        worst, place = 0.0, 0.0
        for _ in range(DIRECTIONS):
            away = random.normal(size=3)
            away /= np.linalg.norm(away)
            inside = random.uniform((-5, -5, -30), (5, 5, -10))
            start = inside + away * 120 - (0, 0, R)
            found = tracer.trace(tuple(start), tuple(start - away * 120))
            centre = start - away * found.distance + (0, 0, R)
            worst = max(worst, abs(distance(*centre) - R))
            if name == "ball":  # where the ray from outside comes within 20 + R of the middle at (0, 0, -20)
                to = inside + away * 120 - (0, 0, -20)
                b = float(to @ away)
                exact = b - math.sqrt(b * b - float(to @ to) + (20 + R) ** 2)
                place = max(place, abs(found.distance - exact))
        more = f", place along the way within {place * 1000:.4f} µm" if name == "ball" else ""
        print(f"{name}: within {worst * 1000:.4f} µm of one radius, {DIRECTIONS} directions{more}")
