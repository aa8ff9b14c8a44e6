"""What a file of physics states of a simulated AC-DC supply, section by section.

Sections a file leaves out keep a unit simple: no corrector, no burst mode, no fan, a shutdown that recovers by itself.
"""

from __future__ import annotations

import math
import tomllib
from dataclasses import MISSING, dataclass, fields
from pathlib import Path
from typing import Any

from zincsmith.simbench.units.defect import Parts
from zincsmith.simbench.units.rails import read_rails
from zincsmith.simbench.units.rectifier import Rectifier


@dataclass(frozen=True)
class Output:
    """The regulator: what it aims for and how it errs."""

    voltage_V: float
    setpoint_error_percent: float
    resistance_ohm: float
    line_uV_per_V: float  # change of output for each volt of input, from 230 V
    drift_uV_per_K: float  # change of output for each kelvin of the hot part, from 25 degC
    limit_A: float  # above this current the protection acts
    capacitor_F: float
    bleeder_ohm: float
    back_ohm: float = math.inf  # what it takes from behind while it is off, its bleeder where nothing else is said

    def __post_init__(self) -> None:
        if math.isinf(self.back_ohm):
            object.__setattr__(self, "back_ohm", self.bleeder_ohm)


@dataclass(frozen=True)
class Losses:
    """Loss between bulk capacitor and output: fixed + linear x I + square x I^2, stated at 230 V and 25 degC."""

    fixed_W: float
    linear_W_per_A: float
    square_W_per_A2: float
    fixed_line_exponent: float  # fixed loss goes with (V/230)^this
    square_line_exponent: float  # square loss goes with (230/V)^this
    square_per_K: float  # and grows with the temperature of the hot part


@dataclass(frozen=True)
class Thermal:
    """Two stages: the hot part heats the case, the case heats the room.

    Above ``shutdown_degC`` of the hot part it stops until ``restart_degC``. A fan, where there is one, starts at
    ``fan_on_degC`` and stops at ``fan_off_degC``; it divides the resistance to the room by ``fan_factor``.
    """

    core_J_per_K: float
    core_to_case_K_per_W: float
    case_J_per_K: float
    case_to_ambient_K_per_W: float
    shutdown_degC: float = math.inf
    restart_degC: float = math.inf
    fan_on_degC: float = math.inf
    fan_off_degC: float = math.inf
    fan_factor: float = 1.0


@dataclass(frozen=True)
class Start:
    """Lowest rms input that starts it, lowest that keeps it running, and the delay before the output rises.

    Where the bulk capacitor falls below ``sags_below_V`` between two crests the duty is at its end: the output sags in
    proportion.

    From ``wake_V`` up it tries: ``attempt_W`` for ``attempt_s`` every ``period_s``. ``start_ohm`` feeds its controller.
    """

    start_V: float
    stop_V: float
    delay_s: float
    soft_start_s: float = 0.0
    wake_V: float = math.inf
    attempt_W: float = 0.0
    attempt_s: float = 0.12
    period_s: float = 1.2
    start_ohm: float = math.inf
    sags_below_V: float = 0.0


@dataclass(frozen=True)
class Stage:
    """``nominal_V`` is the input that losses and line effect are stated at. Stepping down, no more comes out than
    ``duty_most`` of the input less what ``path_ohm`` and ``drop_V`` take; stepping up, or either way, no more than
    ``input_limit_A`` brings in. ``passes_less_V``: what an idle boost stage passes is the input less that."""

    nominal_V: float
    steps: str = "down"
    duty_most: float = 1.0
    drop_V: float = 0.0
    path_ohm: float = 0.0
    input_limit_A: float = math.inf
    passes_less_V: float = math.inf
    input_F: float = 100e-6
    input_ohm: float = 0.02
    source_H: float = 2e-6  # of source and leads, ahead of its input capacitor


