"""What the command line says goes out here: without the marks that sentences have for keys of the screen."""

from __future__ import annotations

import typer

from brisk_anchor.core.key_marks import plain


def say(words: object = "", *, err: bool = False) -> None:
    """Print a line, to the error stream where `err` says so."""
    typer.echo(plain(str(words)), err=err)


def give(data: str) -> None:
    """Print what another program reads, or what a person copies: as it is."""
    typer.echo(data, nl=not data.endswith("\n"))
