"""Which claims follow from a nameplate, and which procedure tests each. Nothing that nobody stated."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache

from zincsmith.analysis.envelope import Envelope
from zincsmith.model.claim import Claim, RuleChoice, StatedClaim
from zincsmith.model.errors import InputError
from zincsmith.model.fed import on_each_input
from zincsmith.model.figures import FIGURES, INVERTER, SET_POINTS, TESTS, have
from zincsmith.model.label import Mode
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.record import Span
from zincsmith.model.scope import Scope
from zincsmith.model.unit import Nameplate, OutputRating
from zincsmith.procedures.catalogue import suits
from zincsmith.rules.harmonics import NAME as HARMONIC_RULE
from zincsmith.rules.harmonics import harmonic_class, load_harmonics
from zincsmith.rules.loader import RuleSet, load, supply_rules
from zincsmith.words.claim_words import bound_words, condition_words_of, range_words

NO_PROCEDURE = ""


def claims_of(plate: Nameplate) -> list[Claim]:
    """The claims in force: of the plate, of the rule sets chosen for it, of other papers.

    InputError for an unknown rule set or class.
    """
    return [claim for claim in all_claims(plate) if claim.kept]


def all_claims(plate: Nameplate) -> list[Claim]:
    """With those a person has dropped, which stay legible. What no procedure tests has an empty ``procedure``."""
    found = [*_outputs(plate), *_shared(plate), *_input(plate), *_whole(plate), *_published(plate)]
    found += [_stated(plate, n, one) for n, one in enumerate(plate.claims)]

    each = on_each_input(plate)  # a plan of its own tests it on each

    @cache
    def unfit(tested_as: str) -> str:
        """Only of procedures that are meant: each has a module to be read."""
        whys = [suits(TESTS[tested_as], one) for one in each] if tested_as in TESTS else [""]
        return "" if "" in whys else whys[0]

    return [_settle(one, plate, not unfit(one.procedure)) for one in (_elsewhere(claim, unfit) for claim in found)]


def tests_of(plate: Nameplate) -> Counter[str]:
    """How many claims each procedure tests."""
    return Counter(TESTS.get(c.procedure, c.procedure) for c in all_claims(plate) if c.kept)


def _settle(claim: Claim, plate: Nameplate, testable: bool) -> Claim:
    kept = claim.kept and claim.key not in plate.dropped
    return replace(claim, kept=kept, procedure=claim.procedure if testable else NO_PROCEDURE)


# Figures of a grid that another procedure finds, where the unit is none for a grid.
ELSEWHERE = {
    INVERTER: ("output_voltage", "efficiency", "input_current", "load_regulation", "line_regulation"),
    SET_POINTS: ("line_regulation",),
}


def _elsewhere(claim: Claim, unfit: Callable[[str], str]) -> Claim:
    """Tested by whichever procedure suits the unit."""
    if not unfit(claim.procedure):
        return claim
    other = next((name for name, figures in ELSEWHERE.items() if claim.figure in figures and not unfit(name)), None)
    return claim if other is None else replace(claim, procedure=other)


def conflicts(claims: Sequence[Claim]) -> list[tuple[Claim, ...]]:
    """Claims of the same figure under the same condition whose sources state different bounds, kept or dropped.

    Requirements and published limits stand apart: they are not what the maker says.
    """
    groups: dict[tuple[object, ...], list[Claim]] = {}
    for claim in claims:
        if not claim.required and not claim.published:
            groups.setdefault((claim.figure, claim.output, claim.side, claim.at), []).append(claim)
    return [
        tuple(g)
        for g in groups.values()
        if len({(c.low, c.high) for c in g}) > 1 and len({c.source.split()[0] for c in g}) > 1
    ]


def _claim(
    key: str,
    figure: str,
    low: float | None,
    high: float | None,
    text: str,
    condition: str,
    source: str = "label",
    output: str = "",
    **more: object,
) -> Claim:
    info = FIGURES[figure]
    title = f"{info.title}, {output}" if output else info.title
    fields: dict[str, object] = {
        "key": key,
        "title": title,
        "findings": info.findings or (figure,),
        "low": low,
        "high": high,
        "unit": info.unit,
        "text": text,
        "condition_text": condition,
        "source": source,
        "procedure": info.procedure,
        "figure": figure,
        "output": output,
        "side": info.side,
    }
    return Claim(**{**fields, **more})  # type: ignore[arg-type]


def _shared(plate: Nameplate) -> list[Claim]:
    """What the label promises of each port beside which others."""
    found = []
    for one in plate.sharing:
        together = " + ".join(sorted(one.ports))
        for port, watts in zip(one.ports, one.each_W, strict=True):
            at = OperatingPoint(stated=((f"in use: {together}", 1.0),))
            text, condition = f"{watts:g} W, its volts within 5 %", f"with {together} in use"
            key = f"label {together} {port}"
            found.append(_claim(key, "shared_power", SHARE_MET * watts, None, text, condition, output=port, at=at))
    return found


def _over_lines(plate: Nameplate) -> Span | None:
    return (plate.input.voltage_min_V, plate.input.voltage_max_V) if plate.inputs else None


def _over_loads(out: OutputRating) -> Span | None:
    """From the least load, if there is one, to the rated load, in percent."""
    if not out.current_A:
        return None
    return (Envelope(Nameplate(outputs=(out,))).least_percent(), 100.0)


FULL: Span = (100.0, 100.0)
SHARE_MET = 0.95  # of the watts: the amps of the share, at volts as low as the standard allows


def _outputs(plate: Nameplate) -> list[Claim]:
    found: list[Claim] = []
    for out in plate.outputs:
        name = out.name if len(plate.outputs) > 1 else ""
        tail = f" {name}" if name else ""
        found += _voltage(plate, out, name, tail)
        found += _regulation(plate, out, name, tail)
        if out.ripple_V is not None:
            text = f"≤ {1000 * out.ripple_V:g} mV"
            found.append(_claim(f"ripple{tail}", "ripple", None, out.ripple_V, text, "20 MHz", output=name))
        if out.surge_W is not None:
            held = f"for {out.surge_s:g} s" if out.surge_s else "time not said"
            found.append(
                _claim(f"surge_power{tail}", "surge_power", out.surge_W, None, f"≥ {out.surge_W:g} W", held,
                       output=name)
            )  # fmt: skip
    return found


def _voltage(plate: Nameplate, out: OutputRating, name: str, tail: str) -> list[Claim]:
    percent = out.tolerance_percent
    if out.fixed:
        modes: tuple[tuple[str, Mode], ...] = (("", Mode(out.voltage_V, out.current_A)),)
    else:
        modes = tuple((f" {m.voltage_V:g} V", m) for m in out.modes)
    found = []
    scope = Scope(name, _over_lines(plate), load_percent=_over_loads(out))
    for extra, mode in modes:
        if not mode.voltage_V:
            continue
        low, high = _band(mode.voltage_V, percent)
        least = f"{out.minimum_A:g}" if out.minimum_A is not None else "0"
        current = f"{least} to {mode.current_A:g} A, " if mode.current_A is not None else ""
        stated = f"±{percent:g} %" if percent is not None else "as printed, no tolerance stated"
        text = f"{mode.voltage_V:g} V {stated}"
        found.append(
            _claim(f"output_voltage{tail}{extra}", "output_voltage", low, high, text, current + range_words(plate),
                   output=name, scope=replace(scope, mode=extra.strip()))
        )  # fmt: skip
    return found


def _band(voltage: float, percent: float | None) -> tuple[float | None, float | None]:
    """The span that a tolerance allows; without one a value as printed, which judges nothing."""
    if percent is None:
        return None, None
    low, high = sorted(voltage * (1.0 + k * percent / 100.0) for k in (-1.0, 1.0))
    return low, high


def _regulation(plate: Nameplate, out: OutputRating, name: str, tail: str) -> list[Claim]:
    found = []
    if out.load_regulation_percent is not None:
        share = out.load_regulation_percent / 100.0
        text = f"≤ {out.load_regulation_percent:g} % of nominal"
        condition = f"{out.minimum_A or 0.0:g} to {out.current_A:g} A"
        scope = Scope(name, load_percent=_over_loads(out))
        found.append(
            _claim(f"load_regulation{tail}", "load_regulation", -share, share, text, condition, output=name,
                   scope=scope)
        )  # fmt: skip
    if out.line_regulation_percent is not None:
        share = out.line_regulation_percent / 100.0
        text = f"≤ {out.line_regulation_percent:g} % of nominal"
        condition = f"{range_words(plate)}, full load"
        scope = Scope(name, _over_lines(plate), load_percent=FULL)
        found.append(
            _claim(
                f"line_regulation{tail}", "line_regulation", -share, share, text, condition, output=name, scope=scope
            )
        )
    return found


def _input(plate: Nameplate) -> list[Claim]:
    found = []
    for n, one in enumerate(plate.inputs):
        name = one.name if len(plate.inputs) > 1 else ""
        tail = f" {name or n + 1}" if n else ""
        for n_range, part in enumerate(one.ranges):
            if part.current_A is not None:
                low, high = part.voltage_V
                kind = " DC" if part.type != one.type else ""
                found.append(
                    _claim(
                        f"input_current{tail} range {n_range + 1}", "input_current", None, part.current_A,
                        f"≤ {part.current_A:g} A", f"{low:g} to {high:g} V{kind}, full load", output=name,
                        scope=Scope(name, part.voltage_V, load_percent=FULL, mode=kind.strip()),
                    )
                )  # fmt: skip
        if one.current_A is not None and not one.ranges:
            condition = f"{one.voltage_min_V:g} to {one.voltage_max_V:g} V, full load"
            text = f"≤ {one.current_A:g} A"
            found.append(
                _claim(
                    f"input_current{tail}", "input_current", None, one.current_A, text, condition, output=name,
                    scope=Scope(name, (one.voltage_min_V, one.voltage_max_V), load_percent=FULL),
                )
            )  # fmt: skip
        if one.power_W is not None:
            found.append(
                _claim(
                    f"input_power{tail}",
                    "input_power",
                    None,
                    one.power_W,
                    f"≤ {one.power_W:g} W",
                    "full load",
                    output=name,
                )
            )
    return found


def _whole(plate: Nameplate) -> list[Claim]:
    found = []
    if plate.average_efficiency_percent is not None:
        share = plate.average_efficiency_percent
        found.append(
            _claim("average_active_efficiency", "average_active_efficiency", share / 100.0, None, f"≥ {share:g} %",
                   "100, 75, 50, 25 % load")
        )  # fmt: skip
    if plate.no_load_power_W is not None:
        text = f"≤ {plate.no_load_power_W:g} W"
        found.append(_claim("no_load_power", "no_load_power", None, plate.no_load_power_W, text, "output open"))
    if plate.total_power_W is not None and plate.power_is == "input":
        text = f"≤ {plate.total_power_W:g} W"
        found.append(_claim("total_power", "input_power", None, plate.total_power_W, text, "drawn from the input"))
    return found


@dataclass(frozen=True)
class Tested:
    """One state of the output that a rule tests: its power, the class it falls in there, and in words which it is."""

    power_W: float
    supply_class: str
    words: str = ""
    modes: tuple[tuple[str, str], ...] = ()


PD_LOWEST_A = 2.0  # 100 % load of a USB-PD output at its lowest voltage (10 CFR 430 appendix Z; value from memory)
PD_VOLTS = {9.0, 12.0, 15.0, 20.0, 28.0, 36.0, 48.0}


def tested_states(plate: Nameplate, supply_class: str) -> list[Tested]:
    """What a rule tests of a unit: an adaptive output at its lowest and at its highest voltage, each with its own
    current and in the class that it falls in there; else all of the unit at once."""
    modes = [m for o in plate.outputs for m in o.modes if m.current_A is not None]
    voltage = sorted({m.voltage_V for m in modes})
    if len(plate.outputs) != 1 or len(voltage) < 2:
        return [Tested(plate.rated_power_W, supply_class)]
    found = []
    for end in (voltage[0], voltage[-1]):
        mode = next(m for m in modes if m.voltage_V == end)
        current = mode.current_A or 0.0
        if end == voltage[0] == 5.0 and PD_VOLTS & set(voltage):
            current = min(current, PD_LOWEST_A)
        kind = supply_class.partition(" ")[0]
        own = f"{kind} {'low voltage' if is_low(end, current) else 'basic'}" if kind in ("ac-dc", "ac-ac") else ""
        found.append(
            Tested(end * current, own or supply_class, f"at {end:g} V, 100 % is {current:g} A", (("", f"{end:g} V"),))
        )
    return found


def is_low(voltage: float, current: float) -> bool:
    """Whether an output is one of low voltage: below 6 V and 550 mA or more (10 CFR 430.2; value from memory)."""
    return voltage < 6.0 and current >= 0.55


def _published(plate: Nameplate) -> list[Claim]:
    found = [_harmonic(name) for c in plate.rules if (name := harmonic_class(c)) is not None]
    for choice, rules in supply_rules(plate.rules) if plate.rated_power_W > 0.0 else ():
        for state in tested_states(plate, choice.supply_class):
            if state.power_W > 0.0 and rules.covers(state.power_W):
                found += [claim for line in rules.lines for claim in _of_rule(rules, state, line)]
    return found


def _of_rule(rules: RuleSet, state: Tested, line: Line) -> list[Claim]:
    """What a rule asks for at one line and in one state of the output."""
    kind, power = state.supply_class, state.power_W
    limit, idle = rules.efficiency_limit(kind, power), rules.no_load_limit_W(kind, power)
    tenth = rules.ten_percent_limit(kind, power)
    at = OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), modes=state.modes)
    marking = line in rules.marking
    behind = f"({rules.short}{' marking' if marking else ''}, {kind})"
    where = "; ".join(x for x in (line.words, state.words) if x)
    tail = "".join(f" {mode} out" for _, mode in state.modes)
    beside = beside_words(rules, marking)
    source = f"{rules.short}, marking scheme" if marking else rules.short
    found = [
        _claim(f"{rules.name} efficiency {line.words}{tail}", "average_active_efficiency", limit, None,
               f"≥ {100 * limit:.4g} % {behind}", where, source, at=at, published=True, beside=beside),
        _claim(f"{rules.name} no load {line.words}{tail}", "no_load_power", None, idle, f"≤ {idle:g} W {behind}",
               where, source, at=at, published=True, beside=beside),
    ]  # fmt: skip
    if tenth is not None:
        found.append(
            _claim(f"{rules.name} tenth {line.words}{tail}", "efficiency", tenth, None,
                   f"≥ {100 * tenth:.4g} % {behind}", f"{where}, 10 % load", source,
                   at=replace(at, draws=(Draw(10.0),)), published=True, beside=beside)
        )  # fmt: skip
    return found


def beside_words(rules: RuleSet, marking: bool) -> str:
    """What is said wherever a rule decides a verdict: who read it, whose line it is, when its readings are steady."""
    whose = "this line belongs to the marking scheme, the rule itself tests at another" if marking else ""
    return f"{rules.short}: " + "; ".join(x for x in (_who_read(rules.read_by), whose, rules.stability) if x)


def _harmonic(name: str) -> Claim:
    """Every order within its limit: the worst takes no more than all of it."""
    limits = load_harmonics()
    if name not in limits.amps:
        raise InputError(f"{limits.edition} has no class {name!r}; it has: {', '.join(limits.amps)}", key="class")
    return _claim(f"{HARMONIC_RULE} {name}", f"harmonics_class_{name.lower()}", None, 1.0, "≤ 100 % at the worst order",
                  f"full load; above {limits.least_W[name]:g} W of active input power",
                  f"IEC 61000-3-2, class {name}", published=True,
                  beside=f"IEC 61000-3-2: {_who_read(limits.read_by)}")  # fmt: skip


def _who_read(by: str) -> str:
    return f"limits read against the document by {by}" if by else (
        "limits from memory, nobody has read them against the document"
    )  # fmt: skip


def rule_words(choice: RuleChoice) -> str:
    """A rule that a unit is held to, in short."""
    name = harmonic_class(choice)
    return load(choice.set).short if name is None else f"IEC 61000-3-2: class {name}"


HARMONIC_CHOICES = tuple(RuleChoice(HARMONIC_RULE, name) for name in ("A", "B", "C", "D"))


def _stated(plate: Nameplate, n: int, one: StatedClaim) -> Claim:
    info, at = FIGURES[one.figure], OperatingPoint()
    line, hertz, load = one.condition.line_V, one.condition.frequency_Hz, one.condition.load_percent
    if line is not None and line[0] == line[1] and hertz is not None:
        at = replace(at, feeds=(Feed(line[0], hertz),))
    if load is not None and load[0] == load[1] and one.figure == "efficiency":
        at = replace(at, draws=(Draw(load[0]),))
    # A regulation of at most so much speaks of its size, whichever way the output goes.
    low = -one.high if have(one.figure, "either way") and one.low is None and one.high is not None else one.low
    return _claim(
        f"{one.source} {n}",
        one.figure,
        low,
        one.high,
        bound_words(one.low, one.high, info),
        condition_words_of(one.condition),
        f"{one.source} {one.where}".strip(),
        one.output if len(plate.outputs) > 1 else "",
        side=one.side or info.side,
        required=one.required,
        kept=one.kept,
        stated=n,
        at=at,
        scope=Scope(one.output, line, hertz, load, "", one.condition.duration_s, one.condition.ambient_degC),
    )


def offered(plate: Nameplate) -> tuple[RuleChoice | None, str]:
    """The class of the shipped rule set that the plate itself suggests, and why; a person still chooses."""
    if not plate.outputs or not plate.inputs or plate.inputs[0].type != "ac":
        return None, "the rule speaks of external supplies fed from the mains"
    voltage = {round(abs(m.voltage_V), 3) for o in plate.outputs for m in (o.modes or (Mode(o.voltage_V),))}
    at_once = {round(abs(o.voltage_V), 3) for o in plate.outputs if not o.standby}
    name = "us-doe-level-vi"
    if len(plate.outputs) > 1 and len(at_once) > 1:
        return RuleChoice(name, "multiple voltage"), f"several voltages at once: {len(at_once)} of them"
    kind = "ac-ac" if plate.outputs and plate.outputs[0].type == "ac" else "ac-dc"
    lowest = min(voltage, default=0.0)
    current = _amps_at(plate, lowest)
    note = (
        "one voltage at a time, tested at the lowest and the highest; " if len(voltage) > 1 else "one output voltage; "
    )
    if is_low(lowest, current):
        return RuleChoice(name, f"{kind} low voltage"), f"{note}{lowest:g} V is below 6 V at {current:g} A"
    why = f"{lowest:g} V is not below 6 V" if lowest >= 6.0 else f"{current:g} A is below 550 mA"
    return RuleChoice(name, f"{kind} basic"), note + why


def _amps_at(plate: Nameplate, voltage: float) -> float:
    """The current that the outputs give together at these volts: of the mode, where they have modes."""
    total = 0.0
    for out in plate.outputs:
        at = [m.current_A for m in out.modes if abs(abs(m.voltage_V) - voltage) < 1e-3 and m.current_A is not None]
        total += max(at) if at else out.current_A if not out.modes else 0.0
    return total or sum(o.current_A for o in plate.outputs)
