"""The man page, as the commands tell of themselves: `python -m brisk_anchor.cli.man_page > docs/brisk-anchor.1`."""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterator
from typing import Any

import typer

from brisk_anchor.services.paths import HOME_VARIABLE, THEME_VARIABLE

_ENDINGS = (
    ("0", "good"),
    ("1", "unexpected, or a book that was changed"),
    ("2", "wrong use or input"),
    ("3", "NC text refused"),
    ("4", "alarm"),
    ("5", "crash of the stand-in"),
    ("6", "book"),
)


def _roff(words: str) -> str:
    """Words as roff takes them: a hyphen that can be copied, nothing that begins a request."""
    text = " ".join(words.split()).replace("\\", "\\e").replace("-", "\\-")
    text = "".join(c if c.isascii() else f"\\[u{ord(c):04X}]" for c in text)
    return re.sub(r"^([.'])", r"\\&\1", text)


def _entries(command: Any, name: str) -> Iterator[tuple[str, Any]]:
    """Every command that does something, with its whole name; click's types are private to Typer."""
    inner = getattr(command, "commands", None)
    if inner is None:
        yield name, command
        return
    for key in sorted(inner):
        if not inner[key].hidden:
            yield from _entries(inner[key], f"{name} {key}")


def _parameters(command: Any) -> Iterator[str]:
    for parameter in command.params:
        if getattr(parameter, "hidden", False) or parameter.name in ("install_completion", "show_completion"):
            continue
        said = _roff(getattr(parameter, "help", None) or "")
        shown = _roff((parameter.metavar or parameter.name.replace("_", " ")).upper())
        if parameter.param_type_name == "argument":
            yield f".TP\n.I {shown}\n{said}"
        else:
            value = "" if getattr(parameter, "is_flag", False) else f" \\fI{shown}\\fR"
            names = ", ".join(f"\\fB{_roff(one)}\\fR" for one in (*parameter.opts, *parameter.secondary_opts))
            yield f".TP\n{names}{value}\n{said}"


def man_page() -> str:
    """The page in roff."""
    from brisk_anchor.cli.commands import app

    root = typer.main.get_command(app)
    lines = [
        '.TH BRISK\\-ANCHOR 1 "" "Brisk Anchor" "Machining"',
        ".SH NAME",
        "brisk\\-anchor \\- measure datums at the machine, keep work offsets, write the code that sets them",
        ".SH SYNOPSIS",
        ".B brisk\\-anchor\n[\\fIOPTION\\fR]... \\fICOMMAND\\fR [\\fIARGUMENT\\fR]...",
        ".SH DESCRIPTION",
        _roff(inspect.cleandoc(root.help or "")),
        ".SH OPTIONS",
        *_parameters(root),
        ".SH COMMANDS",
    ]
    for name, command in _entries(root, ""):
        lines += [f".SS {_roff(name)}", _roff(inspect.cleandoc(command.help or "")), *_parameters(command)]
    lines += [".SH EXIT STATUS"]
    lines += [f".TP\n.B {code}\n{_roff(told)}" for code, told in _ENDINGS]
    lines += [
        ".SH ENVIRONMENT",
        f".TP\n.B {HOME_VARIABLE}\nfolder of book, log and what the stand\\-in was left as",
        f".TP\n.B {THEME_VARIABLE}\ncolours of the screen",
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    print(man_page(), end="")
