"""Make the demonstration book: real runs of the real engine on the stand-in bench, from fixed seeds."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

from zincsmith.book.writer import BookWriter
from zincsmith.cli.batch import Sitting, run_batch
from zincsmith.engine.session import Start
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.planning.composer import plan_named

EXAMPLES = Path(__file__).parent.parent / "examples"


def make(book: Path) -> None:
    """One finished run of the adapter; then the rig with the thermometer read by hand, ready for the next."""
    for left in book.parent.glob(book.name + "*"):
        left.unlink()
    book.parent.mkdir(parents=True, exist_ok=True)
    unit = read_unit(EXAMPLES / "units" / "tarnbrook-tb2425.toml")
    rig = read_rig(EXAMPLES / "rigs" / "simulated-scope.toml")
    sitting = Sitting(Start("Test engineer, Hollin Bank", 23.0, auto_gates=True))
    end = run_batch(unit, rig, plan_named("full", unit, rig), book, sitting)
    if end.outcome != "complete" or not end.safe:
        raise SystemExit(f"the demonstration run ended early: {end.why}")
    with BookWriter(book) as writer:
        typed = read_rig(EXAMPLES / "rigs" / "thermometer-by-hand.toml").instrument("thermometer")
        instruments = tuple(typed if one.role == "thermometer" and typed else one for one in rig.instruments)
        by_hand = replace(rig, instruments=instruments)
        writer.revise("rig", "bench", by_hand, "the thermometer is read by hand from here on")


if __name__ == "__main__":
    make(Path(sys.argv[1]))
    print(sys.argv[1])
