"""Every kind of feature that is touched, with its entry. A new kind is a module here, its traits and its solid."""

from __future__ import annotations

from brisk_anchor.core.features.specs import ball, corner, edge, pairs, plane, round, surface, tilted_bore
from brisk_anchor.core.features.specs.spec import FeatureSpec
from brisk_anchor.core.kinds import FeatureKind

_MODULES = (surface, edge, plane, round, tilted_bore, ball, pairs, corner)
SPECS: dict[FeatureKind, FeatureSpec] = {kind: module.SPEC for module in _MODULES for kind in module.SPEC.kinds}


def spec_of(kind: FeatureKind) -> FeatureSpec:
    """The entry of a kind. Raises ValueError: it is worked out from others and never touched."""
    if kind not in SPECS:
        raise ValueError(f"{kind.one} is never touched")
    return SPECS[kind]
