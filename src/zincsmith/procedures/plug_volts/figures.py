"""Volts that are left at the pins of a pulled plug, from the crest; what read them is made up for."""

from __future__ import annotations

from collections.abc import Sequence

from zincsmith.analysis.plug_pins import ENDLESS_S, Emptying, emptying, left_after, pull_of, without_reader
from zincsmith.analysis.turn_on_off import Departure
from zincsmith.procedures.waveforms.findings import Named
from zincsmith.procedures.waveforms.traces import Channel, Choices, Traces, errors_of, figure_of
from zincsmith.recorded.result import Analysed, Figure, Mark

LIMIT, AFTER, ACROSS, CAPACITOR = "limit_V", "after_s", "across_Mohm", "capacitor_uF"  # said with a capture
LEAST_UF = 0.01  # a smaller capacitor stands at no mains input; common practice, no source
MARKED_WITHIN = 0.2  # of what is printed on an X capacitor; common practice, no source
READS_MUCH = 0.1  # of what empties the pins
TAU, LEFT = "time_constant", "left"


def plug_volts_of(traces: Traces, choices: Choices) -> Analysed:
    """The record of one pull. InputError for choices that are no numbers."""
    source = traces.channels["input_voltage"]
    pull = pull_of(source.values, traces.step_s)
    after_s, limit_V = choices.number(AFTER, 2.0), choices.number(LIMIT, 60.0)
    across, farad = 1e6 * choices.number(ACROSS, 100.0), 1e-6 * choices.number(CAPACITOR, 0.0)
    out = Analysed("plug volts", {}, {AFTER: after_s, LIMIT: limit_V, "across_ohm": f"{across:.3g}"})
    for note in traces.notes:
        out.doubt("read_with_a_note", f"{note[:1].upper()}{note[1:]}.")
    if pull is None:
        out.figures = {TAU: Figure(None, "s"), LEFT: Figure(None, "V")}
        out.doubt("input_stays", "The mains does not leave its course in this record.",
                  "Let it run for some periods, then pull the plug while it records.")  # fmt: skip
        return out
    one = emptying(source.values, traces.step_s, pull)
    value = _values(one, after_s, across, farad)
    effects = None
    if traces.known:
        effects = errors_of(lambda moved: _moved(moved, source, pull, after_s, across, farad), traces, value)
        if farad and (was := value[LEFT]) is not None:
            less = _values(one, after_s, across, (1.0 - MARKED_WITHIN) * farad)[LEFT]
            effects[LEFT]["the capacitor as it is marked"] = ((less or 0.0) - was) / 3.0**0.5
    units = {TAU: "s", LEFT: "V"}
    out.figures = {name: figure_of(name, v, units[name], effects) for name, v in value.items()}
    out.marks.append(Mark("pulled", traces.begin_s + one.pulled * traces.step_s, "where the mains leaves its course"))
    out.facts["stood_V"] = f"{one.stood_V:.4g}"
    _doubts(out, one, after_s, across, farad)
    left = value[LEFT]
    if left is not None and left > limit_V:
        text = f"{left:.3g} V are left at the plug after {after_s:g} s, {limit_V:g} V are allowed."
        out.doubt(
            "beyond_allowed", text, "See whether its bleeder is there and whole; until then nobody pulls it bare."
        )
    return out


def _moved(
    moved: Traces, source: Channel, pull: Departure, after_s: float, across: float, farad: float
) -> dict[str, float | None]:
    """The moment of the pull is that of the record as it came: what is random in it moves it by next to nothing."""
    return _values(emptying(moved.values(source.quantity), moved.step_s, pull), after_s, across, farad)


def _values(one: Emptying, after_s: float, across: float, farad: float) -> dict[str, float | None]:
    if one.tau_s is None:
        return {TAU: None, LEFT: None}
    tau_s = without_reader(one.tau_s, across, farad) if farad else one.tau_s
    return {TAU: tau_s, LEFT: left_after(one.crest_V, tau_s, after_s)}


def _doubts(out: Analysed, one: Emptying, after_s: float, across: float, farad: float) -> None:
    if one.tau_s is None:
        out.doubt("pulled_near_zero", f"Pulled where the mains stood at {one.stood_V:.3g} V: nothing to see.",
                  "Pull it again; where in its period it happens is chance.")  # fmt: skip
        return
    if one.seen_s < min(after_s, one.tau_s):
        out.doubt("ends_early", f"The record ends {one.seen_s:.2g} s after the pull; what follows is foreseen.",
                  "Record longer.")  # fmt: skip
    if farad:
        if one.tau_s / (across * farad) > 1.0 - READS_MUCH:
            out.doubt("bleeder_dead", "What reads the pins explains all that empties them: nothing in the unit does.",
                      "Look for a bleeder that is open, or was never there.")  # fmt: skip
        return
    least = 1e-6 * LEAST_UF
    if one.tau_s / (across * least) > 0.5:  # of a capacitor no smaller it could be half of it
        out.doubt("read_by_its_own_load", f"The {across / 1e6:.3g} Mohm that read the pins may be what empties them: "
                  "a dead bleeder would pass.",
                  "State the capacitor as it is printed, or read through 100 Mohm and more.")  # fmt: skip


def named(found: Analysed) -> Sequence[Named]:
    """One that was pulled near zero is no reading."""
    if any(d.code == "pulled_near_zero" for d in found.doubts):
        return ()
    after_s, limit_V = found.facts[AFTER], found.facts[LIMIT]
    left, tau = found.figures[LEFT], found.figures[TAU]
    note = f"from the crest of the line; at most {limit_V:g} V"
    endless = tau.value is not None and tau.value >= ENDLESS_S
    return (
        Named("plug_voltage", f"Volts at the plug {after_s:g} s after it was pulled", "V", left, note),
        Named("plug_time_constant", "Time constant at the pins of the plug", "s",
              Figure(None, "s") if endless else tau, "by a straight line through the logarithm of the volts"),
    )  # fmt: skip
