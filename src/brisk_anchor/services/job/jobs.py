"""A job's folder: read with every fault at its line, checked as a whole, and made into a scene for the stand-in."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from brisk_anchor.core.errors import ExportError, Fault, GeometryError, JobError, ProfileError
from brisk_anchor.core.quantities import Unit
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.exchange.folder_change import finish_change, new_files
from brisk_anchor.exchange.toml_files import MILLIMETRES, faults_in, in_millimetres, parse, read_text
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import is_file, is_folder, is_there, strictly
from brisk_anchor.nc.profile.control_profile import Profile, findings_of, profile_of, shipped_profiles
from brisk_anchor.services.job.drawn_body import expand
from brisk_anchor.services.job.job_models import (
    NO_LENGTHS,
    FixtureFile,
    JobFile,
    MachineDescription,
    PartFile,
)
from brisk_anchor.services.job.job_text import JOB_NAME, quoted, with_key
from brisk_anchor.services.job.twin import compose, machine_alone
from brisk_anchor.services.measure.cautions import cautions
from brisk_anchor.services.measure.reach import contradictions, reaches
from brisk_anchor.standin.scene import build_scene, faces_away
from brisk_anchor.standin.scene_file import SceneFile, check_scene
from brisk_anchor.standin.solid_file import FileSection

Model = TypeVar("Model", JobFile, MachineDescription, PartFile, FixtureFile)
MACHINE_NAME = "machine.toml"
UNITS = {"mm": Unit.MM, "inch": Unit.INCH}
"""Units by what a file calls them."""
FILES: dict[str, type[FileSection]] = {
    "job": JobFile,
    "machine": MachineDescription,
    "part": PartFile,
    "fixture": FixtureFile,
}


@dataclass(frozen=True, slots=True)
class Job:
    """A job, whole: its files as read, in mm, and where they came from."""

    folder: Path
    job: JobFile
    machine: MachineDescription
    part: PartFile
    fixture: FixtureFile
    profile: Profile
    texts: Mapping[str, str]
    """Its files as text, by name."""

    @property
    def unit(self) -> Unit:
        """What it is shown and typed in: as the job says, else its machine, else as its own file is written."""
        return UNITS[self.job.display or self.machine.display or self.job.units]

    def scene(self, roll: int) -> SceneFile:
        """The stand-in's scene: what is described, with errors of real life drawn from the stated variation.

        The same `roll` draws the same part; 0 draws none: everything is as described.
        """
        return compose(self.job, self.machine, self.part, self.fixture, roll)


def _read(folder: Path, name: str, model: type[Model], findings: list[Fault], texts: dict[str, str]) -> Model | None:
    """One file, or the text given in its place, which is added to `texts`; its faults are added to `findings`."""
    try:
        text = texts[name] = texts[name] if name in texts else read_text(folder / name)
        data = parse(text, name)
    except JobError as error:
        findings += [Fault(f.place or name, f.reason) for f in error.findings]
        return None
    data = in_millimetres(data, MILLIMETRES[data["units"]], NO_LENGTHS)
    try:
        return strictly(model, data)
    except ValidationError as error:
        in_inches = data["units"] == "inch"

        def hint(item: Mapping[str, Any]) -> str:
            too_large = in_inches and item["type"].endswith("_than_equal")
            return "; the file says inch: did you mean mm?" if too_large else ""

        findings += faults_in(name, text, error, hint)
        return None


def load_job(folder: Path, texts: Mapping[str, str] | None = None) -> Job:
    """Read a job's folder; `texts` stand in the place of files of those names.

    Raises:
        JobError: with every fault of every file, and of how they go together; nothing is half loaded. ExportError: a
        change of several files was cut off, and cannot be finished.
    """
    findings: list[Fault] = []
    if texts is None:
        finish_change(folder)
    texts = dict(texts or {})
    job = _read(folder, JOB_NAME, JobFile, findings, texts)
    if job is None:
        raise JobError(folder.name, tuple(findings))
    machine = _read(folder, job.machine, MachineDescription, findings, texts)
    part = _read(folder, job.part, PartFile, findings, texts)
    fixture = _read(folder, job.fixture, FixtureFile, findings, texts)
    if machine is None or part is None or fixture is None:
        raise JobError(folder.name, tuple(findings))
    try:
        machine = machine.on_pallet(fixture.pallet)
    except ValueError as error:
        raise JobError(folder.name, (Fault(f"{job.fixture} pallet", str(error)),)) from error
    profile = _profile(folder, job.machine, machine, findings)
    findings += _together(job, machine, part, fixture, profile)
    if findings or profile is None:
        raise JobError(folder.name, tuple(findings))
    return Job(folder, job, machine, part, fixture, profile, texts)


@dataclass(frozen=True, slots=True)
class MachineAlone:
    """A machine's file, whole, with nothing described on its table."""

    path: Path
    machine: MachineDescription
    profile: Profile

    @property
    def unit(self) -> Unit:
        """What it is shown and typed in."""
        return UNITS[self.machine.display or self.machine.units]

    def scene(self) -> SceneFile:
        """The stand-in's scene: an empty table."""
        return machine_alone(self.machine)


def load_machine(path: Path) -> MachineAlone:
    """Read a machine's file on its own.

    Raises:
        JobError: with every fault of it.
    """
    findings: list[Fault] = []
    finish_change(path.parent)
    machine = _read(path.parent, path.name, MachineDescription, findings, {})
    profile = _profile(path.parent, path.name, machine, findings) if machine is not None else None
    if machine is None or profile is None:
        raise JobError(path.name, tuple(findings))
    return MachineAlone(path, machine, profile)


def machine_file_of(path: Path) -> Path | None:
    """The machine's file that a path means: itself, or that of a folder that holds one and no job; else None."""
    if is_folder(path):
        own = path / MACHINE_NAME
        return own if is_file(own) and not is_there(path / JOB_NAME) else None
    return path


