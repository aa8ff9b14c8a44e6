"""Units of several outputs on a simulated bench with a load and a voltmeter at each of them.

Their physics are a converter that ships with an example and rails in closed form behind it: volts that droop over a
resistance, and move with what the others draw.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from zincsmith.engine.known_bench import pick_file
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.plan import Options, Plan
from zincsmith.model.port import output_ports
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.unit import Unit
from zincsmith.procedures.rig_check.options import RigCheckOptions
from zincsmith.procedures.standby.options import StandbyOptions
from zincsmith.procedures.static_grid.options import GridOptions

HERE = Path(__file__).parent
EXAMPLES = HERE.parent.parent / "examples"


@dataclass(frozen=True)
class Rail:
    """As the physics has it."""

    name: str
    volts: float
    ohm: float
    pulled: float = 0.0
    modes: tuple[float, ...] = ()
    efficiency: float = 0.93

    @property
    def toml(self) -> str:
        return (
            f'\n[[rail]]\nname = "{self.name}"\nvoltage_V = {self.volts}\nresistance_ohm = {self.ohm}\n'
            f"pulled_V_per_A = {self.pulled}\nefficiency = {self.efficiency}\nmodes_V = {list(self.modes)}\n"
        )


RAILS = {
    "two_rails": (Rail("+12 V", 12.1, 0.03, 0.01), Rail("+5 V", 5.02, 0.012, -0.004), Rail("-12 V", -12.0, 0.2, -0.02)),
    "two_ports": (Rail("C1", 5.05, 0.02, modes=(5.05, 9.04, 20.1)), Rail("A1", 5.1, 0.03)),
}


def bench_of(name: str, folder: Path) -> tuple[Unit, Rig, tuple[Rail, ...]]:
    """A unit, its rig and what its rails truly are."""
    unit = read_unit(HERE / f"{name}.toml")
    physics = folder / f"{name}.toml"
    made = (EXAMPLES / "standins" / "tarnbrook-tb2425.toml").read_text("utf-8")
    physics.write_text(made.replace("limit_A = 3.4", "limit_A = 4.0") + "".join(r.toml for r in RAILS[name]), "utf-8")
    pick_file(str(physics))
    rig = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    assert rig.standin is not None
    standin = replace(rig.standin, file=str(physics), lead_ohm=0.0, input_lead_ohm=0.0)
    instruments = tuple(i for one in rig.instruments for i in _at_ports(one, unit))
    return unit, replace(rig, instruments=instruments, leads=(), standin=standin), RAILS[name]


def _at_ports(one: Instrument, unit: Unit) -> list[Instrument]:
    if one.role not in ("load", "voltmeter"):
        return [one]
    made = [replace(one, port=port, serial=f"{one.serial}-{port}") for port in output_ports(unit.nameplate)]
    if one.role == "load":
        made += [
            Instrument("sink_controller", "simulated", port=o.name) for o in unit.nameplate.outputs if len(o.modes) > 1
        ]
    return made


def briefly(plan: Plan) -> Plan:
    """The plan with the same points after shorter waits."""
    return replace(plan, parts=tuple(_briefly(part) for part in plan.parts))


def _briefly(part: Options) -> Options:
    if isinstance(part, GridOptions):
        return replace(part, warm_up_s=400.0 if not part.port else 30.0, rewarm_s=30.0, settled_window_s=4.0,
                       settle_at_most_s=20.0, average_s=4.0)  # fmt: skip
    if isinstance(part, StandbyOptions):
        return replace(part, warm_up_s=30.0, at_least_s=240.0, at_most_s=300.0)
    return replace(part, readings_s=4.0) if isinstance(part, RigCheckOptions) else part
