"""The figures a paper can state about a supply: one home for their words, units, bounds and colours."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Literal

from zincsmith.model.claim import Side
from zincsmith.model.plan import CATALOGUE

Bound = Literal["most", "least", "band"]
# "difference": of two readings of one meter; "either way": at most so much means so much up or down; "of the volts":
# papers bound it in percent of the nominal volts, in volts, or in both; "of one line": each line has one of its own.
Trait = Literal["difference", "either way", "of the volts", "of one line"]


PLAIN = ("power_factor", "wave_crest")  # ratios that are told as they are
# Ratios that no paper states so, told in percent all the same.
SHARES = frozenset({
    "wave_thd", "wave_even", "wave_odd", "wave_halves", "outlet_thd", "rectifier_thd", "input_ripple_share",
    "motor_dip", "step_dip", "step_rise", "drift_share", "frequency_effect", "indicator_right", "fan_runs_from",
})  # fmt: skip


@dataclass(frozen=True)
class Figure:
    """``unit`` is that of the record ("1" for ratios, shown in percent); ``bound`` the side papers usually limit.

    ``findings`` are the names of what tests it and ``procedure`` who finds it; empty: no procedure yet.
    ``roles`` must be on the rig for it.
    """

    name: str
    title: str
    unit: str
    kind: str
    bound: Bound
    side: Side = "output"
    findings: tuple[str, ...] = ()
    procedure: str = ""
    roles: tuple[str, ...] = ()
    traits: tuple[Trait, ...] = ()

    @property
    def in_percent(self) -> bool:
        """Whether people read and type it in percent; a power factor is told as it is."""
        return self.unit == "1" and self.name not in PLAIN


GRID = "static grid"
CROSS = "cross regulation"
MODES = "modes of ports"
SHARING = "sharing of ports"
CHANGES = "changes of mode"
CHARGE = "charging"
SPEED = "programming speed"
STANDBY = "standby power"
HARMONICS = "harmonics"
DISPLAY = "display"
RIPPLE = "ripple and noise"
REFLECTED = "reflected ripple"
STEPS = "load steps"
TURN_ON = "turn-on"
HOLD_UP = "hold-up"
SHORT = "short circuit"
INRUSH = "inrush"
SWITCHING = "switching node"
OVERCURRENT = "overcurrent"
DROPOUT = "dropout"
SOAK = "thermal soak"
SET_POINTS = "set points"
SURGE = "surge"
INVERTER = "an output that alternates"
OVERVOLTAGE = "over-voltage protection"
SIGNALS = "control signals"
SOFT = "soft leads"
PLUG = "volts at the pulled plug"
WAVE = "shape of the output"
STARTS = "starts"
DIPS = "dips of the line"
TOUCH = "touch current"
DRIFT = "drift"
# What a claim says it is tested by -> the procedure.
TESTS = {
    GRID: "static_grid", STANDBY: "standby", HARMONICS: "harmonics", DISPLAY: "display_accuracy", RIPPLE: "ripple",
    REFLECTED: "reflected_ripple",
    STEPS: "load_transient", TURN_ON: "turn_on", HOLD_UP: "hold_up", SHORT: "short_circuit",
    INRUSH: "inrush", SWITCHING: "switching_node", OVERCURRENT: "overcurrent", DROPOUT: "dropout", SOAK: "thermal_soak",
    SET_POINTS: "cv_cc", INVERTER: "inverter_output", SURGE: "surge_load", OVERVOLTAGE: "overvoltage",
    SIGNALS: "control_signals", SOFT: "soft_leads", PLUG: "plug_volts", WAVE: "output_wave",
    STARTS: "starts", DIPS: "line_dips", TOUCH: "touch_current", DRIFT: "drift",
    CROSS: "cross_regulation", MODES: "usb_modes", SHARING: "port_sharing",
}  # fmt: skip
OUT = ("voltmeter",)
IN = ("power_meter",)
SCOPE = ("scope",)


class Figures(dict[str, Figure]):
    """By name. One that is not known is looked for among the installed procedures, which may bring figures along."""

    def __contains__(self, name: object) -> bool:
        return super().__contains__(name) or (self._ask() and super().__contains__(name))

    def __missing__(self, name: str) -> Figure:
        if self._ask() and super().__contains__(name):
            return self[name]
        raise KeyError(name)

    def knows(self, name: str) -> bool:
        """Whether it is there by now, without looking any further."""
        return super().__contains__(name)

    @staticmethod
    def _ask() -> bool:
        import_module(CATALOGUE).names()
        return True


FIGURES = Figures({
    f.name: f
    for f in (
        Figure("output_voltage", "Output voltage", "V", "voltage", "band", "output",
               ("output_voltage_min", "output_voltage_max"), GRID, OUT),
        Figure("load_regulation", "Load regulation", "1", "voltage", "band", "output", ("load_regulation",), GRID, OUT,
               traits=("difference", "either way", "of the volts", "of one line")),
        Figure("load_regulation_at_once", "Load effect right after the step", "1", "voltage", "band", "output",
               ("load_regulation_at_once",), GRID, OUT,
               traits=("difference", "either way", "of the volts", "of one line")),
        Figure("line_regulation", "Line regulation", "1", "voltage", "most", "output", ("line_regulation",), GRID, OUT,
               traits=("difference", "either way", "of the volts")),
        Figure("line_regulation_no_load", "Line regulation, no load", "1", "voltage", "most", "output",
               ("line_regulation_no_load",), GRID, OUT,
               traits=("difference", "either way", "of the volts")),
        Figure("line_span", "Span of the output over the lines", "1", "voltage", "most", "output",
               ("line_span",), GRID, OUT,
               traits=("difference", "of the volts")),
        Figure("line_slope", "Slope of the output over the lines", "mV/V", "voltage", "band", "output",
               ("line_slope",), GRID, OUT,
               traits=("either way",)),
        Figure("static_accuracy", "Output against its nominal volts", "1", "voltage", "band", "output",
               ("static_accuracy",), GRID, OUT,
               traits=("of the volts",)),
        Figure("warm_up_drift", "Drift, cold to warm", "V", "voltage", "band", "output",
               ("warm_up_drift",), GRID, OUT,
               traits=("either way",)),
        Figure("full_load_output_current", "Output current reached at full load", "A", "current", "least", "output",
               ("full_load_output_current",), GRID, ("load",)),
        Figure("full_load_output_power", "Output power reached at full load", "W", "power", "least", "output",
               ("full_load_output_power",), GRID, ("load", "voltmeter")),
        Figure("full_load_input_power", "Input power at full load", "W", "power", "most", "input",
               ("full_load_input_power",), GRID, IN),
        Figure("cross_regulation", "Cross regulation", "1", "voltage", "band", "output", ("cross_regulation",),
               CROSS, OUT, traits=("difference", "either way", "of the volts")),
        Figure("mode_voltage", "Volts of a mode", "V", "voltage", "band", "output", ("mode_voltage",), MODES, OUT),
        Figure("volts_before_attach", "Volts before anything is plugged in", "V", "voltage", "most", "output",
               ("volts_before_attach",), MODES, OUT),
        Figure("mode_change_time", "Time of a change of mode", "s", "plain", "most", "output", ("mode_change_time",),
               CHANGES, SCOPE),
        Figure("mode_change_past", "Overshoot at a change of mode", "V", "voltage", "most", "output",
               ("mode_change_past",), CHANGES, SCOPE),
        Figure("discharge_time", "Time to empty, taken off", "s", "plain", "most", "output", ("discharge_time",),
               CHANGES, SCOPE),
        Figure("hard_reset_time", "Time of a hard reset", "s", "plain", "most", "output", ("hard_reset_time",),
               CHANGES, SCOPE),
        Figure("neighbour_out_time", "Time out of its volts as another port comes or goes", "s", "plain", "most",
               "output", ("neighbour_out_time",), CHANGES, SCOPE),
        Figure("program_up_time", "Set up, settles after", "s", "plain", "most", "output", ("program_up_time",), SPEED,
               SCOPE),
        Figure("program_down_time", "Set down, settles after", "s", "plain", "most", "output", ("program_down_time",),
               SPEED, SCOPE),
        Figure("program_overshoot", "Overshoot as it is set up", "V", "voltage", "most", "output",
               ("program_overshoot",), SPEED, SCOPE),
        Figure("switch_on_overshoot", "Overshoot as it is switched on", "V", "voltage", "most", "output",
               ("switch_on_overshoot",), SPEED, SCOPE),
        Figure("charge_voltage", "Volts that a charge holds", "V", "voltage", "band", "output", ("charge_voltage",),
               CHARGE, OUT),
        Figure("charge_current", "Amps that a charge holds", "A", "current", "band", "output", ("charge_current",),
               CHARGE, OUT),
        Figure("shared_power", "Watts beside other ports", "W", "power", "least", "output", ("shared_power",), SHARING,
               ("load", "voltmeter")),
        Figure("neighbour_lowest", "Lowest volts when another port comes or goes", "V", "voltage", "least", "output",
               ("neighbour_lowest",), SHARING, OUT),
        Figure("minimum_load", "Minimum load", "A", "current", "most", "output", ("minimum_load",), GRID, OUT),
        Figure("output_resistance", "Output resistance", "ohm", "plain", "most", "output",
               ("output_resistance",), GRID, OUT,
               traits=("difference", "of one line")),
        Figure("output_current", "Output current", "A", "current", "least", "output",
               ("largest_continuous_load",), SOAK, ("load", "thermometer")),
        Figure("output_power", "Output power", "W", "power", "least", roles=("load", "thermometer")),
        Figure("input_current", "Input current", "A", "current", "most", "input", ("input_current",), GRID, IN),
        Figure("input_power", "Input power", "W", "power", "most", "input", roles=IN),
        Figure("average_active_efficiency", "Average active efficiency", "1", "efficiency", "least", "output",
               ("average_active_efficiency",), GRID, ("power_meter", "voltmeter", "load"),
               traits=("of one line",)),
        Figure("efficiency", "Efficiency", "1", "efficiency", "least", "output", ("efficiency",), GRID,
               ("power_meter", "voltmeter", "load"),
               traits=("of one line",)),
        Figure("power_factor", "Power factor", "1", "plain", "least", "input", ("power_factor",), GRID, IN,
               traits=("of one line",)),
        Figure("current_thd", "Distortion of the current, THD", "1", "plain", "most", "input",
               ("current_thd",), HARMONICS, IN),
        Figure("harmonics_class_a", "Harmonics, class A", "1", "plain", "most", "input",
               ("harmonics_class_a",), HARMONICS, IN),
        Figure("harmonics_class_b", "Harmonics, class B", "1", "plain", "most", "input",
               ("harmonics_class_b",), HARMONICS, IN),
        Figure("harmonics_class_c", "Harmonics, class C", "1", "plain", "most", "input",
               ("harmonics_class_c",), HARMONICS, IN),
        Figure("harmonics_class_d", "Harmonics, class D", "1", "plain", "most", "input",
               ("harmonics_class_d",), HARMONICS, IN),
        Figure("no_load_power", "No-load power", "W", "power", "most", "input", ("no_load_power",), STANDBY, IN),
        Figure("quiescent_current", "Quiescent current", "A", "current", "most", "input",
               ("quiescent_current",), STANDBY, IN),
        Figure("shutdown_current", "Input current, switched off", "A", "current", "most", "input",
               ("shutdown_current",), SIGNALS, IN),
        Figure("shutdown_power", "Input power, switched off", "W", "power", "most", "input",
               ("shutdown_power",), SIGNALS, IN),
        Figure("trim_up", "Trims up by", "1", "voltage", "least", "output", ("trim_up",), SIGNALS, OUT,
               traits=("difference", "of the volts")),
        Figure("trim_down", "Trims down by", "1", "voltage", "least", "output", ("trim_down",), SIGNALS, OUT,
               traits=("difference", "of the volts")),
        Figure("sense_makes_up", "Lead drop made up by sense", "V", "voltage", "least", "output", ("sense_makes_up",),
               SIGNALS, ("load", "voltmeter"), traits=("difference",)),
        Figure("sense_left", "Volts at the load off those at the unit", "V", "voltage", "band", "output",
               ("sense_left",), SIGNALS, ("load", "voltmeter"), traits=("either way",)),
        Figure("switched_off_voltage", "Volts left, switched off", "V", "voltage", "most", "output",
               ("switched_off_voltage",), SIGNALS, OUT),
        Figure("ripple", "Ripple and noise, peak to peak", "V", "voltage", "most", "output",
               ("ripple",), RIPPLE, SCOPE),
        Figure("ripple_rms", "Ripple and noise, rms", "V", "voltage", "most", "output",
               ("ripple_rms",), RIPPLE, SCOPE),
        Figure("load_step", "Dip or rise at a load step", "V", "voltage", "most", "output",
               ("load_step",), STEPS, SCOPE),
        Figure("recovery_time", "Transient recovery", "s", "plain", "most", "output",
               ("recovery_time",), STEPS, SCOPE),
        Figure("lowest_output", "Lowest instantaneous output", "V", "voltage", "least", "output",
               ("lowest_output",), STEPS, SCOPE),
        Figure("reflected_ripple", "Reflected ripple, peak to peak", "A", "current", "most", "input",
               ("reflected_ripple",), REFLECTED, SCOPE),
        Figure("reflected_ripple_rms", "Reflected ripple, rms", "A", "current", "most", "input",
               ("reflected_ripple_rms",), REFLECTED, SCOPE),
        Figure("starts_behind", "Starts loaded behind", "ohm", "plain", "least", "input",
               ("starts_behind",), SOFT, ("load", "power_meter")),
        Figure("stands_behind", "Stays, loaded after, behind", "ohm", "plain", "least", "input",
               ("stands_behind", "starts_behind"), SOFT, ("load", "power_meter")),
        Figure("drift", "Drift over hours", "V", "voltage", "most", "output", ("drift",), DRIFT, OUT,
               ("difference",)),
        Figure("touch_current", "Touch current", "A", "current", "most", "output", ("touch_current",), TOUCH,
               ("multimeter",)),
        Figure("dip_out_time", "Out of its volts in a dip of the line", "s", "plain", "most", "output",
               ("dip_out_time",), DIPS, SCOPE),
        Figure("starts_into_capacitance", "Largest capacitor it starts into", "F", "plain", "least", "output",
               ("starts_into_capacitance",), STARTS, ("load", "voltmeter")),
        Figure("starts_into_cc", "Starts into constant current, of its load", "1", "plain", "least", "output",
               ("starts_into_cc",), STARTS, ("load", "voltmeter")),
        Figure("starts_into_cr", "Starts into a resistance, of its load", "1", "plain", "least", "output",
               ("starts_into_cr",), STARTS, ("load", "voltmeter")),
        Figure("wave_thd_n", "Distortion and noise of the output, THD+N", "1", "plain", "most", "output",
               ("wave_thd_n",), WAVE, SCOPE),
        Figure("wave_crest", "Crest factor of the output", "1", "plain", "band", "output", ("wave_crest",), WAVE,
               SCOPE),
        Figure("plug_voltage", "Volts at the pulled plug", "V", "voltage", "most", "input",
               ("plug_voltage",), PLUG, SCOPE),
        Figure("turn_on_delay", "Turn-on delay", "s", "plain", "most", "output",
               ("turn_on_delay",), TURN_ON, SCOPE),
        Figure("power_good_delay", "Power-good delay", "s", "plain", "band", "output",
               ("power_good_delay",), TURN_ON, SCOPE),
        Figure("power_good_level", "Power-good level", "V", "voltage", "band", "output",
               ("power_good_level",), TURN_ON, SCOPE),
        Figure("power_good_warning", "Power-good warning", "s", "plain", "least", "output",
               ("power_good_warning",), HOLD_UP, SCOPE),
        Figure("rise_time", "Rise time", "s", "plain", "most", "output",
               ("rise_time",), TURN_ON, SCOPE),
        Figure("hold_up", "Hold-up", "s", "plain", "least", "output",
               ("hold_up",), HOLD_UP, SCOPE),
        Figure("switching_frequency", "Switching frequency", "Hz", "plain", "band", "output", ("switching_frequency",),
               SWITCHING, SCOPE),
        Figure("inrush", "Inrush current", "A", "current", "most", "input", ("inrush",), INRUSH, SCOPE),
        Figure("overcurrent", "Overcurrent limit", "A", "current", "band", "output",
               ("overcurrent",), OVERCURRENT, ("load", "voltmeter")),
        Figure("overvoltage", "Overvoltage limit", "V", "voltage", "band", "output", ("overvoltage",),
               OVERVOLTAGE, OUT),
        Figure("short_circuit_time", "Collapse at a short circuit", "s", "plain", "most", "output",
               ("short_circuit_time",), SHORT, SCOPE),
        Figure("dropout_input", "Lowest good input", "V", "voltage", "most", "input",
               ("dropout_input",), DROPOUT, ("voltmeter",)),
        Figure("display_voltage_error", "Display, volts", "V", "voltage", "band", "output",
               ("display_voltage_error",), DISPLAY, ("panel_voltmeter", "voltmeter")),
        Figure("display_current_error", "Display, amps", "A", "current", "band", "output",
               ("display_current_error",), DISPLAY, ("panel_ammeter", "load")),
        Figure("display_voltage_error_percent", "Display, volts, of the reading", "1", "voltage", "band", "output",
               ("display_voltage_error_percent",), DISPLAY, ("panel_voltmeter", "voltmeter")),
        Figure("display_current_error_percent", "Display, amps, of the reading", "1", "current", "band", "output",
               ("display_current_error_percent",), DISPLAY, ("panel_ammeter", "load")),
        Figure("current_regulation", "Current regulation", "1", "current", "band", "output", ("current_regulation",),
               SET_POINTS, ("load",), traits=("difference", "either way")),
        Figure("set_voltage_error", "Volts off what was set", "V", "voltage", "band", "output", ("set_voltage_error",),
               SET_POINTS, OUT),
        Figure("set_current_error", "Amps off what was set", "A", "current", "band", "output", ("set_current_error",),
               SET_POINTS, ("load",)),
        Figure("shown_voltage_error", "Volts shown, off what is there", "V", "voltage", "band", "output",
               ("shown_voltage_error",), SET_POINTS, OUT),
        Figure("shown_current_error", "Amps shown, off what is there", "A", "current", "band", "output",
               ("shown_current_error",), SET_POINTS, ("load",)),
        Figure("shown_voltage_error_percent", "Volts shown, off in percent", "1", "voltage", "band", "output",
               ("shown_voltage_error_percent",), SET_POINTS, OUT),
        Figure("shown_current_error_percent", "Amps shown, off in percent", "1", "current", "band", "output",
               ("shown_current_error_percent",), SET_POINTS, ("load",)),
        Figure("crossover_lack", "Lack at the corner of volts and amps", "1", "plain", "most", "output",
               ("crossover_lack",), SET_POINTS, ("load", "voltmeter")),
        Figure("output_frequency", "Output frequency", "Hz", "plain", "band", "output", ("output_frequency",),
               INVERTER, ("output_power_meter",)),
        Figure("voltage_thd", "Total harmonic distortion of the output", "1", "plain", "most", "output",
               ("voltage_thd",), INVERTER, ("output_power_meter",)),
        Figure("surge_power", "Surge power", "W", "power", "least", "output", ("surge_power",), SURGE, ("load",)),
        Figure("soak_drift", "Drift of the output", "V", "voltage", "band", "output", ("soak_drift",), SOAK,
               ("voltmeter",), traits=("difference", "either way")),
        Figure("temperature_coefficient", "Temperature coefficient of the output", "V/K", "plain", "band", "output",
               ("temperature_coefficient",), SOAK, ("voltmeter", "thermometer"), traits=("either way",)),
        Figure("hot_spot", "Hottest part", "degC", "temperature", "most", "output",
               ("hot_spot",), SOAK, ("thermometer",)),
        Figure("case_temperature", "Case temperature", "degC", "temperature", "most", "output",
               ("case_temperature",), GRID, ("thermometer",)),
    )
})  # fmt: skip


def have(name: str, trait: Trait) -> bool:
    """Whether a finding of this name is of a figure with that trait; what is no figure has none."""
    return FIGURES.knows(name) and trait in FIGURES[name].traits
