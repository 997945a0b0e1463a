"""The inputs of a proof as hashes. A proof is refused when one of them differs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.plan.plan_file import PlanFile, plan_text
from brisk_anchor.services.rows.hashes import hash_of

if TYPE_CHECKING:
    from brisk_anchor.services.session.session import Session


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


def basis_of(session: Session, program_digest: str, plan: PlanFile | None = None) -> Basis:
    """The hashes that a proof of a program must match; `plan` is the plan it was written from, if any."""
    return Basis(program_digest, hash_of(plan_text(plan)) if plan else "", *session.rows.proved_with)
