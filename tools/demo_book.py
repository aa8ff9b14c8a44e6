"""Make the demonstration book: the candidates of Hollin Bank, each a real run of the real engine on the stand-in bench,
from fixed seeds. Waits are cut short and records few, so that the book stays small."""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import lzma
import tempfile
import tomllib
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QBuffer, QByteArray, QIODevice
from PySide6.QtGui import QColor, QGuiApplication, QImage, QPainter, QPen

from zincsmith.bench.link import Link
from zincsmith.bench.standin import probes_of, start_standin
from zincsmith.book.reader import BookReader
from zincsmith.book.writer import BookWriter
from zincsmith.cli.batch import Sitting, run_batch
from zincsmith.engine.known_bench import pick_file
from zincsmith.engine.session import Session, Start
from zincsmith.engine.taking_in import take_in
from zincsmith.formats.feeding_file import read_feeding
from zincsmith.formats.recipe_file import read_recipe
from zincsmith.formats.rig_file import read_rig
from zincsmith.formats.unit_file import read_unit
from zincsmith.model.commands import Command, Enter, FileRequest, Gone, Pass
from zincsmith.model.errors import InputError
from zincsmith.model.events import EntryAsked, PointTaken
from zincsmith.model.intake import Photograph
from zincsmith.model.plan import Line, Options, Plan
from zincsmith.model.quantities import QUANTITIES
from zincsmith.model.reported import Reported
from zincsmith.model.rig import Rig
from zincsmith.model.states import State
from zincsmith.model.unit import Unit
from zincsmith.planning.composer import plan_named
from zincsmith.procedures.static_grid.options import GridOptions

ROOT = Path(__file__).parent.parent
EXAMPLES = ROOT / "examples"
STANDINS = Path("examples") / "standins"  # as the book names them: it goes to other machines
LAST = "tarnbrook-tb2425"  # with a scope; the one that the window opens on
CANDIDATES = (
    "wexcombe-wx24", "ossel-od60", "quillfen-q65", "hartsop-u90", "maristow-m90c", "skerrow-sd15", "lathom-lb303",
    "thornwade-tw300",
)  # fmt: skip
GIVES_WAY = "hartsop-u90"  # when all its ports are asked for what its label says of them together
SHIPPED = EXAMPLES / "hollin-bank.zbook.xz"
# Of a candidate that is there to be compared these parts are enough.
COMPARED = ("safety_checks", "bring_up", "static_grid", "cross_regulation", "cv_cc", "inverter_output",
            "usb_modes", "standby")  # fmt: skip
# What is cut short, by the name of an option: at most so much.
AT_MOST: dict[str, Any] = {
    "warm_up_s": 200.0, "rewarm_s": 10.0, "settle_at_most_s": 8.0, "settled_window_s": 2.0, "at_least_s": 120.0,
    "at_most_s": 200.0, "repeats": 2, "closer": 0, "average_s": 2.0, "settle_s": 3.0,
}  # fmt: skip
LEFT_OUT = ("mode_changes", "port_sharing", "power_factor_regimes", "short_circuit", "output_wave", "programming_speed")
OPERATOR = "Test engineer, Hollin Bank"
REPAIRED, REPAIR = "wexcombe-wx24", "repaired: output capacitors replaced"
LEFT, LEFT_AFTER = "marlowick-mb1205", 4  # a run that somebody walked away from, after so many points
TYPED, TYPED_PLAN = "dunmarrow-dm120", GridOptions(
    lines=(Line(230.0, 50.0),), loads_percent=(100.0, 50.0, 0.0), warm_up_s=120.0, settle_at_most_s=20.0,
    settled_percent=0.5, average_s=4.0,
)  # fmt: skip
FROM_FILE = "brindlow-of45"  # its ripple comes from somebody else's scope


