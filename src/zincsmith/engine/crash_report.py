"""What went wrong in the program itself is kept in a file of the person's own, for whoever mends it."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path

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
