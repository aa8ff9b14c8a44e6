"""Before a run: label lines, rigs, dialects, the stand-in bench, who answers."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from zincsmith.cli.app import JsonOption, app, print_rows


@app.command(context_settings={"ignore_unknown_options": True})  # a line may begin with a minus
def label(
    lines: Annotated[list[str], typer.Argument(help="label lines, each in quotes")],
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
) -> None:
    """Read label lines as they are printed, and say what was not understood."""
    from zincsmith.formats.label import parse_line
    from zincsmith.formats.label_print import as_json as to_json
    from zincsmith.formats.label_print import print_item

    read = [parse_line(line) for line in lines]
    if as_json:
        print(json.dumps({"lines": [to_json(line) for line in read]}, indent=2, ensure_ascii=False))
        return
    for line in read:
        print(line.text)
        for item in line.items:
            print(f"    {print_item(item)}")
        for piece in line.unread:
            print(f"    not read, column {piece.start + 1}: {piece.text!r}: {piece.reason}")


rig_commands = typer.Typer(help="What a rig is and what it can do.", no_args_is_help=True)
app.add_typer(rig_commands, name="rig")


@rig_commands.command()
def check(
    unit: Annotated[Path, typer.Option(help="unit file (TOML)")],
    rig: Annotated[Path, typer.Option(help="rig file (TOML)")],
    plan: Annotated[str, typer.Option(help="name of a plan, or a plan file (TOML)")] = "static-grid",
    as_json: Annotated[bool, typer.Option("--json", help="print JSON")] = False,
) -> None:
    """Say what is wrong with a rig for a unit, and which claims it can decide. Exit 1 when something blocks."""
    from zincsmith.formats.rig_file import read_rig
    from zincsmith.formats.unit_file import read_unit
    from zincsmith.judge.decide import decide
    from zincsmith.planning.composer import plan_named
    from zincsmith.planning.prediction import predict
    from zincsmith.showing.rig_words import as_json as to_json
    from zincsmith.showing.rig_words import brings_back, decision_row
    from zincsmith.suitability.check import check as check_rig

    the_unit, the_rig = read_unit(unit), read_rig(rig)
    the_plan = plan_named(plan, the_unit, the_rig)
    faults = check_rig(the_unit, the_rig, the_plan)
    predicted = predict(the_unit, the_rig, the_plan)
    decisions = decide(the_unit, the_rig, predicted.wired, predicted.moved)
    if as_json:
        print(json.dumps(to_json(faults, decisions, predicted.problem), indent=2, ensure_ascii=False))
    else:
        for fault in faults:
            print(f"{fault.severity.value.upper():7}{fault.at}: {fault.text}\n       {fault.remedy}  [{fault.code}]")
        if predicted.problem:
            print(f"No rehearsal: {predicted.problem}")
        print_rows("What this rig can decide", decision_row(None), [decision_row(d) for d in decisions])
        if way := brings_back(decisions):
            print(f"{way[:1].upper()}{way[1:]}.")
    raise typer.Exit(1 if any(f.severity.value == "stop" for f in faults) else 0)


@app.command()
def rules(
    file: Annotated[Path | None, typer.Argument(help="a rule set of your own (TOML), to be checked")] = None,
    as_json: JsonOption = False,
) -> None:
    """List the published rules that units can be held to, or check a rule set of your own."""
    from zincsmith.model.errors import InputError
    from zincsmith.rules.harmonics import NAME as HARMONICS
    from zincsmith.rules.harmonics import HarmonicLimits, load_harmonics, read_harmonics
    from zincsmith.rules.loader import RuleSet, load, names, read_rules
    from zincsmith.rules.own import own_folder

    found: list[RuleSet | HarmonicLimits]
    if file is not None:
        try:
            raw = file.read_bytes()
            found = [read_harmonics(raw, True) if file.stem == HARMONICS else read_rules(file.stem, raw, True)]
        except OSError as error:
            raise InputError(f"cannot be read ({error.strerror})", file=str(file)) from None
    else:
        found = [*(load(name) for name in names()), load_harmonics()]
    if as_json:
        rows = [
            {"name": r.name, "title": r.title, "edition": r.edition, "classes": list(r.classes), "digest": r.digest,
             "own": r.own, "provenance": r.provenance}
            for r in found
        ]  # fmt: skip
        print(json.dumps({"rules": rows, "own_folder": str(own_folder())}, indent=2, ensure_ascii=False))
        return
    print_rows("Rules", ("name", "title", "classes"), [(r.name, r.title, ", ".join(r.classes)) for r in found])
    print(f"Your own go into {own_folder()}")


@app.command(context_settings={"ignore_unknown_options": True, "allow_extra_args": True, "help_option_names": []})
def simbench(context: typer.Context) -> None:
    """Start the stand-in bench on its own (see simbench --help): any VISA or socket client can talk to it."""
    import os

    os.execv(sys.executable, [sys.executable, "-m", "zincsmith.simbench", *context.args])


@app.command()
def scan(
    host: Annotated[list[str] | None, typer.Option(help="host to look at; asked for by name only")] = None,
    port: Annotated[list[int] | None, typer.Option(help="socket port to try on each host")] = None,
) -> None:
    """List the instruments that answer *IDN?. Without --host only this computer's own links are looked at."""
    from zincsmith.bench.scan import scan as look

    found = look(tuple(host or ()), tuple(port or ()))
    print_rows("Instruments that answer", ("address", "identity"), [(f.address, f.identity) for f in found])


dialect_commands = typer.Typer(help="How instruments are spoken to.", no_args_is_help=True)
app.add_typer(dialect_commands, name="dialect")


@dialect_commands.command("check")
def check_dialect(
    file: Annotated[Path, typer.Argument(help="dialect file (TOML)")],
    address: Annotated[str, typer.Option(help="VISA name of an instrument to try it on, outputs off")] = "",
) -> None:
    """Say what is wrong with a dialect, and try a right one safely. Exit 1 when the instrument does not play along."""
    from zincsmith.bench.trial import try_dialect
    from zincsmith.formats.dialect_file import read_dialect
    from zincsmith.model.errors import InstrumentError

    dialect = read_dialect(file)
    print(f"{file.name}: {dialect.words}, {len(dialect.operation)} operations of the {dialect.role.replace('_', ' ')}")
    if not address:
        return
    try:
        for sentence in try_dialect(dialect, address):
            print(f"  {sentence}")
    except InstrumentError as error:
        print(f"zincsmith: {error}", file=sys.stderr)
        raise typer.Exit(1) from None
