"""What comes of bytes: lines of any ends, runs that are whole or say why not, files that grow, vanish and come back."""

from __future__ import annotations

import os
import random
import socket
import threading
import time
from contextlib import suppress

import pytest
import serial
from hypothesis import given
from hypothesis import strategies as st
from serial.rfc2217 import PortManager

from brisk_anchor.core.errors import LinkError
from brisk_anchor.link.far_end import FarEnd
from brisk_anchor.link.files import FolderOfFiles, GrowingFile
from brisk_anchor.link.lines import LONGEST, LineSplitter
from brisk_anchor.link.settings import LinkSettings, feed_of, what_answers
from brisk_anchor.link.wire import Wire, WireSettings
from brisk_anchor.nc.programs.heard import Listener
from brisk_anchor.services.orders.listening import Ear, Listening

RUN = [
    "BRISK 1 BEGIN O2100 I123456",
    "BRISK 1 TOOL T20 R2.9940 L150.0000",
    "BRISK 1 TOUCH N1 X-1.0000 Y0.0000 Z-3.0000 I1.0000 J0.0000 K0.0000",
    "BRISK 1 TOUCH N2 X1.0000 Y0.0000 Z-3.0000 I-1.0000 J0.0000 K0.0000",
    "BRISK 1 SOLVED M1 X0.0000",
    "BRISK 1 END N2",
]


def heard(lines, source="x"):
    listener, found = Listener(source), []
    for number, line in enumerate(lines, 1):
        found += listener.add(number, line)
    return found + listener.cut()


@given(st.lists(st.text("ABC 123.-", min_size=1, max_size=30).filter(str.strip), max_size=8), st.data())
def test_lines_come_out_whatever_ends_them_and_however_they_are_cut(texts, data):
    end = data.draw(st.sampled_from([b"\n", b"\r", b"\r\n", b"\n\r"]))
    raw = b"".join(text.encode() + end for text in texts)
    splitter, found, at = LineSplitter(), [], 0
    while at < len(raw):
        size = data.draw(st.integers(1, 9))
        found += splitter.add(raw[at : at + size])
        at += size
    assert [line.text for line in found] == [text.strip() for text in texts]
    assert splitter.empty


def test_nulls_and_flow_characters_are_no_text_and_noise_is_told():
    splitter = LineSplitter()
    lines = splitter.add(b"\x00\x12A\x00B\x14\r\n\r\nC\xffD\n" + b"x" * 5000 + b"\nE\n")
    assert [(line.number, line.text[:3], line.noisy) for line in lines[:2]] == [(1, "AB", False), (3, "C\ufffdD", True)]
    assert lines[2].noisy
    assert len(lines[2].text) <= LONGEST
    assert lines[-1].text == "E"


def test_a_whole_run_and_the_same_without_blanks_or_in_small_letters():
    for lines in (RUN, [line.replace(" ", "") for line in RUN], [line.lower() for line in RUN]):
        (run,) = heard(lines)
        assert (run.program, run.identity, run.problem) == (2100, 123456, "")
        report = run.report()
        assert [touch[0] for touch in report.touches] == [1, 2]
        assert report.touches[0][1] == (-1.0, 0.0, -3.0)


@pytest.mark.parametrize(
    ("change", "problem"),
    [
        (lambda r: r[:2] + r[3:], "touch 2 in line 3 follows touch 0 (line 2)"),
        (lambda r: r[:4], "it was cut off after line 4"),
        (lambda r: [*r[:3], "BRISK 1 TOUCH N2 X1.0", *r[4:]], "TOUCH N2"),
        (lambda r: [*r[:2], "BRISK 1 TOUH N1 X0", *r[2:]], "line 3 is damaged"),
        (lambda r: [*r[:4], "BRISK 1 BEGIN O2101 I1"], "it was cut off after line 4"),
        (lambda r: r[:3] + r[2:3] + [r[2]] + r[4:], "2 were made"),
        (lambda r: [*r[:3], "BRISK 1 TOUCH N7 X1.0 Y0.0 Z-3.0 I-1.0 J0.0 K0.0", *r[3:]], "two reports are mixed"),
        (lambda r: [*r[:5], "BRISK 1 END N3"], "lines 1 to 6: 2 touches were reported, 3 were made"),
    ],
)
def test_what_is_lost_mixed_cut_or_damaged_makes_a_run_that_is_not_taken(change, problem):
    first = heard(change(list(RUN)))[0]
    assert problem in first.problem


