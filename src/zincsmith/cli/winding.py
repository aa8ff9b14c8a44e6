"""``zincsmith winding``: how warm a winding was, from its ohms."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app
from zincsmith.model.errors import InputError


@app.command("winding")
def winding(
    cold: Annotated[float, typer.Option(help="its ohms cold")],
    cold_degc: Annotated[float, typer.Option("--cold-degC", help="how warm it was then, as the room it lay in")],
    hot: Annotated[list[str], typer.Option(help="SECONDS:OHM after switch-off, once, or three at equal distances")],
    room: Annotated[float, typer.Option(help="the room at the end of the run, in °C")],
    metal: Annotated[str, typer.Option(help="copper or aluminium")] = "copper",
    u_ohm: Annotated[float, typer.Option(help="standard uncertainty of each reading, ohm")] = 0.0,
    as_json: JsonOption = False,
) -> None:
    """The temperature of a winding by its resistance, unplugged: what an infrared look at its paper does not see."""
    from zincsmith.analysis.winding import METALS
    from zincsmith.analysis.winding import winding as worked_out

    if metal not in METALS:
        raise InputError(f"{metal!r} is none of {', '.join(METALS)}", key="metal")
    try:
        found = worked_out(cold, cold_degc, [_reading(one) for one in hot], room, metal, u_ohm)
    except ValueError as error:
        raise InputError(str(error), key="hot") from None
    if as_json:
        print(json.dumps(asdict(found), indent=2, allow_nan=False))
        return
    print(f"{found.ohm:.5g} ohm at switch-off: {found.degC:.1f} °C, {found.rise_K:.1f} K above the room", end="")
    print(f", U {2.0 * found.u_K:.1f} K (k 2)." if u_ohm else ".")
    if not found.gone_back:
        print("It had cooled before it was read: three readings at equal distances of time tell how far.")


def _reading(text: str) -> tuple[float, float]:
    seconds, _, ohm = text.partition(":")
    try:
        return float(seconds), float(ohm)
    except ValueError:
        raise InputError(f"{text!r} is no reading, such as 10:1.512", key="hot") from None
