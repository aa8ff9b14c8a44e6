"""The engine holds the limits: every setting is checked against the least of what anybody allows, and what is
live is watched against the same."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.parts import highest_input_V
from zincsmith.analysis.resistor_load import base_most_A
from zincsmith.bench.dialect import laws_of
from zincsmith.model.actions import ChooseMode, SetLoad, SetSource, Watch
from zincsmith.model.address import at_port
from zincsmith.model.errors import InputError, LimitError
from zincsmith.model.fed import as_fed
from zincsmith.model.operating_point import LAW_WORDS, LAWS, LoadLaw, Mode
from zincsmith.model.plan import Plan
from zincsmith.model.port import of_output, output_ports
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.rig import Rig
from zincsmith.model.roles import SOURCES
from zincsmith.model.unit import Nameplate, Unit

NOTHING: Mapping[str, float] = {}
NO_MODES: Mapping[str, Mode] = {}
SINKS = 4  # polls in a row below its floor: a moment of a step is no empty battery
MOST_BEYOND = 1.60  # of it, where a procedure is about going beyond; common practice, no source
LOAD_CEILING = 1.10  # of the rated current: the plan's own ceiling for steady-state work
OVER_VOLTAGE = 1.15  # of nominal output
CEILING = 1.2  # of nominal output, where no part says what it stands; common practice, no source
CEILING_WORDS = "1.2 times the rated output"
MAINS_MAY_REACH = "110 % of the upper end of the rated input"
OVER_LINE = 1.10  # of the upper end of the rated input: what mains may reach for a while
HOTTEST_CASE_DEGC = 90.0  # common practice, no source


@dataclass(frozen=True)
class Bound:
    value: float
    whose: str


def _least(*bounds: Bound | None) -> Bound:
    return min((b for b in bounds if b is not None), key=lambda b: b.value)


@dataclass(frozen=True)
class Limits:
    """The greatest input voltage in V, by port the most that the load there can take in A, and the frequencies the unit
    is rated for in Hz. ``envelope`` says what each output and several together may give, ``room_share`` what the room
    leaves of that, ``loads_W`` by port the watts its load can take, ``laws`` how it can draw, ``shorts`` what can short
    it, with the most that a contactor stands, ``passing`` why an output must not be shorted that its input is passed
    on to."""

    source_V: Bound
    loads_most: Mapping[str, Bound | None]
    frequency_Hz: tuple[float, float]
    envelope: Envelope
    room_share: float = 1.0
    room_degC: float | None = None
    loads_W: Mapping[str, Bound | None] = field(default_factory=dict)
    laws: Mapping[str, tuple[LoadLaw, ...]] = field(default_factory=dict)
    shorts: Mapping[str, Bound | None] = field(default_factory=dict)
    passing: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, unit: Unit, rig: Rig, ambient_degC: float | None = None) -> Limits:
        unit = as_fed(unit, rig)
        nameplate = unit.nameplate
        envelope = Envelope(nameplate)

        def instrument(role: str, key: str) -> Bound | None:
            one = rig.instrument(role)
            return Bound(one.most[key], f"the most {one.name} can do") if one and key in one.most else None

        def beside(port: str, key: str, times: float) -> Bound | None:
            """What the load there can do, with what stands beside it."""
            own, more = instrument(at_port("load", port), key), base_most_A(rig, port, envelope.voltage_V(port))
            return own if own is None or not more else Bound(own.value + times * more, "the most load and base can do")

        share = 1.0 if ambient_degC is None else envelope.share_at(ambient_degC)
        return cls(
            source_V=_least(
                _rated_input(unit, rig),
                instrument(SOURCES[nameplate.input.type], "voltage_V"),
                *weakest_at_input(unit),
            ),
            loads_most={port: beside(port, "current_A", 1.0) for port in output_ports(nameplate)},
            frequency_Hz=(min(nameplate.input.hertz), max(nameplate.input.hertz)),
            envelope=envelope,
            room_share=share,
            room_degC=ambient_degC,
            loads_W={port: beside(port, "power_W", abs(envelope.voltage_V(port))) for port in output_ports(nameplate)},
            laws={one.port: laws_of(one) for one in rig.of("load")},
            shorts=_shorts(rig),
            passing=passing_its_input(unit, rig),
        )

    def check(
        self,
        action: SetSource | SetLoad | ChooseMode,
        drawn_A: Mapping[str, float] = NOTHING,
        modes: Mapping[str, Mode] = NO_MODES,
    ) -> None:
        """LimitError, before anything is sent, when a setting would go beyond, by itself or together with what the
        other ports give already."""
        if isinstance(action, SetSource):
            self._compare(action.voltage_V, self.source_V, "V", "source")
            if action.dip is not None:
                self._compare(action.dip.voltage_V, self.source_V, "V", "source")
            low, high = self.frequency_Hz
            if not low - 0.5 <= action.frequency_Hz <= high + 0.5:
                wants, rated = (f"{x:g} Hz" if x else "direct current" for x in (action.frequency_Hz, high))
                rated = f"{low:g} to {rated}" if low else rated
                raise LimitError(f"the plan wants {wants}; the unit is rated for {rated}")
        elif isinstance(action, SetLoad):
            self._check_load(action, drawn_A, modes)
        else:
            replace(self.envelope, modes={action.port: action.mode}).mode(action.port)

    def _check_load(self, action: SetLoad, drawn_A: Mapping[str, float], modes: Mapping[str, Mode]) -> None:
        if action.port not in self.loads_most:
            raise LimitError(f"the plan wants a load at {action.port!r}; the unit has no such output")
        at = f"load at {action.port}" if action.port else "load"
        ceiling = max(LOAD_CEILING, min(action.beyond, self.most_beyond(action.port)))
        if action.shorted and action.port not in self.shorts:
            raise LimitError(f"the plan wants the {at} shorted; the rig states no short input of it, and no contactor")
        if action.shorted and (why := self.passing.get(action.port)):
            raise LimitError(f"the plan wants the {at} shorted; {why}")
        by_contactor = self.shorts[action.port] if action.shorted else None
        bound = by_contactor if by_contactor is not None else self.load_A(action.port, modes, ceiling)
        self._compare(action.current_A, bound, "A", at)
        if by_contactor is not None:
            return
        if action.law not in self.laws.get(action.port, LAWS):
            able = ", ".join(LAW_WORDS[law] for law in self.laws[action.port])
            raise LimitError(f"the plan wants the {at} as {LAW_WORDS[action.law]}; it can only do: {able}")
        pulses = action.pulses.current_A if action.pulses is not None else 0.0
        if pulses:
            peak, bound = pulses + (action.current_A if action.on else 0.0), self.rated_A(action.port, modes)
            self._compare(peak, bound, "A", f"{at} with its switch closed")
        if action.on or pulses:
            voltage = replace(self.envelope, modes=modes).voltage_V(action.port)
            if (most_W := self.loads_W.get(action.port)) is not None:
                self._compare(abs(voltage) * action.current_A, most_W, "W", at)
            after = {**drawn_A, action.port: action.current_A + pulses}
            for one in replace(self.envelope, modes=modes).beyond_together(after, ceiling * self.room_share):
                raise LimitError(f"the plan goes too far: {one.words}")

    def most_beyond(self, port: str = "") -> float:
        """The greatest share of its rating that an output may be driven to: what its plate states for a moment, where
        that is more."""
        one = self.envelope.output(port)
        rated_W = abs(one.voltage_V) * one.current_A
        return max(MOST_BEYOND, (one.surge_W or 0.0) / rated_W if rated_W else 0.0)

    def load_A(self, port: str = "", modes: Mapping[str, Mode] = NO_MODES, ceiling: float = LOAD_CEILING) -> Bound:
        """The most that may be drawn from an output in the mode it is in, and by whom."""
        return _least(self.rated_A(port, modes, ceiling), self.loads_most[port])

    def rated_A(self, port: str = "", modes: Mapping[str, Mode] = NO_MODES, ceiling: float = LOAD_CEILING) -> Bound:
        """The most that the unit itself may be asked for at an output."""
        rated = replace(self.envelope, modes=modes).rated_A(port)
        derated = Bound(self.room_share * rated, f"the rated current derated for {self.room_degC or 0.0:g} °C")
        most = Bound(ceiling * rated, f"{100 * ceiling:.0f} % of the unit's rated current")
        return _least(most, derated if self.room_share < 1.0 else None)

    @staticmethod
    def _compare(wanted: float, bound: Bound, unit: str, what: str) -> None:
        if not 0.0 <= wanted <= bound.value * (1.0 + 1e-9):
            raise LimitError(f"the plan wants the {what} at {wanted:g} {unit}; {bound.whose} is {bound.value:g} {unit}")


def _rated_input(unit: Unit, rig: Rig) -> Bound:
    """The upper end of what the unit is rated for; of a wall outlet, which nobody sets, as much as mains may reach."""
    top = unit.nameplate.input.voltage_max_V
    source = rig.instrument(SOURCES[unit.nameplate.input.type])
    if source is not None and source.outlet is not None:
        return Bound(OVER_LINE * top, MAINS_MAY_REACH)
    return Bound(top, "the upper end of the unit's rated input")


def weakest_at_input(unit: Unit) -> list[Bound]:
    """What the parts that lie across the input are marked for, and those of a stage that its input reaches."""
    found = [
        Bound(p.rated_V, f"what {p.name} is marked for")
        for p in unit.look.parts
        if p.what in ("X capacitor", "input capacitor") and p.rated_V is not None
    ]
    for part in unit.look.parts:
        if (most := highest_input_V(part, unit.nameplate)) is not None:
            less = ", less the output" if part.stage == "inverting" else ""
            found.append(Bound(max(0.0, most), f"what {part.name} is marked for{less}"))
    return found


def passing_its_input(unit: Unit, rig: Rig) -> dict[str, str]:
    """By port why it must not be shorted: a stage that steps up passes its input on through inductor and rectifier,
    whatever its controller does, and nothing but the source limits what flows."""
    found = {}
    for port in output_ports(unit.nameplate):
        stage = [p for p in unit.look.parts if p.stage == "step-up" and port in ("", p.output or port)]
        if stage:
            carrying = [p for p in stage if p.what in ("inductor", "rectifier", "output rectifier")]
            known = [(p.rated_A * p.count, p.name) for p in carrying if p.rated_A is not None]
            source = rig.instrument(SOURCES[unit.nameplate.input.type])
            limit = source.limit_A if source is not None else None
            if why := _passes(limit, known, {"inductor"} < {p.what for p in carrying if p.rated_A is not None}):
                found[port] = f"it steps up, and passes its input into a short: {why}"
    return found


def _passes(limit_A: float | None, known: list[tuple[float, str]], both: bool) -> str:
    if not both:
        return "what its inductor and its rectifier stand, in A, is not among its parts"
    if limit_A is None:
        return "the rig states no current limit of the source"
    least, name = min(known)
    return f"the source gives up to {limit_A:g} A, {name} stands {least:g} A" if limit_A > least else ""


def _shorts(rig: Rig) -> dict[str, Bound | None]:
    """By port what shorts it: a contactor before a load's own short input, by wire only."""
    loads: dict[str, Bound | None] = {
        i.port: None for i in rig.of("load") if i.short_ohm is not None and i.how != "by hand"
    }
    contactors = {
        i.port: Bound(i.most["current_A"], f"the most {i.name} can do")
        for i in rig.of("contactor")
        if i.short_ohm is not None and "current_A" in i.most
    }
    return loads | contactors


