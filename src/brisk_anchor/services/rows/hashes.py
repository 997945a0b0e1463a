"""Hashes of the inputs of a proof: the job as described, and the control profile."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from brisk_anchor.nc.profile.control_profile import Profile
    from brisk_anchor.standin.scene import Scene


def job_hash(scene: Scene) -> str:
    """Of the set-up as described: what is real of a part on the stand-in does not count."""
    return hash_of(json.dumps(_described(scene.file.model_dump(mode="json")), sort_keys=True))


def profile_hash(profile: Profile) -> str:
    """Of everything the profile says."""
    return hash_of(profile.model_dump_json())


def _described(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {name: _described(held) for name, held in value.items() if not str(name).startswith("real")}
    return [_described(held) for held in value] if isinstance(value, list) else value


def hash_of(text: str) -> str:
    """SHA-256 of a text."""
    return hashlib.sha256(text.encode()).hexdigest()
