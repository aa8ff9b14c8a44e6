"""A scope with ways of its own: one channel spoken of at a time, unsigned samples with the greater byte first, step and
origin as two of ten fields of a preamble, and a code that stands for the origin."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from tests.bench.peers import Peer

from zincsmith.bench.link import Link
from zincsmith.bench.oscilloscope import Oscilloscope
from zincsmith.formats.dialect_file import parse_dialect
from zincsmith.model.capture import Trigger
from zincsmith.model.errors import Garbled, InputError, Refused

AWKWARD = """
role = "scope"
words = "a scope with ways of its own"
quirks = { termination = "CR LF", completion = true, code = "u2", big_endian = true }
limits = { span = [0.01, 80], rate = [1e3, 1e8], depth = [16, 1e6] }
"""
AT = {"span": "V{channel}:FULL", "offset": "V{channel}:MID"}
PLAIN = {"rate": "T:RATE", "depth": "T:LEN", "before": "T:PRE", "trigger_level": "E:LVL"}
for what, command in (AT | PLAIN).items():
    AWKWARD += f'[operation.set_{what}]\ncommand = "{command}={{value:.6g}}"\n'
    AWKWARD += f'[operation.get_{what}]\nquery = "{command}?"\nreply = "number"\n'
for what in ("trigger_source", "trigger_slope"):
    AWKWARD += f'[operation.set_{what}]\ncommand = "E:{what[8:11]}={{value}}"\n'
    AWKWARD += f'[operation.get_{what}]\nquery = "E:{what[8:11]}?"\nreply = "word"\n'
AWKWARD += """
[operation.arm]
command = "GO"
[operation.force]
command = "NOW"
[operation.get_state]
query = "DONE?"
reply = "number"
[operation.capture]
query = "LOOK={channel};CURVE?"
reply = "block"
[operation.get_step]
query = "LOOK={channel};PREAMBLE?"
reply = "numbers"
place = 6
[operation.get_origin]
query = "LOOK={channel};PREAMBLE?"
reply = "numbers"
place = 7
[operation.get_reference]
query = "LOOK={channel};PREAMBLE?"
reply = "numbers"
place = 8
"""
STEP, ORIGIN, REFERENCE = 2.5e-4, 11.5, 32_000
VOLTS = {1: np.linspace(4.0, 19.0, 5_000), 3: 12.0 + np.sin(np.arange(5_000) / 50.0)}


class AwkwardPeer(Peer):
    """Holds what it was told by name; answers a setting with nothing and ``*OPC?`` with 1."""

    def __init__(self) -> None:
        super().__init__(lambda _: None)
        self.told: dict[str, str] = {}
        self.heard: list[str] = []
        self.source_read_back = ""
        self.preamble = "WORD,MSB,5000,1,s,{step:.4e},{origin:.4e},{reference},V,none"

    @property
    def address(self) -> str:
        return f"TCPIP::127.0.0.1::{self.port}::SOCKET"

    def serve(self, line) -> None:  # type: ignore[no-untyped-def]
        for said in line.makefile("rb"):
            for one in said.decode().strip().split(";"):
                self.heard.append(one)
                if "=" in one:
                    name, _, value = one.partition("=")
                    self.told[name] = value
                elif one.endswith("?"):
                    line.sendall(self._answer(one[:-1]) + b"\r\n")

    def _answer(self, asked: str) -> bytes:
        if asked == "CURVE":
            codes = np.rint((VOLTS[int(self.told["LOOK"])] - ORIGIN) / STEP) + REFERENCE
            data = codes.astype(">u2").tobytes()
            return b"#5%05d" % len(data) + data
        if asked == "PREAMBLE":
            return self.preamble.format(step=STEP, origin=ORIGIN, reference=REFERENCE).encode()
        if asked == "E:sou" and self.source_read_back:
            return self.source_read_back.encode()
        return {"*IDN": "Mossrill,S3,12,1.0", "*OPC": "1", "DONE": "1"}.get(asked, self.told.get(asked, "")).encode()


@pytest.fixture
def peer() -> Iterator[AwkwardPeer]:
    one = AwkwardPeer()
    yield one
    one.close()


@pytest.fixture
def scope(peer: AwkwardPeer) -> Iterator[Oscilloscope]:
    dialect = parse_dialect(AWKWARD, "own.toml")
    one = Oscilloscope(Link("scope", peer.address, dialect.quirks.termination), dialect)
    one.link.open()
    yield one
    one.link.close()


def test_it_is_spoken_to_in_its_ways_and_its_samples_are_volts(scope: Oscilloscope, peer: AwkwardPeer) -> None:
    scope.set_up(3, 8.0, 12.0, "DC", 20e6)
    assert scope.set_time(1e9, 5_000, 500) == (1e8, 5_000), "no faster than it is"
    scope.arm(Trigger("output_voltage", 11.0, "falling"), 3)
    assert scope.has_triggered()
    assert peer.told["V3:FULL"] == "8"
    assert peer.told["E:sou"] == "CHAN3"
    assert "COUP" not in " ".join(peer.heard), "what it cannot be told is not sent"
    settings = [n for n, said in enumerate(peer.heard) if "=" in said and not said.startswith("LOOK")]
    assert all(peer.heard[n + 1] == "*OPC?" for n in settings), "after each setting it is asked whether it is done"
    for channel in (3, 1, 3):
        got = scope.fetch(channel, 5_000)
        assert got.codes.dtype == np.dtype("<i2")
        assert got.origin + got.codes * got.step == pytest.approx(VOLTS[channel], abs=0.51 * STEP)
        assert got.clipped == 0.0


def test_what_it_says_of_itself_is_not_taken_on_trust(scope: Oscilloscope, peer: AwkwardPeer) -> None:
    with pytest.raises(Garbled, match="6000 samples were asked for, 5000 came"):
        scope.fetch(1, 6_000)
    peer.preamble = "WORD,MSB,5000"
    with pytest.raises(Garbled, match="without a part 6"):
        scope.fetch(1, 5_000)
    peer.preamble = "WORD,MSB,5000,1,s,fine,{origin},{reference}"
    with pytest.raises(Garbled, match="which is no number"):
        scope.fetch(1, 5_000)
    peer.preamble = "WORD,MSB,5000,1,s,{step},nan,{reference}"
    with pytest.raises(Garbled, match="samples begin at nan"):
        scope.fetch(1, 5_000)
    peer.source_read_back = "CHAN1"
    with pytest.raises(Refused, match="set to CHAN3 but reads back CHAN1"):
        scope.arm(Trigger("output_voltage", 11.0, "rising"), 3)


@pytest.mark.parametrize(
    ("old", "new"), [("place = 6", "place = 0"), ('reply = "numbers"\nplace = 6', 'reply = "number"\nplace = 6')]
)
def test_a_place_belongs_to_a_reply_of_several(old: str, new: str) -> None:
    with pytest.raises(InputError, match="get_step"):
        parse_dialect(AWKWARD.replace(old, new), "own.toml")
