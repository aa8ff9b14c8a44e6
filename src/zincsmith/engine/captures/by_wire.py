"""A capture of a run: the scope set up, armed, what it waits for done, its samples fetched and packed.

Armed comes before done: what happens once is not missed. Samples are packed in a thread of their own while the next
channel comes in; whoever watches over this process sees it work meanwhile.
"""

from __future__ import annotations

import hashlib
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TypeVar

from zincsmith.bench.bench import Bench
from zincsmith.bench.oscilloscope import Fetched, Oscilloscope
from zincsmith.book.writer import BookWriter
from zincsmith.engine.captures.at_once import worked_out
from zincsmith.engine.captures.by_hand import asking_words, setting_words, told, wants_words
from zincsmith.engine.captures.logged import logged
from zincsmith.engine.operator import Operator
from zincsmith.engine.poll_loop import PollLoop
from zincsmith.engine.setting import Setter
from zincsmith.formats.packing import Packed, pack
from zincsmith.model.actions import Capturing, ChooseMode, SetLoad, SetSource, WantedChannel
from zincsmith.model.address import name_of, port_of
from zincsmith.model.capture import BEFORE, Capture, CaptureChannel, Code
from zincsmith.model.errors import InputError
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.rig import Instrument, ScopeChannel

Result = TypeVar("Result")
BEAT_S = 0.2
LOOK_SAMPLES = 2000
FILLS = 0.7  # of the span, from a first look
LEAST_FILLED, MOST_FILLED = 0.4, 0.95  # of it: what is outside is taken once more
WIDER = 2.0  # times the span, where it was clipped
LEAST_SPAN = 0.01  # of what was asked for: no closer look
WAITS_S = 3.0  # beyond the length of the record, for the trigger


