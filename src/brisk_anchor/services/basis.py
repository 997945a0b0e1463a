"""What a proof hangs on, as hashes: it is refused as soon as one of them is another."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from brisk_anchor.services.plan_file import PlanFile, plan_text

if TYPE_CHECKING:
    from brisk_anchor.nc.profile import Profile
    from brisk_anchor.services.workshop import Workshop
    from brisk_anchor.standin.scene import Scene


@dataclass(frozen=True, slots=True)
class Basis:
    """SHA-256 of a program's text, its plan, the job as described and the profile; and our version."""

    program: str
    plan: str
    job: str
    profile: str
    version: str

    def differs(self, other: Basis) -> str:
        """What is another in `other`, in words; empty where nothing is."""
        pairs = (
            ("the text that was tried", self.program, other.program),
            ("the plan", self.plan, other.plan),
            ("the job", self.job, other.job),
            ("the control profile", self.profile, other.profile),
            ("the version of Brisk Anchor", self.version, other.version),
        )
        return ", ".join(name for name, ours, theirs in pairs if ours != theirs)


def basis_of(workshop: Workshop, program_digest: str, plan: PlanFile | None = None) -> Basis:
    """What a proof of a program hangs on now; `plan` is the one it was written from, where there is one."""
    return Basis(program_digest, _hash(plan_text(plan)) if plan else "", *workshop.proved_with)


def job_hash(scene: Scene) -> str:
    """Of the set-up as described: what is real of a part on the stand-in does not count."""
    return _hash(json.dumps(_described(scene.file.model_dump(mode="json")), sort_keys=True))


def profile_hash(profile: Profile) -> str:
    """Of everything the profile says."""
    return _hash(profile.model_dump_json())


def _described(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {name: _described(held) for name, held in value.items() if not str(name).startswith("real")}
    return [_described(held) for held in value] if isinstance(value, list) else value


def _hash(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()
