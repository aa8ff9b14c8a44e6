"""Which figures a person wants to see on the Run screen, kept for this computer."""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

from platformdirs import user_state_path


def _file() -> Path:
    return user_state_path("zincsmith") / "figures.json"


def picked_before() -> list[str]:
    """Their words, in order; empty where nobody picked any, or what was kept cannot be read."""
    with suppress(OSError, ValueError):
        found = json.loads(_file().read_text("utf-8"))
        if isinstance(found, list):
            return [str(one) for one in found][:8]
    return []


def keep_picked(words: list[str]) -> None:
    """A disk that cannot be written to costs the choice, nothing else."""
    with suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps(words), "utf-8")