def _profile(folder: Path, name: str, machine: MachineDescription, findings: list[Fault]) -> Profile | None:
    try:
        shipped = machine.profile in shipped_profiles()
        return profile_of(machine.profile if shipped else str(folder / Path(machine.profile).name))
    except ProfileError as error:
        findings += [Fault(f"{name} profile", str(finding)) for finding in error.findings]
        return None


def _together(
    job: JobFile, machine: MachineDescription, part: PartFile, fixture: FixtureFile, profile: Profile | None
) -> list[Fault]:
    """Faults that only show when the files are put together."""
    findings = []
    try:
        part_names, fixture_names = ({str(f["name"]) for f in expand(body)[1]} for body in (part, fixture))
    except ValueError as error:
        return [Fault(job.part, str(error))]
    for name in sorted(part_names & fixture_names):
        findings.append(Fault(job.fixture, f"the feature “{name}” is in {job.part} too: give one another name"))
    if part.name == fixture.name:
        findings.append(Fault(job.fixture, f"part and fixture are both called {part.name}"))
    for row in job.offset if job.repeat is None else ():
        if profile is not None and row.row not in profile.all_rows:
            findings.append(Fault(f"{JOB_NAME} offset", f"the control of {machine.name} has no row {row.row}"))
        if profile is not None and row.z.table is not None and profile.tool_lengths.convention == "part":
            reason = "every tool is touched on the part: no Z stands in the row that a table could carry round"
            findings.append(Fault(f"{JOB_NAME} offset", f"{row.row}: {reason}"))
    if not findings:
        try:
            scene = compose(job, machine, part, fixture, 0)
            found = check_scene(scene) or faces_away(scene) or _beyond_the_table(scene, machine, profile)
        except ValidationError as error:
            found = list(findings_of(error))
        except (ValueError, GeometryError) as error:
            found = [Fault("repeat", str(error))]
        findings += [Fault(_file_of(job, finding.place), finding.reason) for finding in found]
    return findings


def _beyond_the_table(scene: SceneFile, machine: MachineDescription, profile: Profile | None) -> list[Fault]:
    """Rows for many places that the control does not have."""
    if profile is None:
        return []
    lacking = [row.row for row in scene.row if row.row not in profile.all_rows]
    if not lacking:
        return []
    have = len(profile.all_rows)
    reason = (
        f"it takes {len(scene.row)} rows, up to {scene.row[-1].row}; the control of {machine.name} has {have} and "
        f'no {lacking[0]}: take offsets = "face", "centre" or begin at another row'
    )
    return [Fault("repeat", reason)]


def _file_of(job: JobFile, place: str) -> str:
    first = place.split(".")[0]
    if first == "repeat":
        return f"{JOB_NAME} {place}"
    return {"feature": job.part, "body": job.part, "row": JOB_NAME, "tool": job.machine, "probe": job.machine}.get(
        first, JOB_NAME
    ) + (f" {place}" if place else "")


# -- beginning and checking ---------------------------------------------------------------------------------------


def new_job(folder: Path, like: Path | None = None) -> list[Path]:
    """Write the files of a neutral example, or of another job, for a person to change; none that is there is touched.

    Raises:
        ExportError: a file is there already, or cannot be written. JobError: the other job has faults.
    """
    source: Traversable = resources.files("brisk_anchor.services") / "examples" / "bc-27"
    if like is not None:
        load_job(like)
        source = like
    names = sorted(entry.name for entry in source.iterdir() if entry.name.endswith((".toml", ".dxf")))
    return new_files(folder, {name: (source / name).read_bytes() for name in names})


NEUTRAL_MACHINE = "mill 1"
"""What a machine is called that nobody named yet."""


def new_machine(folder: Path) -> list[Path]:
    """Write the file of a neutral machine for a person to change: a set-up without a drawing needs no more.

    Raises:
        ExportError: it is there already, or cannot be written.
    """
    path = folder / MACHINE_NAME
    if is_there(path):
        raise ExportError(f"{path} is there already", "Nothing was written", "Choose another folder")
    example = resources.files("brisk_anchor.services") / "examples" / "bc-27" / MACHINE_NAME
    text = with_key(example.read_text(encoding="utf-8"), MACHINE_NAME, "name", quoted(NEUTRAL_MACHINE), "units")
    return [write_whole(path, text.encode())]


def check_job(folder: Path) -> list[str]:
    """What is to be said of a sound job: what each offset needs, and what cannot be reached. Raises JobError."""
    if (path := machine_file_of(folder)) is not None:
        alone = load_machine(path)
        scene = build_scene(alone.scene())
        told = [f"{alone.machine.name} is sound: {len(alone.profile.all_rows)} rows, nothing drawn on its table"]
        return told + [f"caution: {words}" for words in cautions(scene, date.today())] + list(alone.profile.limits)
    job = load_job(folder)
    scene = build_scene(job.scene(0))
    counts = f"{len(scene.setup.features)} features, {len(job.job.offset)} offsets"
    told = [f"{job.job.name} is sound: {job.machine.name}, {counts}"]
    for row in scene.setup.rows:
        names = row.features
        used = ", ".join(operation.name for operation in job.job.operation if operation.offset == row.row)
        needs = ", ".join(names) or "nothing measured"
        told.append(f"{row.row} {row.title}: {needs}; {f'used by {used}' if used else 'no operation uses it'}")
    found = reaches(scene)
    told += [f"{reach.drawn.title} cannot be measured: {reach.reason}" for reach in found if reach.reason]
    told += [f"caution: {words}" for words in contradictions(found) + cautions(scene, date.today())]
    return told + list(job.profile.limits)
