"""When the window itself goes wrong: the traceback is kept, and the person is told what holds and what to do."""

from __future__ import annotations

import sys
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from zincsmith.engine.crash_report import keep_report


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
