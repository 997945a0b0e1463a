"""What the command line says goes out here: without the marks that sentences have for keys of the screen."""

from __future__ import annotations

import typer

from brisk_anchor.core.key_marks import plain


def say(words: object = "", *, nl: bool = True, err: bool = False) -> None:
    """Print a line, without an end where `nl` says so, to the error stream where `err` does."""
    typer.echo(plain(str(words)), nl=nl, err=err)
