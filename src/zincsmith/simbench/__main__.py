"""Start the stand-in bench: prints its addresses as one JSON line, then serves until standard input closes."""

from __future__ import annotations

import argparse
import json
import signal
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

from zincsmith.simbench import practice
from zincsmith.simbench.imperfect import Imperfections, drawn
from zincsmith.simbench.scpi import ScpiError
from zincsmith.simbench.server import FAULTS, MISHAPS, TYPO, Bench
from zincsmith.simbench.units.adapter import Adapter
from zincsmith.simbench.units.defect import KINDS as DEFECTS
from zincsmith.simbench.units.kinds import made_of, read_unit
from zincsmith.simbench.units.of_practice import Drawn
from zincsmith.simbench.units.parameters import sections_of
from zincsmith.simbench.world import World


def _probe(text: str) -> tuple[int, tuple[str, float, str]]:
    """ValueError for what is no probe."""
    parts = [part.strip() for part in text.split(",")]
    if len(parts) != 4:
        raise ValueError(f"--probe {text}: a probe is CHANNEL,THING,RATIO,GROUND")
    return int(parts[0]), (parts[1], float(parts[2]), parts[3])


def _practised(hidden: Drawn, file: Path) -> Adapter:
    return made_of(sections_of(practice.as_toml(hidden.sections), file))


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="zincsmith simbench",
        description="Stand-in instruments and a simulated unit on loopback ports.",
        epilog=f"faults of a line: {', '.join(sorted(FAULTS))}; of the unit: {', '.join(DEFECTS)}; "
        f"of the bench: {', '.join(sorted(MISHAPS))}; of the person who types a meter off: ROLE,{TYPO}",
    )
    parser.add_argument("--unit", type=Path, required=True, help="physics of the simulated unit (TOML)")
    parser.add_argument("--seed", type=int, default=1, help="draws the errors of the instruments")
    parser.add_argument("--ambient", type=float, default=23.0, help="room temperature in degC")
    parser.add_argument("--json", action="store_true", help="print the addresses as one line of JSON")
    parser.add_argument("--pace", default="0", help="bench seconds a second, or fast: only the clock's command counts")
    parser.add_argument("--fault", action="append", default=[], help="ROLE,FAULT or unit,KIND or bench,MISHAP")
    parser.add_argument("--latency", type=float, default=0.0, help="seconds before each answer")
    parser.add_argument("--lead-ohm", type=float, default=0.0, help="resistance of the leads to the load")
    parser.add_argument("--input-lead-ohm", type=float, default=0.0, help="resistance of the leads to the input")
    parser.add_argument("--imperfect", action="store_true", help="with phase error, burdens, leads and settings off")
    parser.add_argument(
        "--probe", action="append", default=[],
        help="CHANNEL,THING,RATIO,GROUND of the scope: output volts, output amps, input volts, input amps, node, "
        "node amps; SPR, LONG, COAX, NEAR, or nothing: as the scope is told",
    )  # fmt: skip
    parser.add_argument("--log", type=Path, help="append a line for everything that is switched")
    parser.add_argument(
        "--front-panel", action="append", default=[], help="show the face of a meter without a cable (role)"
    )
    arguments = parser.parse_args()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C is for the application; the bench outlives it
    try:
        hidden = practice.read(arguments.unit) if arguments.unit.suffix == practice.SUFFIX else None
        unit = read_unit(arguments.unit) if hidden is None else _practised(hidden, arguments.unit)
    except (OSError, ValueError) as error:
        print(f"stand-in bench: {error}", file=sys.stderr)
        return 2
    world = World(unit, arguments.seed, arguments.ambient, arguments.lead_ohm)
    plain = Imperfections(input_lead_ohm=arguments.input_lead_ohm)
    world.imperfect = drawn(arguments.seed, arguments.input_lead_ohm) if arguments.imperfect else plain
    try:
        pace = 0.0 if arguments.pace == "fast" else float(arguments.pace)
        if arguments.probe:
            world.probes = dict(_probe(text) for text in arguments.probe)
        if hidden is not None:
            world.source_ohm = hidden.source_ohm
            world.imperfect = replace(world.imperfect, tap_ohm=hidden.tap_ohm)
            world.probes = {n: (at, ratio * (hidden.probe_ratio if at == "output volts" else 1.0), ground)
                            for n, (at, ratio, ground) in world.probes.items()}  # fmt: skip
        bench = Bench(world, arguments.log, pace, arguments.latency)
        bench.open()
        for fault in arguments.fault:
            bench.inject(fault)
    except (ValueError, ScpiError) as error:
        print(f"stand-in bench: {error}; see --help for paces and faults", file=sys.stderr)
        return 2
    if arguments.json:
        print(json.dumps({"instruments": bench.addresses()}), flush=True)
    else:
        for one in bench.addresses():
            print(f"{one['role']:16}{one['visa']}", flush=True)
    ports = {str(one["role"]): str(one["port"]) for one in bench.addresses()}
    for nth, place in enumerate(r for r in arguments.front_panel if r in ports):
        role, _, at = place.partition("@")
        command = [sys.executable, "-m", "zincsmith.simbench.front_panel", "--role", role, "--port", ports[place]]
        command += ["--at", at, "--nth", str(nth)]
        subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
    bench.serve(sys.stdin.fileno())
    return 0


if __name__ == "__main__":
    sys.exit(main())
