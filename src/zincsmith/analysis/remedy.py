"""What a choke in series with an output, a capacitor across it, or both would leave of a ripple that was recorded.

Each component of the record passes a divider: choke and its resistance above, capacitor with its series resistance and
the load below. It is a prediction: a choke passes the fastest edges through its winding, which is not in it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.ripple import ripple_of

Array = NDArray[np.float64]

LEFT_OUT = 0.05  # of a record at either end: there the ends that were joined show
SATURATED = 0.7  # of its inductance is left at the current that a choke is marked with; common practice, no source
ESR_SPAN = (0.5, 2.0)  # by which a series resistance may differ from what is stated; common practice, no source
AMPLIFIES = 1.1


@dataclass(frozen=True)
class Choke:
    """``ohm`` of its winding; ``saturation_A`` the current at which 30 % of its inductance is gone, None: not said."""

    henry: float
    ohm: float = 0.0
    saturation_A: float | None = None

    def at(self, current_A: float) -> float:
        """Inductance under a direct current, H: L / (1 + a (I / Isat)^2), 70 % at Isat."""
        if self.saturation_A is None:
            return self.henry
        return self.henry / (1.0 + (1.0 / SATURATED - 1.0) * (current_A / self.saturation_A) ** 2)


@dataclass(frozen=True)
class Capacitor:
    """``ohm`` is its series resistance."""

    farad: float
    ohm: float


@dataclass(frozen=True)
class Remedy:
    """``source_ohm`` is what the output itself has in the way, its own capacitor's series resistance: a capacitor alone
    works against nothing else. ``tolerance`` is that of both parts, relative."""

    choke: Choke | None = None
    capacitor: Capacitor | None = None
    tolerance: float = 0.2
    source_ohm: float = 0.0


@dataclass(frozen=True)
class Left:
    """One figure of the ripple: as it was, as it is expected, and between which it may lie by the tolerances; V."""

    was_V: float
    expected_V: float
    low_V: float
    high_V: float


@dataclass(frozen=True)
class Prediction:
    """``left`` by the names of the figures; ``drop_V`` and ``heat_W`` of the choke under the load; ``resonance_Hz`` of
    both parts, ``rise`` by how much they raise what lies there (1: not)."""

    left: dict[str, Left]
    drop_V: float
    heat_W: float
    inductance_H: float | None
    resonance_Hz: float | None
    rise: float


def passed(remedy: Remedy, hertz: Array, load_ohm: float, current_A: float) -> NDArray[np.complex128]:
    """The share of each component that is left, complex, at frequencies above zero."""
    jw = 2j * math.pi * hertz
    above = np.full(len(hertz), complex(remedy.source_ohm))
    if remedy.choke is not None:
        above = above + remedy.choke.ohm + jw * remedy.choke.at(current_A)
    below = np.full(len(hertz), complex(load_ohm))
    if remedy.capacitor is not None:
        branch = remedy.capacitor.ohm + 1.0 / (jw * remedy.capacitor.farad)
        below = below * branch / (below + branch)
    return np.asarray(below / (below + above), dtype=np.complex128)


def treated(volts: Array, step_s: float, remedy: Remedy, load_ohm: float, current_A: float) -> Array:
    """The record behind the remedy, its ends left out. ``volts`` (n,)."""
    about = volts - float(np.mean(volts))
    hertz = np.asarray(np.fft.rfftfreq(len(about), step_s), dtype=np.float64)
    spectrum = np.fft.rfft(about)
    spectrum[1:] *= passed(remedy, hertz[1:], load_ohm, current_A)
    cut = int(LEFT_OUT * len(about))
    return np.asarray(np.fft.irfft(spectrum, len(about))[cut : len(about) - cut], dtype=np.float64)


def predicted(
    volts: Array, step_s: float, remedy: Remedy, nominal_V: float, current_A: float, line_Hz: float | None = None
) -> Prediction:
    """ValueError below 16 samples, or without a part. The load is taken as a resistance at its current."""
    if remedy.choke is None and remedy.capacitor is None:
        raise ValueError("a remedy has a choke, a capacitor, or both")
    load_ohm = abs(nominal_V) / max(current_A, 1e-3)
    cut = int(LEFT_OUT * len(volts))
    was = _parts(volts[cut : len(volts) - cut], step_s, line_Hz)
    each = [_parts(treated(volts, step_s, one, load_ohm, current_A), step_s, line_Hz) for one in corners(remedy)]
    left = {
        name: Left(value, each[0][name], min(e[name] for e in each), max(e[name] for e in each))
        for name, value in was.items()
        if all(name in e for e in each)
    }
    choke, capacitor = remedy.choke, remedy.capacitor
    resonance, rise = None, 1.0
    if choke is not None and capacitor is not None:
        resonance = 1.0 / (2.0 * math.pi * math.sqrt(choke.at(current_A) * capacitor.farad))
        around = np.asarray(resonance * np.geomspace(0.3, 3.0, 201), dtype=np.float64)
        rise = max(1.0, float(np.max(np.abs(passed(remedy, around, load_ohm, current_A)))))
    ohm = choke.ohm if choke is not None else 0.0
    return Prediction(
        left, ohm * current_A, ohm * current_A**2, choke.at(current_A) if choke is not None else None, resonance, rise
    )


def corners(remedy: Remedy) -> list[Remedy]:
    """As stated, then every corner of the tolerances and of what is known of the series resistance."""
    shares = (1.0 - remedy.tolerance, 1.0 + remedy.tolerance)
    found = [remedy]
    for henry, farad, ohm in product(shares, shares, ESR_SPAN):
        choke, capacitor = remedy.choke, remedy.capacitor
        if choke is not None:
            choke = replace(choke, henry=choke.henry * henry)
        if capacitor is not None:
            capacitor = replace(capacitor, farad=capacitor.farad * farad, ohm=capacitor.ohm * ohm)
        found.append(replace(remedy, choke=choke, capacitor=capacitor))
    return found


def _parts(volts: Array, step_s: float, line_Hz: float | None) -> dict[str, float]:
    one = ripple_of(volts, step_s, line_Hz)
    found = {"peak_to_peak": one.peak_to_peak_V, "rms": one.rms_V}
    if one.limited_V is not None:
        found["peak_to_peak_limited"] = one.limited_V
    if one.line is not None:
        found["line_peak_to_peak"] = one.line.peak_to_peak_V
    if one.switching is not None:
        found["switching_peak_to_peak"] = one.switching.peak_to_peak_V
    return found
