"""Files of a job change together or not at all: two windows, an editor, a full disk, a kill at every file operation."""

from __future__ import annotations

import errno
import json
import os
import signal
import time
from contextlib import contextmanager, suppress

import pytest

from brisk_anchor.core.errors import ExportError, JobError
from brisk_anchor.exchange import files
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.exchange.folder_change import JOURNAL, change_files, finish_change, new_files
from brisk_anchor.services.job.job_editor import JobEditor
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.session.session import Session
from tests.kill_points import forked

BEFORE = {"job.toml": "one", "part.toml": "two", "fixture.toml": "three"}
AFTER = {"job.toml": "one changed", "part.toml": "two changed", "part-1.toml": "two"}
OPERATIONS = ("open", "fsync", "replace", "unlink", "chmod")


def folder_of(path):
    for name, text in BEFORE.items():
        (path / name).write_text(text)
    return path


def texts_in(path):
    return {entry.name: entry.read_text() for entry in path.iterdir() if not entry.name.startswith(".")}


@contextmanager
def at_operation(number, trouble):
    """Have `trouble` happen before the file operation of that number."""
    count, real = [0], {name: getattr(os, name) for name in OPERATIONS}

    def watched(name):
        def operation(*arguments, **more):
            count[0] += 1
            if count[0] == number:
                trouble()
            return real[name](*arguments, **more)

        return operation

    for name in OPERATIONS:
        setattr(os, name, watched(name))
    try:
        yield count
    finally:
        for name in OPERATIONS:
            setattr(os, name, real[name])


def no_room():
    raise OSError(errno.ENOSPC, "No space left on device")


def killed():
    os.kill(os.getpid(), signal.SIGKILL)


def change(path):
    change_files(path, BEFORE, AFTER)


def count_of(path):
    with at_operation(0, no_room) as count:
        change(path)
    assert texts_in(path) == BEFORE | AFTER
    return count[0]


@pytest.fixture(scope="module")
def operations(tmp_path_factory):
    return count_of(folder_of(tmp_path_factory.mktemp("counted")))


def test_a_kill_before_any_file_operation_leaves_the_old_or_the_new_and_never_half(tmp_path, operations):
    assert operations > 20
    ended = set()
    for number in range(1, operations + 1):
        (path := tmp_path / str(number)).mkdir()
        folder_of(path)

        files._HELPER.close()  # its thread does not come along

        def work(path=path, number=number):
            with at_operation(number, killed):
                change(path)

        assert forked(work) == -signal.SIGKILL
        finish_change(path)
        now = texts_in(path)
        assert now in (BEFORE, BEFORE | AFTER), number
        assert not (path / JOURNAL).exists()
        ended.add(len(now))
    assert ended == {3, 4}


def test_a_full_disk_at_any_file_operation_changes_nothing_or_is_made_good_at_the_next_start(tmp_path, operations):
    told = 0
    for number in range(1, operations + 1):
        (path := tmp_path / str(number)).mkdir()
        folder_of(path)
        try:
            with at_operation(number, no_room):
                change(path)
        except (ExportError, JobError) as error:
            told += 1
            assert "No space left" in error.one_line()
            if not (path / JOURNAL).exists():
                assert texts_in(path) in (BEFORE, BEFORE | AFTER), number
        finish_change(path)
        assert texts_in(path) in (BEFORE, BEFORE | AFTER), number
        assert not [entry for entry in path.iterdir() if entry.name.endswith(".part")], number
    assert told > 10


NEW = {"job.toml": b"one", "machine.toml": b"two", "plan.dxf": b"0\nEOF", "part.toml": b"three"}


@pytest.mark.parametrize("trouble", [killed, no_room], ids=["killed", "no room"])
def test_a_new_job_is_there_whole_or_can_be_made_again(tmp_path, trouble):
    with at_operation(0, no_room) as count:
        new_files(tmp_path / "counted", NEW)
    for number in range(1, count[0] + 1):
        (path := tmp_path / str(number)).mkdir()
        files._HELPER.close()

        def work(path=path, number=number):
            with at_operation(number, trouble):
                new_files(path, NEW)

        if trouble is killed:
            assert forked(work) == -signal.SIGKILL
        else:
            with suppress(ExportError, JobError):
                work()
        try:
            new_files(path, NEW)
        except ExportError as error:
            assert "is there already" in error.what
        assert {name: data.encode() for name, data in texts_in(path).items()} == NEW, number
    with pytest.raises(ExportError, match="is there already"):
        new_files(tmp_path / "counted", NEW)
    (other := tmp_path / "other").mkdir()
    (other / "plan.dxf").write_text("another drawing")
    with pytest.raises(ExportError, match=r"plan\.dxf is there already"):
        new_files(other, NEW)
    assert texts_in(other) == {"plan.dxf": "another drawing"}


