"""Every rule of suitability both ways: silent on a rig that is right, raised by the one thing that is wrong."""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT

from zincsmith.formats.unit_file import read_unit
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES
from zincsmith.model.intake import SafetyRecord, Terminal
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.rig import (
    Accuracy,
    Dummy,
    Earthed,
    Gear,
    Instrument,
    Lead,
    Probe,
    Rig,
    ScopeChannel,
    Shunt,
    SwitchedLoad,
)
from zincsmith.model.unit import Node, Unit
from zincsmith.procedures.load_transient.options import LoadTransientOptions
from zincsmith.procedures.overcurrent.options import OvercurrentOptions
from zincsmith.procedures.plan_file import NAMED
from zincsmith.procedures.static_grid.options import grid_of
from zincsmith.suitability.case import Severity
from zincsmith.suitability.check import check, refuse_stops
from zincsmith.suitability.probes import derated_V

TODAY = date(2026, 11, 25)
CALIBRATED = "2026-06-01"
STOP, DOUBT, REMARK = Severity.STOP, Severity.DOUBT, Severity.REMARK
PLAIN = Probe(10.0, "DC", "spring", compensated=True)
APART = Probe(100.0, "DC", compensated=True, differential=True, on="primary")
Pair = tuple[Unit, Rig, Plan]
Change = Callable[[Pair], Pair]


# Cases in which nothing is wrong


def _measured(unit: Unit) -> Unit:
    return replace(unit, terminals=tuple(Terminal(o.name or "out", output=o.name, checked="measured")
                                         for o in unit.nameplate.outputs))  # fmt: skip


def _unit(name: str) -> Unit:
    return _measured(read_unit(ROOT / "examples" / "units" / f"{name}.toml"))


def _rig(volts: float, amps: float, watts: float, out_volts: float, out_amps: float) -> Rig:
    """Everything stated, everything large enough."""
    area = 25.0
    instruments = (
        Instrument("ac_source", "simulated", "Brackmere", isolated=True,
                   most={"voltage_V": volts, "current_A": 3 * amps, "peak_A": 9 * amps}),
        Instrument("dc_source", "simulated", "Brackmere", most={"current_A": 3 * amps}),
        Instrument("power_meter", "simulated", "Calderwick", calibrated=CALIBRATED, tap="source", crest_most=6.0,
                   phase_error_deg=0.01, synchronized="mains", direction_checked=True, accuracy=(
                       Accuracy("input_voltage", volts, 0.1), Accuracy("input_current", amps, 0.1),
                       Accuracy("input_power", watts, 0.1), Accuracy("input_power", 1.0, 0.1),
                       Accuracy("power_factor", 1.0, 0.1))),
        Instrument("load", "simulated", "Osmary", calibrated=CALIBRATED, mode="CC",
                   most={"current_A": 3 * out_amps, "power_W": 3 * watts},
                   accuracy=(Accuracy("output_current", 2 * out_amps, 0.1),)),
        Instrument("voltmeter", "simulated", "Fennhollow", calibrated=CALIBRATED,
                   accuracy=(Accuracy("output_voltage", out_volts, 0.02),)),
        Instrument("thermometer", "simulated", "Pellmoor", kind="thermal camera", emissivity=0.95,
                   calibrated=CALIBRATED, accuracy=(Accuracy("case_temperature", 200.0, 0.5),)),
        Instrument("scope", "simulated", "Wharram", deskewed=True, probe=Probe(
            10.0, "AC", "spring", bandwidth_MHz=20.0, differential=True, compensated=True)),
    )  # fmt: skip
    return Rig(
        "right",
        "simulated",
        instruments,
        leads=(Lead("ac_source power_meter", 1.0, area), Lead("unit load", 1.0, area)),
        gear=(Gear("fuse"), Gear("DC fuse"), Gear("line filter"), Gear("pre-charge resistor"), Gear("clear cover")),
        reference="end of the captive cord",
        earthed=(Earthed("input negative", "scope"),),
        background_recorded=True,
        humidity_percent=45.0,
    )


def _plan(*volts: float) -> Plan:
    plan = NAMED["static-grid"]
    return replace(plan, parts=(replace(grid_of(plan.parts), lines=tuple(Line(v, 50.0) for v in volts)),))