@dataclass(frozen=True)
class Supply:
    """``raw_V`` is ahead of the pass element at ``nominal_V`` of input without load, falling by ``raw_ohm``; it needs
    ``headroom_V``. What is set errs by a share and an offset, what is shown likewise. In constant current an ampere
    changes by ``cc_S`` a volt of output and ``cc_line_S`` a volt of input."""

    most_V: float
    most_A: float
    raw_V: float
    raw_ohm: float
    nominal_V: float = 230.0
    headroom_V: float = 2.0
    volts_share: float = 0.0
    volts_offset_V: float = 0.0
    amps_share: float = 0.0
    amps_offset_A: float = 0.0
    shown_volts_share: float = 0.0
    shown_volts_V: float = 0.0
    shown_amps_share: float = 0.0
    shown_amps_A: float = 0.0
    cc_S: float = 0.0
    cc_line_S: float = 0.0
    trip_V: float = 33.0  # above this its over-voltage protection switches the output off, until told otherwise
    trip_share: float = 0.0  # how far off that acts
    cc_noise_A: float = 0.0  # peak to peak, of a sine at twice the line, in amps that it holds
    set_step_V: float = 0.0  # its volts are set in such steps
    glitch_V: float = 0.0  # beyond its volts as it is switched off or its input goes: half a sine of ``glitch_s``
    glitch_s: float = 2e-3
    limit_lag_s: float = 100e-6  # until its limit acts on what a load draws beyond it
    volts_lag_s: float = 300e-6  # until its volts are held again, once they are there


@dataclass(frozen=True)
class Alternating:
    """Of an inverter: the frequency and how far it is off, odd orders as shares of the fundamental without load and
    what the limit adds, a direct part. Below ``search_below_W`` it is on for ``search_s`` every ``search_period_s``; up
    to ``surge_W`` it gives more than its limit until its protection acts. ``second`` makes its halves differ;
    ``hiss_V`` of ``hiss_Hz`` is what its switching leaves on its output; ``behind_ohm`` stands behind its volts for
    what starts at it."""

    frequency_Hz: float
    frequency_ppm: float = 0.0
    third: float = 0.005
    third_at_limit: float = 0.015
    fifth: float = 0.004
    fifth_at_limit: float = 0.01
    offset_V: float = 0.0
    search_below_W: float = 0.0
    search_s: float = 0.2
    search_period_s: float = 1.0
    search_rest_W: float = 0.5
    surge_W: float = math.inf
    second: float = 0.0
    step_share: float = 0.05  # of the volts that a step to its limit takes at first, back with ``step_s``
    step_s: float = 0.03
    input_ripple: float = 0.3  # of its input amps at twice the output frequency, its capacitor leaves so much
    hiss_V: float = 0.0
    hiss_Hz: float = 20e3
    behind_ohm: float = 12.0


@dataclass(frozen=True)
class Corrector:
    """Boost power factor correction: in above ``from_W`` of converter power, out below ``until_W``."""

    from_W: float = math.inf
    until_W: float = math.inf
    bulk_V: float = 390.0
    efficiency: float = 0.97
    power_factor: float = 0.985


@dataclass(frozen=True)
class PowerGood:
    """A terminal that goes to ``level_V`` so long after all outputs are up, and to zero once the bulk capacitor has
    come down to ``bulk_V`` (or with the converter, where that is lower); no such terminal at 0 V."""

    level_V: float = 0.0
    delay_s: float = 0.2
    bulk_V: float = 0.0


@dataclass(frozen=True)
class Burst:
    """Below ``below_W`` of converter power it works in packets: ``duty`` of every ``period_s``."""

    below_W: float = 0.0
    period_s: float = 0.8
    duty: float = 0.3
    rest_share: float = 0.2  # of the mean power, between packets


@dataclass(frozen=True)
class Protection:
    """What an overload does: see KINDS. ``delay_s`` before it acts; ``off_s`` is the pause of a hiccup."""

    kind: str = "shutdown"
    delay_s: float = 0.0
    off_s: float = 0.8
    fold_share: float = 0.3  # of the limit, foldback at zero volts
    restart_share: float = 1.0  # of the limit: what shut down comes back where no more than that is asked for
    latched_above_V: float = 0.0  # of the bulk capacitor: above that a latch holds, whatever the input does
    then: str = ""  # what it does once it has limited for ``then_after_s``
    then_after_s: float = 1.0
    every_other: str = ""  # what it does instead in every second overload


@dataclass(frozen=True)
class Ripple:
    """Output ripple: from the switching current through capacitor and ESR, from the mains, spikes and noise."""

    switching_Hz: float = 65e3
    current_A: float = 1.0  # peak to peak in the output capacitor
    esr_ohm: float = 0.03
    mains_rejection: float = 2e-4  # of the bulk ripple
    spike_V: float = 0.02
    noise_V: float = 0.002  # rms


@dataclass(frozen=True)
class Switch:
    """The switch of the converter: the volts that the secondary reflects, how its leakage rings, and how evenly it
    works: *even*, *alternating* or *skipping*."""

    reflected_V: float = 90.0
    leakage_Hz: float = 5e6
    leakage_share: float = 0.5
    jitter: float = 0.0005
    pattern: str = "even"
    saturates_A: float = 1e3  # from here on its core has a fifth of its inductance left


