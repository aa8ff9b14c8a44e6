"""Keep what is found today, to be held against what a changed program finds in the same books.

keep_findings.py make FOLDER         runs on the stand-in bench: two adapters, typed readings, a file, eight seeds
keep_findings.py tell FOLDER FILE    every figure, uncertainty, doubt and verdict of the books there, as packed JSON
keep_findings.py compare FILE FILE   what differs, to the last bit; ends with 1 where anything does
"""

from __future__ import annotations

import json
import lzma
import math
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.cli.batch import Sitting, run_batch
from zincsmith.engine.session import Start
from zincsmith.engine.taking_in import take_in
from zincsmith.formats.answers_file import Answers
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.judge.judging import judge_run
from zincsmith.model.commands import FileRequest
from zincsmith.model.plan import Line, Plan
from zincsmith.model.rig import Rig
from zincsmith.planning.composer import plan_named
from zincsmith.procedures.static_grid.options import GridOptions
from zincsmith.showing.findings_json import as_json

EXAMPLES = Path(__file__).parent.parent / "examples"
SEEDS = range(2, 10)
PACKED = ".zbook.xz"


def make(folder: Path) -> None:
    """One book for each way that evidence comes about, packed."""
    folder.mkdir(parents=True, exist_ok=True)
    rig = read_rig(EXAMPLES / "rigs" / "simulated.toml")
    for name, unit in (("adapter", "tarnbrook-tb2425"), ("second", "ossel-od60")):
        _run(folder / name, unit, _with_physics(rig, unit), None)
    grid = GridOptions(lines=(Line(115.0, 60.0), Line(230.0, 50.0)), warm_up_s=600.0, cold=True, again=True)
    short = Plan("Grid", (grid,))
    for seed in SEEDS:
        assert rig.standin is not None
        _run(folder / f"seed-{seed}", "tarnbrook-tb2425", replace(rig, standin=replace(rig.standin, seed=seed)), short)
    typed = replace(rig, instruments=tuple(
        replace(i, how="by hand") if i.role in ("thermometer", "voltmeter") else i for i in rig.instruments
    ))  # fmt: skip
    rows = [("output_voltage", f"{24.03 - 0.004 * n:.3f}") if n % 2 == 0 else ("case_temperature", "44.5")
            for n in range(40)]  # fmt: skip
    few = replace(grid, loads_percent=(100.0, 50.0, 0.0), cold=False, again=False,
                  temperature_loads_percent=(100.0, 50.0, 0.0))  # fmt: skip
    _run(folder / "typed", "tarnbrook-tb2425", typed, Plan("By hand", (few,)), Answers("typed", "", rows))
    _taken_in(folder / "file", rig)


def _with_physics(rig: Rig, unit: str) -> Rig:
    assert rig.standin is not None
    file = Path(rig.standin.file).parent / f"{unit}.toml"
    return replace(rig, standin=replace(rig.standin, file=str(file)))


def _run(book: Path, unit: str, rig: Rig, plan: Plan | None, answers: Answers | None = None) -> None:
    the_unit = read_unit(EXAMPLES / "units" / f"{unit}.toml")
    sitting = Sitting(Start("Keeper of findings", 23.0, auto_gates=True), answers=answers or Answers())
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{book.name}.zbook"
        end = run_batch(the_unit, rig, plan or plan_named("full", the_unit, rig), path, sitting)
        if end.outcome != "complete":
            raise SystemExit(f"{book.name}: the run ended early: {end.why}")
        _pack(path, book)


def _taken_in(book: Path, rig: Rig) -> None:
    rows = [
        (100.0, 24.01, 2.5, 0.872),
        (75.0, 24.02, 1.875, 0.880),
        (50.0, 24.03, 1.25, 0.881),
        (25.0, 24.04, 0.625, 0.870),
    ]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "sweep.csv"
        heads = "load_percent,input_voltage_V,input_power_W,output_voltage_V,output_current_A\n"
        file.write_text(heads + "".join(f"{p},230.2,{v * i / e:.6f},{v},{i}\n" for p, v, i, e in rows), "utf-8")
        path = Path(folder) / "file.zbook"
        unit = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
        with BookWriter(path) as writer:
            writer.revise("unit", unit.tag, unit, "from a unit file")
            writer.revise("rig", "bench", rig, "from a rig file")
            take_in(writer, unit.tag, FileRequest("points", (file,), "Keeper of findings"))
        _pack(path, book)


def _pack(path: Path, book: Path) -> None:
    book.with_name(book.name + PACKED).write_bytes(lzma.compress(path.read_bytes()))


def tell(folder: Path) -> dict[str, Any]:
    """Every finding of every run of the packed books, by book and run."""
    found: dict[str, Any] = {}
    for packed in sorted(folder.glob(f"*{PACKED}")):
        name = packed.name.removesuffix(PACKED)
        with tempfile.TemporaryDirectory() as place:
            path = Path(place) / f"{name}.zbook"
            path.write_bytes(lzma.decompress(packed.read_bytes()))
            BookWriter(path).close()  # an earlier form is brought to that of today
            with BookReader(path) as reader:
                for row in reader.runs():
                    found[f"{name}/{row.id}"] = as_json(judge_run(reader, row.id))["findings"]
    return found


def differences(before: Any, after: Any, within: float = 0.0, at: str = "") -> list[str]:
    """Where two such documents differ by more than this share of a number; keys that only the later one has are no
    difference."""
    if isinstance(before, dict) and isinstance(after, dict):
        return [x for k, v in before.items() for x in differences(v, after.get(k, "is gone"), within, f"{at}/{k}")]
    if isinstance(before, list) and isinstance(after, list):
        if all(isinstance(x, dict) and "name" in x for x in (*before, *after)):  # findings: in which order says nothing
            before, after = (sorted(x, key=_identity) for x in (before, after))
        more = [f"{at}: {len(before)} became {len(after)}"] if len(before) != len(after) else []
        return more + [
            x
            for n, (a, b) in enumerate(zip(before, after, strict=False))
            for x in differences(a, b, within, f"{at}/{n}")
        ]
    same = before == after or (
        isinstance(before, float)
        and isinstance(after, float)
        and ((math.isnan(before) and math.isnan(after)) or math.isclose(before, after, rel_tol=within))
    )
    return [] if same else [f"{at}: {before!r} became {after!r}"]


def _identity(finding: dict[str, Any]) -> str:
    return json.dumps([finding["name"], finding.get("output"), finding["claim"], finding["conditions"], finding["run"]])


def main(what: str, *names: str) -> int:
    if what == "make":
        make(Path(names[0]))
    elif what == "tell":
        Path(names[1]).write_bytes(lzma.compress(json.dumps(tell(Path(names[0]))).encode()))
    else:
        before, after = (json.loads(lzma.decompress(Path(n).read_bytes())) for n in names)
        found = differences(before, after)
        print("\n".join(found) or "equal to the last bit")
        return bool(found)
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