def most_volts(plate: Nameplate) -> dict[str, float]:
    """By port the most that any mode of it is for, V, signed where there is one."""
    return {
        port: max((v for m in of_output(one).modes for v in m.voltage_V), key=abs)
        for port, one in zip(output_ports(plate), plate.outputs, strict=True)
    }


def whole_run(unit: Unit, rig: Rig, plan: Plan, polled: Collection[str], measured: Collection[str]) -> list[Watch]:
    """The watches of nameplate, parts, rig and plan, which stand from the first setting to the end of the run: on what
    is ``polled``, and on what else is ``measured`` as soon as it is typed. InputError for one that nothing can meet."""
    unit = as_fed(unit, rig)
    wanted = (*_nameplate(unit), *_parts(unit), *_rig(rig, unit), *_plan(plan))
    worked_out = {"run_time", *({"input_energy"} if "input_power" in polled else ())}
    for port in output_ports(unit.nameplate):
        if {at_port("output_voltage", port), at_port("output_current", port)} <= set(measured):
            worked_out.add(at_port("output_power", port))
    return [w for w in wanted if w.quantity in measured or w.quantity in worked_out]


def _no_further(port: str, voltage: float, whose: str, hard: bool = False) -> Watch:
    """An output goes no further from zero than this, whichever sign it has."""
    low, high = (voltage, None) if voltage < 0.0 else (None, voltage)
    return Watch(at_port("output_voltage", port), low, high, whose, hard=hard)