def test_doubled_and_foreign_lines_are_passed_over_and_told():
    (run,) = heard([*RUN[:3], RUN[2], "SPINDLE LOAD 12", *RUN[3:]])
    assert run.problem == ""
    assert run.notes == ("line 4 stands there twice", "line 5 is not ours")
    (lone,) = heard(["BRISK 1 END N2"])
    assert "belongs to no report" in lone.problem
    assert heard(["nothing", "of ours"]) == []


def written(path, lines, mode="a", end="\r\n"):
    with path.open(mode, newline="") as file:
        file.write("".join(line + end for line in lines))


def test_a_file_that_grows_is_heard_from_where_it_was_left(tmp_path):
    path = tmp_path / "printed.txt"
    ear = Ear(GrowingFile(path))
    assert ear.hear(0) == []
    written(path, RUN[:3])
    assert ear.hear(0) == []
    assert ear.present.touches == 1
    assert not ear.between
    written(path, RUN[3:])
    (run,) = ear.hear(0)
    assert run.problem == ""
    # Another listener goes on behind what was heard; one that was killed in the middle hears the run again.
    mark = dict(ear.feed.mark)
    written(path, ["noise", *RUN])
    (again,) = Ear(GrowingFile(path, mark=mark)).hear(0)
    assert again.first == 2
    # Emptied and begun anew, even as long as before: known by how it begins.
    written(path, ["another beginning", *RUN, *RUN, *RUN], "w")
    assert len(Ear(GrowingFile(path, mark=mark)).hear(0)) == 3
    path.unlink()
    tmp_path.joinpath("printed.txt").mkdir()
    with pytest.raises(LinkError):
        ear.hear(0)
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(LinkError, match="is no file"):
        Ear(GrowingFile(tmp_path / "pipe")).hear(0)


def test_a_file_of_its_own_is_heard_again_when_it_has_grown(tmp_path, monkeypatch):
    monkeypatch.setattr("brisk_anchor.services.orders.listening._SETTLED", 0.0)
    ear = Ear(FolderOfFiles(tmp_path, "*.txt"))
    written(tmp_path / "a.txt", RUN[:3])
    (tmp_path / "b.log").write_text("\n".join(RUN))
    (cut,) = ear.hear(0)
    assert "cut off" in cut.problem
    written(tmp_path / "a.txt", RUN[3:])
    assert [run.problem for run in ear.hear(0)] == [""]
    assert ear.hear(0) == []
    mark = dict(ear.feed.mark)
    assert Ear(FolderOfFiles(tmp_path, "*.txt", mark=mark)).hear(0) == []
    tmp_path.joinpath("a.txt").unlink()
    tmp_path.joinpath("b.log").unlink()
    tmp_path.rmdir()
    with pytest.raises(LinkError, match="gone"):
        ear.hear(0)


def test_a_watched_folder_tells_at_once_and_one_that_is_looked_at_soon(tmp_path):
    for every in (None, 0.05):
        path = tmp_path / f"printed-{every}.txt"
        ear = Ear(GrowingFile(path, every))
        begun = time.monotonic()
        timer = threading.Timer(0.1, lambda p=path: written(p, RUN))
        timer.start()
        runs = []
        while not runs and time.monotonic() - begun < 5:
            runs = ear.hear(2.0)
        timer.join()
        assert len(runs) == 1
        ear.feed.close()


