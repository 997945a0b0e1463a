"""Entry point: the plain demo starts without the command line's library, everything else goes through it."""

from __future__ import annotations

import gc
import logging
import sys

from brisk_anchor.surroundings import without_current_folder

sys.path[:] = without_current_folder(sys.path)  # before any other import: none may come from there

from brisk_anchor.core.errors import BriskAnchorError  # noqa: E402

_WHILE_LOADING = 50_000
"""Objects between two collections of garbage; the application begins with the usual number when its job is open."""


def main() -> None:
    """Run a command, turn errors into one line and an exit code."""
    # What is made while modules load stays. To look through it for what is not wanted any more is a tenth of a start.
    gc.set_threshold(_WHILE_LOADING)
    try:
        # Loading Typer costs 0.12 s, a quarter of the time to the first paint, and there is nothing to parse here.
        if sys.argv[1:] == ["demo"] and sys.stdout.isatty() and sys.stdin.isatty():
            from brisk_anchor.services.records import start_log
            from brisk_anchor.tui.start import run_demo

            start_log()
            raise SystemExit(run_demo())
        from brisk_anchor.cli.commands import app_for

        app_for(sys.argv[1:])()
    except BriskAnchorError as error:
        logging.getLogger("brisk_anchor").warning("refused: %s", error.one_line())
        print(f"brisk-anchor: {error.one_line()}", file=sys.stderr)
        raise SystemExit(error.exit_code) from None
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(1) from None
    except Exception as error:  # noqa: BLE001  whatever it is: it is written down, and the person is told where
        from brisk_anchor.services.records import write_crash

        path = write_crash(error)
        told = f"What is known of it stands in {path}." if path is not None else f"{type(error).__name__}: {error}"
        print(f"brisk-anchor: An unexpected error ended this. Nothing is half stored. {told}", file=sys.stderr)
        raise SystemExit(1) from None


if __name__ == "__main__":
    main()
