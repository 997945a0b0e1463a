"""A wire: a serial port, or one that a converter on the network gives (`socket://`, `rfc2217://`). pyserial does it.

Only device names and these two are opened. A `socket://` carries bytes and nothing else: speed, parity and hardware
flow control are those of the converter.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from threading import RLock
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.errors import LinkError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.link.feed import MOST, Piece
from brisk_anchor.nc.bounded import lines_of

if TYPE_CHECKING:
    from socket import socket

    from serial import SerialBase

SOCKET, RFC2217 = "socket://", "rfc2217://"
SCHEMES = (SOCKET, RFC2217)
_ON, _OFF = 0x11, 0x13
_CHUNK = 256
_MOMENT = 0.005
_PATIENCE = 30.0
"""How long, s, a control may hold a program up before it is given up."""


@dataclass(frozen=True, slots=True)
class WireSettings:
    """How a wire is set. `flow`: nothing, "software" (XON and XOFF) or "hardware" (RTS and CTS).

    `start` and `end` are bytes before and after a program; `fed`: line by line as the control takes them.
    """

    port: str
    speed: int = 9600
    data_bits: int = 8
    parity: str = "none"
    stop_bits: float = 1
    flow: str = "software"
    line_end: str = "\r\n"
    start: bytes = b""
    end: bytes = b""
    fed: bool = False

    @property
    def is_socket(self) -> bool:
        """Whether it is a bare connection on the network."""
        return self.port.startswith(SOCKET)


class Wire:
    """One port, opened when it is first used and again after it was lost; one thread may read while another sends."""

    def __init__(self, settings: WireSettings) -> None:
        self.settings = settings
        self._serial: SerialBase | None = None
        self._came = b""
        self._lock = RLock()
        self._sending = self._held = False
        self._socket: socket | None = None

    @property
    def words(self) -> str:
        """The port, and how it is set."""
        s = self.settings
        if s.is_socket:
            return s.port
        return f"{s.port} at {s.speed}, {s.data_bits} {s.parity} {s.stop_bits:g}, flow {s.flow}"

    @property
    def mark(self) -> dict[str, Any]:
        """Nothing: what was not heard is gone."""
        return {}

    def open(self) -> SerialBase:
        """The port, open. Raises LinkError: it cannot be opened."""
        with self._lock:  # reading and sending open one port, not one each
            return self._serial if self._serial is not None else self._opened()

    def _opened(self) -> SerialBase:
        import serial

        s = self.settings
        if "://" in s.port and not s.port.startswith(SCHEMES):
            raise LinkError(f"{s.port[:40]} is no wire", "", "Give a device name, socket:// or rfc2217://")
        try:
            port = serial.serial_for_url(
                s.port,
                do_not_open=True,
                baudrate=s.speed,
                bytesize=s.data_bits,
                parity={"none": "N", "even": "E", "odd": "O"}[s.parity],
                stopbits=s.stop_bits,
                xonxoff=s.flow == "software" and not s.is_socket,
                rtscts=s.flow == "hardware" and not s.is_socket,
                timeout=0.02,
                write_timeout=None if s.port.startswith(RFC2217) else _PATIENCE,  # it has its own there
                exclusive=True,  # whoever else read it would take half of each report
            )
            if "://" in s.port:
                # On opening the library throws away what is there already: what a converter kept for us.
                vars(port)["reset_input_buffer"] = _nothing_is_thrown_away
            port.open()
        except (OSError, ValueError, EOFError) as error:
            raise LinkError(f"{s.port} cannot be opened", _short(error), "Look at cable, converter and name") from None
        self._serial, self._socket = port, getattr(port, "_socket", None)
        return port

    def read(self, wait: float) -> list[Piece]:
        """What came, as soon as something does. Raises LinkError: the wire is lost, and all that came was read."""
        until = time.monotonic() + wait
        try:
            while not (data := self._taken()):
                self._pump(self.open(), wait=not self._sending)
                if not self._came and time.monotonic() >= until:
                    return []
                if self._sending:
                    time.sleep(_MOMENT)
        except (OSError, EOFError) as error:
            if not self._sending:  # whoever sends finds it lost as well, and closes it then
                self.close()
            if not (data := self._taken()):
                raise LinkError(f"{self.settings.port} is lost", _short(error), "It is tried again") from None
        return [Piece(self.settings.port, data)]

    def _taken(self) -> bytes:
        with self._lock:
            data, self._came = self._came, b""
        return data

    def _pump(self, port: SerialBase, *, wait: bool) -> None:
        """Keep what is there for the reader, and note where the control says stop; `wait` a moment for the first.

        Whoever reads or sends calls it: what one of them takes off the wire is there for both.
        """
        with self._lock:
            if self._serial is not port:
                raise OSError("it was closed meanwhile")
            try:
                first = port.read(1) if wait else b""
                self._keep(first)
                if first or not wait:
                    self._keep_what_is_there(port)
            except OSError:
                self._keep(_left_in(port))
                raise

    def _keep(self, data: bytes) -> None:
        if self.settings.is_socket and self.settings.flow == "software":
            for byte in data:
                self._held = True if byte == _OFF else False if byte == _ON else self._held
        self._came += data

    def _keep_what_is_there(self, port: SerialBase) -> None:
        """Keep it piece by piece, without waiting for more: the far side may have gone after the last of them."""
        usual = port.timeout
        port.timeout = 0
        try:
            while len(self._came) < MOST and (more := port.read(65_536)):
                self._keep(more)
        finally:
            port.timeout = usual

    def send(self, text: str, told: Callable[[int, int], bool] = lambda _done, _of: True) -> None:
        """Send a program.

        Args:
            text: its lines, with LF between.
            told: is given lines sent and lines in all; what it gives says whether to go on.

        Raises:
            LinkError: the wire is lost, the control holds it up too long, or it was ended.
        """
        settings, lines = self.settings, lines_of(text)
        self._sending = True
        try:
            port = self.open()
            self._write(port, settings.start)
            if settings.fed:
                for number, line in enumerate(lines, 1):
                    self._may_go(port)
                    self._write(port, (line + settings.line_end).encode("ascii", "replace"))
                    if not told(number, len(lines)):
                        raise LinkError("Sending was ended", f"{number} of {len(lines)} lines went", "Send it again")
            else:
                data = "".join(line + settings.line_end for line in lines).encode("ascii", "replace")
                for at in range(0, len(data), _CHUNK):
                    self._may_go(port)
                    self._write(port, data[at : at + _CHUNK])
                told(len(lines), len(lines))
            self._write(port, settings.end)
            port.flush()
        except (OSError, EOFError) as error:
            self.close()
            raise LinkError(
                f"{settings.port} was lost while a program was sent", _short(error), "Send it again; run no half of it"
            ) from None
        finally:
            self._sending = False

    def _write(self, port: SerialBase, data: bytes) -> None:
        """Write; OSError also where the port was closed meanwhile, for which the library has other errors."""
        try:
            port.write(data)
        except (AttributeError, TypeError, ValueError) as error:
            if self._serial is port:
                raise
            raise OSError("it was closed meanwhile") from error

    def _may_go(self, port: SerialBase) -> None:
        """Wait while a control on a bare connection says stop; keep everything else it sends for the reader."""
        if not (self.settings.is_socket and self.settings.flow == "software"):
            return
        until = time.monotonic() + _PATIENCE
        self._pump(port, wait=False)
        while self._held:
            if time.monotonic() > until:
                raise LinkError(
                    f"The control has held the program up for {_PATIENCE:g} s", "Half of it went", "Send it again"
                )
            time.sleep(_MOMENT)
            self._pump(port, wait=False)

    def close(self) -> None:
        """Let go of the port."""
        with self._lock:  # nobody reads it meanwhile
            port, self._serial = self._serial, None
            self._held = False  # whoever said stop is gone
            if port is not None:
                port.close()
                # Where the far side went first the library leaves its socket open.
                if (left := getattr(port, "_socket", None) or self._socket) is not None:
                    left.close()
                self._socket = None


def _left_in(port: SerialBase) -> bytes:
    """What the library took off an RFC 2217 connection before the far side went, and does not give any more."""
    left, held = b"", getattr(port, "_read_buffer", None)
    while held is not None and held.qsize():
        left += held.get() or b""
    return left


def _nothing_is_thrown_away() -> None:
    """Stand in for what empties a port when it is opened."""


def _short(error: BaseException) -> str:
    text = " ".join(str(error).split())
    return text[:120]