def _at_outputs(rig: Rig, unit: Unit) -> Rig:
    """The rig with a load, its lead and a voltmeter at every output."""
    ports = [o.name for o in unit.nameplate.outputs]
    made = [replace(i, port=port) for i in rig.instruments if i.role in ("load", "voltmeter") for port in ports]
    kept = [i for i in rig.instruments if i.role not in ("load", "voltmeter")]
    leads = [Lead(f"unit load@{port}", 1.0, 25.0) for port in ports]
    return replace(rig, instruments=(*kept, *made), leads=(*(x for x in rig.leads if x.between != "unit load"), *leads))


TWO_INPUTS = replace(
    _unit("tarnbrook-tb2425").nameplate,
    inputs=(*_unit("tarnbrook-tb2425").nameplate.inputs, _unit("corvane-cv190").nameplate.inputs[1]),
)
INSULATED = (SafetyRecord("insulation resistance", 500e6, low=2e6, by="whoever is qualified"),)
CASES: dict[str, Pair] = {
    "adapter": (_unit("tarnbrook-tb2425"), _rig(300, 2, 100, 60, 2.5), _plan(115.0, 230.0)),
    "board": (_unit("marlowick-mb1205"), _rig(300, 2, 100, 60, 2.5), _plan(115.0, 230.0)),
    "supply": (_unit("lathom-lb303"), _rig(300, 5, 200, 60, 5), _plan(230.0)),
    "module": (_unit("netherby-nb5"), _rig(60, 10, 100, 60, 5), _plan(24.0)),
    "inverter": (_unit("thornwade-tw300"), _rig(60, 60, 500, 300, 2), _plan(12.0)),
    "multi": (_unit("ferrowby-px350"), _at_outputs(_rig(300, 10, 500, 60, 30), _unit("ferrowby-px350")), _plan(230.0)),
}
CASES["supply"] = (
    CASES["supply"][0],
    replace(CASES["supply"][1], instruments=tuple(
        replace(i, mode="CV") if i.role == "load" else i for i in CASES["supply"][1].instruments)),
    CASES["supply"][2],
)  # fmt: skip


def codes(pair: Pair) -> set[str]:
    return {fault.code for fault in check(*pair, TODAY)}


@pytest.mark.parametrize("name", CASES)
def test_nothing_is_said_where_nothing_is_wrong(name: str) -> None:
    unit, rig, plan = CASES[name]
    assert check(unit, rig, plan, TODAY) == []
    refuse_stops(unit, rig, plan)


# One change each


def rig_with(**changes: Any) -> Change:
    return lambda p: (p[0], replace(p[1], **changes), p[2])


def unit_with(**changes: Any) -> Change:
    return lambda p: (replace(p[0], **changes), p[1], p[2])


def plate_with(**changes: Any) -> Change:
    return lambda p: (replace(p[0], nameplate=replace(p[0].nameplate, **changes)), p[1], p[2])


def at(role: str, **changes: Any) -> Change:
    def change(p: Pair) -> Pair:
        made = tuple(replace(i, **changes) if i.role == role else i for i in p[1].instruments)
        return p[0], replace(p[1], instruments=made), p[2]

    return change


def probe(**changes: Any) -> Change:
    def change(p: Pair) -> Pair:
        scope = p[1].instrument("scope")
        assert scope is not None
        assert scope.probe is not None
        return at("scope", probe=replace(scope.probe, **changes))(p)

    return change


def without(role: str) -> Change:
    return lambda p: (p[0], replace(p[1], instruments=tuple(i for i in p[1].instruments if i.role != role)), p[2])


def device(*parts: Options) -> Change:
    """A telephone asks the port, under a plan with these parts too."""
    phone = Instrument("sink_controller", "by hand", kind="device: telephone")
    return lambda p: (p[0], replace(p[1], instruments=(*p[1].instruments, phone)),
                      replace(p[2], parts=(*p[2].parts, *parts)))  # fmt: skip


def geared(*kinds: Any) -> Change:
    return rig_with(gear=tuple(Gear(kind) for kind in kinds))