def test_a_folder_that_the_system_does_not_watch_is_looked_at_now_and_then(tmp_path, monkeypatch):
    def watched(*_args, **_kept):
        raise OSError("no space left on device")  # so many are watched already

    monkeypatch.setattr("watchfiles.watch", watched)
    path = tmp_path / "printed.txt"
    ear = Ear(GrowingFile(path))
    begun = time.process_time()
    for _ in range(3):
        assert ear.hear(0.2) == []
    written(path, RUN)
    assert [run.problem for run in ear.hear(0.2)] == [""]
    asked, until = 0, time.monotonic() + 0.5
    while time.monotonic() < until:
        ear.hear(0.2)
        asked += 1
    assert asked < 10
    assert time.process_time() - begun < 0.5


@pytest.fixture
def port(free_port):
    return f"socket://127.0.0.1:{free_port}"


def test_a_wire_carries_lines_and_programs_and_comes_back_after_it_was_lost(port):
    far, wire = FarEnd(port, b"%END"), Wire(WireSettings(port, end=b"%END", fed=True))
    ear = Ear(wire)
    for line in RUN[:3]:
        far.print(line)
    until = time.monotonic() + 30
    while (ear.present is None or ear.present.touches < 1) and time.monotonic() < until:
        ear.hear(1.0)
    sent = []
    wire.send("O2100 (A\x85 B)\nM30\n", lambda done, of: sent.append((done, of)) or True)
    assert sent == [(1, 2), (2, 2)]
    until, programs = time.monotonic() + 5, []
    while not programs and time.monotonic() < until:
        programs = far.programs()
        time.sleep(0.02)
    assert programs == ["O2100 (A? B)\nM30\n"]
    with pytest.raises(LinkError, match="ended"):
        wire.send("O1\nM30\n", lambda _done, _of: False)
    far.close()
    lost = False
    for _ in range(100):
        try:
            ear.hear(0.1)
        except LinkError:
            lost = True
            break
    assert lost
    far = FarEnd(port)
    for line in RUN[3:]:
        far.print(line)
    runs, until = [], time.monotonic() + 8
    while not runs and time.monotonic() < until:
        try:
            runs = ear.hear(0.5)
        except LinkError:
            time.sleep(0.1)
    assert [run.problem for run in runs] == [""]
    wire.close()
    far.close()


def test_what_a_converter_kept_is_heard_though_it_comes_before_the_port_is_ready(port, monkeypatch):
    far, connect = FarEnd(port), socket.create_connection

    def late(*args, **kept):
        """A connection whose owner comes back to it when everything was sent."""
        connection, until = connect(*args, **kept), time.monotonic() + 10
        while far.waiting and time.monotonic() < until:
            time.sleep(0.01)
        return connection

    for line in RUN:
        far.print(line)
    monkeypatch.setattr(socket, "create_connection", late)
    ear = Ear(Wire(WireSettings(port)))
    (run,) = ear.hear(10)
    assert run.problem == ""
    ear.feed.close()
    far.close()


def test_what_came_before_the_far_side_went_is_heard(port):
    server = socket.create_server(("127.0.0.1", int(port.rpartition(":")[2])))
    server.settimeout(20.0)

    def once(*lines):
        client, _ = server.accept()
        client.sendall(b"".join(f"{line}\r\n".encode() for line in lines) + b"\x13")
        client.close()

    ear = Ear(Wire(WireSettings(port)))
    for parts in ([RUN[:3], RUN[3:]], [RUN]):
        far = threading.Thread(target=lambda parts=parts: [once(*part) for part in parts], daemon=True)
        far.start()
        runs, until = [], time.monotonic() + 20
        while not runs and time.monotonic() < until:
            with suppress(LinkError):
                runs += ear.hear(0.5)
        far.join(5.0)
        assert [run.problem for run in runs] == [""]
    # It said stop before it went: who comes next has not.
    ear.feed.close()
    ear.feed.send("O1\nM30\n")
    ear.feed.close()
    client, _ = server.accept()
    assert client.recv(100)
    client.close()
    server.close()


