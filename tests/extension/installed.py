"""Putting the package of somebody else on the path, and taking it off again."""

from __future__ import annotations

import importlib
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zincsmith.model.figures import FIGURES, TESTS
from zincsmith.procedures import catalogue

SITE = Path(__file__).parent / "site"


@contextmanager
def installed() -> Iterator[Path]:
    sys.path.insert(0, str(SITE))
    importlib.invalidate_caches()
    catalogue.look_again()
    try:
        yield SITE
    finally:
        sys.path.remove(str(SITE))
        sys.modules.pop("zincsmith_release_rise", None)
        FIGURES.pop("release_rise", None)
        TESTS.pop("release rise", None)
        importlib.invalidate_caches()
        catalogue.look_again()
