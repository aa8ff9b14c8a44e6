"""The project as a whole: examples that belong together, what it imports, what its documents promise."""

import re
import subprocess
import sys
import tomllib

import pytest
from tests.conftest import ROOT

import zincsmith
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.claims import claims_of
from zincsmith.model.events import EVENTS
from zincsmith.model.fed import on_each_input
from zincsmith.simbench.instruments import METERS, OF_THE_UNIT
from zincsmith.simbench.units.kinds import read_unit as read_physics

EXAMPLES = ROOT / "examples"
FURTHER = (
    "output_power_meter", "second_power_meter", "second_voltmeter", "ac_voltmeter", "ammeter", "node_voltmeter",
    "spot_thermometer",
)  # fmt: skip
SET_BY_ITS_USER = ("lathom-lb303",)  # its own closed forms are in tests/several/test_set_points.py
STANDINS = sorted(f.stem for f in (EXAMPLES / "standins").glob("*.toml"))


def loaded_by(module: str) -> set[str]:
    """Top-level modules in memory after importing one, in a fresh process."""
    code = f"import {module}, sys; print(' '.join(sorted({{m.split('.')[0] for m in sys.modules}})))"
    return set(subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split())


@pytest.mark.parametrize("name", [name for name in STANDINS if name not in SET_BY_ITS_USER])
def test_every_stand_in_is_an_example_unit_and_can_do_what_it_claims(name: str) -> None:
    unit = read_unit(EXAMPLES / "units" / f"{name.removesuffix('-battery')}.toml")
    physics = read_physics(EXAMPLES / "standins" / f"{name}.toml")
    assert claims_of(unit.nameplate)
    rating = next(one for one in on_each_input(unit.nameplate) if (one.input.type == "dc") == physics.direct)
    lines = ((12.0, 0.0), (24.0, 0.0)) if physics.direct else ((115.0, 60.0), (230.0, 50.0))
    for volts, hertz in lines:
        full = physics.steady(volts, hertz, rating.output.current_A)
        own = physics.output.voltage_V if physics.rails is not None else rating.output.voltage_V
        assert full.output_voltage_V == pytest.approx(own, rel=0.05)
        assert 0.6 < full.efficiency < 0.96
    assert physics.output.limit_A > 1.1 * rating.output.current_A


@pytest.mark.parametrize("name", ["simulated", "thermometer-by-hand"])
def test_example_rigs_state_what_the_stand_in_really_does(name: str) -> None:
    """The rig's data sheets are those that the stand-in draws its errors from, each known on its own side."""
    rig = read_rig(EXAMPLES / "rigs" / f"{name}.toml")
    for role, functions in ((r, f) for r, f in METERS.items() if r not in OF_THE_UNIT):
        one = rig.instrument(role)
        if one is None and role in FURTHER:  # nobody needs a second meter
            continue
        assert one is not None
        for function in functions:
            row = one.accuracy_of(function.quantity)
            assert row is not None
            assert (row.reading_percent, row.range_percent) == (function.reading_percent, function.range_percent)
            assert row.range in function.ranges


def test_the_command_line_starts_light() -> None:
    heavy = {"scipy", "typst", "PySide6", "pyqtgraph", "pyvisa", "numpy"}
    assert heavy & loaded_by("zincsmith.cli") == set()


def test_the_engine_needs_no_window_and_the_bench_nothing_of_ours() -> None:
    assert {"PySide6", "pyqtgraph", "typst"} & loaded_by("zincsmith.engine.__main__") == set()
    code = "import zincsmith.simbench.server, sys; print([m for m in sys.modules if m.startswith('zincsmith.')])"
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert all(".simbench" in name for name in re.findall(r"'([^']+)'", found))


def test_versions_agree() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    assert project["version"] == zincsmith.__version__
    assert f"## [{zincsmith.__version__}]" in (ROOT / "CHANGELOG.md").read_text()


def test_what_is_pinned_is_what_is_declared() -> None:
    declared = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    pinned = {
        line.split("==")[0].lower(): line.split("==")[1]
        for line in (ROOT / "requirements.txt").read_text().split()
        if "==" in line
    }
    for requirement in declared:
        name = re.split(r"[<>=]", requirement)[0].lower()
        assert name in pinned, f"{name} is declared but not pinned"
    assert pinned["pyside6-essentials"] == "6.11.3"


def test_documents_name_what_exists() -> None:
    readme = (ROOT / "README.md").read_text()
    for path in re.findall(r"\]\(([^)#:]+)\)|(examples/\S+?\.toml)", readme):
        target = path[0] or path[1]
        assert (ROOT / target).exists(), target
    described = set(re.findall(r"`([A-Z]\w+)`", (ROOT / "docs" / "book-format.md").read_text()))
    assert set(EVENTS) <= described, "every kind of event is described"
    for folder in re.findall(r"^\| `(\w+)/` \|", (ROOT / "docs" / "architecture.md").read_text(), re.MULTILINE):
        assert (ROOT / "src" / "zincsmith" / folder).is_dir()


def test_the_licence_of_the_typeface_ships_with_it() -> None:
    fonts = ROOT / "src" / "zincsmith" / "ui" / "fonts"
    assert list(fonts.glob("*.ttf"))
    assert "SIL OPEN FONT LICENSE Version 1.1" in (fonts / "OFL.txt").read_text()