@dataclass(frozen=True)
class Inrush:
    """What limits the charging of the bulk capacitor: a thermistor cold and hot, and the source."""

    cold_ohm: float = 8.0
    hot_ohm: float = 1.0
    source_ohm: float = 0.4


@dataclass(frozen=True)
class Response:
    """Second-order answer to a load step: natural frequency, damping, and volts of the first dip for each ampere."""

    natural_Hz: float = 4000.0
    damping: float = 0.35
    dip_ohm: float = 0.12


@dataclass(frozen=True)
class Ageing:
    """What the years did to the output capacitor."""

    capacity_share: float = 1.0
    esr_factor: float = 1.0


@dataclass(frozen=True)
class Display:
    """The unit's own display: it errs by a share, and looks at the volts before ``sense_ohm`` to the terminals; watts
    below ``least_W`` it does not show."""

    volts_error_percent: float = 0.0
    amps_error_percent: float = 0.0
    sense_ohm: float = 0.0
    watts_error_percent: float = 0.0
    least_W: float = 0.0

    def watts(self, true_W: float) -> float:
        return true_W * (1.0 + self.watts_error_percent / 100.0) if true_W >= self.least_W else 0.0


STEPPING = ("down", "up", "either way")
FED_BY = ("mains", "stage", "supply")  # one of them
KINDS = ("constant current", "foldback", "hiccup", "latching", "constant power", "shutdown", "none")


OPTIONAL = (
    "alternating", "corrector", "burst", "protection", "ripple", "response", "inrush", "switch", "ageing", "display",
    "parts", "power_good",
)  # fmt: skip
SECTIONS: dict[str, Any] = {
    "output": Output,
    "losses": Losses,
    "thermal": Thermal,
    "start": Start,
    "mains": Rectifier,
    "stage": Stage,
    "supply": Supply,
    "alternating": Alternating,
    "corrector": Corrector,
    "burst": Burst,
    "power_good": PowerGood,
    "protection": Protection,
    "ripple": Ripple,
    "response": Response,
    "inrush": Inrush,
    "switch": Switch,
    "ageing": Ageing,
    "display": Display,
    "parts": Parts,
}


def read_sections(file: Path) -> dict[str, Any]:
    """The sections of a file as records; a missing or unknown key is a ValueError that names it."""
    return sections_of(file.read_text("utf-8"), file)


def sections_of(text: str, file: Path) -> dict[str, Any]:
    """The same of a text; ``file`` is what it is told of by."""
    raw = tomllib.loads(text)
    parts: dict[str, Any] = {}
    for name, kind in SECTIONS.items():
        fed = name in FED_BY and any(one in raw or one in parts for one in FED_BY)
        if name not in raw and (name in OPTIONAL or fed):
            continue
        section = raw.pop(name, {})
        known = {f.name for f in fields(kind)}
        needed = set() if name in OPTIONAL else {f.name for f in fields(kind) if f.default is MISSING}
        if not needed <= set(section) <= known:
            odd = ", ".join(sorted((needed - set(section)) | (set(section) - known)))
            raise ValueError(f"{file}: [{name}] has missing or unknown keys: {odd}")
        parts[name] = kind(**{k: v if isinstance(v, str) else float(v) for k, v in section.items()})
    raw.pop("name", None)
    # By name how far from the case to the hot part a spot lies: 1 is that part itself, 0 the case.
    parts["spots"] = {str(spot): float(share) for spot, share in raw.pop("spots", {}).items()}
    parts["rails"] = read_rails(raw.pop("rail", None), parts["output"].voltage_V, file, raw.pop("shared", None))
    if raw:
        raise ValueError(f"{file}: unknown sections: {', '.join(sorted(raw))}")
    if len([one for one in FED_BY if one in parts]) > 1:
        raise ValueError(f"{file}: it is fed by one of {' and '.join(FED_BY)}, not by both")
    if "stage" in parts and parts["stage"].steps not in STEPPING:
        raise ValueError(f"{file}: [stage] steps must be one of {', '.join(STEPPING)}")
    p = parts.get("protection", Protection())
    if p.kind not in KINDS or any(one and one not in KINDS for one in (p.then, p.every_other)):
        raise ValueError(f"{file}: [protection] kind, then and every_other must be one of {', '.join(KINDS)}")
    return parts
