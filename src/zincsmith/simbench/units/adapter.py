"""The physics of a simulated AC-DC supply, read from a TOML file in examples/standins/.

Losses, mains side and regulation are quasi-static; starting, protection, heat and hold-up move in time.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zincsmith.simbench.units.defect import Defect, Parts
from zincsmith.simbench.units.parameters import (
    Ageing,
    Burst,
    Corrector,
    Display,
    Inrush,
    Losses,
    Output,
    PowerGood,
    Protection,
    Response,
    Ripple,
    Start,
    Switch,
    Thermal,
    read_sections,
)
from zincsmith.simbench.units.rails import Rails
from zincsmith.simbench.units.rectifier import STEPS, Intake, Rectifier
from zincsmith.simbench.units.wired import Wired

NOTHING = Intake(0.0, 0.0, 0.0)
MEETS = 4  # times round, until load and output agree
EMPTY_V = 0.5  # below it what shut down with a capacitor across it tries again
CHARGES_S = 1e-3  # a step of a capacitor that is charged through the output
APART_S = 5.0  # an overload that comes so long after the last is another one
LIMITING = ("constant current", "foldback", "constant power")
PEAK = 3.0  # times the limit: what a converter gives at most before its protection acts


@dataclass(frozen=True)
class Steady:
    """One operating point as it really is: what a perfect set of instruments would read."""

    input_current_A: float
    input_power_W: float
    output_voltage_V: float
    output_current_A: float

    @property
    def efficiency(self) -> float:
        return self.output_voltage_V * self.output_current_A / self.input_power_W


class Adapter:
    """A single-output supply between the mains and a load; ``step`` moves it on in time. ``direct``: it is fed with
    direct current; ``nominal_V`` is the input that losses and line effect are stated at."""

    direct = False
    nominal_V = 230.0

    def __init__(self, output: Output, losses: Losses, thermal: Thermal, start: Start, mains: Rectifier,
                 **more: Any) -> None:  # fmt: skip
        self.output, self.losses, self.thermal, self.start, self.mains = output, losses, thermal, start, mains
        self.corrector: Corrector = more.get("corrector", Corrector())
        self.burst: Burst = more.get("burst", Burst())
        self.power_good: PowerGood = more.get("power_good", PowerGood())
        self.protection: Protection = more.get("protection", Protection())
        self.ripple: Ripple = more.get("ripple", Ripple())
        self.response: Response = more.get("response", Response())
        self.inrush: Inrush = more.get("inrush", Inrush())
        self.switch: Switch = more.get("switch", Switch())
        self.ageing: Ageing = more.get("ageing", Ageing())
        self.display: Display | None = more.get("display")
        self.rails: Rails | None = more.get("rails")
        self.spots: dict[str, float] = more.get("spots", {})
        self.defect = Defect(more.get("parts", Parts()))
        self.added_ohm = 0.0  # what somebody has put in series with the output, inside the unit
        self.across_F = 0.0  # what somebody has put across the output
        self.wired = Wired()
        self.held_off = False  # at a terminal of its own
        self.core_degC = self.case_degC = 25.0
        self.output_V = self.current_A = 0.0
        self.intake = NOTHING
        self.bulk_V = 0.0  # of the bulk capacitor, behind the bridge
        self.state = "off"
        self.correcting = self.fan_on = self.fan_stopped = False
        self._time_s = self._in_state_s = self._overloaded_s = self._stored_J = 0.0
        self._overloads, self._overload_ended_s = 0, -math.inf
        self._grid: dict[tuple[float, float, int], Intake] = {}

    @classmethod
    def read(cls, file: Path) -> Adapter:
        """Read the physics; a missing or unknown key is a ValueError that names it."""
        return cls(**read_sections(file))

    # What it does at one point, without time

    def loss_W(self, input_V: float, current_A: float, core_degC: float) -> float:
        """Converter loss in W between bulk capacitor and output."""
        k, line = self.losses, input_V / self.nominal_V
        fixed = k.fixed_W * line**k.fixed_line_exponent
        square = k.square_W_per_A2 * line**-k.square_line_exponent * (1.0 + k.square_per_K * (core_degC - 25.0))
        loss: float = fixed + k.linear_W_per_A * current_A + (square + self.added_ohm) * current_A**2
        return loss

    @property
    def wanted(self) -> dict[str, tuple[object, ...]]:
        """By output, what its user has set; nothing where nobody sets it."""
        return {}

    @property
    def ends_V(self) -> float:
        """What its output goes to from here."""
        return self.output_V

    def regulated_V(self, input_V: float, current_A: float, core_degC: float) -> float:
        """Output voltage in V while it regulates; with an open feedback it does not."""
        o = self.output
        volts = self.wired.moved(o.voltage_V * (1.0 + o.setpoint_error_percent / 100.0), current_A)
        return self.defect.regulated_V(
            volts
            + o.line_uV_per_V * 1e-6 * (input_V - self.nominal_V)
            + o.drift_uV_per_K * 1e-6 * (core_degC - 25.0)
            - (o.resistance_ohm + self.added_ohm) * current_A
        )

    def crest_V(self, input_V: float) -> float:
        """What a capacitor behind the input is charged to, V."""
        return math.sqrt(2.0) * input_V

    def draw(self, input_V: float, frequency_Hz: float, converter_W: float, correcting: bool = False) -> Intake:
        """Mains side for a converter power: corrected, or interpolated between integrated points 1.5 W apart."""
        if correcting:
            c = self.corrector
            watts = converter_W / c.efficiency
            return Intake(watts / (input_V * c.power_factor), watts, c.bulk_V)
        step = 1.5
        low = int(converter_W / step)
        share = converter_W / step - low
        a, b = (self._point(input_V, frequency_Hz, low + k) for k in (0, 1))
        if math.isinf(b.power_W):  # the capacitor cannot carry as much
            return a
        # What is interpolated is the loss of the rectifier, not the power: it is small, so is its error.
        loss_a, loss_b = a.power_W - low * step, b.power_W - (low + 1) * step
        return Intake(
            a.current_A + share * (b.current_A - a.current_A),
            converter_W + loss_a + share * (loss_b - loss_a),
            a.bulk_min_V + share * (b.bulk_min_V - a.bulk_min_V),
        )

    def input_current_wave(self, input_V: float, frequency_Hz: float, times_s: list[float]) -> list[float]:
        """The input current from moment to moment, with the rms value of the moment. Corrected, it is the fundamental
        and as much of the third as its power factor leaves; else what the bridge takes."""
        amps = self.intake.current_A
        if not amps:
            return [0.0] * len(times_s)
        if self.correcting:
            share = self.corrector.power_factor
            first, third = share, math.sqrt(1.0 - share * share)
            wave = [
                math.sqrt(2.0) * (first * math.sin(x) + third * math.sin(3.0 * x))
                for x in (2.0 * math.pi * frequency_Hz * t for t in times_s)
            ]
            return [amps * x for x in wave]
        converter = self.output_V * self.current_A + self.loss_W(input_V, self.current_A, self.core_degC)
        half = self.mains.half_cycle(input_V, frequency_Hz, converter)
        if not half:
            return [0.0] * len(times_s)
        scale = amps / math.sqrt(sum(x * x for x in half) / len(half))
        wave = []
        for t in times_s:
            place = 2.0 * (t * frequency_Hz % 1.0) * len(half)
            way = 1.0 if place < len(half) else -1.0
            wave.append(way * scale * half[int(place) % len(half)])
        return wave

    def input_half_cycle(self, input_V: float, frequency_Hz: float) -> list[float]:
        """The input current over the positive half of the cycle, with the rms value of the moment."""
        times = [(k + 0.5) / STEPS / 2.0 / frequency_Hz for k in range(STEPS)]
        return self.input_current_wave(input_V, frequency_Hz, times)

    def _point(self, input_V: float, frequency_Hz: float, index: int) -> Intake:
        key = (round(input_V, 2), frequency_Hz, index)
        if key not in self._grid:
            self._grid[key] = self.mains.steady(input_V, frequency_Hz, 1.5 * index)
        return self._grid[key]

    def steady(self, input_V: float, frequency_Hz: float, current_A: float, ambient_degC: float = 23.0) -> Steady:
        """The operating point after any warm-up, by iterating temperature and loss; corrected when it would be."""
        core = ambient_degC
        for _ in range(60):
            volts = self.regulated_V(input_V, current_A, core)
            loss = self.loss_W(input_V, current_A, core)
            converter = volts * current_A + loss
            intake = self.draw(input_V, frequency_Hz, converter, converter >= self.corrector.from_W)
            heat = intake.power_W - volts * current_A
            t = self.thermal
            core = ambient_degC + heat * (t.core_to_case_K_per_W + t.case_to_ambient_K_per_W)
        return Steady(intake.current_A, intake.power_W, volts, current_A)

    # How it moves in time

    def step(
        self, dt_s: float, input_V: float, frequency_Hz: float, wanted_A: float | Callable[[float], float],
        ambient_degC: float,
    ) -> None:  # fmt: skip
        """Move on by ``dt_s`` with the source at ``input_V`` (0: off) and a load: amperes, or amperes at a voltage."""
        at = wanted_A if callable(wanted_A) else (lambda _volts, amps=wanted_A: amps)
        left = dt_s
        while True:
            h = min(left, self._pace_s(input_V))
            self._time_s += h
            self._in_state_s += h
            self.intake = NOTHING
            self._move(h, input_V, frequency_Hz, at)
            self.intake = self.defect.draw(self.intake, input_V, self.mains.series_ohm, h)
            self.defect.strain(self.output_V, h)
            self._charge(h, input_V)
            self._warm(h, self.intake.power_W - self.output_V * self.current_A, ambient_degC)
            left -= h
            if left <= 1e-12:
                return

    def _charge(self, h: float, input_V: float) -> None:
        """The bulk capacitor: at the corrector's volts, or in the middle of its ripple; without mains what the unit
        still draws empties it, and then its start-up resistor alone."""
        peak = math.sqrt(2.0) * input_V
        if input_V > 0.0 and peak >= self.bulk_V - 1e-9:
            low = self.intake.bulk_min_V if self.state == "running" else peak
            self.bulk_V = self.corrector.bulk_V if self.correcting and self.state == "running" else (peak + low) / 2.0
        elif self.state == "running" and input_V < self.start.stop_V:
            until = 2.0 * self.start.stop_V**2
            self.bulk_V = math.sqrt(until + 2.0 * max(0.0, self._stored_J) / self.mains.bulk_F)
        elif self.state == "running":  # a corrector holds it, or it falls with what is drawn to the new crest
            self.bulk_V = self.corrector.bulk_V if self.correcting else peak
        else:
            fallen = self.bulk_V * math.exp(-h / (self.start.start_ohm * self.mains.bulk_F))
            self.bulk_V = max(peak, fallen)

    def _pace_s(self, input_V: float) -> float:
        """Short steps while something happens, long ones at rest."""
        quiet = self.state == "running" and self._overloaded_s == 0.0 and input_V >= self.start.stop_V
        return 5.0 if quiet or (input_V == 0.0 and self.output_V == 0.0) else 0.05

    def _become(self, state: str) -> None:
        if state != self.state:
            self.state, self._in_state_s, self._overloaded_s = state, 0.0, 0.0

    def _move(self, h: float, input_V: float, hertz: float, at: Callable[[float], float]) -> None:
        s = self.start
        holds = self.state == "latched" and self.bulk_V > self.protection.latched_above_V > 0.0
        if self.state in ("off", "latched", "hot") and input_V < min(s.wake_V, s.stop_V) and not holds:
            self._become("off")
        if self.state == "running" and input_V < s.stop_V:
            if self._hold_up(h, at):
                return
            self._become("off")
        if self.rails is not None:
            self.rails.apart_fed = self.held_off and input_V >= s.stop_V
        if self.held_off:
            self._become("off")
        elif self.state == "off" and input_V >= s.start_V and self.defect.starts:
            self._become("starting")
        if self.state in ("starting", "soft start", "pause", "shut down") and input_V < s.stop_V:
            self._become("off")  # nothing tries again without mains
        self._try_again(at)
        if self.state in ("running", "soft start"):
            self._run(h, input_V, hertz, at)
        else:
            self._run_down(h, at(1.0))
            self._rest(input_V)

    def _try_again(self, at: Callable[[float], float]) -> None:
        """What a waiting, a hot or a shut-down unit does once its time, its heat or its load allows."""
        if self.state == "starting" and self._in_state_s >= self.start.delay_s:
            self._become("soft start")
        if self.state == "pause" and self._in_state_s >= self.protection.off_s:
            self._become("soft start")
        if self.state == "hot" and self.core_degC <= self.thermal.restart_degC:
            self._become("starting")
        if (
            self.state == "shut down"
            and at(self.output.voltage_V) <= self.protection.restart_share * self.output.limit_A
            and (not self.across_F or self.output_V < EMPTY_V)
        ):
            self._become("soft start")

    def _rest(self, input_V: float) -> None:
        """What it takes without running: its start-up resistor, and attempts to start."""
        s = self.start
        if not input_V:
            self.intake = Intake(0.0, 0.0, 0.0)
            return
        standing = input_V**2 / s.start_ohm + (self.rails.apart_W if self.rails is not None else 0.0)
        watts = standing
        trying = self.state == "off" and s.wake_V <= input_V < s.start_V and self.defect.tries
        watts += self.defect.attempt_W(s.attempt_W if trying else 0.0, self.state)
        bursting = self._time_s % s.period_s < s.attempt_s
        if not bursting:
            watts = standing
        amps = 2.0 * math.pi * 50.0 * self.mains.x_capacitor_F * input_V
        real = watts / (0.5 * input_V) if input_V else 0.0
        self.intake = Intake(math.hypot(amps, real), watts, math.sqrt(2.0) * input_V)

    def _run(self, h: float, input_V: float, hertz: float, at: Callable[[float], float]) -> None:
        full = self.regulated_V(input_V, 0.0, self.core_degC)
        share = 1.0
        if self.state == "soft start":
            share = min(1.0, self._in_state_s / self.start.soft_start_s) if self.start.soft_start_s else 1.0
            if share >= 1.0:
                self._become("running")
        if self.defect.shorted_output:
            self._become("pause")
            self.output_V = self.current_A = 0.0
            self.intake = Intake(15.0 / (0.5 * input_V), 15.0, 0.0) if input_V else Intake(0.0, 0.0, 0.0)
            return
        if self.across_F and self.output_V < 0.98 * full:
            self._charge_across(h, input_V, hertz, at, full)
            return
        wanted = at(full * share)
        if wanted > self.output.limit_A:
            self._overload(h, input_V, hertz, at, full * share)
            return
        self._overloaded_s = 0.0
        aimed = share * self.regulated_V(input_V, wanted, self.core_degC)
        for _ in range(MEETS):  # what is drawn depends on the volts that are left
            wanted = at(aimed)
            aimed = share * self.regulated_V(input_V, wanted, self.core_degC)
        held = self._held(input_V, hertz, at, aimed)
        self._supply(input_V, hertz, wanted if held == aimed else at(held), held)
        if self.core_degC > self.thermal.shutdown_degC:
            self._become("hot")

    def _charge_across(self, h: float, input_V: float, hertz: float, at: Callable[[float], float], full: float) -> None:
        """A capacitor across the output: it follows the soft start where that leaves amps for it, C dV/dt; else it is
        charged by what the limit leaves of the load, and the protection counts the time."""
        limit, p, volts, left = self.output.limit_A, self.protection, self.output_V, h
        since = self._in_state_s - h
        while left > 1e-9 and volts < 0.98 * full:
            dt = min(CHARGES_S, left)
            since, left = since + dt, left - dt
            ramp_s = self.start.soft_start_s if self.state == "soft start" else 0.0
            aimed = full * min(1.0, since / ramp_s) if ramp_s else full
            spare = limit - at(volts)
            if self.across_F * (aimed - volts) / dt <= spare:
                volts, self._overloaded_s = max(volts, aimed), 0.0
                continue
            volts = max(0.0, volts + dt * spare / self.across_F)
            self._overloaded_s += dt
            if p.kind != "none" and p.kind not in LIMITING and self._overloaded_s > p.delay_s:
                self._become({"hiccup": "pause", "latching": "latched"}.get(p.kind, "shut down"))
                self.output_V = volts
                self._run_down(h, at(1.0))
                return
        self._supply(input_V, hertz, min(limit, at(volts)), volts)

    def _held(self, input_V: float, hertz: float, at: Callable[[float], float], volts: float) -> float:
        """What is left of the output once the duty is at its end: where the share of its volts meets the share that the
        valley of the bulk capacitor is of what it takes; all while it regulates, or a corrector holds the bulk."""
        least = self.start.sags_below_V
        if not least or self.correcting:
            return volts

        def beyond(share: float) -> bool:
            amps = at(share * volts)
            watts = share * volts * amps + self.loss_W(input_V, amps, self.core_degC)
            return self.draw(input_V, hertz, watts).bulk_min_V < share * least

        if not beyond(1.0):
            return volts
        low, high = 0.0, 1.0
        for _ in range(30):
            middle = 0.5 * (low + high)
            low, high = (low, middle) if beyond(middle) else (middle, high)
        return low * volts

    def _supply(self, input_V: float, hertz: float, amps: float, volts: float) -> None:
        self.current_A, self.output_V = amps, volts
        converter = volts * amps + self.loss_W(input_V, amps, self.core_degC)
        c = self.corrector
        self.correcting = converter >= (c.until_W if self.correcting else c.from_W)
        mean = self.draw(input_V, hertz, converter, self.correcting)
        self.intake = self._packets(mean, converter)
        peak = c.bulk_V if self.correcting else self.crest_V(input_V)
        self._stored_J = 0.5 * self.mains.bulk_F * max(0.0, peak**2 - self.crest_V(self.start.stop_V) ** 2)

    def _packets(self, mean: Intake, converter_W: float) -> Intake:
        b = self.burst
        if converter_W >= b.below_W:
            return mean
        inside = self._time_s % b.period_s < b.duty * b.period_s
        factor = (1.0 - (1.0 - b.duty) * b.rest_share) / b.duty if inside else b.rest_share
        return Intake(mean.current_A * math.sqrt(factor), mean.power_W * factor, mean.bulk_min_V)

    def _overload(self, h: float, input_V: float, hertz: float, at: Callable[[float], float], volts: float) -> None:
        """The load wants more than the limit: what happens is the kind of protection."""
        p, limit = self.protection, self.output.limit_A
        if self._overloaded_s == 0.0 and self._time_s - self._overload_ended_s > APART_S:
            self._overloads += 1
        self._overloaded_s += h
        self._overload_ended_s = self._time_s
        kind = p.every_other if p.every_other and self._overloads % 2 == 0 else p.kind
        if p.then and self._overloaded_s > p.delay_s + p.then_after_s:
            kind = p.then
        if kind == "none" or self._overloaded_s <= p.delay_s:
            amps = at(volts)
            if amps > PEAK * limit:  # a short: what its switch lets through in a cycle is all there is
                amps, at_V = self._crossing(at, volts, lambda _v: PEAK * limit)
                self._supply(input_V, hertz, amps, at_V)
                return
            left = max(0.0, self.regulated_V(input_V, amps, self.core_degC))
            for _ in range(MEETS):
                amps = at(left)
                left = max(0.0, self.regulated_V(input_V, amps, self.core_degC))
            self._supply(input_V, hertz, amps, left)
        elif kind in LIMITING:
            amps, volts = self._limited(at, volts, limit, kind)
            self._supply(input_V, hertz, amps, volts)
            if self.core_degC > self.thermal.shutdown_degC:
                self._become("hot")
        else:
            self._become({"hiccup": "pause", "latching": "latched"}.get(kind, "shut down"))
            self._run_down(h, at(1.0))

    def _limited(self, at: Callable[[float], float], volts: float, limit_A: float, kind: str) -> tuple[float, float]:
        """Where the line of the load meets that of the limit, by bisection on the output voltage."""
        p, power_W = self.protection, limit_A * self.output.voltage_V

        def allowed(v: float) -> float:
            if kind == "foldback":
                return limit_A * (p.fold_share + (1.0 - p.fold_share) * v / self.output.voltage_V)
            if kind == "constant power":
                return min(power_W / v if v > 0.0 else math.inf, 1.5 * limit_A)
            return limit_A

        return self._crossing(at, volts, allowed)

    @staticmethod
    def _crossing(at: Callable[[float], float], volts: float, allowed: Callable[[float], float]) -> tuple[float, float]:
        """(A, V) where a load and what it is allowed meet."""
        low, high = 0.0, volts
        for _ in range(40):
            middle = 0.5 * (low + high)
            if at(middle) > allowed(middle):
                high = middle
            else:
                low = middle
        return (min(allowed(low), at(low)) if low > 1e-3 else allowed(0.0)), low

    def _hold_up(self, h: float, at: Callable[[float], float]) -> bool:
        """Carry on from the bulk capacitor; False when what it held is used up."""
        self.current_A = at(self.output_V)
        self._stored_J -= h * (self.output_V * self.current_A + self.losses.fixed_W)
        return self._stored_J > 0.0

    def _run_down(self, dt_s: float, wanted_A: float) -> None:
        # An electronic load keeps its current down to about a volt, then behaves as a resistor.
        o = self.output
        farad = o.capacitor_F * self.ageing.capacity_share + self.across_F
        left = dt_s
        while left > 0.0 and self.output_V > 1e-4:
            dt = min(left, 0.02)
            self.current_A = wanted_A * min(1.0, self.output_V)
            slope = (self.current_A + self.output_V / o.bleeder_ohm) / farad
            self.output_V = max(0.0, self.output_V - dt * slope)
            left -= dt
        if self.output_V <= 1e-4:
            self.output_V = self.current_A = 0.0

    def _warm(self, dt_s: float, heat_W: float, ambient_degC: float) -> None:
        t = self.thermal
        self.fan_on = self.core_degC > (t.fan_off_degC if self.fan_on else t.fan_on_degC)
        to_room = t.case_to_ambient_K_per_W / (t.fan_factor if self.fan_on and not self.fan_stopped else 1.0)
        steps = max(1, math.ceil(dt_s / 2.0))
        dt = dt_s / steps
        for _ in range(steps):
            inward = (self.core_degC - self.case_degC) / t.core_to_case_K_per_W
            outward = (self.case_degC - ambient_degC) / to_room
            self.core_degC += dt * (max(0.0, heat_W) - inward) / t.core_J_per_K
            self.case_degC += dt * (inward - outward) / t.case_J_per_K
