"""``zincsmith open``, ``zincsmith desktop``: the window, and what a desktop needs to find it."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import app

desktop_app = typer.Typer(help="Menu entry, icons, the type of a book, man page, completion.", no_args_is_help=True)
app.add_typer(desktop_app, name="desktop")
PrefixOption = Annotated[Path, typer.Option(help="where: share/ lies below it")]
OWN = Path("~/.local").expanduser()


@app.command("open")
def open_window(
    book: Annotated[Path | None, typer.Argument(help="the book; without one it is asked for")] = None,
) -> None:
    """Open the window on a book. `zincsmith BOOK.zbook` is the same."""
    more = [str(book)] if book is not None else []
    os.execv(sys.executable, [sys.executable, "-m", "zincsmith.ui", *more])


@desktop_app.command("install")
def install_desktop(prefix: PrefixOption = OWN) -> None:
    """Put them below the prefix; nothing else is touched."""
    from typer.completion import get_completion_script  # type: ignore[attr-defined]

    from zincsmith.cli import COMPLETES
    from zincsmith.desktop.install import install, man_page

    made = {"man": man_page(commands())}
    for shell in ("bash", "zsh", "fish"):
        made[shell] = get_completion_script(prog_name="zincsmith", complete_var=COMPLETES, shell=shell)
    for file in install(prefix, made):
        print(file)


@desktop_app.command("remove")
def remove_desktop(prefix: PrefixOption = OWN) -> None:
    """Take away what `install` put there."""
    from zincsmith.desktop.install import remove

    for file in remove(prefix):
        print(file)


def commands() -> dict[str, str]:
    """Every command with the first sentence of what it says of itself."""
    group = typer.main.get_command(app)
    found = getattr(group, "commands", {})
    return {
        name: " ".join((one.help or "").split()).partition(". ")[0].rstrip(".") + "." for name, one in found.items()
    }
