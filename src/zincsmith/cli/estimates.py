"""Worked out of what was read by hand: how warm a winding was, what the parts of a unit lose."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app, judged_run
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


@app.command("losses")
def losses(
    book: Annotated[Path, typer.Argument(help="a book with a run of the unit under load")],
    run: Annotated[int | None, typer.Option(help="which run of the book; the latest")] = None,
    as_json: JsonOption = False,
) -> None:
    """What the parts of a unit lose, from what drops across them, beside the total that was measured and the rest that
    they do not explain. An estimate: ripple, switching and cores are not in it."""
    from zincsmith.showing.losses import losses_of, section_of

    judged = judged_run(book, run)
    found = losses_of(judged)
    section = section_of(judged)
    if section is None:
        raise InputError(
            "no part of the unit says what drops across it (drop_V) or what its resistance is (ohm), or no point has "
            "all its watts", file=str(book),
        )  # fmt: skip
    if as_json:
        told = [
            {
                "line_V": one.line_V, "load_percent": one.percent, "measured_W": one.at.lost_W, "rest_W": one.rest_W,
                "parts": [{"name": p.part.name, "watts": p.watts, "how": p.how} for p in one.parts],
            }
            for one in found
        ]  # fmt: skip
        print(json.dumps(told, indent=2, allow_nan=False))
        return
    for where, part, watts, how in section.rows:
        print(f"{where:24} {part:28} {watts:>9}  {how}")
    print("\n".join(section.paragraphs))
