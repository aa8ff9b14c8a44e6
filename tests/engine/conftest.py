"""A book on a stand-in bench, ready for the shortest run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from tests.engine.scripted import Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit


@pytest.fixture
def scene(tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, standin: Callable[..., RunningStandIn]) -> Scene:
    return Scene.set_up(tmp_path, unit, rig, tiny_plan, standin().addresses)
