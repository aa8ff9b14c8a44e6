"""Installing into a prefix: menu entry, icons, type of a book, metadata with pictures, man page, completion of a shell.

Nothing of it runs anything; what is there of an earlier version is replaced, what is not ours is left alone.
"""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Mapping
from importlib import resources
from pathlib import Path

from zincsmith.model.errors import InputError

SIZES = (16, 32, 48, 64, 128, 256)
DATA = resources.files("zincsmith.desktop") / "data"
# Where each file goes below the prefix, by the name it has here.
PLACES: dict[str, str] = {
    "zincsmith.desktop": "share/applications/zincsmith.desktop",
    "zincsmith-mime.xml": "share/mime/packages/zincsmith.xml",
    "zincsmith.metainfo.xml": "share/metainfo/zincsmith.metainfo.xml",
    "zincsmith.svg": "share/icons/hicolor/scalable/apps/zincsmith.svg",
    "zincsmith-dark.svg": "share/icons/hicolor/scalable/apps/zincsmith-dark.svg",
    **{f"zincsmith-{n}.png": f"share/icons/hicolor/{n}x{n}/apps/zincsmith.png" for n in SIZES},
}
MADE = {
    "man": "share/man/man1/zincsmith.1", "bash": "share/bash-completion/completions/zincsmith",
    "zsh": "share/zsh/site-functions/_zincsmith", "fish": "share/fish/vendor_completions.d/zincsmith.fish",
}  # fmt: skip
UPDATES = (("update-desktop-database", "share/applications"), ("update-mime-database", "share/mime"),
           ("gtk-update-icon-cache", "share/icons/hicolor"))  # fmt: skip


def man_page(commands: Mapping[str, str]) -> str:
    """``commands`` are what the command line has, with a sentence each."""
    text = (DATA / "zincsmith.1").read_text("utf-8")
    listed = "\n".join(f".TP\n.B {name}\n{words}" for name, words in sorted(commands.items()))
    return text.replace("@COMMANDS@", listed.replace("-", "\\-"))


def install(prefix: Path, made: Mapping[str, str]) -> list[Path]:
    """``made`` are the texts of what is worked out of the commands, by the keys of MADE. Returns what was written.
    InputError where it cannot be."""
    written = []
    try:
        for name, place in PLACES.items():
            file = prefix / place
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_bytes((DATA / name).read_bytes())
            written.append(file)
        for name, text in made.items():
            file = prefix / MADE[name]
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text, "utf-8")
            written.append(file)
    except OSError as error:
        raise InputError(f"it cannot be installed there ({error.strerror})", file=str(prefix)) from None
    _update(prefix)
    return written


def remove(prefix: Path) -> list[Path]:
    """What of it was there, and is not any more."""
    gone = []
    for place in (*PLACES.values(), *MADE.values()):
        file = prefix / place
        if file.is_file():
            file.unlink()
            gone.append(file)
    _update(prefix)
    return gone


def _update(prefix: Path) -> None:
    """The desktop's own lists, where its tools are there; without them it finds out by itself at the next login."""
    for tool, place in UPDATES:
        if shutil.which(tool) and (prefix / place).is_dir():
            subprocess.run([tool, str(prefix / place)], capture_output=True, check=False, timeout=60)
