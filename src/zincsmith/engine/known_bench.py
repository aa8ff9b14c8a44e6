"""What this computer was told it may reach: addresses of instruments, and the physics files of stand-ins.

A book can come from anywhere, and its rig names addresses. Before the first byte goes to one that this computer has
not armed before, a person confirms it; what was confirmed is kept in the folder of the user's own state. An address
on this computer is no exception: whatever listens there may be anything. Simulated roles need no confirming: they are
played by a stand-in that this program has started.
"""

from __future__ import annotations

import json
import os
import tempfile
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

from zincsmith.model.errors import InputError
from zincsmith.model.rig import Rig

SHIPPED = Path(__file__).parents[3] / "examples" / "standins"
MOST_BYTES = 1_000_000


@dataclass(frozen=True)
class Unknown:
    """``what`` says in words what it is: a role, or the stand-in; ``where`` its address or file."""

    what: str
    where: str


def first_time() -> bool:
    """Whether the program was never opened on this computer before; from now on it was."""
    mark = user_state_path("zincsmith") / "opened"
    if mark.exists():
        return False
    with suppress(OSError):
        mark.parent.mkdir(parents=True, exist_ok=True)
        mark.touch()
    return True


def unknown_of(rig: Rig) -> tuple[Unknown, ...]:
    """What a rig names that nobody has confirmed on this computer: addresses, then the file of its stand-in."""
    known = _read()
    found = [
        Unknown(f"{one.role.replace('_', ' ')} {one.name}", one.address)
        for one in rig.instruments
        if one.how == "connected" and one.address not in known["addresses"]
    ]
    if rig.standin is not None and not _is_known_file(rig.standin.file, known):
        found.append(Unknown("physics of the stand-in bench", rig.standin.file))
    return tuple(found)


def refuse_unknown(*rigs: Rig) -> None:
    """InputError that lists what has to be confirmed before anything is sent."""
    found = dict.fromkeys(u for rig in rigs for u in unknown_of(rig))
    if found:
        listed = "; ".join(f"{u.what} at {u.where}" for u in found)
        raise InputError(
            f"this computer has not used these before, and nothing was sent to them: {listed}. Confirm that they are "
            "yours",
            key="addresses",
        )


def confirm(rig: Rig, by: str) -> None:
    """A person confirms everything that a rig names. InputError when that cannot be kept."""
    known = _read()
    at = datetime.now(UTC).isoformat(timespec="seconds")
    for one in rig.instruments:
        if one.how == "connected":
            known["addresses"][one.address] = {"by": by, "at": at}
    if rig.standin is not None:
        known["files"][_resolved(rig.standin.file)] = {"by": by, "at": at}
    _write(known)


def pick_file(file: str) -> None:
    """A person picked the physics of a stand-in here. InputError when that cannot be kept."""
    if not _is_known_file(file, known := _read()):
        known["files"][_resolved(file)] = {"by": "picked", "at": datetime.now(UTC).isoformat(timespec="seconds")}
        _write(known)


def is_known_file(file: str) -> bool:
    """Whether a stand-in may be started from this file: it ships, or was picked here. The file is not looked at."""
    return _is_known_file(file, _read())


def _is_known_file(file: str, known: dict[str, Any]) -> bool:
    path = _resolved(file)
    return Path(path).parent == SHIPPED or path in known["files"]


def _resolved(file: str) -> str:
    """Without following what the path names: a foreign path is not even looked at."""
    return os.path.normpath(os.path.join(os.getcwd(), file))


def _file() -> Path:
    return user_state_path("zincsmith") / "known-bench.json"


def _read() -> dict[str, Any]:
    """What is known; nothing where the file is not there or is not what this program wrote."""
    known: dict[str, Any] = {"addresses": {}, "files": {}}
    with suppress(OSError, ValueError, RecursionError):
        file = _file()
        if file.stat().st_size <= MOST_BYTES:
            said = json.loads(file.read_text("utf-8"))
            for kind in known:
                if isinstance(said, dict) and isinstance(said.get(kind), dict):
                    known[kind] = said[kind]
    return known


def _write(known: dict[str, Any]) -> None:
    file = _file()
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with tempfile.NamedTemporaryFile("w", dir=file.parent, delete=False, encoding="utf-8") as new:
            json.dump(known, new, indent=1)
        os.replace(new.name, file)
    except OSError as error:
        raise InputError(f"what was confirmed cannot be kept ({error.strerror})", file=str(file)) from None
