"""What the window remembers between two openings on this computer: recent books, where each was left, its size. Nothing
of what was measured is here."""

from __future__ import annotations

import json
import os
import tempfile
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

MOST, MOST_BYTES = 12, 200_000
SMALLEST, LARGEST = 400, 20_000  # px


@dataclass
class Remembered:
    """``stations`` by book; ``size`` in px, None at first."""

    recent: list[str] = field(default_factory=list)
    stations: dict[str, str] = field(default_factory=dict)
    size: tuple[int, int] | None = None
    crash_told: str = ""  # the latest report that was told of

    def opened(self, book: Path) -> None:
        name = str(book.absolute())
        self.recent = [name, *(one for one in self.recent if one != name)][:MOST]
        self.stations = {one: self.stations[one] for one in self.recent if one in self.stations}

    def there(self) -> list[Path]:
        """Recent books that are still where they were."""
        return [Path(one) for one in self.recent if Path(one).is_file()]


def _file() -> Path:
    return user_state_path("zincsmith") / "window.json"


def remembered() -> Remembered:
    """Nothing where the file is not there, or is not what this program wrote."""
    one = Remembered()
    with suppress(OSError, ValueError, RecursionError):
        file = _file()
        if file.stat().st_size <= MOST_BYTES:
            _fill(one, json.loads(file.read_text("utf-8")))
    return one


def _fill(one: Remembered, said: Any) -> None:
    if not isinstance(said, dict):
        return
    if isinstance(recent := said.get("recent"), list):
        one.recent = [str(x) for x in recent if isinstance(x, str)][:MOST]
    if isinstance(stations := said.get("stations"), dict):
        one.stations = {str(k): v for k, v in stations.items() if isinstance(v, str)}
    size = said.get("size")
    if isinstance(size, list) and len(size) == 2 and all(isinstance(n, int) and SMALLEST <= n <= LARGEST for n in size):
        one.size = (size[0], size[1])
    if isinstance(told := said.get("crash_told"), str):
        one.crash_told = told


def keep(one: Remembered) -> None:
    """Whole or not at all; a disk that is full is no reason to stop."""
    with suppress(OSError):
        file = _file()
        file.parent.mkdir(parents=True, exist_ok=True)
        fd, name = tempfile.mkstemp(dir=file.parent, prefix=".window-")
        with os.fdopen(fd, "w", encoding="utf-8") as out:
            json.dump(asdict(one), out)
        os.replace(name, file)
