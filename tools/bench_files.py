"""Files and waveforms: each measure over a floor of the same run."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np

from zincsmith.analysis.power import power_of

PAIRS = 1_000_000
ROWS = 1_700_000  # a file of 50 MB and more
Row = tuple[str, float, float, float]
FILE_CODE = """
import sys, time
{imports}
began = time.perf_counter()
{work}
seconds = time.perf_counter() - began
# Of this program alone: what getrusage tells of a child begins with the peak of its parent.
print(seconds, next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""
OURS = (
    "import pyarrow.csv, numpy\nfrom pathlib import Path\nfrom zincsmith.formats.table_file import read_columns",
    "found = read_columns(Path(sys.argv[1]))\nassert len(found.values) == 3",
)
THEIRS = ("import pandas", "found = pandas.read_csv(sys.argv[1])\nassert found.shape[1] == 3")


def power(least: Callable[[Callable[[], object], int], float]) -> list[Row]:
    """A million pairs with a number of periods that is not whole, against one spectrum of each channel."""
    rows = []
    for rate in (20_000.0, 200_000.0):
        t = np.arange(PAIRS) / rate
        w = 2.0 * np.pi * 50.03 * t
        volts, amps = 325.0 * np.sin(w) + 3.0 * np.sin(3 * w), np.sin(w - 0.4) ** 3

        def spectra(volts: np.ndarray = volts, amps: np.ndarray = amps) -> None:
            np.fft.rfft(volts)
            np.fft.rfft(amps)

        floor = least(spectra, 5)
        ours = least(lambda v=volts, a=amps, r=rate: power_of(v, a, 1.0 / r), 5)  # type: ignore[misc]
        rows.append((f"power of a million pairs at {rate / 1000:g} kHz", ours / floor, 2.0, 1000.0 * ours))
    return rows


def import_of_text(folder: Path) -> list[Row]:
    """A clean numeric file of 50 MB, in processes of their own: time, and the peak of memory."""
    file = folder / "big.csv"
    t = np.arange(ROWS) * 1e-5
    values = np.stack([t, 325.0 * np.sin(314.159 * t), 2.0 * np.sin(314.159 * t - 0.5)], axis=1)
    np.savetxt(file, values, delimiter=",", header="time_s,voltage_V,current_A", comments="", fmt="%.9g")
    assert file.stat().st_size > 50e6

    def best(code: tuple[str, str]) -> tuple[float, float]:
        text = FILE_CODE.format(imports=code[0], work=code[1])
        found = []
        for _ in range(5):
            done = subprocess.run([sys.executable, "-c", text, str(file)], capture_output=True, text=True, check=True)
            seconds, peak = map(float, done.stdout.split())
            found.append((seconds, peak))
        return min(s for s, _ in found), min(p for _, p in found)

    theirs, ours = best(THEIRS), best(OURS)
    return [
        ("a text file of 50 MB, time", ours[0] / theirs[0], 1.3, 1000.0 * ours[0]),
        ("a text file of 50 MB, peak of memory", ours[1] / theirs[1], 1.0, 1000.0 * ours[0]),
    ]