def test_a_serial_line_with_parity_and_a_control_that_says_stop(port):
    import pty
    import termios

    far, near = pty.openpty()
    wire = Wire(WireSettings(os.ttyname(near), speed=19200, data_bits=8, parity="none", line_end="\r"))
    ear = Ear(wire)
    assert ear.hear(0.05) == []
    assert termios.tcgetattr(near)[4] == termios.B19200
    os.write(far, b"\x12" + "\r".join(RUN).encode() + b"\r\x14")
    (run,) = ear.hear(2.0)
    assert run.problem == ""
    wire.send("O1\nM30\n")
    assert os.read(far, 100) == b"O1\rM30\r"
    with pytest.raises(LinkError, match="cannot be opened"):
        Wire(wire.settings).open()  # two that read it would get half of each report
    wire.close()
    os.close(far)
    os.close(near)
    # A bare connection has no flow control of its own: stop and go are looked for by us, also while somebody reads.
    server = socket.create_server(("127.0.0.1", int(port.rpartition(":")[2])))
    wire = Wire(WireSettings(port, fed=True))
    wire.open()
    client, _ = server.accept()
    client.send(b"\x13")
    time.sleep(0.05)
    sending = threading.Thread(target=wire.send, args=("O1\nM30\n",))
    sending.start()
    assert wire.read(0.3)[0].data == b"\x13"
    client.settimeout(0.3)
    with pytest.raises(TimeoutError):
        client.recv(100)
    client.send(b"\x11")
    sending.join(5.0)
    assert client.recv(100)
    wire.close()
    client.close()
    server.close()


class Lines(serial.Serial):
    """A serial line without the wires beside it, which a pseudo-terminal has none of."""

    cts = dsr = ri = cd = property(lambda _self: False)

    def _update_dtr_state(self):
        pass

    _update_rts_state = _update_dtr_state


class Converter:
    """A converter that speaks RFC 2217, and the far end of its serial line."""

    def __init__(self, port):
        import pty

        self.far, self.near = pty.openpty()
        self.line = Lines(os.ttyname(self.near), timeout=0.02)
        self.server = socket.create_server(("127.0.0.1", int(port.rpartition(":")[2])))
        self.server.settimeout(10.0)
        self.over = threading.Event()
        self.thread = threading.Thread(target=self.serve, daemon=True)
        self.thread.start()

    def serve(self):
        client, _ = self.server.accept()
        client.settimeout(0.02)
        self.write = client.sendall
        manager = PortManager(self.line, self)
        while not self.over.is_set():
            if came := self.line.read(self.line.in_waiting or 1):
                client.sendall(b"".join(manager.escape(came)))
            with suppress(TimeoutError):
                self.line.write(b"".join(manager.filter(client.recv(1000))))
        client.close()

    def close(self):
        self.over.set()
        self.thread.join(5.0)
        self.server.close()
        self.line.close()
        os.close(self.far)
        os.close(self.near)


@pytest.mark.filterwarnings("ignore::DeprecationWarning")  # of the library's own
def test_a_converter_that_speaks_rfc_2217_sets_the_line_and_loses_nothing(port):
    import termios

    converter = Converter(port)
    wire = Wire(WireSettings(port.replace("socket", "rfc2217"), speed=4800, line_end="\r"))
    os.write(converter.far, b"\r\n".join(line.encode() for line in RUN[:3]) + b"\r\n")
    time.sleep(0.1)  # it has come before anybody asked
    ear = Ear(wire)
    assert ear.hear(1.0) == []
    assert termios.tcgetattr(converter.near)[4] == termios.B4800
    wire.send("O1\nM30\n")
    came = b""
    while len(came) < len(b"O1\rM30\r"):
        came += os.read(converter.far, 100)
    assert came == b"O1\rM30\r"
    rest = b"\r\n".join(line.encode() for line in RUN[3:]) + b"\r\n"
    os.write(converter.far, rest)
    library, until = wire.open(), time.monotonic() + 20
    while library.in_waiting < len(rest) and time.monotonic() < until:
        time.sleep(0.01)
    converter.close()  # it was printed, and the converter switched off before it was looked for
    while library._thread.is_alive() and time.monotonic() < until:
        time.sleep(0.01)
    (run,) = ear.hear(1.0)
    assert run.problem == ""
    with pytest.raises(LinkError):
        ear.hear(1.0)
    wire.close()