def _nameplate(unit: Unit) -> Iterator[Watch]:
    plate = unit.nameplate
    for port, voltage in most_volts(plate).items():
        yield _no_further(port, OVER_VOLTAGE * voltage, "115 % of the nameplate's output voltage")
    yield Watch("input_voltage", None, OVER_LINE * plate.input.voltage_max_V, MAINS_MAY_REACH)
    yield Watch("case_temperature", None, HOTTEST_CASE_DEGC, "what a case may reach before hands are hurt")


def _parts(unit: Unit) -> Iterator[Watch]:
    for part in unit.look.parts:
        if part.what == "output capacitor" and part.rated_V is not None:
            for port in output_ports(unit.nameplate)[:1]:  # which output it is at nobody has said, but of the first
                yield Watch(
                    at_port("output_voltage", port), None, part.rated_V, f"what {part.name} is marked for", hard=True
                )
        elif part.what == "fuse" and part.rated_A is not None:
            yield Watch("input_current", None, part.rated_A, f"what {part.name} of the unit is marked for", hard=True)
        elif part.what in ("X capacitor", "input capacitor") and part.rated_V is not None:
            yield Watch("input_voltage", None, part.rated_V, f"what {part.name} is marked for", hard=True)
    if not any(p.what == "output capacitor" and p.rated_V is not None for p in unit.look.parts):
        for port, voltage in most_volts(unit.nameplate).items():
            yield _no_further(port, CEILING * voltage, CEILING_WORDS, hard=True)


