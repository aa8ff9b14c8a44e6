"""Which claims follow from a nameplate, and which procedure tests each. Nothing that nobody stated."""

from __future__ import annotations

from zincsmith.model.unit import Claim, Nameplate
from zincsmith.rules.loader import load

NO_PROCEDURE = ""


def claims_of(plate: Nameplate) -> list[Claim]:
    """All claims of the plate and of the rule sets chosen for it. InputError for an unknown rule set or class."""
    return [*_output(plate), *_input(plate), *_stated(plate), *_published(plate)]


def _range_words(plate: Nameplate) -> str:
    return f"{plate.input.voltage_min_V:g} to {plate.input.voltage_max_V:g} V"


def _output(plate: Nameplate) -> list[Claim]:
    out, found = plate.output, []
    if out.tolerance_percent is not None:
        share = out.tolerance_percent / 100.0
        found.append(
            Claim(
                key="output_voltage",
                title="Output voltage",
                findings=("output_voltage_min", "output_voltage_max"),
                low=out.voltage_V * (1.0 - share),
                high=out.voltage_V * (1.0 + share),
                unit="V",
                text=f"{out.voltage_V:g} V ±{out.tolerance_percent:g} %",
                condition_text=f"0 to {out.current_A:g} A, {_range_words(plate)}",
                source="nameplate",
                procedure="static grid",
            )
        )
    if out.load_regulation_percent is not None:
        share = out.load_regulation_percent / 100.0
        found.append(
            Claim(
                key="load_regulation",
                title="Load regulation",
                findings=("load_regulation",),
                low=-share,
                high=share,
                unit="1",
                text=f"≤ {out.load_regulation_percent:g} % of nominal",
                condition_text=f"0 to {out.current_A:g} A",
                source="nameplate",
                procedure="static grid",
            )
        )
    if out.line_regulation_percent is not None:
        found.append(
            Claim(
                key="line_regulation",
                title="Line regulation",
                findings=("line_regulation",),
                low=None,
                high=out.line_regulation_percent / 100.0,
                unit="1",
                text=f"≤ {out.line_regulation_percent:g} % of nominal",
                condition_text=f"{_range_words(plate)}, full load",
                source="nameplate",
                procedure="static grid",
            )
        )
    return found


def _input(plate: Nameplate) -> list[Claim]:
    if plate.input.current_A is None:
        return []
    return [
        Claim(
            key="input_current",
            title="Input current",
            findings=("input_current",),
            low=None,
            high=plate.input.current_A,
            unit="A",
            text=f"≤ {plate.input.current_A:g} A",
            condition_text=f"{_range_words(plate)}, full load",
            source="nameplate",
            procedure="static grid",
        )
    ]


def _stated(plate: Nameplate) -> list[Claim]:
    found = []
    if plate.average_efficiency_percent is not None:
        found.append(
            Claim(
                key="average_active_efficiency",
                title="Average active efficiency",
                findings=("average_active_efficiency",),
                low=plate.average_efficiency_percent / 100.0,
                high=None,
                unit="1",
                text=f"≥ {plate.average_efficiency_percent:g} %",
                condition_text="100, 75, 50, 25 % load",
                source="nameplate",
                procedure="static grid",
            )
        )
    if plate.no_load_power_W is not None:
        found.append(_no_load("no_load_power", plate.no_load_power_W, "nameplate", {}, "", False))
    return found


def _published(plate: Nameplate) -> list[Claim]:
    found = []
    power = plate.output.rated_power_W
    for choice in plate.rules:
        rules = load(choice.rule_set)
        limit = rules.efficiency_limit(choice.supply_class, power)
        idle = rules.no_load_limit_W(choice.supply_class, power)
        for line in rules.lines:
            at = {"input_voltage_V": line.voltage_V, "frequency_Hz": line.frequency_Hz}
            found.append(
                Claim(
                    key=f"{choice.rule_set} efficiency {line.words}",
                    title="Average active efficiency",
                    findings=("average_active_efficiency",),
                    low=limit,
                    high=None,
                    unit="1",
                    text=f"≥ {100 * limit:.4g} % ({rules.short}, {choice.supply_class})",
                    condition_text=line.words,
                    source=rules.short,
                    procedure="static grid",
                    conditions=at,
                    published=True,
                )
            )
            key = f"{choice.rule_set} no load {line.words}"
            found.append(_no_load(key, idle, rules.short, at, line.words, True, choice.supply_class))
    return found


def _no_load(
    key: str, limit_W: float, source: str, at: dict[str, float], words: str, published: bool, kind: str = ""
) -> Claim:
    return Claim(
        key=key,
        title="No-load power",
        findings=("no_load_power",),
        low=None,
        high=limit_W,
        unit="W",
        text=f"≤ {limit_W:g} W" + (f" ({source}, {kind})" if kind else ""),
        condition_text=words or "output open",
        source=source,
        procedure=NO_PROCEDURE,
        conditions=at,
        published=published,
    )