def test_only_device_names_and_two_schemes_are_opened():
    for port in ("loop://", "spy:///dev/null", "hwgrep://x", "alt:///dev/null"):
        with pytest.raises(LinkError, match="no wire"):
            Wire(WireSettings(port)).open()
    with pytest.raises(LinkError, match="cannot be opened"):
        Wire(WireSettings("/dev/no-such-port")).open()
    with pytest.raises(LinkError, match="no socket"):
        FarEnd("/dev/ttyS0")


def test_what_a_wire_said_of_a_run_outlives_whoever_listened(tmp_path):
    class Said:
        def __init__(self, *pieces):
            self.pieces = list(pieces)
            self.words, self.mark = "", {}

        def read(self, _wait):
            from brisk_anchor.link.feed import Piece

            return [Piece("wire", self.pieces.pop(0).encode())] if self.pieces else []

        def close(self):
            pass

    spool, text = tmp_path / "wire.spool", "\r\n".join(RUN) + "\r\n"
    at = random.Random(3).randrange(60, len(text) - 20)
    first = Ear(Said(text[:at]), spool)
    assert first.hear(0) == []
    first.settle()  # a run has begun: it is wanted
    second = Ear(Said(text[at:]), spool)  # the first was killed here
    assert [run.problem for run in second.hear(0)] == [""]
    third = Ear(Said(), spool)  # the second as well, before anybody saw to the run
    assert [run.problem for run in third.hear(0)] == [""]
    third.settle()
    assert not spool.exists()
    assert Ear(Said(), spool).hear(0) == []


def test_what_nobody_saw_to_is_heard_again_at_the_next_start(tmp_path, monkeypatch):
    monkeypatch.setattr("brisk_anchor.services.orders.listening._WAIT", 0.05)
    (tmp_path / "out").mkdir()
    for name in ("report_file", "report_folder"):
        path = tmp_path / "out" / "printed.txt"
        settings = LinkSettings(None, **{name: path if name == "report_file" else path.parent}, every=0.01)
        written(path, RUN, "w")
        ended, marks = [False] * 1000, []

        def listen(until, mark, settings=settings, ended=ended, marks=marks):
            heard = []

            def arrived(run):
                heard.append(run.problem)
                return ended.pop()

            listening = Listening(settings, None, mark, tmp_path, tmp_path, arrived, marks.append, lambda _state: None)
            thread, over = threading.Thread(target=listening.run), time.monotonic() + 10
            thread.start()
            while len(heard) < until and time.monotonic() < over:
                time.sleep(0.01)
            listening.stop()
            thread.join(5.0)
            return heard

        assert (listen(1, {})[0], marks) == ("", [])  # the application was ending
        ended[:] = [True, False]
        assert (listen(2, {}), len(marks)) == (["", ""], 1)
        assert Ear(feed_of(settings, None, marks[-1])).hear(0) == []


def test_a_link_is_tested_without_writing_anything(tmp_path):
    settings = LinkSettings(tmp_path, report_file=tmp_path / "gone" / "p.txt", wire=WireSettings("/dev/no-such-port"))
    told = what_answers(settings)
    assert [good for good, _ in told] == [True, False, False]
    assert os.listdir(tmp_path) == []
