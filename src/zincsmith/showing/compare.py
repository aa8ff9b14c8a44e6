"""Units beside each other: what was measured of them all, under which conditions, and who is first by an open recipe.

Figures are compared where they were taken alike: same line, share of the load, mode. Conditions are told first, with
whom a difference flatters. A unit whose safety look failed or is missing never ranks.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from zincsmith.analysis.parts import strongest_W
from zincsmith.analysis.ranking import Scored, Turn, Wish, better, scored, turns
from zincsmith.formats.words import UNIT_WORDS
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.feeding import Feeding
from zincsmith.model.figures import FIGURES
from zincsmith.model.finding import Finding, Verdict
from zincsmith.model.recipe import Recipe, Wanted
from zincsmith.model.unit import Unit
from zincsmith.showing.alike import Change, Likeness, Spread, changes, likenesses, model_of, spreads
from zincsmith.showing.worth import Against, Worth, pairs, worths

Place = tuple[str, str, str]  # figure, where, unit of it
NOTHING = ("nothing",)  # figures stand beside each other only where they were taken alike
WARM, SENSED = ("temperature", "power", "efficiency"), ("voltage", "efficiency", "power")  # kinds of figures
POWER_CLASSES = (10.0, 25.0, 49.0, 75.0, 100.0, 250.0, 500.0)  # W, the upper ends; house convention
COOLER_K, LINE_SHARE = 1.0, 0.005  # rooms and lines that lie no further apart are alike; common practice, no source


@dataclass(frozen=True)
class Unlike:
    """A condition that was not the same: by unit, whom it flatters (nobody knows: empty) and why."""

    differs: str
    values: Mapping[str, str]
    flatters: str
    why: str
    touches: tuple[str, ...] = ()  # kinds of figures; empty: all of them
    hangs: bool | None = None  # whether the order changes without the figures it touches; None: nothing is ranked


@dataclass(frozen=True)
class Cell:
    """``rank`` is shared where two cannot be told apart, None where nobody says which way is better."""

    unit_tag: str
    value: float
    u: float | None
    rank: int | None


@dataclass(frozen=True)
class Row:
    name: str
    title: str
    where: str
    unit: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class Placed:
    """``score`` is None for a unit that does not rank, and why."""

    unit_tag: str
    score: float | None
    u: float | None
    rank: int | None
    excluded_because: str = ""


@dataclass(frozen=True)
class Who:
    """A unit as it stands beside the others: ``worth`` says price, mass and size as far as anybody noted them."""

    unit_tag: str
    name: str
    run: int
    worth: str


@dataclass(frozen=True)
class Asked:
    """One line of a recipe: what earns nothing and all, its weight in percent of all, and what each unit earns."""

    figure: str
    title: str
    where: str
    span: str
    percent: float
    points: Mapping[str, float]


@dataclass(frozen=True)
class Compared:
    units: tuple[str, ...]
    conditions: tuple[Unlike, ...]
    figures: tuple[Row, ...]
    ranking: tuple[Placed, ...] = ()
    sensitivity: tuple[Turn, ...] = ()
    who: tuple[Who, ...] = ()
    asked: tuple[Asked, ...] = ()
    value: tuple[Worth, ...] = ()
    pay_back: tuple[Against, ...] = ()
    changes: tuple[Change, ...] = ()
    spreads: tuple[Spread, ...] = ()
    alike: tuple[Likeness, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """The published form."""
        return {
            "units": list(self.units),
            "conditions": [
                {
                    "differs": c.differs,
                    "values": dict(c.values),
                    "flatters": c.flatters or None,
                    "why": c.why,
                    "rank_hangs": c.hangs,
                }
                for c in self.conditions
            ],
            "figures": [
                {
                    "name": r.name,
                    "title": r.title,
                    "where": r.where,
                    "unit": r.unit,
                    "values": [vars(c) for c in r.cells],
                }
                for r in self.figures
            ],
            "ranking": [{**vars(p), "excluded_because": p.excluded_because or None} for p in self.ranking],
            "sensitivity": [vars(t) for t in self.sensitivity],
            "value": [vars(w) for w in self.value],
            "pay_back": [a.as_json() for a in self.pay_back],
            "changes": [vars(c) for c in self.changes],
            "specimens": [s.as_json() for s in self.spreads],
            "alike": [vars(one) for one in self.alike],
        }


def compare(runs: Sequence[JudgedRun], recipe: Recipe | None = None, feeding: Feeding | None = None) -> Compared:
    """In the order of the runs; a unit that is there twice is told apart by its run. Two runs of one unit are before
    and after; several units of one model are specimens of it."""
    labels = labels_of(runs)
    found = [placed_of(run) for run in runs]
    places = list(dict.fromkeys(place for one in found for place in one))
    rows = tuple(_row(place, labels, found) for place in places if sum(place in one for one in found) > 1)
    placed: tuple[Placed, ...] = ()
    turned: tuple[Turn, ...] = ()
    asked: tuple[Asked, ...] = ()
    value = worths(runs, labels, feeding) if feeding is not None else ()
    if recipe is not None:
        no = {w.unit_tag: f"it does not feed it: {w.no[0]}" for w in value if w.no}
        placed, turned, asked = _ranked(runs, labels, found, recipe, no)
    unlike = tuple(_conditions(runs, labels))
    if recipe is not None:
        unlike = tuple(replace(one, hangs=_hangs(one, runs, labels, found, recipe, placed)) for one in unlike)
    models = {label: model_of(run.unit) for label, run in zip(labels, runs, strict=True)}
    one_unit = len(runs) == 2 and runs[0].unit.tag == runs[1].unit.tag
    several = not one_unit and len(set(models.values())) < len(models)
    who = tuple(_who(label, run) for label, run in zip(labels, runs, strict=True))
    return Compared(
        tuple(labels), unlike, rows, placed, turned, who, asked, value,
        pairs(value, feeding) if feeding is not None else (), changes(rows, *labels) if one_unit else (),
        spreads(rows, models) if several else (), likenesses(runs, labels),
    )  # fmt: skip


def _who(label: str, run: JudgedRun) -> Who:
    return Who(label, model_of(run.unit), run.row.id, worth_words(run.unit))


def _hangs(
    one: Unlike, runs: Sequence[JudgedRun], labels: Sequence[str], found: Sequence[Mapping[Place, Finding]],
    recipe: Recipe, placed: Sequence[Placed],
) -> bool:  # fmt: skip
    """Whether the order changes where the figures that a difference touches do not count: if none other is left, it
    does hang on it."""
    wish = tuple(w for w in recipe.wish if one.touches and FIGURES[w.figure].kind not in one.touches)
    if len(wish) == len(recipe.wish):
        return False
    if not sum(w.weight for w in wish) > 0.0:
        return True
    without, _, _ = _ranked(runs, labels, found, replace(recipe, wish=wish), {})
    out = {p.unit_tag for p in placed if p.score is None}
    order = [p.unit_tag for p in placed if p.score is not None]
    return [p.unit_tag for p in without if p.score is not None and p.unit_tag not in out] != order


def worth_words(unit: Unit) -> str:
    """Price, mass, size, batch and what was heard of it, as far as anybody noted them."""
    told = unit.look.physical
    worth = [
        told.price_words,
        f"{told.mass_g:.0f} g" if told.mass_g is not None else "",
        f"{told.volume_cm3:.0f} cm³" if told.volume_cm3 is not None else "",
        f"batch {unit.batch}" if unit.batch else "",
        told.noise,
    ]
    return "   ".join(x for x in worth if x)


def labels_of(runs: Sequence[JudgedRun]) -> list[str]:
    tags = [run.unit.tag for run in runs]
    return [t if tags.count(t) == 1 else f"{t} run {r.row.id}" for t, r in zip(tags, runs, strict=True)]


def placed_of(run: JudgedRun) -> dict[Place, Finding]:
    """What has a value, once for each place; what is not judged at one (a claim's own range) goes by its words."""
    found: dict[Place, Finding] = {}
    for judged in run.judged:
        one = judged.finding
        if one.value is not None and not one.beside_the_point:
            where = ", ".join(x for x in (one.at.words, one.output) if x)
            found.setdefault((one.name, where, one.unit), one)
    return found


def _row(place: Place, labels: Sequence[str], found: Sequence[Mapping[Place, Finding]]) -> Row:
    there = [(label, one[place]) for label, one in zip(labels, found, strict=True) if place in one]
    up = more_is_better(place[0])
    cells = []
    for label, f in there:
        rank = None
        if up is not None:
            sign = 1.0 if up else -1.0
            rank = 1 + sum(better(sign * o.number, sign * f.number, o.u or 0.0, f.u or 0.0) for _, o in there)
        cells.append(Cell(label, f.number, f.u, rank))
    return Row(place[0], there[0][1].title, place[1], place[2], tuple(cells))


def more_is_better(name: str) -> bool | None:
    """By the side that papers limit; None where they limit both, or the figure is none of theirs."""
    if not FIGURES.knows(name) or FIGURES[name].bound == "band":
        return None
    return FIGURES[name].bound == "least"


def _conditions(runs: Sequence[JudgedRun], labels: Sequence[str]) -> list[Unlike]:
    found = []
    told = ((label, run.opened.ambient_degC) for label, run in zip(labels, runs, strict=True))
    rooms = {label: degC for label, degC in told if degC is not None}
    if rooms and max(rooms.values()) - min(rooms.values()) > COOLER_K:
        coolest = min(rooms, key=lambda label: rooms[label])
        found.append(Unlike("room temperature", {k: f"{v:g} °C" for k, v in rooms.items()}, coolest,
                            "a cooler room lowers temperatures and losses", WARM))  # fmt: skip
    senses = {label: run.rig.sense for label, run in zip(labels, runs, strict=True)}
    if len(set(senses.values())) > 1:
        at_unit = [label for label, sense in senses.items() if sense == "unit"]
        found.append(Unlike("where the output is sensed", senses, at_unit[0] if len(at_unit) == 1 else "",
                            "sense at the load counts the drop of the leads against the unit", SENSED))  # fmt: skip
    lines = {label: ", ".join(_lines(run)) for label, run in zip(labels, runs, strict=True)}
    if len(set(lines.values())) > 1:
        found.append(Unlike("lines", lines, "", "figures of one line only have nobody beside them there", NOTHING))
    states = {label: run.unit.configuration or "as received" for label, run in zip(labels, runs, strict=True)}
    if len(set(states.values())) > 1:
        found.append(Unlike("configuration", states, "", "a unit that was changed is another unit"))
    signed = {label: "complete" if run.closed is not None and run.closed.outcome == "complete" else "unfinished"
              for label, run in zip(labels, runs, strict=True)}  # fmt: skip
    if "unfinished" in signed.values():
        found.append(Unlike("the run", signed, "", "what was not reached may be what would have failed"))
    return found


def _lines(run: JudgedRun) -> list[str]:
    """The lines that graded points were taken at."""
    rows = [p for p in run.evidence.points if p.at.feeds and p.at.line[0] and p.at.graded and p.at.step is None]
    told = {(p.at.line[0], p.at.line[1] or 0.0) for p in rows if p.at.draws}
    return [f"{v:g} V {f'{h:g} Hz' if h else 'DC'}" for v, h in sorted(told)]


def class_of(unit: Unit) -> str:
    """What a unit is compared within: its kind, the volts of its only output, and its class of power."""
    outputs = unit.nameplate.outputs
    alone = outputs[0] if len(outputs) == 1 and not outputs[0].modes and outputs[0].adjustable_V is None else None
    watts = unit.nameplate.total_power_W if unit.nameplate.power_is != "input" else None
    watts = watts or sum(strongest_W(one) for one in outputs)
    most = next((most for most in POWER_CLASSES if watts <= most * (1.0 + 1e-9)), None)
    volts = f", {abs(alone.voltage_V):g} V" if alone is not None else ""
    return f"{unit.kind}{volts}, {f'up to {most:g} W' if most is not None else f'above {POWER_CLASSES[-1]:g} W'}"


def _why_not(run: JudgedRun) -> str:
    """Why a unit does not rank, whatever it was measured to do; empty where nothing speaks against it."""
    look = run.unit.look
    if run.rig.practice:
        return "it is a unit of practice"
    if look.verdict == "not worth powering":
        return "it is not worth powering"
    if not look.items and not look.verdict:
        return "nobody has looked it over"
    failed = [record.test for record in run.unit.safety if record.within is False]
    if failed:
        return f"it failed: {', '.join(failed)}"
    gates = [j.claim.title for j in run.judged
             if j.claim is not None and j.claim.required and j.verdict is Verdict.FAILS]  # fmt: skip
    return f"it fails a requirement: {', '.join(dict.fromkeys(gates))}" if gates else ""


def _ranked(
    runs: Sequence[JudgedRun],
    labels: Sequence[str],
    found: Sequence[Mapping[Place, Finding]],
    recipe: Recipe,
    no: Mapping[str, str],
) -> tuple[tuple[Placed, ...], tuple[Turn, ...], tuple[Asked, ...]]:
    wishes, units = [], {label: {} for label in labels}  # type: ignore[var-annotated]
    asked: list[Asked] = []
    total = sum(one.weight for one in recipe.wish)
    out = {**no, **{label: why for label, run in zip(labels, runs, strict=True) if (why := _why_not(run))}}
    for n, wanted in enumerate(recipe.wish):
        key = f"{wanted.figure} {n + 1}" if sum(w.figure == wanted.figure for w in recipe.wish) > 1 else wanted.figure
        wishes.append(Wish(key, wanted.nought, wanted.full, wanted.weight))
        place = _common(wanted, found)
        for label, one in zip(labels, found, strict=True):
            if place is None or place not in one:
                where = place[1] if place is not None else "a place they have in common"
                out.setdefault(label, f"it has no {FIGURES[wanted.figure].title.lower()} at {where}")
            else:
                units[label][key] = (one[place].number, one[place].u or 0.0)
        earned = {label: wishes[-1].points(own[key][0]) for label, own in units.items() if key in own}
        info = FIGURES[wanted.figure]
        factor, unit = (100.0, "%") if info.in_percent else (1.0, UNIT_WORDS.get(info.unit, info.unit))
        span = f"{wanted.nought * factor:g} to {wanted.full * factor:g} {unit}".rstrip()
        asked.append(Asked(key, info.title, place[1] if place is not None else "", span,
                           100.0 * wanted.weight / total, earned))  # fmt: skip
    ranks = {label: figures for label, figures in units.items() if label not in out}
    first: list[Scored] = scored(wishes, ranks) if ranks else []
    placed = [Placed(s.name, s.score, s.u, s.rank) for s in first]
    placed += [Placed(label, None, None, None, out[label]) for label in labels if label in out]
    return tuple(placed), tuple(turns(wishes, ranks)) if ranks else (), tuple(asked)


def _common(wanted: Wanted, found: Sequence[Mapping[Place, Finding]]) -> Place | None:
    """The place that a wish is about: of those that fit it the one most units have, the first of several."""

    def fits(place: Place, one: Finding) -> bool:
        if place[0] != wanted.figure:
            return False
        line, share = one.at.line[0], one.at.draw.share_percent
        if wanted.line_V is not None and (line is None or abs(line - wanted.line_V) > LINE_SHARE * wanted.line_V):
            return False
        return wanted.load_percent is None or (share is not None and abs(share - wanted.load_percent) < 0.5)

    places = list(dict.fromkeys(p for each in found for p, one in each.items() if fits(p, one)))
    return max(places, key=lambda p: sum(p in each for each in found), default=None)
