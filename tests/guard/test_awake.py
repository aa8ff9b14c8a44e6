"""Sleep is held off while a real bench is armed, and whoever cannot do so says it."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from zincsmith.guard.sleep_inhibitor import PROGRAM, SleepInhibitor

HANG_GUARD_S = 60.0


@pytest.fixture
def program(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Where a program of that name is found first."""
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    return tmp_path / PROGRAM


def write(program: Path, text: str) -> None:
    program.write_text(f"#!/bin/sh\n{text}\n")
    program.chmod(0o755)


def test_sleep_is_held_off_until_released(program: Path, tmp_path: Path) -> None:
    write(program, f'echo "$@" > {tmp_path}/asked; cat > /dev/null; echo ended > {tmp_path}/ended')
    sleep_inhibitor = SleepInhibitor()
    assert sleep_inhibitor.hold() == ""
    guard = time.monotonic() + HANG_GUARD_S
    while not (tmp_path / "asked").exists():
        assert time.monotonic() < guard
    assert "--what=sleep" in (tmp_path / "asked").read_text()
    assert not (tmp_path / "ended").exists()
    sleep_inhibitor.release()
    assert (tmp_path / "ended").exists()
    sleep_inhibitor.release()  # twice does no harm


def test_a_refusal_is_told_with_what_to_do(program: Path) -> None:
    write(program, "echo 'Access denied' >&2; exit 1")
    said = SleepInhibitor().hold()
    assert "Access denied" in said
    assert "Switch its sleep" in said


def test_a_computer_without_it_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    assert f"{PROGRAM} is not on this computer" in SleepInhibitor().hold()