@dataclass
class Capturer:
    """Of one run."""

    bench: Bench
    poll_loop: PollLoop
    setter: Setter
    operator: Operator
    book: BookWriter
    _before: dict[str, str] = field(default_factory=dict)  # what was left where, as the input was switched

    def take(self, wanted: Capturing) -> tuple[Capture, list[Packed]]:
        """Carry it out. InputError where no scope is reached, or it has no such channel."""
        if wanted.logged:
            return logged(wanted, self.poll_loop.log, self.bench.rig)
        capture, packed = self._taken(wanted)
        if not wanted.works_out:
            return capture, packed
        with ThreadPoolExecutor(1) as beside:
            coming = beside.submit(worked_out, wanted, capture, packed, self.operator.plate)
            return self._awaited(coming), packed

    def _taken(self, wanted: Capturing) -> tuple[Capture, list[Packed]]:
        scope, rigged = self.bench.scope, self.bench.rig.instrument("scope")
        if rigged is None:
            raise InputError("the rig names no scope", key="instrument.scope")
        if scope is None:
            return self._by_hand(wanted, rigged)
        joined = [_joined(rigged, one) for one in wanted.channels]
        self._bring_to(wanted.first, wanted.first_s)
        spans = [(one.span, one.centre) for one in wanted.channels]
        if wanted.look and wanted.then is None:
            spans = self._look(scope, wanted, joined, spans)
        fetched, rate, came = self._record(scope, wanted, joined, spans)
        better = [_fitted(f, scope.spans, *span) for f, span in zip(fetched, spans, strict=True)]
        if wanted.look and better != spans:  # once more, on the span that it wants; what happened happens again
            spans = better
            self._bring_to(wanted.first, wanted.first_s)
            fetched, rate, came = self._record(scope, wanted, joined, spans)
        said = dict(wanted.said) | self._before | ({} if came else {"trigger": "none came"})
        channels, packed = self._packed(wanted, joined, spans, fetched, rigged)
        count = len(fetched[0].codes)
        capture = Capture(
            wanted.of, tuple(channels), 1.0 / rate, count, round(wanted.before * count) if came else 0,
            wanted.trigger if came else None, rigged.name, rigged.how, said=said,
            clock_percent=1e-4 * (rigged.clock_ppm or 0.0),
        )  # fmt: skip
        return capture, packed

    def _by_hand(self, wanted: Capturing, rigged: Instrument) -> tuple[Capture, list[Packed]]:
        """The same with a scope that nobody reaches: set and armed behind a gate, then what it saved or showed."""
        self._bring_to(wanted.first, wanted.first_s)
        words = setting_words(wanted, rigged)
        if wanted.then is not None:
            last = "arm it: it waits for its trigger" if wanted.trigger is not None else "start it as you go on here"
            self.operator.set_by_hand("scope", f"{words}\nand {last}")
            self.setter.carry_out(wanted.then)
            self._pass(wanted.seconds)
            words = f"{rigged.name}: what it recorded"
        words = f"{words}\n{asking_words(wanted)}"
        capture, packed, file = self.operator.told_by_hand(
            "scope", words, wants_words(wanted), partial(told, wanted=wanted, scope=rigged)
        )
        if file is not None:
            data = file.read_bytes()
            sha256 = hashlib.sha256(data).hexdigest()
            self.book.keep_source(sha256, file.name, data)
            capture = replace(capture, said={**capture.said, "source": sha256})
        return capture, packed

    def _bring_to(self, first: SetSource | SetLoad | ChooseMode | None, seconds: float) -> None:
        """What has to stand before, and for how long."""
        if first is not None and self.poll_loop.settings.after(first) != self.poll_loop.settings:
            self.setter.carry_out(first)
        self._pass(seconds)

    def _pass(self, seconds: float) -> None:
        left = seconds
        while left > 1e-9:
            self.poll_loop.slice(min(left, 1.0))
            left -= 1.0

    def _look(
        self, scope: Oscilloscope, wanted: Capturing, joined: list[ScopeChannel], spans: list[tuple[float, float]]
    ) -> list[tuple[float, float]]:
        """A short first record, to see how large it is."""
        small = replace(wanted, samples=min(LOOK_SAMPLES, wanted.samples), trigger=None, then=None, before=0.0)
        fetched, _, _ = self._record(scope, small, joined, spans)
        return [_fitted(f, scope.spans, *span, closer=True) for f, span in zip(fetched, spans, strict=True)]

    def _record(
        self, scope: Oscilloscope, wanted: Capturing, joined: list[ScopeChannel], spans: list[tuple[float, float]]
    ) -> tuple[list[Fetched], float, bool]:
        """(channels, samples a second, whether the trigger came): armed, what is waited for done, fetched."""
        for one, channel, (span, centre) in zip(wanted.channels, joined, spans, strict=True):
            ratio = channel.probe.ratio or 1.0
            scope.set_up(channel.number, span / ratio, centre / ratio, one.coupling, wanted.bandwidth_Hz)
        samples = wanted.samples
        rate, samples = scope.set_time(samples / wanted.seconds, samples, round(wanted.before * samples))
        trigger, source = wanted.trigger, 1
        if trigger is not None:
            by_address = {one.address: c for one, c in zip(wanted.channels, joined, strict=True)}
            source = by_address[trigger.source].number
            ratio = by_address[trigger.source].probe.ratio or 1.0
            trigger = replace(trigger, level=trigger.level / ratio)
        before_s = wanted.before * wanted.seconds
        if trigger is not None:
            self._pass(before_s)  # what lies before the trigger has to be there when it comes
        self._before = self._at_nodes() if isinstance(wanted.then, SetSource) else {}
        scope.arm(trigger, source)
        if wanted.then is not None:
            if trigger is None:
                self._pass(before_s)  # it records already
            self.setter.carry_out(wanted.then)
        came = self._wait(scope, wanted)
        fetched = [self._at_tip(scope.fetch(c.number, samples), c.probe.ratio or 1.0) for c in joined]
        return fetched, rate, came

    def _at_nodes(self) -> dict[str, str]:
        """What is left at the nodes that are polled: a bulk capacitor that is not empty makes another start of it."""
        values = self.poll_loop.now
        return {
            f"{port_of(name)}{BEFORE}": f"{value:.3g} V"
            for name, value in values.items()
            if name_of(name) == "node_voltage" and value is not None
        }

    def _wait(self, scope: Oscilloscope, wanted: Capturing) -> bool:
        self._pass(wanted.seconds * (1.0 - wanted.before))
        if wanted.trigger is None:
            return True
        waited = 0.0
        while not scope.has_triggered():
            if waited >= WAITS_S:
                scope.force()
                return False
            self.poll_loop.slice(0.5)
            waited += 0.5
        return True

    @staticmethod
    def _at_tip(one: Fetched, ratio: float) -> Fetched:
        return replace(one, step=one.step * ratio, origin=one.origin * ratio)

    def _packed(
        self, wanted: Capturing, joined: list[ScopeChannel], spans: list[tuple[float, float]], fetched: list[Fetched],
        rigged: Instrument,
    ) -> tuple[list[CaptureChannel], list[Packed]]:  # fmt: skip
        with ThreadPoolExecutor(1) as beside:
            coming = [beside.submit(pack, one.codes, _code(one)) for one in fetched]
            packed = [self._awaited(one) for one in coming]
        channels = [
            _channel(one, channel, span, f, p, wanted, rigged)
            for one, channel, (span, _), f, p in zip(wanted.channels, joined, spans, fetched, packed, strict=True)
        ]
        return channels, packed

    def _awaited(self, coming: Future[Result]) -> Result:
        """What another thread works out; whoever watches over this process hears of it meanwhile."""
        while True:
            self.bench.beat()
            try:
                return coming.result(BEAT_S)
            except TimeoutError:
                continue


