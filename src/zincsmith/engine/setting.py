"""Source and load: every setting checked against the limits, sent, read back - or asked of a person."""

from __future__ import annotations

import math
import re
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, Literal

from zincsmith.analysis.expectation import expected
from zincsmith.analysis.load_laws import level_of
from zincsmith.analysis.resistor_load import bank_ohm, bank_steps
from zincsmith.bench.instrument import ScpiInstrument
from zincsmith.bench.roles import FEEDING
from zincsmith.engine.beside_load import BaseLoads, Contactors, LoadSwitches
from zincsmith.engine.operator import Operator
from zincsmith.engine.poll_loop import PollLoop
from zincsmith.model.actions import ChooseMode, SetLoad, SetSource
from zincsmith.model.address import at_port, name_of
from zincsmith.model.commands import Gone, Pass, answers
from zincsmith.model.errors import BookError, InstrumentError, LimitError, Refused, ZincsmithError
from zincsmith.model.events import Effected, HandSetting
from zincsmith.model.operating_point import LAW_WORDS, OF_LAW, LoadLaw, Mode, SetPoint, feed_words
from zincsmith.model.port import HARD_RESET, UNPLUGGED, can_be_set, of_output, setter_of
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.rig import Instrument
from zincsmith.model.roles import BY_LAW, source_role
from zincsmith.model.settings import Drawn, Fed, Settings
from zincsmith.model.unit import OutputRating
from zincsmith.planning.limits import Limits
from zincsmith.planning.rig_facts import derived, step_words
from zincsmith.planning.watches import tightest

CLIMB_A_SHARE = 0.25  # of the load change; gradually, so that overshoot trips no overcurrent protection
CLIMB_S = 1.0
COMES_UP_SLICES = 5  # of CLIMB_S, before any load is put on
CONFIRM_AT_MOST_S = 120.0  # how long a person is awaited who has to switch something off
CONFIRM_SLICE_S = 0.25
SEEN_FIRST = ("input_power", "input_current", "output_voltage")
RUNS_FROM = 0.5  # of the lowest rated input: from here on an output may be there

SAME_MODE = 0.05  # of its volts: what a port offers within that is the mode that is meant
SHORT_MODE = "SHOR"  # as the dialect of a load has it
Body = dict[str, float | str | bool | None]
Setting = SetSource | SetLoad | ChooseMode


