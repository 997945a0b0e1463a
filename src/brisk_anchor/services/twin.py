"""The virtual twin of a job: its scene for the stand-in, with errors of real life drawn from the stated variation."""

from __future__ import annotations

import numpy as np

from brisk_anchor.core.kinds import Vector
from brisk_anchor.services.job_models import BodyFile, FixtureFile, JobFile, MachineFile, PartFile, Variation
from brisk_anchor.services.stock import stock_of
from brisk_anchor.standin.scene_file import RealProbeSection, SceneFile, SolidSection


def compose(job: JobFile, machine: MachineFile, part: PartFile, fixture: FixtureFile, roll: int) -> SceneFile:
    """One scene of all files; `roll` draws the errors of real life, 0 none."""
    random = np.random.default_rng(roll) if roll else None
    seat = _sum(fixture.at, job.seat)
    solids, features = stock_of(part) if part.stock else (part.solid, [f.model_dump() for f in part.feature])
    return SceneFile.model_validate(
        {
            "units": "mm",
            "job": {
                "name": job.name,
                "title": job.title,
                "company": job.company,
                "part": part.name,
                "fixture": fixture.name,
                "clear_height": fixture.at[2] + job.clear_height,
                "start_uncertainty": job.start_uncertainty,
            },
            "machine": machine.section().model_dump(),
            "probe": machine.probe.section(_real_probe(machine, random)).model_dump(),
            "tool": [tool.model_dump() for tool in machine.tool],
            "body": [
                _body(fixture, "fixture", fixture.at, fixture.solid, fixture.on, random),
                _body(part, "part", seat, solids, fixture.on, random),
            ],
            "feature": [
                *_features(fixture, [feature.model_dump() for feature in fixture.feature]),
                *_features(part, features),
            ],
            "row": [row.model_dump() for row in job.offset],
        }
    )


def _sum(a: Vector, b: Vector) -> Vector:
    return a[0] + b[0], a[1] + b[1], a[2] + b[2]


def _features(body: BodyFile, features: list[dict[str, object]]) -> list[dict[str, object]]:
    return [
        {key: value for key, value in feature.items() if key not in ("balloon", "tolerance")} | {"body": body.name}
        for feature in features
    ]


def _within(random: np.random.Generator | None, limit: float) -> float:
    return float(random.uniform(-limit, limit)) if random is not None and limit else 0.0


def _real_probe(machine: MachineFile, random: np.random.Generator | None) -> RealProbeSection:
    """The probe behind the calibration: what its effective radius lacks is its pre-travel; its length is a bit off."""
    probe = machine.probe
    pre_travel = max(0.0, probe.ball_diameter / 2 - probe.effective_radius)
    off = float(random.normal(0.0, probe.u_length)) if random is not None else 0.0
    return RealProbeSection(
        length=probe.length + pre_travel + off,  # the calibrated length is what is left after the pre-travel
        pre_travel=pre_travel,
        lobing=0.0,
        noise=probe.u_repeatability,
        over_travel=probe.over_travel,
    )


def _body(
    body: BodyFile,
    role: str,
    at: Vector,
    solids: list[SolidSection],
    on: str,
    random: np.random.Generator | None,
) -> dict[str, object]:
    v: Variation = body.variation
    return {
        "name": body.name,
        "role": role,
        "on": on,
        "at": at,
        "real": {
            "shift": tuple(_within(random, limit) for limit in v.shift),
            "turn": tuple(_within(random, limit) for limit in v.turn),
        },
        "solid": [_real_solid(solid, v, random) for solid in solids],
    }


def _real_solid(solid: SolidSection, v: Variation, random: np.random.Generator | None) -> dict[str, object]:
    data = solid.model_dump()
    if random is None or solid.shape in ("ball", "cone"):
        return data
    for hole in data["holes"]:
        hole["real_diameter"] = hole["diameter"] + _within(random, v.size)
    if solid.shape == "round":
        data["real_diameter"] = (solid.diameter or 0.0) + _within(random, v.size)
    if v.rise or v.slope:
        data["real"] = {
            "rise": _within(random, v.rise),
            "slope": (_within(random, v.slope), _within(random, v.slope)),
        }
    return data