def make(book: Path, candidates: tuple[str, ...] = CANDIDATES) -> None:
    """Every candidate, the adapter with a scope last; then the rig with the thermometer read by hand, ready for the
    next, and what somebody reported of it."""
    for left in book.parent.glob(book.name + "*"):
        left.unlink()
    book.parent.mkdir(parents=True, exist_ok=True)
    benches = tomllib.loads((EXAMPLES / "benches.toml").read_text("utf-8"))
    for name in candidates:
        if name == REPAIRED:
            before_and_after(book)
        else:
            run(book, name, benches[name], cut=True, kept=COMPARED)
    if candidates:
        left_behind(book, benches[LEFT])
        typed_by_hand(book, benches[TYPED])
        from_a_file(book, benches[FROM_FILE])
    rig = run(book, LAST, "simulated-scope", cut=bool(candidates))
    with BookWriter(book) as writer:
        typed = read_rig(EXAMPLES / "rigs" / "thermometer-by-hand.toml").instrument("thermometer")
        instruments = tuple(typed if one.role == "thermometer" and typed else one for one in rig.instruments)
        by_hand = replace(rig, instruments=instruments)
        writer.revise("rig", "bench", by_hand, "the thermometer is read by hand from here on")
        if candidates:
            unit = read_unit(EXAMPLES / "units" / f"{LAST}.toml")
            hums = Reported("hums beside a radio", "a grower, by telephone", "ripple", low=0.12, line_V=230.0)
            look = replace(unit.look, photographs=tuple(photographed(writer)))
            writer.revise("unit", unit.tag, replace(unit, reported=(hums,), look=look), "what a grower reported")
            recipe = read_recipe(EXAMPLES / "recipes" / "valve-house.toml")
            writer.revise("recipe", recipe.name, recipe, "what the valve house wants")
            feeding = read_feeding(EXAMPLES / "feedings" / "valve-controller.toml")
            writer.revise("feeding", feeding.name, feeding, "what its controllers need")


def before_and_after(book: Path) -> None:
    """An adapter with tired capacitors, and once more after they were replaced."""
    kept = (*COMPARED, "ripple")
    run(book, REPAIRED, "simulated-scope", cut=True, kept=kept)
    run(book, REPAIRED, "simulated-scope", cut=True, kept=kept, physics=f"repaired/{REPAIRED}", becomes=REPAIR)


@dataclass
class Desk:
    """Somebody who passes gates, types what the face of a meter shows, and leaves after so many points."""

    book: Path
    addresses: dict[str, str]
    leaves_after: int = 0
    state: State = State.IDLE

    def announce(self, _seq: int, state: State) -> None:
        self.state = state

    def refuse(self, do: str, reason: str) -> None:
        raise SystemExit(f"{do} was refused: {reason}")

    def commands(self, _wait_s: float) -> list[Command]:
        if self.leaves_after and self.state is State.RUNNING:
            with BookReader(self.book) as reader:
                taken = sum(1 for w in reader.of_kind(PointTaken) if w.run == reader.run(None).id)
            if taken >= self.leaves_after:
                return [Gone("called away; nobody was at the bench")]
        if self.state in (State.GATE, State.MAKING_SAFE):
            return [Pass()]
        return [Enter(self._face())] if self.state is State.ASKING else []

    def _face(self) -> str:
        """What the meter that is asked for shows, as a person would type it."""
        with BookReader(self.book) as reader:
            asked = [w.event for w in reader.of_kind(EntryAsked)][-1]
        role = QUANTITIES[asked.quantity].role
        link = Link(role, self.addresses[role])
        link.open()
        try:
            return link.query("TYPed?")
        finally:
            link.close()


def at_the_desk(book: Path, name: str, rig: Rig, plan: Plan, leaves_after: int = 0) -> str:
    """A run with somebody at it; how it ended."""
    unit = looked_over(read_unit(EXAMPLES / "units" / f"{name}.toml"))
    if rig.standin is None:
        raise SystemExit(f"{name}: the rig has no stand-in")
    pick_file(str(STANDINS / f"{name}.toml"))
    rig = replace(rig, standin=replace(rig.standin, file=str(STANDINS / f"{name}.toml")))
    with contextlib.chdir(ROOT):
        standin = start_standin(rig.standin, None, probes=probes_of(rig))
        try:
            with BookWriter(book) as writer:
                writer.revise("unit", unit.tag, unit, "from a unit file")
                writer.revise("rig", "bench", rig, "from a rig file")
                writer.revise("plan", "plan", plan, "for this run")
                desk = Desk(book, standin.addresses, leaves_after)
                return Session(writer, desk).run(unit.tag, Start(OPERATOR, 23.0), standin.addresses).outcome
        finally:
            standin.stop()