def test_what_another_window_or_an_editor_made_of_a_file_is_not_written_over(tmp_path):
    new_job(tmp_path)
    ours, theirs = JobEditor(tmp_path), JobEditor(tmp_path)
    ours.make(ours.assigned("op 10", "G54"))
    ours.make(ours.drawn("bore 12, 40, 20"))
    with pytest.raises(ExportError, match="changed by another window or an editor"):
        theirs.make(theirs.turned(5.0))
    text = (tmp_path / "part.toml").read_text()
    (tmp_path / "part.toml").write_text(text + "\n# by an editor\n")
    held = {entry.name: entry.read_bytes() for entry in tmp_path.iterdir()}
    with pytest.raises(ExportError):
        ours.take_back(ours.undone())
    with pytest.raises(ExportError):
        ours.make(ours.turned(5.0))  # it writes job.toml only, and was worked out with the old part
    assert {entry.name: entry.read_bytes() for entry in tmp_path.iterdir()} == held
    again = JobEditor(tmp_path)
    again.make(again.turned(5.0))
    again.take_back(again.undone())
    assert {entry.name: entry.read_bytes() for entry in tmp_path.iterdir()} == held


def journal_of(files):
    return json.dumps({"form": "brisk-anchor-change-1", "files": files})


@pytest.mark.parametrize(
    ("journal", "told"),
    [
        ("{", "cannot be read"),
        (journal_of({"../job.toml": {"before": "", "after": "x"}}), "cannot be read"),
        (journal_of({"job.toml": {"before": "0" * 64, "after": "x"}}), "changed since by something else"),
    ],
)
def test_a_journal_that_does_not_fit_changes_nothing_and_says_what_to_do(tmp_path, journal, told):
    new_job(tmp_path)
    (tmp_path / JOURNAL).write_text(journal)
    held = {entry.name: entry.read_bytes() for entry in tmp_path.iterdir()}
    with pytest.raises(JobError) as refused:
        load_job(tmp_path)
    assert told in refused.value.findings[0].reason
    assert JOURNAL in refused.value.remedy
    assert {entry.name: entry.read_bytes() for entry in tmp_path.iterdir()} == held


def test_rights_and_links_stay_and_what_a_killed_writing_left_goes(tmp_path):
    (tmp_path / "far").mkdir()
    real, link = tmp_path / "far" / "real.toml", tmp_path / "link.toml"
    real.write_bytes(b"old")
    real.chmod(0o640)
    link.symlink_to(real)
    left, fresh = (real.parent / f".real.toml.{name}.part" for name in ("0a0a0a0a", "0b0b0b0b"))
    for part in (left, fresh):
        part.write_bytes(b"half")
    os.utime(left, (time.time() - 3600,) * 2)
    write_whole(link, b"new")
    assert link.is_symlink()
    assert real.read_bytes() == b"new"
    assert real.stat().st_mode & 0o777 == 0o640
    assert fresh.exists(), "another window may be writing it"
    assert not left.exists()
    umask = os.umask(0o027)
    try:
        assert write_whole(tmp_path / "own.toml", b"x").stat().st_mode & 0o777 == 0o640
    finally:
        os.umask(umask)


def test_a_pipe_or_a_device_is_not_replaced_by_a_file(tmp_path):
    os.mkfifo(tmp_path / "pipe")
    for place in (tmp_path / "pipe", tmp_path):
        with pytest.raises(ExportError, match="no ordinary file"):
            write_whole(place, b"x")
    assert [entry.name for entry in tmp_path.iterdir()] == ["pipe"]


def test_a_second_window_on_a_stand_in_writes_nothing_over_the_first_and_says_so(scene, profile, tmp_path):
    path = tmp_path / "machine.json"
    first, second = (Session(scene, None, profile, seed=None, machine_file=path) for _ in range(2))
    first.panel.jog("z", -1.0)
    held = path.read_bytes()
    second.panel.jog("z", -2.0)
    assert "Another window moved this stand-in" in second.machine_file.failed.what
    assert path.read_bytes() == held
    first.panel.jog("z", -1.0)
    assert first.machine_file.failed is None
    assert path.read_bytes() != held
    again = MachineFile(path)
    again.load(second.control)
    assert second.machine.position == first.machine.position
