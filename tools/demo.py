"""Open Zincsmith on a fresh copy of the demonstration book; on a virtual screen when there is none. `--unit NAME`: on a
new book instead, with that unit of the examples, the simulated bench that fits it and a plan, ready to be run."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import tomllib
from dataclasses import replace
from pathlib import Path

from demo_book import unpacked
from zincsmith.book.writer import BookWriter
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.errors import InputError
from zincsmith.planning.composer import compose

ROOT = Path(__file__).parent.parent
EXAMPLES = ROOT / "examples"


def benches() -> dict[str, str]:
    """By name of a unit the rig of the examples that fits it."""
    return tomllib.loads((EXAMPLES / "benches.toml").read_text("utf-8"))


def ready_for(name: str, book: Path) -> None:
    """A book with a unit, its bench and the plan that is composed for it."""
    unit, rig = read_unit(EXAMPLES / "units" / f"{name}.toml"), read_rig(EXAMPLES / "rigs" / f"{benches()[name]}.toml")
    if rig.standin is not None:
        rig = replace(rig, standin=replace(rig.standin, file=str(EXAMPLES / "standins" / f"{name}.toml")))
    with BookWriter(book) as writer:
        writer.revise("unit", unit.tag, unit, "example")
        writer.revise("rig", "bench", rig, "example")
        writer.revise("plan", "plan", compose(unit, rig)[0], "composed")


def main() -> int:
    arguments = sys.argv[1:]
    folder = Path(tempfile.mkdtemp(prefix="zincsmith-demo-"))
    book = folder / "hollin-bank.zbook"
    if arguments[:1] == ["--unit"]:
        name, arguments = "".join(arguments[1:2]), arguments[2:]
        if name not in benches():
            print(f"There is a bench for: {', '.join(sorted(benches()))}", file=sys.stderr)
            return 2
        book = folder / f"{name}.zbook"
        ready_for(name, book)
    else:
        try:
            unpacked(book)
        except InputError as error:
            print(error, file=sys.stderr)
            return 2
    print(f"Opening {book}")
    command = [sys.executable, "-m", "zincsmith.ui", str(book), *arguments]
    if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        print("There is no display: the window opens on a virtual screen (Xvfb) that nobody sees. Ctrl+C ends it.")
        command = ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", *command]
    try:
        return subprocess.call(command)
    except KeyboardInterrupt:
        return 0


if __name__ == "__main__":
    sys.exit(main())