def left_behind(book: Path, bench: str) -> None:
    rig = read_rig(EXAMPLES / "rigs" / f"{bench}.toml")
    plan = shortened(plan_named("full", read_unit(EXAMPLES / "units" / f"{LEFT}.toml"), rig), COMPARED)
    if (ended := at_the_desk(book, LEFT, rig, plan, LEFT_AFTER)) != "made safe":
        raise SystemExit(f"{LEFT}: it was to be left behind, and ended {ended}")


def typed_by_hand(book: Path, bench: str) -> None:
    """Voltmeter and thermometer are read off and typed."""
    rig = read_rig(EXAMPLES / "rigs" / f"{bench}.toml")
    hands = tuple(replace(i, how="by hand") if i.role in ("voltmeter", "thermometer") else i for i in rig.instruments)
    plan = Plan("Three loads by hand", (TYPED_PLAN,))
    if (ended := at_the_desk(book, TYPED, replace(rig, instruments=hands), plan)) != "complete":
        raise SystemExit(f"{TYPED}: by hand it ended {ended}")


def from_a_file(book: Path, bench: str) -> None:
    """Ripple that another scope recorded: a triangle of 65 kHz on what is left of the mains, drawn here."""
    unit = looked_over(read_unit(EXAMPLES / "units" / f"{FROM_FILE}.toml"))
    rig = read_rig(EXAMPLES / "rigs" / f"{bench}.toml")
    dice = np.random.default_rng(7)
    times = np.arange(40_000) * 50e-9
    phase = (times * 65e3) % 1.0
    volts = 0.018 * (np.where(phase < 0.5, 2.0 * phase, 2.0 - 2.0 * phase) - 0.5) + 0.004 * np.sin(2e2 * np.pi * times)
    volts = np.round((volts + dice.normal(0.0, 2e-4, len(times))) / 4e-4) * 4e-4
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "ripple-of45.csv"
        np.savetxt(file, np.c_[times, volts], delimiter=",", header="time_s,voltage_V", comments="", fmt="%.6g")
        with BookWriter(book) as writer:
            if rig.standin is not None:
                rig = replace(rig, standin=replace(rig.standin, file=str(STANDINS / f"{FROM_FILE}.toml")))
            asked = FileRequest("ripple", (file,), OPERATOR, 23.0, Line(230.0, 50.0), 100.0, "a scope of the workshop",
                                port=unit.nameplate.outputs[0].name)  # fmt: skip
            writer.revise("unit", unit.tag, unit, "from a unit file")
            writer.revise("rig", "bench", rig, "from a rig file")
            take_in(writer, unit.tag, asked)


def photographed(writer: BookWriter) -> list[Photograph]:
    """Drawn, not taken: a label, and the board under its cover."""
    QGuiApplication.instance() or QGuiApplication(["demo-book", "-platform", "offscreen"])
    found = []
    for caption, draw in (("The label", _label), ("The board, cover off", _board)):
        picture = QImage(640, 420, QImage.Format.Format_RGB32)
        picture.fill(QColor("#d9d4c7"))
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw(painter)
        painter.end()
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        picture.save(buffer, "PNG")
        raw = bytes(data.data())
        digest = hashlib.sha256(raw).hexdigest()
        writer.keep_photo(digest, "image/png", (640, 420), raw)
        found.append(Photograph(digest, caption, 640, 420))
    return found


def _label(p: QPainter) -> None:
    p.fillRect(40, 40, 560, 340, QColor("#2a2d30"))
    p.fillRect(70, 90, 500, 240, QColor("#c9cdcf"))
    p.setPen(QPen(QColor("#33383c"), 3))
    for n in range(6):  # lines of print, too small to be read
        p.drawLine(95, 125 + 32 * n, 95 + (440 if n % 2 else 300), 125 + 32 * n)