class Setter:
    """Carries out the setting actions of a run."""

    def __init__(self, poll_loop: PollLoop, operator: Operator, limits: Limits) -> None:
        self.poll_loop, self.operator, self.limits = poll_loop, operator, limits
        self.bench = poll_loop.bench
        self._arranged: dict[str, str] = {}  # by port, how a load by hand stands, in the words of its gate
        self._laws: dict[str, LoadLaw | Literal[""]] = {}  # by place, what a load by wire was last told
        self.bases = BaseLoads(self.bench, operator)
        self.switches = LoadSwitches(self.bench, operator)
        self.contactors = Contactors(self.bench)
        self._left_A: dict[str, float] = {}  # by port, what a load beside a base was last set to
        self._rests: set[str] = set()  # inputs whose source by hand was said to be off

    def carry_out(self, action: Setting) -> Body:
        """LimitError, with nothing sent, beyond a limit. The read-back is in the book when it returns, and returned."""
        self.limits.check(action, self.poll_loop.settings.drawn_A, self.poll_loop.settings.modes)
        self.poll_loop.hear()
        carry: dict[type, Callable[[Any], Body]] = {
            SetSource: self._source, SetLoad: self._load, ChooseMode: self._mode,
        }  # fmt: skip
        found = carry[type(action)](action)
        self.poll_loop.event_log.append(Effected(type(action).__name__, found))
        self.poll_loop.history.clear()
        settings = self.poll_loop.settings
        plate, ambient = self.operator.plate, self.operator.ambient_degC
        ahead = expected(plate, settings.input_V, settings.drawn_A, ambient, settings.modes)
        shorted = {at_port("output_current", port) for port, one in settings.draws.items() if one.shorted}
        self.bench.choose_ranges({name: one.high for name, one in ahead.items() if name not in shorted})
        return found

    def bring_to(self, wanted: Settings) -> None:
        """From whatever is set now to these settings, load off while the source changes, then up gradually."""
        now = self.poll_loop.settings
        feeds = {port: fed for port, fed in wanted.feeds.items() if fed != now.feeds.get(port, Fed())}
        modes = {port: mode for port, mode in wanted.modes.items() if mode != now.modes.get(port)}
        if feeds or modes:
            for port in now.drawn_A:
                self.carry_out(SetLoad(0.0, False, port))
            for port, fed in feeds.items():
                self.carry_out(SetSource(fed.voltage_V, fed.frequency_Hz, fed.on, port))
            for _ in range(COMES_UP_SLICES if feeds else 0):
                self.poll_loop.slice(CLIMB_S)
            for port, mode in modes.items():
                self.carry_out(ChooseMode(mode, port))
        for port, drawn in sorted(wanted.draws.items(), key=lambda one: one[1].on):
            # Nobody overloads a unit again only because its run was interrupted: the plan goes on from no load.
            self._climb(port, Drawn() if drawn.beyond else drawn)
        self.poll_loop.slice(CLIMB_S)

    def go_to(self, wanted: Settings) -> None:
        """From what is set now straight to these settings, loaded as it is: how a sweep goes."""
        now = self.poll_loop.settings
        for port, fed in wanted.feeds.items():
            if fed != now.feeds.get(port, Fed()):
                self.carry_out(SetSource(fed.voltage_V, fed.frequency_Hz, fed.on, port))
        for port, drawn in wanted.draws.items():
            if drawn != now.draws.get(port, Drawn()) and not drawn.beyond:
                self.carry_out(SetLoad(drawn.current_A, drawn.on, port, drawn.law, drawn.level, drawn.pulses))

    def _climb(self, port: str, wanted: Drawn) -> None:
        """One load up gradually, or down at once."""
        now = self.poll_loop.settings
        start, end = now.drawn_A.get(port, 0.0), wanted.current_A if wanted.on else 0.0
        if end > start:
            steps = max(1, round((end - start) / (CLIMB_A_SHARE * end)))
            for n in range(1, steps):
                current = start + (end - start) * n / steps
                self.carry_out(SetLoad(current, True, port, wanted.law, self._level(port, wanted.law, current)))
                self.poll_loop.slice(CLIMB_S)
        if wanted != self.poll_loop.settings.draws.get(port, Drawn()):
            self.carry_out(SetLoad(wanted.current_A, wanted.on, port, wanted.law, wanted.level, wanted.pulses))

    def _level(self, port: str, law: LoadLaw, current: float) -> float | None:
        voltage = replace(self.limits.envelope, modes=self.poll_loop.settings.modes).voltage_V(port)
        return None if law == "CC" else level_of(law, voltage, current)

    def _source(self, action: SetSource) -> Body:
        after = self.poll_loop.settings.after(action)
        place = at_port(source_role(action.frequency_Hz), action.port)
        if action.on and not self.poll_loop.settings.source_on:
            self.contactors.prove_open()
        if action.on and action.voltage_V > 0.0:
            self.bench.seen.feeds(action.voltage_V >= RUNS_FROM * self.operator.plate.input.voltage_min_V)
        if place not in self.bench.instruments:
            return self._source_by_hand(action, place)
        source = self.bench.instruments[place]
        found: Body = {**self._prepared(source, self.bench.rig.need(place), action), **_at(action.port)}
        if action.phase_deg is not None and source.can_choose("phase"):
            found["phase_deg"] = source.set("phase", round(action.phase_deg, 1) % 360.0)
        if action.on:
            self.poll_loop.settings = after  # from here on it has to be taken as live
        if not action.on:
            self.bench.unit_sleeps()
        found["on"] = bool(source.set("output", action.on))
        self.poll_loop.settings = after
        return found | (source.dip(action.dip) if action.dip is not None else {})

    @staticmethod
    def _prepared(source: ScpiInstrument, declared: Instrument, action: SetSource) -> Body:
        """Volts, and with them hertz, or of direct current the limit that the source itself keeps to."""
        if action.frequency_Hz:
            voltage = source.set("voltage", action.voltage_V)
            return {"voltage_V": voltage, "frequency_Hz": source.set("frequency", action.frequency_Hz)}
        found: Body = {"frequency_Hz": 0.0}
        if (limit := source_limit_A(declared)) is not None:
            found["limit_A"] = source.set("current", limit)
        return {"voltage_V": source.set("voltage", action.voltage_V), **found}

    def _source_by_hand(self, action: SetSource, place: str) -> Body:
        """A gate with what to set and at which readings to switch off first; none where it stands so already. What is
        set by hand lands where it lands: the volts reached are typed, and they are what counts."""
        if action.dip is not None:
            raise LimitError("the plan wants a dip of the line; nobody makes one by hand")
        before, one = self.poll_loop.settings.feeds.get(action.port, Fed()), self.bench.rig.instrument(place)
        lands = action.on and getattr(one, "outlet", None) is None
        stands = (before.voltage_V, before.on) == (action.voltage_V, True)
        same = stands if action.on else action.port in self._rests
        voltage = action.voltage_V
        while not same:
            if action.on:
                self.poll_loop.settings = self.poll_loop.settings.after(
                    action
                )  # from here on it has to be taken as live
            reached = self.operator.set_by_hand(
                place,
                source_words(one, action, before),
                self._switch_off_at(action.on),
                action.voltage_V if lands else None,
                lambda v: self.limits.check(replace(action, voltage_V=v, on=True)),
            )
            if reached is None or self.operator.heed("input_voltage", reached):
                voltage = reached if reached is not None else voltage
                break
        self._rests = self._rests - {action.port} if action.on else self._rests | {action.port}
        self.poll_loop.settings = self.poll_loop.settings.after(replace(action, voltage_V=voltage))
        stands_at = {"voltage_V": voltage, "frequency_Hz": action.frequency_Hz}
        return {**stands_at, "on": action.on, "hand": True, **_at(action.port)}

    def _switch_off_at(self, raising: bool) -> tuple[str, ...]:
        """The readings at which a person switches off first and types later: judging what was typed comes late."""
        if not raising:
            return ()
        by_hand = set(self.bench.by_hand()) - derived(self.bench.rig)  # what is on a display in front of them
        return tuple(
            f"{info.inside} above {watch.high:.3g} {info.unit}"
            for watch in tightest(self.poll_loop.watches.all)
            if watch.high is not None and watch.quantity in by_hand and name_of(watch.quantity) in SEEN_FIRST
            for info in (WATCHABLE[watch.quantity],)
        )

    def _beside(self, action: SetLoad, base: Instrument) -> Body:
        """A base load takes its share: what the load is set to goes down before the base is switched and up after, so
        that both together never draw more than the greater of what was and what is wanted."""
        if action.law != "CC":
            raise LimitError(f"{base.name} stands beside the load: both together can only draw a constant current")
        voltage = replace(self.limits.envelope, modes=self.poll_loop.settings.modes).voltage_V(action.port)
        one = self.bench.rig.need(at_port("load", action.port))
        wanted = action.current_A if action.on else 0.0
        found = self.bases.shared(base, wanted, voltage, one.most.get("current_A", math.inf))
        was = self._left_A.get(action.port, 0.0)
        if found.left_A < was:
            self._steady(replace(action, current_A=found.left_A, on=action.on and found.left_A > 0.0), shared=True)
        self.bases.switch(base, found.steps, voltage)
        body = self._steady(replace(action, current_A=found.left_A, on=action.on and found.left_A > 0.0), shared=True)
        self._left_A[action.port] = found.left_A
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        return {**body, "current_A": action.current_A, "on": action.on, "base_A": found.base_A}

    def _load(self, action: SetLoad) -> Body:
        """Load, what stands beside it and what a switch adds: off that before anything goes up, on it last."""
        if action.pulses is None:
            self.switches.rest(action.port)
        if action.shorted and action.on and self.contactors.at(action.port) is not None:
            return self._by_contactor(action)
        self.contactors.open(action.port)
        found = self._steady(action)
        if action.pulses is not None:
            found |= self.switches.run(action.port, action.pulses)
            self.poll_loop.settings = self.poll_loop.settings.after(action)
        return found | self._ceiling(action)

    def _ceiling(self, action: SetLoad) -> Body:
        """Beyond the rating: what comes next, where it ends, and who sets that."""
        if not action.beyond or not action.on:
            return {}
        most = self.limits.load_A(
            action.port, self.poll_loop.settings.modes, min(action.beyond, self.limits.most_beyond(action.port))
        )
        return {"next_A": action.next_A, "ceiling_A": most.value, "ceiling_by": most.whose}

    def _steady(self, action: SetLoad, shared: bool = False) -> Body:
        settings, place = self.poll_loop.settings, at_port("load", action.port)
        after = settings.after(action)
        base = self.bases.at(action.port)
        if base is not None and not shared and not action.shorted:
            return self._beside(action, base)
        if place not in self.bench.instruments:
            voltage = replace(self.limits.envelope, modes=settings.modes).voltage_V(action.port)
            words = load_words(self.bench.rig.instrument(place), action, voltage)
            if (ceiling := self._ceiling(action)) != {}:
                words += f" Never beyond {ceiling['ceiling_A']:.4g} A: that is {ceiling['ceiling_by']}."
            if words != self._arranged.get(action.port):  # one gate for each change that a person makes
                self.operator.set_by_hand(place, words, self._switch_off_at(action.on and settings.source_on))
            self._arranged[action.port] = words
            self.poll_loop.settings = after
            return {"current_A": action.current_A, "on": action.on, "hand": True, **_law(action), **_at(action.port)}
        load = self.bench.instruments[place]
        if action.shorted and action.on:
            return self._short(action, load, place)
        if not action.on:
            on = load.set("input", False)
        if action.on or action.law == "CC":
            self._take_law(load, place, action.law)
            level = load.set(BY_LAW[action.law].quantity, action.set_to)
        if action.on:
            on = load.set("input", True)
        self.poll_loop.settings = after
        current = level if action.law == "CC" else action.current_A
        return {"current_A": current, "on": bool(on), **_law(action), **_at(action.port)}

    def _short(self, action: SetLoad, load: ScpiInstrument, place: str) -> Body:
        """The short input of a load: chosen with its input off, so that the input is what shorts. LimitError for a load
        that has none, or whose rig does not say its ohm."""
        one = self.bench.rig.need(place)
        if one.short_ohm is None or not load.can_choose("mode"):
            raise LimitError(f"{one.name} has no short input that the rig states; nothing else shorts an output here")
        load.set("input", False)
        load.choose("mode", SHORT_MODE)
        # Nobody knows what the unit gives at first: the widest range there is, before it flows.
        self.bench.choose_ranges({at_port("output_current", action.port): one.most.get("current_A", action.current_A)})
        self._laws[place] = ""  # whatever is asked next chooses its own law again
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        on = bool(load.set("input", True))
        return {"current_A": action.current_A, "on": on, "shorted": True, **_at(action.port)}

    def _by_contactor(self, action: SetLoad) -> Body:
        """The contactor closes beside the load, which stays as it is set: at such volts it draws next to nothing."""
        self.contactors.close(action.port)
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        return {"current_A": action.current_A, "on": True, "shorted": True, "contactor": True, **_at(action.port)}

    def _take_law(self, load: ScpiInstrument, place: str, law: LoadLaw) -> None:
        """The law is chosen with the input off. Whatever somebody left a load at, it is told once a run."""
        if self._laws.get(place) == law or not load.can_choose("mode"):
            return
        if not load.is_at("mode", BY_LAW[law].mode):
            load.set("input", False)
            load.choose("mode", BY_LAW[law].mode)
        self._laws[place] = law

    def _mode(self, action: ChooseMode) -> Body:
        """A port is asked for a mode: by the sink controller at it, by its place in the list, else by a person."""
        if isinstance(action.mode, SetPoint):
            return self._set_point(action, action.mode)
        place = at_port("sink_controller", action.port)
        modes = {m.name: m.voltage_V[1] for m in of_output(self.limits.envelope.output(action.port)).modes}
        found: Body = {"mode": str(action.mode), **_at(action.port)}
        if action.mode == HARD_RESET:
            return found | self._reset(action, place)
        on = action.mode != UNPLUGGED
        if place in self.bench.instruments:
            one = self.bench.instruments[place]
            if one.can_choose("attached"):
                one.set("attached", on)
            if on:
                found |= self._requested(one, modes[str(action.mode)])
        else:
            where = f" at {action.port}" if action.port else ""
            words = f"Ask for {action.mode}{where}, with whatever asks the port for a mode."
            rigged = self.bench.rig.instrument(place)
            if rigged is not None and rigged.is_device:
                words = f"Measure the port{where}. At 5 V, and only then, plug the device in; it is to ask for "
                words += f"{action.mode}. Note what it shows."
            self.operator.set_by_hand(
                place, words if on else f"Take everything off the port{where}: nothing is plugged in."
            )
            found["hand"] = True
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        return found

    def _reset(self, action: ChooseMode, place: str) -> Body:
        """The port is made to start anew, as far as what asks it can say so."""
        found: Body = {}
        one = self.bench.instruments.get(place)
        if one is None:
            self.operator.set_by_hand(
                place, f"Send a hard reset{f' at {action.port}' if action.port else ''}, with whatever asks the port."
            )
            found["hand"] = True
        elif "reset" in one.dialect.operation:
            one.do("reset")
        else:
            found["refused"] = "its dialect knows no hard reset"
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        return found

    def _set_point(self, action: ChooseMode, to: SetPoint) -> Body:
        """An output is set: by the sink at it, by the unit's own interface, or by a person; the limit of its current
        before its volts, and both before it comes on."""
        output = self.limits.envelope.output(action.port)
        place = at_port(setter_of(output), action.port)
        found: Body = {"mode": str(to), "set_V": to.voltage_V, "set_A": to.current_A, "on": to.on, **_at(action.port)}
        one = self.bench.instruments.get(place)
        if one is None:
            self.operator.set_by_hand(place, set_point_words(output, to, self.poll_loop.settings.modes))
            found["hand"] = True
        else:
            found |= self._programmed(one, to)
        self.poll_loop.settings = self.poll_loop.settings.after(action)
        return found

    def _programmed(self, one: ScpiInstrument, to: SetPoint) -> Body:
        """A unit that refuses says so, and what it then gives is what is measured."""
        if not one.link.is_open:  # a unit answers once it is fed
            one.reopen()
        switched = one.can_choose("output")
        try:
            if switched and not to.on:
                one.set("output", False)
                return {}
            if to.trip_V is not None:
                one.set("protection", to.trip_V)
            current = one.set("current", to.current_A)
            voltage = one.set("voltage", to.voltage_V)
            if switched:
                one.set("output", True)
        except Refused as refused:
            return {"refused": str(refused)}
        return {"read_back_V": voltage, "read_back_A": current}

    @staticmethod
    def _requested(one: ScpiInstrument, voltage_V: float) -> Body:
        """What came of asking for a mode, by its place among those that the port offers now: what it does not offer is
        not asked for, and a port may refuse. What it then gives is what is measured."""
        said = one.word("modes")
        offered = [float(part) for part in re.split("[,;]", said) if _is_volts(part)]
        place = next((n for n, volts in enumerate(offered, 1) if abs(volts - voltage_V) <= SAME_MODE * voltage_V), None)
        if place is None:
            listed = ", ".join(f"{v:g} V" for v in offered) or said[:40]
            return {"offered": listed, "refused": f"the port offers {listed}, not {voltage_V:g} V"}
        try:
            return {"number": one.set("mode", float(place))}
        except Refused as refused:
            return {"refused": str(refused)}

    def switched_off_by_hand(self, role: str, words: str) -> str:
        """Tell a person to switch off what the program cannot, and wait. Empty when nobody confirmed it, else how.

        A power meter that read the input live, and no longer does, confirms it as well as a person does.
        """
        event_log = self.poll_loop.event_log
        asked = event_log.try_append(HandSetting(role, words))
        until = time.monotonic() + CONFIRM_AT_MOST_S
        while time.monotonic() < until:
            self.bench.beat()
            try:
                commands = self.poll_loop.operator_interface.commands(CONFIRM_SLICE_S)
            except BookError:
                return ""
            if any(isinstance(c, Pass) and not c.automatic and answers(c, asked) for c in commands):
                return f"confirmed by {self.operator.name}"
            if any(isinstance(c, Gone) for c in commands):
                return ""
            if name_of(role) in FEEDING and self._input_is_dead():
                return "the power meter reads no input any more"
        return ""

    def _input_is_dead(self) -> bool:
        meter, channel = self.bench.instruments.get("power_meter"), self.bench.seen.channels.get("input_voltage")
        if meter is None or channel is None or not channel.lived:
            return False
        try:
            self.bench.clock.advance(CONFIRM_SLICE_S)
            voltage = meter.read().get("input_voltage")
        except (InstrumentError, ZincsmithError):
            return False
        return voltage is not None and voltage < channel.low