def both(*changes: Change) -> Change:
    def change(p: Pair) -> Pair:
        for one in changes:
            p = one(p)
        return p

    return change


def opened(p: Pair) -> Pair:
    unit = replace(p[0], configuration="case open")
    assert unit.in_force.open_case
    return unit, p[1], p[2]


def switched(position: float | None, *lines: float) -> Change:
    def change(p: Pair) -> Pair:
        one = replace(p[0].nameplate.input, selector_V=(115.0, 230.0), selector_set_V=position)
        return replace(p[0], nameplate=replace(p[0].nameplate, inputs=(one,))), p[1], _plan(*lines)

    return change


def ripples(p: Pair) -> Pair:
    outputs = tuple(replace(o, ripple_V=0.05) for o in p[0].nameplate.outputs)
    return replace(p[0], nameplate=replace(p[0].nameplate, outputs=outputs)), p[1], p[2]


def looked(**changes: Any) -> Change:
    return lambda p: (replace(p[0], look=replace(p[0].look, **changes)), p[1], p[2])


not_isolated = at("ac_source", isolated=False)
THIN = (Lead("unit load", 1.0, 0.2),)


def meter_at(node: str, **most: float) -> Change:
    one = Instrument("node_voltmeter", "simulated", "Fennhollow", calibrated=CALIBRATED, port=node, most=most,
                     accuracy=(Accuracy("node_voltage", 600.0, 0.1),))  # fmt: skip
    return lambda p: (p[0], replace(p[1], instruments=(*p[1].instruments, one)), p[2])


def probes_at(*spots: str) -> Change:
    sheet = (Accuracy("spot_temperature", 200.0, range_percent=0.5),)
    more = tuple(Instrument("spot_thermometer", "simulated", "Pellmoor", calibrated=CALIBRATED, port=spot,
                            kind="type K", accuracy=sheet) for spot in spots)  # fmt: skip
    return lambda p: (p[0], replace(p[1], instruments=(*p[1].instruments, *more)), p[2])


def further(*leads: Lead, **values: Any) -> Change:
    """With a second power meter, or an ammeter, in the circuit."""
    one = Instrument(how="simulated", maker="Calderwick", calibrated=CALIBRATED, **values)
    return lambda p: (p[0], replace(p[1], instruments=(*p[1].instruments, one), leads=(*p[1].leads, *leads)), p[2])


def shunt(ohm: float, most_W: float | None) -> Change:
    return further(role="ammeter", dialect="ammeter_shunt", shunt=Shunt(ohm, most_W=most_W),
                   accuracy=(Accuracy("shunt_voltage", 0.1, 0.1),))  # fmt: skip


def stepped(made: SwitchedLoad | None) -> Change:
    """A load switch whose resistor takes 24 V for half of the time, 100 times a second."""
    part = LoadTransientOptions(stepped_by="switch")
    return both(
        lambda p: (p[0], p[1], replace(p[2], parts=(*p[2].parts, part))), further(role="load_switch", switched=made)
    )


