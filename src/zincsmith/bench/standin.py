"""Starting the stand-in bench: a process of its own that lives until the last holder of its pipe is gone."""

from __future__ import annotations

import json
import os
import select
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

from zincsmith.model.errors import InputError
from zincsmith.model.rig import StandIn

START_S = 20.0


@dataclass
class RunningStandIn:
    """``keep_fd`` is the write end of its pipe: pass it on to whoever must be able to outlive this process."""

    addresses: dict[str, str]
    keep_fd: int
    process: subprocess.Popen[bytes]

    def stop(self) -> None:
        """Let go of the pipe and wait for the process; only right for the last holder."""
        os.close(self.keep_fd)
        self.process.wait(timeout=10)


def start_standin(standin: StandIn, log: Path | None = None, faces: tuple[str, ...] = ()) -> RunningStandIn:
    """Start it and hear its addresses. InputError when the physics file is missing or wrong.

    ``faces`` names roles that a person reads: the stand-in shows their meters in small windows of its own.
    """
    if not Path(standin.file).is_file():
        raise InputError(
            "the physics of the simulated unit is not there; name another with --standin", file=standin.file
        )
    read_fd, keep_fd = os.pipe()
    command = [sys.executable, "-m", "zincsmith.simbench", "--unit", standin.file, "--seed", str(standin.seed)]
    for role in faces:
        command += ["--face", role]
    if log is not None:
        command += ["--log", str(log)]
    process = subprocess.Popen(
        command, stdin=read_fd, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True
    )
    os.close(read_fd)
    assert process.stdout is not None
    assert process.stderr is not None
    ready, _, _ = select.select([process.stdout], [], [], START_S)
    line = process.stdout.readline() if ready else b""
    if not line:
        os.close(keep_fd)
        if not ready:
            process.kill()
        said = process.stderr.read().decode(errors="replace").strip().splitlines()
        process.wait()
        process.stdout.close()
        process.stderr.close()
        raise InputError(said[-1] if said else "the stand-in bench did not start", file=standin.file)
    process.stdout.close()
    process.stderr.close()
    addresses = {str(one["role"]): str(one["visa"]) for one in json.loads(line)["instruments"]}
    return RunningStandIn(addresses, keep_fd, process)
