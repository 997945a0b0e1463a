"""`[link]` of machine.toml: where programs go and where what the control prints comes from."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from brisk_anchor.link.settings import LinkSettings
from brisk_anchor.link.wire import SCHEMES, WireSettings
from brisk_anchor.nc.bounded import typed_path
from brisk_anchor.standin.solid_file import FileSection

_ON_THE_NETWORK = re.compile(r"\w+://([\w.-]+|\[[0-9a-fA-F:]+\]):[0-9]{1,5}")
NO_LENGTHS = frozenset(("poll", "stale_after", "speed", "data_bits", "stop_bits", "start_codes", "end_codes"))
Path_ = Annotated[str, Field(min_length=1, max_length=400)]
Code = Annotated[int, Field(ge=0, le=255)]


class LinkSection(FileSection):
    """A control at the other end. Folders count from the machine's file; `poll`, seconds, is for shares on a network.

    `port` is a device (`/dev/ttyUSB0`, `COM3`), `socket://host:port` or `rfc2217://host:port`.
    """

    programs: Literal["files", "wire", "nothing"]
    reports: Literal["files", "wire", "nothing"]
    program_folder: Path_ | None = None
    report_file: Path_ | None = None
    report_folder: Path_ | None = None
    report_names: Annotated[str, Field(max_length=60, pattern=r"^[^/\\]+$")] = "*"
    poll: float | None = Field(default=None, ge=0.05, le=600)
    stale_after: float = Field(default=15.0, gt=0, le=100_000)
    port: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    speed: Literal[300, 600, 1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200] = 9600
    data_bits: Literal[7, 8] = 8
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    flow: Literal["nothing", "software", "hardware"] = "software"
    line_end: Literal["CR LF", "LF", "CR"] = "CR LF"
    start_codes: list[Code] = Field(default=[], max_length=20)
    end_codes: list[Code] = Field(default=[], max_length=20)
    fed: bool = False

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.programs == "files" and self.program_folder is None:
            raise ValueError("programs go to files: give program_folder")
        if self.reports == "files" and (self.report_file is None) == (self.report_folder is None):
            raise ValueError("reports come in files: give report_file, which grows, or report_folder for new ones")
        if "wire" in (self.programs, self.reports) and self.port is None:
            raise ValueError("a wire needs its port")
        if self.port is not None and "://" in self.port and not self.port.startswith(SCHEMES):
            raise ValueError(f"port is a device's name, or begins with {' or '.join(SCHEMES)}")
        if self.port is not None and "://" in self.port and not _ON_THE_NETWORK.fullmatch(self.port):
            raise ValueError(f"a port on the network has a name and a number, as {SCHEMES[0]}converter:4001")
        given = self.model_fields_set
        if self.port is not None and self.port.startswith("socket://"):
            if "parity" in given or "speed" in given or self.flow == "hardware":
                raise ValueError("socket:// has no speed, no parity and no hardware flow: the converter has them")
        elif self.flow == "hardware" and self.port is None:
            raise ValueError("flow is of a wire: give port")
        return self

    def settings(self, folder: Path) -> LinkSettings:
        """The same with whole paths, counted from a folder."""

        def at(path: str | None) -> Path | None:
            return None if path is None else (folder / typed_path(path)).absolute()

        wire = None
        if self.port is not None:
            end = {"CR LF": "\r\n", "LF": "\n", "CR": "\r"}[self.line_end]
            codes = bytes(self.start_codes), bytes(self.end_codes)
            wire = WireSettings(
                self.port, self.speed, self.data_bits, self.parity, self.stop_bits, self.flow, end, *codes, self.fed
            )
        files = self.reports == "files"
        return LinkSettings(
            at(self.program_folder) if self.programs == "files" else None,
            self.programs == "wire",
            at(self.report_file) if files else None,
            at(self.report_folder) if files else None,
            self.report_names,
            self.reports == "wire",
            self.poll,
            wire,
            self.stale_after,
            folder.absolute(),
        )