RESISTOR = Dummy("resistor", measured_ohm=9.6)  # 24 V: 60 W
RULES: list[tuple[str, str, Severity, Change]] = [
    ("base_load_unstated", "adapter", STOP, further(role="base_load")),
    ("load_switch_unstated", "adapter", STOP, stepped(None)),
    ("switched_resistor_too_small", "adapter", STOP, stepped(SwitchedLoad(16.0, most_W=10.0))),
    ("switched_too_fast", "adapter", STOP, stepped(SwitchedLoad(16.0, most_Hz=50.0))),
    ("meter_order_unstated", "adapter", DOUBT, further(role="second_power_meter")),
    ("second_meter_burden", "adapter", DOUBT,
     further(Lead("second_power_meter unit", 1.0, 25.0), role="second_power_meter", shunt_ohm=0.01)),
    ("shunt_too_small", "adapter", STOP, shunt(0.2, 1.0)),
    ("shunt_drop", "adapter", REMARK, shunt(0.1, 5.0)),
    ("lead_beyond_rating", "adapter", STOP, rig_with(leads=(Lead("unit load", 1.0, 25.0, rated_A=2.0),))),
    ("resistor_rating_unstated", "adapter", REMARK, at("load", dummy=RESISTOR)),
    ("resistor_too_small", "adapter", STOP, at("load", dummy=replace(RESISTOR, most_W=50.0))),
    ("load_endurance", "adapter", STOP, at("load", most={"power_W": 50.0}, endures=((80.0, 10.0),))),
    ("no_spot", "adapter", STOP, probes_at("")),
    ("same_spot_twice", "adapter", STOP, probes_at("D5", "D5")),
    ("no_such_node", "adapter", STOP, meter_at("drain", voltage_V=1000.0)),
    ("meter_rating_unstated", "adapter", STOP, meter_at("bulk")),
    ("meter_rating_too_small", "adapter", STOP, meter_at("bulk", voltage_V=300.0)),
    # Before connecting
    ("not_worth_powering", "adapter", STOP, looked(verdict="not worth powering")),
    ("selector_position", "adapter", STOP, switched(None, 230.0)),
    ("selector_position", "adapter", STOP, switched(115.0, 230.0)),
    ("selector_position", "adapter", STOP, switched(230.0, 115.0)),
    ("terminals_unchecked", "adapter", DOUBT, unit_with(terminals=(Terminal("out", checked="assumed"),))),
    ("terminals_unchecked", "multi", DOUBT, lambda p: (replace(p[0], terminals=p[0].terminals[:1]), p[1], p[2])),
    ("probe_direction", "adapter", DOUBT, at("power_meter", direction_checked=False)),
    ("source_missing", "adapter", STOP, without("ac_source")),
    ("source_missing", "module", STOP, without("dc_source")),
    ("source_too_small", "adapter", STOP, at("ac_source", most={"current_A": 0.5})),
    ("source_crest", "adapter", DOUBT, at("ac_source", most={"peak_A": 1.5})),
    ("source_volts", "adapter", STOP, at("ac_source", most={"voltage_V": 200.0})),
    ("source_limit_engaged", "adapter", STOP, at("ac_source", limit_A=1.0)),
    ("probe_ratio", "adapter", DOUBT, probe(ratio=None)),
    ("probe_uncompensated", "adapter", DOUBT, probe(compensated=None)),
    ("not_deskewed", "adapter", DOUBT, at("scope", deskewed=False)),
    ("calibration_unknown", "adapter", DOUBT, at("voltmeter", calibrated="")),
    ("calibration_overdue", "adapter", DOUBT, at("voltmeter", calibrated="2025-11-20")),
    ("surroundings_unnoted", "adapter", REMARK, rig_with(humidity_percent=None)),
    # Protective gear and earths
    ("no_fuse", "adapter", DOUBT, geared("line filter")),
    ("no_fuse", "board", STOP, geared("line filter")),
    ("no_line_filter", "board", DOUBT, geared("fuse", "clear cover")),
    ("no_isolation", "board", STOP, not_isolated),
    ("no_isolation", "adapter", STOP, both(opened, not_isolated)),
    ("open_board_uncovered", "board", STOP, geared("fuse", "line filter")),
    ("open_board_uncovered", "board", STOP,
     both(geared("fuse", "line filter"), rig_with(isolation_by="A", fuse_by="A", emergency_stop_by="A"))),
    ("open_board_confirmed", "board", REMARK,
     both(geared("fuse", "line filter"),
          rig_with(isolation_by="A", fuse_by="A", emergency_stop_by="A", second_person="B"))),
    ("load_metal_live", "adapter", REMARK, at("load", dummy=Dummy("transistor"))),
    ("variable_transformer_does_not_isolate", "board", STOP,
     both(not_isolated, geared("fuse", "line filter", "variable transformer"))),
    ("variable_transformer_does_not_isolate", "board", STOP,
     both(not_isolated, geared("fuse", "line filter", "series lamp"))),
    ("isolation_defeats_breaker", "adapter", REMARK, geared("fuse", "earth-leakage breaker")),
    ("transformer_in_compliance", "adapter", DOUBT, geared("fuse", "isolation transformer")),
    ("primary_without_differential", "adapter", STOP, both(not_isolated, probe(on="primary", differential=False))),
    ("primary_without_differential", "adapter", DOUBT, probe(on="primary", differential=False)),
    ("scope_earth_lifted", "adapter", STOP, rig_with(scope_earth_lifted=True)),
    ("two_nodes_earthed", "adapter", STOP,
     rig_with(earthed=(Earthed("output -", "scope"), Earthed("bulk -", "computer")))),
    ("ground_loop", "adapter", DOUBT,
     rig_with(earthed=(Earthed("output -", "scope"), Earthed("output -", "computer")))),
    ("output_floats", "adapter", REMARK, rig_with(earthed=())),
    ("inverter_leg_earthed", "inverter", STOP, rig_with(earthed=(Earthed("output L2", "scope"),))),
    ("no_battery_fuse", "inverter", STOP, geared("fuse", "pre-charge resistor")),
    ("no_pre_charge", "inverter", DOUBT, geared("DC fuse")),
    ("input_left_open", "adapter", REMARK, unit_with(nameplate=TWO_INPUTS)),
    # Leads and sense
    ("lead_too_thin", "adapter", STOP, rig_with(leads=THIN)),
    ("lead_too_thin", "adapter", DOUBT, rig_with(leads=(Lead("unit load", 1.0, awg=22),))),
    ("lead_unstated", "adapter", DOUBT, rig_with(leads=())),
    ("sense_at_load", "adapter", DOUBT, rig_with(sense="load")),
    ("sense_at_load", "adapter", STOP, rig_with(sense="load", leads=(Lead("unit load", 2.0, 0.5),))),
    ("reference_undeclared", "adapter", DOUBT, rig_with(reference=" ")),
    # A device as what asks a port
    ("device_as_sink", "adapter", DOUBT, both(device(), unit_with(safety=INSULATED))),
    ("device_before_insulation", "adapter", STOP, both(device(), unit_with(safety=()))),
    ("device_beyond_rating", "adapter", STOP, both(device(OvercurrentOptions()), unit_with(safety=INSULATED))),
    # Meters
    ("range_too_small", "adapter", STOP, at("voltmeter", accuracy=(Accuracy("output_voltage", 20.0, 0.1),))),
    ("reading_below_floor", "adapter", DOUBT, at("power_meter", floor_W=2.0)),
    ("reading_below_floor", "adapter", DOUBT, at("power_meter", accuracy=(Accuracy("input_power", 75.0, 0.1),))),
    ("phase_error", "adapter", DOUBT, at("power_meter", phase_error_deg=0.1)),
    ("phase_error_unstated", "adapter", REMARK, at("power_meter", phase_error_deg=None)),
    ("crest_overload", "adapter", DOUBT, at("power_meter", crest_most=3.0)),
    ("tap_unstated", "adapter", DOUBT, at("power_meter", tap="")),
    ("tap_burden", "adapter", DOUBT, at("power_meter", tap="unit", tap_ohm=1e6)),
    ("not_synchronized", "adapter", DOUBT, at("power_meter", synchronized="other")),
    ("meters_in_series", "adapter", DOUBT, rig_with(further_meters=("clamp",))),
    ("background_unrecorded", "adapter", DOUBT, rig_with(background_recorded=None)),
    ("long_ground_lead", "adapter", DOUBT, probe(ground="long lead")),
    ("x1_probe_bandwidth", "adapter", REMARK, probe(ratio=1.0)),
    ("fifty_ohm_overload", "adapter", STOP, probe(impedance_ohm=50, coupling="DC")),
    ("fifty_ohm_overload", "adapter", STOP, probe(impedance_ohm=50, coupling="DC", input_most_V=5.0)),
    ("fifty_ohm_limit_unstated", "adapter", DOUBT, probe(impedance_ohm=50, coupling="AC")),
    ("blocking_cut", "adapter", DOUBT, probe(impedance_ohm=50, coupling="DC", input_most_V=30.0, blocking_uF=0.1)),
    ("channels_of_two_references", "adapter", STOP, at("scope", channels=(
        ScopeChannel(1, "output_voltage", "", PLAIN), ScopeChannel(2, "node_voltage", "drain", PLAIN, "bulk minus")))),
    ("differential_unrated", "adapter", DOUBT, at("scope", channels=(ScopeChannel(3, "input_voltage", "", APART),))),
    ("differential_overvolted", "adapter", STOP, at("scope", channels=(
        ScopeChannel(3, "input_voltage", "", replace(APART, rated_V=300.0, category="II")),))),
    ("category_unstated", "adapter", REMARK, at("scope", channels=(
        ScopeChannel(3, "input_voltage", "", replace(APART, rated_V=1000.0)),))),
    ("emissivity_unstated", "adapter", DOUBT, at("thermometer", emissivity=None)),
    ("accuracy_unstated", "adapter", DOUBT, at("voltmeter", accuracy=())),
    ("role_missing", "adapter", DOUBT, without("scope")),
    # Load
    ("load_too_small", "adapter", STOP, at("load", most={"current_A": 2.4})),
    ("load_too_small", "adapter", DOUBT, at("load", most={"current_A": 2.6})),
    ("load_too_small", "adapter", STOP, at("load", most={"power_W": 59.0})),
    ("load_least_volts", "multi", DOUBT, at("load", least_V=4.0)),
    ("load_mode_unstated", "adapter", REMARK, at("load", mode="")),
    ("cc_on_current_source", "supply", DOUBT, at("load", mode="CC", how="by hand")),
    ("nominal_resistor", "adapter", DOUBT, at("load", dummy=Dummy("resistor", 9.6))),
    ("lamp_inrush", "adapter", DOUBT, at("load", dummy=Dummy("lamp"))),
    ("supply_as_load", "adapter", DOUBT, at("load", dummy=Dummy("another supply"))),
    ("beyond_the_total", "adapter", DOUBT,
     lambda p: (replace(p[0], nameplate=replace(p[0].nameplate, total_power_W=50.0)), p[1], p[2])),
    ("output_not_reached", "multi", DOUBT, lambda p: (
        p[0], replace(p[1], instruments=tuple(i for i in p[1].instruments if i.place != "load@+5 V")), p[2])),
    ("bank_too_small", "adapter", STOP,
     at("load", dummy=Dummy("binary bank", measured_ohm=9.6, steps_W=(1, 2, 4, 8, 16, 32), at_V=48.0))),
]  # fmt: skip


