"""Open Zincsmith on a fresh copy of the demonstration book; on a virtual screen when there is none."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from demo_book import make

ROOT = Path(__file__).parent.parent


def main() -> int:
    master = ROOT / "build" / "hollin-bank.zbook"
    if not master.exists():
        print("Making the demonstration book: a whole run on the simulated bench, half a minute or so")
        make(master)
    folder = Path(tempfile.mkdtemp(prefix="zincsmith-demo-"))
    book = folder / "hollin-bank.zbook"
    shutil.copy(master, book)
    print(f"Opening {book}")
    command = [sys.executable, "-m", "zincsmith.ui", str(book), *sys.argv[1:]]
    if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        print("There is no display: the window opens on a virtual screen (Xvfb) that nobody sees. Ctrl+C ends it.")
        command = ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", *command]
    try:
        return subprocess.call(command)
    except KeyboardInterrupt:
        return 0


if __name__ == "__main__":
    sys.exit(main())