def _is_volts(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def set_point_words(output: OutputRating, to: SetPoint, modes: Mapping[str, Mode]) -> str:
    """What a person has to set: at the knobs of the unit, or with what asks its port."""
    where = f" at {output.name}" if output.name else ""
    if not to.on:
        return f"Switch the output of the unit off{where}; where it has no switch, turn its volts to zero."
    if not can_be_set(output):
        return f"Ask for {to.voltage_V:.4g} V and at most {to.current_A:.4g} A{where}, with whatever asks the port."
    before = next((m for m in modes.values() if isinstance(m, SetPoint) and m.on), None)
    volts = f"turn its volts{where} to {to.voltage_V:.4g} V, by the voltmeter"
    if before is not None and (before.current_A, before.trip_V) == (to.current_A, to.trip_V):
        return f"{volts[0].upper()}{volts[1:]}. The limit of its current stays as it is."
    protection = f"its over-voltage protection to {to.trip_V:.4g} V, " if to.trip_V is not None else ""
    return (
        f"Set {protection}the limit of its current{where} to {to.current_A:.4g} A, as the unit itself shows it, then "
        f"{volts}, with its output on."
    )


def _law(action: SetLoad) -> Body:
    """What a law other than constant current adds."""
    return {} if action.law == "CC" else {"law": action.law, "level": action.level}


def _at(port: str) -> Body:
    return {"port": port} if port else {}


def source_limit_A(one: Instrument) -> float | None:
    """The current that a source is set not to exceed: as the rig states it, else all it can give; None where neither is
    known."""
    most = one.most.get("current_A")
    return most if one.limit_A is None else min(one.limit_A, most if most is not None else one.limit_A)


def source_words(one: object, action: SetSource, now: Fed) -> str:
    """What a person has to do about a source that the program cannot reach."""
    name = getattr(one, "name", "source")
    if not action.on:
        return f"Switch the {name} off, or pull its plug."
    if getattr(one, "outlet", None) is not None:
        return f"Plug the unit in at the {name}, through the power meter."
    feed, meter = feed_words(action.voltage_V, action.frequency_Hz), "by the power meter"
    if not action.frequency_Hz:
        meter = "by the meter at the unit's input terminals, polarity checked"
    if now.on:
        return f"Turn the {name} to {action.voltage_V:g} V, {meter.split(',')[0]}."
    limit_A = source_limit_A(one) if isinstance(one, Instrument) and not action.frequency_Hz else None
    limited = f", its current limit to {limit_A:g} A" if limit_A is not None else ""
    return f"Set the {name} to {feed}{limited}, {meter}, and switch it on."


def load_words(one: Instrument | None, action: SetLoad, output_V: float) -> str:
    """What a person has to do about a load that the program cannot reach."""
    name = one.name if one is not None else "load"
    name = f"{name} at {action.port}" if action.port else name
    if not action.on or action.current_A <= 0.0:
        return f"Take the {name} off, or switch it off."
    kind = one.dummy.kind if one is not None and one.dummy is not None else ""
    if kind == "resistor":
        return f"Connect the {name}: its current follows from the volts across it. It gets hot, and its ends are live."
    if kind == "binary bank" and one is not None and one.dummy is not None and one.dummy.at_V:
        steps = bank_steps(one.dummy.steps_W, one.dummy.at_V, output_V, action.current_A)
        if not steps:
            return f"Switch every step of the {name} off: its smallest is too much for {action.current_A:.3g} A."
        drawn = output_V / bank_ohm(steps, one.dummy.at_V)
        return f"Switch on {step_words(steps)} of the {name}, nothing else: about {drawn:.3g} A at {output_V:g} V."
    if kind == "transistor":
        return (
            f"Turn the {name} up to {action.current_A:.3g} A and stay at it: it creeps as it warms and can run away. "
            "Read volts and amps together, and turn it down when they climb by themselves. Its metal is hot and live."
        )
    if kind == "lamp":
        return (
            f"Put on as many lamps of the {name} as draw about {action.current_A:.3g} A, warmed up: a cold one draws "
            "some ten times its current. What they draw is read in a moment."
        )
    if kind == "another supply":
        return (
            f"Let the {name} take {action.current_A:.3g} A. It has to be one that can take current; plus to plus, and "
            "its volts below those of the unit before it is joined."
        )
    if action.law != "CC":
        unit = {"ohm": "Ω"}.get(OF_LAW[action.law], OF_LAW[action.law])
        return (
            f"Set the {name} to {LAW_WORDS[action.law]}, {action.set_to:.4g} {unit}, and switch it on: it takes about "
            f"{action.current_A:.3g} A."
        )
    return f"Set the {name} to {action.current_A:.4g} A and switch it on."
