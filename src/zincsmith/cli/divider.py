"""The divider that sets an output, both ways."""

from __future__ import annotations

import json
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app
from zincsmith.model.errors import InputError


@app.command()
def divider(
    ref: Annotated[float, typer.Option(help="volts of the reference, at the tap")],
    out: Annotated[float | None, typer.Option(help="output that is wanted, V")] = None,
    upper: Annotated[str, typer.Option(help="resistor from output to tap, such as 31.6k")] = "",
    lower: Annotated[str, typer.Option(help="resistor from tap to return, such as 10k")] = "",
    series: Annotated[str, typer.Option(help="preferred values: E12, E24, E48, E96, E192")] = "E24",
    current: Annotated[float, typer.Option(help="amps through the divider, about")] = 1e-4,
    tolerance: Annotated[float, typer.Option(help="of the resistors, percent")] = 1.0,
    ref_tolerance: Annotated[float, typer.Option(help="of the reference, percent")] = 2.0,
    as_json: JsonOption = False,
) -> None:
    """Work out a divider: the output of two resistors and what trims it, or the pairs of preferred values for an
    output, each with the spread that tolerances make of it."""
    from zincsmith.analysis.divider import output_V, pairs, spread, trims

    parts, of_ref = tolerance / 100.0, ref_tolerance / 100.0
    if upper and lower:
        high, low = (_ohm(text) for text in (upper, lower))
        rows = [(high, low, output_V(ref, high, low))]
    elif out is not None:
        try:
            rows = [(p.upper_ohm, p.lower_ohm, p.out_V) for p in pairs(ref, out, series.upper(), current)]
        except ValueError as error:
            raise InputError(str(error), key="out") from None
    else:
        raise InputError("an output is wanted, or both resistors: --out 5, or --upper 31k --lower 10k", key="out")
    found = []
    for high, low, volts in rows:
        of = spread(ref, high, low, parts, of_ref)
        below, above = trims(ref, high, low, out) if out is not None else (None, None)
        found.append({"upper_ohm": high, "lower_ohm": low, "output_V": volts, "low_V": of.low_V, "high_V": of.high_V,
                      "u_V": of.u_V, "across_lower_ohm": below, "across_upper_ohm": above})  # fmt: skip
    if as_json:
        print(json.dumps({"pairs": found}, indent=2, allow_nan=False))
        return
    for one in found:
        made, u = f"{_words(one['upper_ohm'])} over {_words(one['lower_ohm'])}", 1e3 * (one["u_V"] or 0.0)
        span = f"{one['low_V']:.4g} to {one['high_V']:.4g} V with its parts at their limits"
        print(f"{made}: {one['output_V']:.4g} V, {span}, u {u:.2g} mV")
        for where in ("lower", "upper"):
            if upper and lower and one[f"across_{where}_ohm"] is not None:
                print(f"{_words(one[f'across_{where}_ohm'])} across the {where} one makes it {out:g} V")


def _ohm(text: str) -> float:
    from zincsmith.formats.entry import parse_entry

    value = parse_entry(text, "ohm")
    if value is None or value <= 0.0:
        raise InputError(f"{text!r} is no resistance", key="upper")
    return value


def _words(ohm: float | None) -> str:
    value = ohm or 0.0
    for scale, sign in ((1e6, "Mohm"), (1e3, "kohm")):
        if value >= scale:
            return f"{value / scale:.4g} {sign}"
    return f"{value:.4g} ohm"