@pytest.mark.parametrize(("code", "name", "severity", "change"), RULES, ids=[f"{r[0]}-{r[1]}" for r in RULES])
def test_a_rule_is_raised_by_what_is_wrong(code: str, name: str, severity: Severity, change: Change) -> None:
    changed = change(CASES[name])
    raised = [fault for fault in check(*changed, TODAY) if fault.code == code]
    assert raised, f"{code} is not raised"
    assert {fault.severity for fault in raised} == {severity}
    for fault in raised:
        assert fault.text[-1] == fault.remedy[-1] == ".", "whole sentences for a person"
        assert set(fault.costs) <= set(FIGURES)
    if severity is STOP:
        with pytest.raises(InputError) as refused:
            refuse_stops(*changed)
        assert any(f.text in str(refused.value) for f in check(*changed, TODAY) if f.severity is STOP)
    else:
        refuse_stops(*changed)


def test_every_rule_has_its_test() -> None:
    """The codes in the sources are those of the table above, and each belongs to one rule."""
    found: list[str] = []
    for file in (ROOT / "src" / "zincsmith" / "suitability").glob("*.py"):
        for node in ast.walk(ast.parse(Path(file).read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Fault":
                first = node.args[0]
                assert isinstance(first, ast.Constant)
                found.append(str(first.value))
    assert set(found) == {code for code, *_ in RULES}


def test_a_unit_not_worth_powering_is_powered_for_a_reason_given_by_somebody() -> None:
    blocked = looked(verdict="not worth powering", override="wanted as a bad example")(CASES["adapter"])
    assert "not_worth_powering" in codes(blocked), "a reason without a name is none"
    free = looked(verdict="not worth powering", override="a bad example", override_by="Tester")(CASES["adapter"])
    assert codes(free) == set()


def test_an_isolated_source_or_a_transformer_is_enough_for_an_open_board() -> None:
    assert codes(
        both(not_isolated, geared("fuse", "line filter", "isolation transformer", "clear cover"))(CASES["board"])
    ) <= {"transformer_in_compliance"}


def test_what_a_measured_bank_and_a_blocking_capacitor_allow() -> None:
    bank = Dummy("binary bank", measured_ohm=9.6, steps_W=(1, 2, 4, 8, 16, 32), at_V=24.0)
    assert codes(at("load", dummy=bank)(CASES["adapter"])) == {"load_metal_live"}
    into_50 = {"impedance_ohm": 50, "input_most_V": 30.0}
    assert codes(probe(coupling="AC", **into_50)(CASES["adapter"])) == set()
    assert codes(probe(coupling="DC", blocking_uF=320.0, **into_50)(CASES["adapter"])) == set()
    assert codes(probe(coupling="DC", **into_50)(CASES["adapter"])) == set(), "it stands the volts of the output"
    assert codes(at("power_meter", tap="unit", tap_ohm=1e8)(CASES["adapter"])) == set()
    assert codes(at("load", dummy=bank, accuracy=())(CASES["adapter"])) == {"load_metal_live"}, (
        "its ohms say how good it is"
    )
    no_factor = tuple(a for a in CASES["module"][1].instrument("power_meter").accuracy if a.quantity != "power_factor")
    assert codes(at("power_meter", accuracy=no_factor)(CASES["module"])) == set(), "there is no power factor on DC"
    assert codes(at("thermometer", kind="thermocouple", emissivity=None)(CASES["adapter"])) == set()


def test_a_plate_without_ratings_says_only_what_can_be_said() -> None:
    unit, rig, plan = CASES["adapter"]
    bare = replace(unit, nameplate=replace(unit.nameplate, inputs=(), outputs=(), claims=()))
    assert check(bare, rig, plan, TODAY) == []


@given(st.floats(0.1, 20.0), st.floats(0.05, 10.0), st.floats(0.1, 60.0))
def test_a_thicker_or_shorter_lead_is_never_worse(amps: float, area: float, length: float) -> None:
    unit, rig, plan = CASES["adapter"]
    out = replace(unit.nameplate.output, current_A=amps, power_W=None)
    loaded = replace(unit, nameplate=replace(unit.nameplate, outputs=(out,)))

    def worst(lead: Lead) -> int:
        faults = check(loaded, replace(rig, leads=(lead,), sense="load"), plan, TODAY)
        order = [DOUBT, STOP]
        mine = [f for f in faults if f.code in {"lead_too_thin", "sense_at_load"}]
        return sum(1 + order.index(f.severity) for f in mine if f.severity in order)

    assert worst(Lead("unit load", length, 1.5 * area)) <= worst(Lead("unit load", length, area))
    assert worst(Lead("unit load", length / 2.0, area)) <= worst(Lead("unit load", length, area))


def test_clips_on_one_reference_and_a_probe_that_stands_its_node_are_right() -> None:
    together = (ScopeChannel(1, "output_voltage", "", PLAIN), ScopeChannel(2, "output_current", "", PLAIN))
    assert codes(at("scope", channels=together)(CASES["adapter"])) == set()
    drain = Node("drain", "primary", "bulk minus", rated_V=600.0)

    def with_node(pair: Pair) -> Pair:
        return replace(pair[0], nameplate=replace(pair[0].nameplate, nodes=(drain,))), *pair[1:]

    # A straight line of both logarithms from 1000 V at 10 kHz to 100 V at 1 MHz: 316 V at 100 kHz.
    weak = replace(APART, rated_V=1000.0, derates=((0.01, 1000.0), (1.0, 100.0)))
    assert derated_V(weak, 0.1) == pytest.approx(1000.0 / 10.0**0.5)
    assert (derated_V(weak, 1e-3), derated_V(weak, 30.0)) == (1000.0, 100.0)
    beside = Probe(1.0, "DC", "no contact", compensated=True)
    for probed, found in (
        (weak, {"differential_overvolted"}), (replace(weak, derates=((1.0, 700.0),)), set()), (beside, set()),
        (PLAIN, {"primary_without_differential"}),
    ):  # fmt: skip
        apart = at("scope", channels=(ScopeChannel(3, "node_voltage", "drain", probed),))
        assert codes(both(with_node, apart)(CASES["adapter"])) == found