def _rig(rig: Rig, unit: Unit) -> Iterator[Watch]:
    for gear in rig.gear:
        if gear.what == "fuse" and gear.rated_A is not None:
            yield Watch("input_current", None, gear.rated_A, "the fuse ahead of the unit")
    for source in (one for role in SOURCES.values() for one in rig.of(role)):
        if "current_A" in source.most:
            most_A = source.most["current_A"]
            yield Watch(at_port("input_current", source.port), None, most_A, f"the most {source.name} can do")
    for battery in rig.of("dc_source"):
        if battery.cells and battery.cell_floor_V:
            words = f"the floor of {battery.cells} cells, {battery.cell_floor_V:g} V each,"
            yield Watch("input_voltage", battery.cells * battery.cell_floor_V, None, words, SINKS, fed=True)
    envelope = Envelope(unit.nameplate)
    for load in rig.of("load"):
        voltage = abs(envelope.voltage_V(load.port)) if load.port in output_ports(unit.nameplate) else 0.0
        more_A = base_most_A(rig, load.port, voltage)
        if "current_A" in load.most:
            most_A = load.most["current_A"] + more_A
            yield Watch(at_port("output_current", load.port), None, most_A, f"the most {load.name} can do")
        if "power_W" in load.most:
            most_W = load.most["power_W"] + voltage * more_A
            yield Watch(at_port("output_power", load.port), None, most_W, f"the most {load.name} can take")


def _plan(plan: Plan) -> Iterator[Watch]:
    for one in plan.watches:
        if one.low is not None and one.high is not None and one.low > one.high:
            raise InputError(
                f"a watch on {WATCHABLE[one.quantity].inside} from {one.low:g} to {one.high:g} can never be "
                "met: its lower bound lies above its upper one",
                key="watch",
            )
        yield Watch(one.quantity, one.low, one.high, "the plan")
