"""Start the stand-in bench: prints its addresses as one JSON line, then serves until standard input closes."""

from __future__ import annotations

import argparse
import json
import signal
import subprocess
import sys
from pathlib import Path

from zincsmith.simbench.adapter import Adapter
from zincsmith.simbench.server import Bench
from zincsmith.simbench.world import World


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.simbench")
    parser.add_argument("--unit", type=Path, required=True, help="physics of the simulated unit (TOML)")
    parser.add_argument("--seed", type=int, default=1, help="draws the errors of the instruments")
    parser.add_argument("--ambient", type=float, default=23.0, help="room temperature in degC")
    parser.add_argument("--log", type=Path, help="append a line for everything that is switched")
    parser.add_argument("--face", action="append", default=[], help="show the face of a meter without a cable (role)")
    arguments = parser.parse_args()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C is for the application; the bench outlives it
    try:
        unit = Adapter.read(arguments.unit)
    except (OSError, ValueError) as error:
        print(f"stand-in bench: {error}", file=sys.stderr)
        return 2
    bench = Bench(World(unit, arguments.seed, arguments.ambient), arguments.log)
    bench.open()
    print(json.dumps({"instruments": bench.addresses()}), flush=True)
    ports = {str(one["role"]): str(one["port"]) for one in bench.addresses()}
    for role in arguments.face:
        command = [sys.executable, "-m", "zincsmith.simbench.face", "--role", role, "--port", ports[role]]
        subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
    bench.serve(sys.stdin.fileno())
    return 0


if __name__ == "__main__":
    sys.exit(main())
