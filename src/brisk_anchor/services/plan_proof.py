"""The proof of a plan beside its file: which text was proved, on how many parts, and what was seen."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import Finding, PlanFileError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.services.proving import Outcome

_MAX_BYTES = 200_000
Words = Annotated[str, Field(max_length=400)]


class PlanProof(BaseModel):
    """An outcome as it is kept; `digest` is the SHA-256 of the program's text, and of that alone it is a proof."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    form: Literal["brisk-anchor-proof-1"] = "brisk-anchor-proof-1"
    digest: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
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
    def of(cls, outcome: Outcome) -> PlanProof:
        """What is kept of an outcome; lengths mm."""
        return cls(
            digest=outcome.digest,
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

    def words(self, digest: str) -> str:
        """What the proof says of a text with this hash, in a sentence."""
        day = self.at[:16].replace("T", " ")
        if digest != self.digest:
            return f"not proved: the text that was tried on {day} UTC was another"
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
    if not path.exists():
        return None
    try:
        data = read_at_most(path, _MAX_BYTES)
        if len(data) > _MAX_BYTES:
            raise PlanFileError(path.name, (Finding("", f"larger than {_MAX_BYTES} bytes"),))
        return PlanProof.model_validate_json(data)
    except OSError as error:
        raise PlanFileError(path.name, (Finding("", str(error.strerror)),), "Prove the plan again") from None
    except ValidationError as error:
        found = (Finding(".".join(map(str, e["loc"])), str(e["msg"])) for e in error.errors(include_url=False))
        raise PlanFileError(path.name, tuple(found), "Prove the plan again") from None
