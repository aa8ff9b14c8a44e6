"""``zincsmith workshop``: the sums of the workshop."""

from __future__ import annotations

import json
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app, print_rows
from zincsmith.model.errors import InputError


@app.command()
def workshop(
    name: Annotated[str, typer.Argument(help="a sum; none lists them")] = "",
    said: Annotated[
        list[str] | None,
        typer.Option("--set", help="KEY=VALUE, such as upper=31.6k; KEY_tolerance=PERCENT"),
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Work a sum out: inputs with their tolerances, results with the span that a hundred sets of parts make of them.
    What is worked out would hold; only a measurement earns a verdict."""
    from zincsmith.workshop.base import as_json as to_json
    from zincsmith.workshop.base import worked
    from zincsmith.workshop.catalogue import names, sum_of

    if not name:
        sums = [sum_of(one) for one in names()]
        if as_json:
            print(
                json.dumps({"sums": [{"name": s.name, "title": s.title} for s in sums]}, indent=2, ensure_ascii=False)
            )
            return
        print_rows("sums of the workshop", ("name", "what it is"), [(s.name.replace("_", "-"), s.title) for s in sums])
        return
    found = worked(sum_of(name), dict(_pair(text) for text in said or []))
    if as_json:
        print(json.dumps(to_json(found), indent=2, ensure_ascii=False, allow_nan=False))
        return
    inputs = [
        (i.key, i.words, f"{found.inputs[i.key]:.6g}", _unit(i.unit),
         f"±{found.tolerances[i.key]:g} %" if found.tolerances[i.key] else "")
        for i in found.of.inputs
    ]  # fmt: skip
    print_rows(found.of.title, ("key", "input", "value", "unit", "tolerance"), inputs)
    rows = []
    for result in found.of.results:
        told = found.results[result.key]
        span = f"{told.low:.5g} to {told.high:.5g}" if told.low < told.high else ""
        rows.append((result.words, f"{told.value:.6g}", _unit(result.unit), span))
    print_rows("would hold; it was not measured", ("result", "value", "unit", "with its parts"), rows)
    print(f"{found.of.formula}. Source: {found.of.source}.")


def _pair(text: str) -> tuple[str, str]:
    key, equals, value = text.partition("=")
    if not equals or not key.strip():
        raise InputError(f"{text!r} is no KEY=VALUE", key="set")
    return key.strip(), value.strip()


def _unit(unit: str) -> str:
    return {"1": "", "degC": "°C", "ohm": "Ω"}.get(unit, unit)
