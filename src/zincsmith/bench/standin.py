"""Starting the stand-in bench: a process of its own that lives until the last holder of its pipe is gone."""

from __future__ import annotations

import json
import os
import select
import subprocess
import sys
from functools import cached_property
from pathlib import Path

from zincsmith.model.errors import InputError
from zincsmith.model.rig import Rig, ScopeChannel, StandIn

START_S = 20.0
STOP_S = 5.0


class RunningStandIn:
    """``keep_fd`` is the write end of its pipe: pass it on to whoever must be able to outlive this process."""

    def __init__(self, file: str, keep_fd: int, process: subprocess.Popen[bytes]) -> None:
        self._file, self.keep_fd, self.process = file, keep_fd, process

    @cached_property
    def addresses(self) -> dict[str, str]:
        """VISA addresses by role, once it has said them. InputError when its physics file is wrong."""
        said, told = self.process.stdout, self.process.stderr
        if said is None or told is None:
            raise ValueError("the stand-in bench was started without pipes")
        ready, _, _ = select.select([said], [], [], START_S)
        line = said.readline() if ready else b""
        if not line:
            os.close(self.keep_fd)
            if not ready:
                self.process.kill()
            words = told.read().decode(errors="replace").strip().splitlines()
            self.process.wait()
        said.close()
        told.close()
        if not line:
            raise InputError(words[-1] if words else "the stand-in bench did not start", file=self._file)
        return {str(one["role"]): str(one["visa"]) for one in json.loads(line)["instruments"]}

    def stop(self) -> None:
        """Let go of the pipe and wait for the process; only right for the last holder. Twice does no harm."""
        if self.process.returncode is not None:
            return
        os.close(self.keep_fd)
        try:
            self.process.wait(timeout=STOP_S)
        except subprocess.TimeoutExpired:  # one that hangs is not waited for
            self.process.kill()
            self.process.wait()
        for pipe in (self.process.stdout, self.process.stderr):
            if pipe is not None:
                pipe.close()


JOINED = {
    "output_voltage": "output volts", "output_current": "output amps", "input_voltage": "input volts",
    "input_current": "input amps", "node_voltage": "node", "node_current": "node amps",
    "signal_voltage": "signal",
}  # fmt: skip
AT_PORTS = ("output_voltage", "output_current")
GROUNDS = {"spring": "SPR", "coax": "COAX", "long lead": "LONG", "no contact": "NEAR"}


def probes_of(rig: Rig) -> tuple[str, ...]:
    """How the stand-in is told what the channels of the scope are joined to; nothing where the rig names none."""
    scope = rig.instrument("scope")
    return tuple(
        f"{c.number},{_joined(c)},{c.probe.ratio or 1.0:g},{GROUNDS.get(c.probe.ground, '')}"
        for c in (scope.channels if scope is not None else ())
        if c.quantity in JOINED
    )


def _joined(channel: ScopeChannel) -> str:
    at = f"@{channel.port}" if channel.port and channel.quantity in AT_PORTS else ""
    return f"{JOINED[channel.quantity]}{at}"


def launch_standin(
    standin: StandIn, log: Path | None = None, front_panels: tuple[str, ...] = (), probes: tuple[str, ...] = ()
) -> RunningStandIn:
    """Start it; its addresses are heard when they are asked for. InputError when the physics file is missing.

    ``front_panels`` names roles that a person reads: the stand-in shows their meters in small windows of its own.
    ``probes`` are those of ``probes_of``.
    """
    if not Path(standin.file).is_file():
        raise InputError(
            "the physics of the simulated unit is not there; name another with --standin", file=standin.file
        )
    read_fd, keep_fd = os.pipe()
    command = [sys.executable, "-m", "zincsmith.simbench", "--json", "--unit", standin.file]
    command += ["--seed", str(standin.seed), "--lead-ohm", f"{standin.lead_ohm:g}"]
    command += ["--input-lead-ohm", f"{standin.input_lead_ohm:g}"]
    command += ["--imperfect"] if standin.imperfect else []
    for fault in standin.faults:
        command += ["--fault", fault]
    for probe in probes:
        command += ["--probe", probe]
    for role in front_panels:
        command += ["--front-panel", role]
    if log is not None:
        command += ["--log", str(log)]
    process = subprocess.Popen(
        command, stdin=read_fd, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True
    )
    os.close(read_fd)
    return RunningStandIn(standin.file, keep_fd, process)


def start_standin(
    standin: StandIn, log: Path | None = None, front_panels: tuple[str, ...] = (), probes: tuple[str, ...] = ()
) -> RunningStandIn:
    """Start it and hear its addresses. InputError when the physics file is missing or wrong."""
    running = launch_standin(standin, log, front_panels, probes)
    running.addresses  # noqa: B018 - waits until they are there
    return running
