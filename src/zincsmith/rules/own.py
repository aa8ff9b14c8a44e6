"""Where a person's own rule sets lie."""

from __future__ import annotations

import os
from pathlib import Path

FOLDER = "ZINCSMITH_RULES"


def own_folder() -> Path:
    """The folder ``rules`` of the program's configuration, or the one that ZINCSMITH_RULES names; it need not be
    there."""
    named = os.environ.get(FOLDER)
    if named:
        return Path(named)
    import platformdirs

    return platformdirs.user_config_path("zincsmith") / "rules"
