"""Instruments that lie: whatever they say, nothing is called off that the stand-in's own log says is on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from tests.attack.liar import Bend, Liar, answers, frozen, leaves, silent
from tests.conftest import last_row, sampled
from tests.engine.scripted import Actor, Scene

from zincsmith.bench.standin import RunningStandIn
from zincsmith.model.events import Polled, SafeStep
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Unit

SOON = 11  # a source is told three things until it is on
AFTER = 60  # things said to the instrument: the unit runs by then
LIVE_V = 10.0
LONGEST_BENCH_S = 400.0


@dataclass(frozen=True)
class Lie:
    """``words`` have to be told when the bench is not confirmed off; empty: it has to be."""

    role: str
    bend: Bend
    words: str
    swallows: tuple[str, ...] = ()
    piece_s: float = 0.0


def honest(text: str, said: int, answer: bytes | None) -> bytes | None:
    return answer


def hiccup(text: str, said: int, answer: bytes | None) -> bytes | None:
    """Reads nothing, and comes back every few readings, whatever is switched."""
    if answer is None or not text.startswith("MEAS") or said < AFTER:
        return answer
    return b"0.000\n" if said % 6 < 3 else b"24.0\n"


VOLTS, METER = "output fallen", "input gone"
LIES: dict[str, Lie] = {
    "a source that says off and stays on": Lie("ac_source", answers("OUTP?", "0", SOON), METER, ("OUTP 0",)),
    "a source whose read-back is no number": Lie("ac_source", answers("OUTP?", "nan", SOON), "AC source"),
    "a source whose read-back is SCPI's not-a-number": Lie(
        "ac_source", answers("OUTP?", "9.91E+37", SOON), "AC source"
    ),
    "a source whose read-back is infinite": Lie("ac_source", answers("OUTP?", "inf", SOON), "AC source"),
    "a source whose read-back is markup": Lie("ac_source", answers("OUTP?", "[/b]", SOON), "AC source"),
    "a source that falls silent": Lie("ac_source", silent(SOON), "AC source"),
    "a source that hangs up": Lie("ac_source", leaves(SOON), "AC source"),
    "a source whose error queue never empties": Lie(
        "ac_source", answers("SYST:ERR?", '-222,"[red]no"', SOON), "AC source"
    ),
    "a source that says it is on for ever": Lie("ac_source", answers("OUTP?", "1", SOON), "AC source"),
    "a name that is markup and steers": Lie("voltmeter", answers("*IDN?", "[/top]\x1b[2J\x07"), ""),
    "a voltmeter that froze": Lie("voltmeter", frozen("MEAS", LIVE_V), VOLTS),
    "a voltmeter whose lead is off": Lie("voltmeter", answers("MEAS", "0.0001"), ""),
    "a voltmeter that reads no number": Lie("voltmeter", answers("MEAS", "nan", AFTER), ""),
    "a voltmeter that reads nothing but noise": Lie("voltmeter", answers("MEAS", b"\xff\xfe\x00\x01", AFTER), ""),
    "a voltmeter that never stops talking": Lie("voltmeter", answers("MEAS", "1" * 20_000_000, AFTER), ""),
    "a voltmeter that talks a byte at a time": Lie("voltmeter", honest, "", piece_s=0.003),
    "a voltmeter that hangs up after each answer": Lie("voltmeter", leaves(AFTER), ""),
    "an output that comes back by itself": Lie("voltmeter", hiccup, VOLTS),
    "a power meter that froze": Lie("power_meter", frozen("FETC", LIVE_V), METER),
    "a power meter that always reads nothing": Lie("power_meter", answers("FETC", "0,0,0,0,0,0"), METER),
    "a power meter that falls silent": Lie("power_meter", silent(AFTER), METER),
    "a power meter with one number too few": Lie("power_meter", answers("FETC", "1,2", AFTER), METER),
    "a power meter that reads minus": Lie("power_meter", answers("FETC", "-115,-1,-60,1,60,0", AFTER), METER),
    "a load that says off and stays on": Lie("load", answers("INP?", "0", AFTER), "", ("INP 0",)),
    "a load whose read-back is a word": Lie("load", answers("INP?", "maybe", AFTER), "Load"),
    "a load that answers another question": Lie("load", answers("INP?", "OSMARY,L3", AFTER), "Load"),
}


@pytest.fixture
def lying(standin: Callable[..., RunningStandIn]) -> Iterator[Callable[[Lie], dict[str, str]]]:
    """The addresses of a stand-in bench with a liar in front of one instrument."""
    made: list[Liar] = []

    def start(lie: Lie) -> dict[str, str]:
        addresses = dict(standin().addresses)
        made.append(Liar(addresses[lie.role], lie.bend, lie.swallows, lie.piece_s))
        return {**addresses, lie.role: made[-1].visa}

    yield start
    for one in made:
        one.stop()


@pytest.mark.parametrize("name", sampled(LIES, list(LIES)[::3]))
def test_a_lie_never_makes_a_live_bench_off(
    tmp_path: Path, unit: Unit, rig: Rig, tiny_plan: Plan, lying: Callable[[Lie], dict[str, str]], name: str
) -> None:
    lie = LIES[name]
    scene = Scene.set_up(tmp_path, unit, rig, tiny_plan, lying(lie))
    closed = scene.run(Actor())
    assert closed.outcome in {"complete", "tripped", "failed", "stopped"}, closed.why
    last = last_row(tmp_path / "bench.log")
    if closed.safe:
        assert last["source_on"] is False, "called off while the stand-in says that it is on"
        assert float(str(last["output_V"])) < 2.4
        assert not lie.words, f"{lie.words} should have been missed: {closed.seen}, {closed.why}"
        assert closed.seen[0] == "AC source off, read back"
    else:
        assert lie.words, f"nothing should have been missed: {closed.unconfirmed}"
        assert any(lie.words in line for line in closed.unconfirmed), closed.unconfirmed
        assert not any(s.event.confirmed for s in scene.events(SafeStep) if s.event.step == lie.words)
    polls = scene.events(Polled)
    assert (polls[-1].bench_s or 0.0) < LONGEST_BENCH_S
