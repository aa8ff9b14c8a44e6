"""What went wrong in the program itself is kept in a file of the person's own, for whoever mends it; so is what its
processes log. Neither holds readings, and neither leaves this computer by itself."""

from __future__ import annotations

import logging
import sys
from datetime import datetime
from pathlib import Path

from platformdirs import user_log_path, user_state_path

from zincsmith import __version__

LOG_BYTES, LOGS_KEPT = 1_000_000, 2
log = logging.getLogger(__name__)


def log_folder() -> Path:
    return user_log_path("zincsmith")


def keep_log(process: str, about: Path) -> None:
    """From here on what this process logs goes into a file of its kind, warnings to standard error too. ``about`` is
    the book that it is begun on. A disk that takes no log is no reason to stop."""
    from logging.handlers import RotatingFileHandler

    told = logging.StreamHandler()
    told.setLevel(logging.WARNING)
    handlers: list[logging.Handler] = [told]
    try:
        log_folder().mkdir(parents=True, exist_ok=True)
        file = log_folder() / f"{process}.log"
        handlers.append(RotatingFileHandler(file, maxBytes=LOG_BYTES, backupCount=LOGS_KEPT, encoding="utf-8"))
    except OSError as error:
        sys.stderr.write(f"zincsmith: no log is kept ({error.strerror})\n")
    form = "%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"
    logging.basicConfig(level=logging.INFO, handlers=handlers, format=form, force=True)
    log.info("%s of Zincsmith %s begins on %s", process, __version__, about)


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
    log.warning("something went wrong; the report is %s", file)
    return file
