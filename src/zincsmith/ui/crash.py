"""When the window itself goes wrong: the traceback is kept, and the person is told what holds and what to do."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from types import TracebackType

from platformdirs import user_state_path

from zincsmith import __version__


def report_folder() -> Path:
    return user_state_path("zincsmith") / "crashes"


def keep_report(text: str, folder: Path | None = None) -> Path | None:
    """Write a report; its file, or None when it cannot be kept anywhere."""
    folder = folder or report_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        file = folder / f"{datetime.now():%Y%m%d-%H%M%S-%f}.txt"
        file.write_text(f"Zincsmith {__version__}, Python {sys.version.split()[0]}\n\n{text}", "utf-8")
    except OSError:
        return None
    return file


def install(bench_words: Callable[[], str], tell: Callable[[str, str], None], folder: Path | None = None) -> None:
    """From now on an error that nobody handles is kept and told. The engine is a process of its own and goes on.

    ``bench_words`` says what state the bench is in, ``tell`` shows a title and a text.
    """

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        sys.stderr.write(text)
        file = keep_report(text, folder)
        kept = f"The report is {file}." if file is not None else "The report could not be kept on this disk."
        tell(
            "Something went wrong in this window",
            f"Everything that was shown is in the book; nothing of it is lost. The bench: {bench_words()}. The engine "
            f"goes on by itself; F12 makes safe. {kept}",
        )

    sys.excepthook = hook
