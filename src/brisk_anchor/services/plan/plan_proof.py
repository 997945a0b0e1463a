"""The proof of a plan beside its file: which text was proved, on how many parts, and what was seen."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.book.entries import clock_words
from brisk_anchor.core.errors import Fault, PlanFileError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.bounded import is_there, read_at_most, why_unread
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.services.plan.proof_basis import Basis
from brisk_anchor.services.plan.proving import Outcome

_MAX_BYTES = 200_000
Words = Annotated[str, Field(max_length=400)]
Hash = Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")]


class PlanProof(BaseModel):
    """An outcome as it is kept, and the hashes of what it was run with: it is a proof of nothing else."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    form: Literal["brisk-anchor-proof-1", "brisk-anchor-proof-2"] = "brisk-anchor-proof-2"
    digest: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    plan: Hash = ""
    job: Hash = ""
    profile: Hash = ""
    version: Annotated[str, Field(max_length=40)] = ""
    number: int
    at: Annotated[str, Field(max_length=40)]
    proved: bool
    parts: int
    right: int
    stopped: Annotated[dict[Words, int], Field(max_length=200)]
    wrong: Annotated[list[Words], Field(max_length=20)]
    crashed: Annotated[list[Words], Field(max_length=20)]
    worst: float
    closest: Annotated[dict[Words, tuple[float, Words]], Field(max_length=10)]
    longest_search: float
    seconds: float

    @classmethod
    def of(cls, outcome: Outcome, basis: Basis) -> PlanProof:
        """What is kept of an outcome, and what it was run with; lengths mm."""
        return cls(
            digest=outcome.digest,
            plan=basis.plan,
            job=basis.job,
            profile=basis.profile,
            version=basis.version,
            number=outcome.number,
            at=outcome.at,
            proved=outcome.proved,
            parts=len(outcome.endings),
            right=outcome.right,
            stopped={reason[:400]: count for reason, count in outcome.stopped.most_common(200)},
            wrong=[ending.words[:400] for ending in outcome.of("wrong")[:20]],
            crashed=[ending.words[:400] for ending in outcome.of("crashed")[:20]],
            worst=round(outcome.worst, 6),
            closest={part: (round(near.distance, 3), near.solid) for part, near in outcome.closest.items()},
            longest_search=round(outcome.longest_search, 4),
            seconds=round(outcome.seconds, 2),
        )

    @property
    def basis(self) -> Basis:
        """What it was run with."""
        return Basis(self.digest, self.plan, self.job, self.profile, self.version)

    def stands(self, basis: Basis) -> bool:
        """Whether it is a proof of what there is now."""
        return self.proved and not self.basis.differs(basis)

    def words(self, basis: Basis) -> str:
        """What the proof says of what there is now, in a sentence."""
        day = clock_words(self.at)
        if other := self.basis.differs(basis):
            return f"not proved: {other} was another on {day} UTC"
        if not self.proved:
            bad = self.parts - self.right - sum(self.stopped.values())
            what = f"{bad} of {self.parts} parts went wrong" if bad else "the set-up as it stands did not end right"
            return f"not proved: {what}, {day} UTC"
        stopped = sum(self.stopped.values())
        rest = f", {stopped} stopped safely" if stopped else ""
        return f"proved on {self.parts} parts ({self.right} right{rest}), {day} UTC"


def proof_path(plan: Path) -> Path:
    """Where the proof of a plan's file lies: beside it."""
    return plan.with_name(f"{plan.stem}.proof.json")


def keep_proof(plan: Path, proof: PlanProof) -> Path:
    """Keep a proof beside the plan's file. Raises ExportError."""
    return write_whole(proof_path(plan), proof.model_dump_json(indent=2).encode())


def read_proof(plan: Path) -> PlanProof | None:
    """The proof beside a plan's file, None where there is none. Raises PlanFileError: it is something else."""
    path = proof_path(plan)
    if not is_there(path):
        return None
    try:
        data = read_at_most(path, _MAX_BYTES)
        if len(data) > _MAX_BYTES:
            raise PlanFileError(path.name, (Fault("", f"larger than {_MAX_BYTES} bytes"),))
        return PlanProof.model_validate_json(data)
    except OSError as error:
        raise PlanFileError(path.name, (Fault("", why_unread(error)),), "Prove the plan again") from None
    except ValidationError as error:
        raise PlanFileError(path.name, findings_of(error), "Prove the plan again") from None
