"""The command line: the same core without a window.

Exit codes of ``run`` and ``resume``: 0 complete, 1 complete and a claim fails, 2 input refused, 3 made safe early,
4 not confirmed to be off whatever else happened, 5 a bug of the program with the bench seen to be off. Every refused
input gives 2 and one line on standard error.
"""

from __future__ import annotations

import os
import sys
from typing import NoReturn

import typer

from zincsmith.cli import (  # noqa: F401 - each brings its commands along
    analyse,
    bench,
    captures,
    compare,
    desktop,
    divider,
    estimates,
    exchange,
    practice,
    remedy,
    results,
    runs,
    take_in,
    weak,
    workshop,
)
from zincsmith.cli.app import app
from zincsmith.formats.plain_text import shown
from zincsmith.model.errors import ZincsmithError

BOOK, COMPLETES = ".zbook", "_ZINCSMITH_COMPLETE"


def main() -> None:
    """Entry point: refused input becomes one line and exit code 2, never a traceback."""
    if COMPLETES in os.environ:  # a shell asks how a line may go on
        from typer.completion import completion_init  # type: ignore[attr-defined]

        completion_init()
    if sys.argv[1:2] and sys.argv[1].endswith(BOOK):  # a book is opened in the window
        os.execv(sys.executable, [sys.executable, "-m", "zincsmith.ui", *sys.argv[1:]])
    try:
        sys.exit(app(standalone_mode=False, prog_name="zincsmith") or 0)
    except ZincsmithError as error:
        _refuse(str(error))
    except typer.Exit as end:
        sys.exit(end.exit_code)
    except typer.Abort:
        sys.exit(3)
    except BrokenPipeError:  # whoever read the output has left
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(3)
    except Exception as error:
        if type(error).__module__.startswith(("click", "typer")) and hasattr(error, "format_message"):
            if not error.format_message():  # nothing was asked: the help is told
                sys.exit(2)
            _refuse(error.format_message())
        raise


def _refuse(message: str) -> NoReturn:
    print(f"zincsmith: {shown(' '.join(message.split()), 2000)}", file=sys.stderr)
    sys.exit(2)