def _fitted(
    one: Fetched, spans: tuple[float, float], span: float, centre: float, closer: bool = False
) -> tuple[float, float]:
    """The span and centre that a record wants, of those there are, which may be those it was taken on; ``closer``:
    however well it fits."""
    low, high = (one.origin + one.step * float(v) for v in (one.codes.min(), one.codes.max()))
    if one.clipped:
        return min(span * WIDER, spans[1]), centre
    if not closer and LEAST_FILLED * span <= high - low <= MOST_FILLED * span:
        return span, centre
    wanted = min(max((high - low) / FILLS, LEAST_SPAN * span, spans[0]), spans[1])
    if not closer and wanted == span:
        return span, centre
    return wanted, (low + high) / 2.0


def _code(one: Fetched) -> Code:
    return "i1" if one.codes.dtype.itemsize == 1 else "i2"


def _joined(rigged: Instrument, one: WantedChannel) -> ScopeChannel:
    """The channel of the scope that a quantity is joined to."""
    found = next((c for c in rigged.scope_channels if c.address == one.address), None)
    if found is None:
        raise InputError(f"no channel of the scope is joined to {one.address}", key="instrument.scope.channel")
    return found


def _channel(
    one: WantedChannel, channel: ScopeChannel, span: float, fetched: Fetched, packed: Packed, wanted: Capturing,
    rigged: Instrument,
) -> CaptureChannel:  # fmt: skip
    quantity, probe = name_of(one.address), channel.probe
    row = next((a for a in rigged.accuracy if a.quantity == quantity), None)
    limits = [b for b in (wanted.bandwidth_Hz, probe.bandwidth_MHz and probe.bandwidth_MHz * 1e6) if b]
    return CaptureChannel(
        quantity, QUANTITIES[quantity].unit, packed.sha256, fetched.step, fetched.origin, _code(fetched),
        port_of(one.address), probe.ratio or 1.0, one.coupling,
        min(limits) if limits else None, probe.ground, float(probe.impedance_ohm),
        0.0, fetched.clipped, span, fetched.step,
        row.reading_percent if row else 0.0, row.range_percent if row else 0.0, row.offset if row else 0.0,
        row is not None,
    )  # fmt: skip