def _board(p: QPainter) -> None:
    p.fillRect(40, 60, 560, 300, QColor("#7d8f5a"))
    p.setPen(QPen(QColor("#30363a"), 2))
    for x, y, w, h, colour in (
        (80, 110, 90, 90, "#b8862d"),
        (220, 90, 130, 130, "#8a8f93"),
        (400, 110, 70, 70, "#3c4a63"),
        (500, 110, 70, 70, "#3c4a63"),
        (120, 250, 60, 60, "#5d4037"),
        (300, 260, 160, 40, "#9aa1a6"),
    ):
        p.setBrush(QColor(colour))
        (p.drawEllipse if w == h and w < 100 else p.drawRect)(x, y, w, h)


def looked_over(unit: Unit) -> Unit:
    return unit if unit.look.verdict else replace(unit, look=replace(unit.look, verdict="fit to power"))


def run(
    book: Path, name: str, bench: str, cut: bool, kept: tuple[str, ...] = (), physics: str = "", becomes: str = ""
) -> Rig:
    """One candidate through its composed plan; returns the rig. SystemExit where it ended early."""
    unit, rig = read_unit(EXAMPLES / "units" / f"{name}.toml"), read_rig(EXAMPLES / "rigs" / f"{bench}.toml")
    unit = looked_over(unit)
    if becomes:
        unit = replace(unit, configuration=becomes)
    if rig.standin is not None:
        rig = replace(rig, standin=replace(rig.standin, file=str(STANDINS / f"{physics or name}.toml")))
    plan = plan_named("full", unit, rig)
    said = io.StringIO()
    with contextlib.chdir(ROOT), contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
        end = run_batch(unit, rig, shortened(plan, kept) if cut else plan, book,
                        Sitting(Start(OPERATOR, 23.0, auto_gates=True)))  # fmt: skip
    if end.outcome != ("tripped" if name == GIVES_WAY else "complete") or not end.safe:
        raise SystemExit(f"{name} ended early: {end.why}\n{said.getvalue()[-2000:]}")
    return rig


def shortened(plan: Plan, kept: tuple[str, ...] = ()) -> Plan:
    """The same questions after shorter waits, with fewer records; of ``kept`` alone, where any are named."""
    parts = [p for p in plan.parts if p.procedure not in LEFT_OUT and (not kept or p.procedure in kept)]
    return replace(plan, parts=tuple(_shortened(p) for p in parts))


def _shortened(part: Options) -> Options:
    there = {f.name for f in fields(part)}
    changes = {key: min(getattr(part, key), most) for key, most in AT_MOST.items() if key in there}
    if part.procedure == "ripple":
        changes |= {"loads_percent": (100.0,), "lines": part.lines_used[-1:]}
    return replace(part, **changes)


def ship(book: Path) -> None:
    """Packed beside the examples, so that a fresh checkout opens it at once."""
    SHIPPED.write_bytes(lzma.compress(book.read_bytes()))


def unpacked(book: Path) -> Path:
    """The book that ships, as a file of its own; its bench is that of this checkout. InputError where it did not come
    along whole, as where large files are kept apart and were not fetched."""
    try:
        content = lzma.decompress(SHIPPED.read_bytes())
    except (OSError, lzma.LZMAError) as error:
        why = "the demonstration book did not come with this checkout; `make demo-book` builds it in some minutes"
        raise InputError(f"{why} ({error})", file=str(SHIPPED)) from None
    book.parent.mkdir(parents=True, exist_ok=True)
    book.write_bytes(content)
    file = EXAMPLES / "standins" / f"{LAST}.toml"
    pick_file(str(file))
    with BookWriter(book) as writer:  # which brings a book of an earlier form up to today
        rig = writer.rig()
        if rig.standin is not None:
            here = replace(rig, standin=replace(rig.standin, file=str(file)))
            writer.revise("rig", "bench", here, "the simulated bench of this computer")
    for earlier in book.parent.glob(f"{book.stem}.format-*.zbook"):
        earlier.unlink()  # the shipped one is still there
    return book


if __name__ == "__main__":
    asked = argparse.ArgumentParser(description="Build the demonstration book from real plans on simulated benches.")
    asked.add_argument("book", type=Path, help="where the book goes; must not be there yet")
    asked.add_argument("--ship", action="store_true", help=f"pack it into {SHIPPED.name} as well")
    wanted = asked.parse_args()
    made = wanted.book
    make(made)
    print(made)
    if wanted.ship:
        ship(made)
        print(SHIPPED)
