"""Keeps the computer from falling asleep while a real bench is armed; a sleeping engine watches over nothing."""

from __future__ import annotations

import shutil
import subprocess

PROGRAM = "systemd-inhibit"
ANSWERS_S = 0.3  # a refusal comes at once; one that holds says nothing


class SleepInhibitor:
    """``hold`` asks the system's own inhibitor. It is a child that ends with this process, however that ends: it waits
    for the end of a pipe that only this process holds."""

    def __init__(self) -> None:
        self._child: subprocess.Popen[bytes] | None = None

    def hold(self) -> str:
        """Empty when sleep is now held off, else what a person should know and do."""
        program = shutil.which(PROGRAM)
        if program is None:
            return _refused(f"{PROGRAM} is not on this computer")
        why = "A power supply is energised under test"
        command = [program, "--what=sleep:idle:handle-lid-switch", "--who=Zincsmith", f"--why={why}", "cat"]
        try:
            pipe = subprocess.PIPE
            child = subprocess.Popen(
                command, stdin=pipe, stdout=subprocess.DEVNULL, stderr=pipe, start_new_session=True
            )
        except OSError as error:
            return _refused(str(error.strerror))
        try:
            child.wait(ANSWERS_S)
        except subprocess.TimeoutExpired:
            self._child = child
            return ""
        said = child.communicate()[1].decode(errors="replace").strip()
        return _refused(said.splitlines()[-1] if said else f"{PROGRAM} ended with {child.returncode}")

    def release(self) -> None:
        """Let the computer sleep again; harmless when nothing is held."""
        child, self._child = self._child, None
        if child is None:
            return
        try:
            child.communicate(timeout=2.0)  # closes the pipe it waits for
        except subprocess.TimeoutExpired:
            child.kill()
            child.communicate()


def _refused(why: str) -> str:
    return (
        f"This computer may fall asleep during the run: {why}. Switch its sleep and its lid switch off; while it "
        "sleeps nobody watches over the bench."
    )
