"""The far end of a bare connection: what a control's converter is. One listener at a time; what it missed waits."""

from __future__ import annotations

import re
import socket
import time
from contextlib import suppress
from threading import Event, Lock, Thread

from brisk_anchor.core.errors import LinkError

_PORT = re.compile(r"^socket://([\w.-]+):([0-9]{1,5})")
_QUIET = 0.6
"""A program without an end code is whole when nothing more came for so long, s."""
_MOST = 20_000_000
_PAUSE = 0.01
"""How long, s, it waits for what the other side sends before it looks what is to be sent."""


class FarEnd:
    """Waits for a connection, sends it what is printed, and takes the programs that it sends."""

    def __init__(self, port: str, end: bytes = b"") -> None:
        """`port` as machine.toml has it; `end` is what stands behind a program. Raises LinkError."""
        found = _PORT.match(port)
        if found is None:
            raise LinkError(
                f"{port[:40]} is no socket", "A served machine answers on socket:// only", "Give such a port"
            )
        self._end = end
        self._lock = Lock()
        self._waiting = b""
        self._programs: list[str] = []
        self._stop = Event()
        try:
            self._server = socket.create_server((found[1], int(found[2])))
        except OSError as error:
            raise LinkError(f"{port} cannot be served", str(error.strerror or error), "Choose another port") from None
        self._server.settimeout(0.2)
        self._thread = Thread(target=self._serve, name="far end", daemon=True)
        self._thread.start()

    def print(self, line: str) -> None:
        """Send a line, now or when somebody listens."""
        with self._lock:
            self._waiting += line.encode("ascii", "replace") + b"\r\n"

    @property
    def waiting(self) -> bool:
        """Whether lines wait for somebody who listens."""
        with self._lock:
            return bool(self._waiting)

    def programs(self) -> list[str]:
        """Programs that came since."""
        with self._lock:
            found, self._programs = self._programs, []
        return found

    def close(self) -> None:
        """Answer no more."""
        self._stop.set()
        self._thread.join(2.0)
        self._server.close()

    def _serve(self) -> None:
        while not self._stop.is_set():
            try:
                client, _ = self._server.accept()
            except OSError:
                continue
            with client:
                client.settimeout(_PAUSE)
                with suppress(OSError):
                    self._talk(client)

    def _talk(self, client: socket.socket) -> None:
        came, heard = b"", time.monotonic()
        while not self._stop.is_set():
            try:
                data = client.recv(65_536)
                if not data:
                    return  # before anything is sent: what is sent to nobody is lost
                came, heard = (came + data)[-_MOST:], time.monotonic()
            except TimeoutError:
                pass
            if came and ((self._end and self._end in came) or time.monotonic() - heard > _QUIET):
                self._take(came)
                came = b""
            with self._lock:
                waiting = self._waiting
            if waiting:
                sent = client.send(waiting)
                with self._lock:
                    self._waiting = self._waiting[sent:]

    def _take(self, data: bytes) -> None:
        text = data.replace(self._end, b"") if self._end else data
        with self._lock:
            self._programs.append(text.decode("ascii", "replace").replace("\r\n", "\n").strip("\x00\x11\x12\x13\x14"))
