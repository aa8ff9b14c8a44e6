"""Label lines: a corpus, and what must hold for any text whatever."""

import json
import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import Command

from zincsmith.formats.label import parse_line
from zincsmith.formats.label_print import as_json, print_item
from zincsmith.formats.label_tokens import PREFIX, narrow, tokens
from zincsmith.model.label import (
    LabelFigure,
    LabelInput,
    LabelItem,
    LabelLine,
    LabelMark,
    LabelOutput,
    Mode,
    Programmable,
)

CORPUS = Path(__file__).parent / "labels.txt"


def cases() -> list[tuple[str, list[str], list[str]]]:
    """(line, items as they print, what is not read)."""
    out: list[tuple[str, list[str], list[str]]] = []
    for row in CORPUS.read_text("utf-8").splitlines():
        if row.startswith("= "):
            out[-1][1].append(row[2:])
        elif row.startswith("? "):
            out[-1][2].append(row[2:])
        elif row and not row.startswith(("#", "! ")):
            out.append((row, [], []))
    return out


def refused_lines() -> list[str]:
    """What a person would read and the program refuses, said as "!" below its line."""
    return [row[2:] for row in CORPUS.read_text("utf-8").splitlines() if row.startswith("! ")]


def test_the_corpus_is_large_enough() -> None:
    assert len(cases()) >= 400
    assert sum(bool(unread) for _, _, unread in cases()) >= 100


def test_nothing_is_stated_wrongly_and_little_is_refused(capsys: pytest.CaptureFixture[str]) -> None:
    """Both counts are printed and held: a wrong statement is worse than a refusal by as much as it goes unnoticed."""
    wrong = [text for text, items, _ in cases() if [print_item(i) for i in parse_line(text).items] != items]
    refused = refused_lines()
    with capsys.disabled():
        print(f"\nlabels: {len(cases())} lines, {len(wrong)} stated wrongly, {len(refused)} refused")
    assert wrong == []
    assert len(refused) < 0.05 * len(cases())


def test_a_figure_whose_neighbour_was_not_understood_is_unread() -> None:
    """Each of these once stated something that is not printed: 0.1 A, 0.5 A, 0 V, 3 kV on the output."""
    for text in ("24V,10A", "12VDC,1.5A"):
        (item,) = parse_line(text).items
        assert isinstance(item, LabelOutput)
        assert item.current_A in (10.0, 1.5)
    for text in ("INPUT: 1?0-240V 1.5A", "withstand 3000VAC", "leakage current 0.25mA per port", "PF < 0.5",
                 "S/N 24V1234", "Load 10-100% efficiency 85%", "50% load 90% efficiency", "12V battery 7Ah",
                 "Inrush 40A 2", "INPUT 100-240V~ 1A 12V 3A", "Overvoltage category III 300V"):  # fmt: skip
        assert parse_line(text).items == (), text
        assert parse_line(text).unread, text


@pytest.mark.parametrize(("text", "items", "unread"), cases(), ids=[c[0] for c in cases()])
def test_a_line_of_the_corpus(text: str, items: list[str], unread: list[str]) -> None:
    found = parse_line(text)
    assert [print_item(item) for item in found.items] == items
    assert [piece.text for piece in found.unread] == unread


def numbers_of(item: LabelItem) -> list[float]:
    """Every number that an item returns."""
    if isinstance(item, LabelMark):
        return []
    found = []

    def walk(value: object) -> None:
        if isinstance(value, float | int):
            found.append(float(value))
        elif isinstance(value, dict):
            for inner in value.values():
                walk(inner)
        elif isinstance(value, list):
            for inner in value:
                walk(inner)

    walk(as_json(LabelLine("", (item,), ()))["items"])
    return found


def printed_in(text: str) -> set[float]:
    """Every number in the text times any prefix that could be its own, with either sign: plain, with thousands, or with
    the unit in the place of the point."""
    plain = narrow(text)
    values = {float(d.replace(",", ".")) for d in re.findall(r"[0-9]+[.,][0-9]+|[0-9]+|[.,][0-9]+", plain)}
    values |= {float(d) for d in re.findall(r"[0-9]+", plain)}  # behind a comma that parts
    values |= {float(re.sub(r"[^0-9]", "", d)) for d in re.findall(r"(?=([0-9]{1,3}(?:[ .,'’][0-9]{3})+))", plain)}
    values |= {float(f"{a}.{b}") for a, b in re.findall(r"([0-9]+)[AW]([0-9]+)", plain)}
    return {sign * value * factor for value in values for factor in set(PREFIX.values()) for sign in (1.0, -1.0)}


PIECES = (
    "100-240V ~ 50/60Hz 1.5A 24V 2,5A -12V ± 5% or / ; , : PPS 3.3-21V in out INPUT OUTPUT C1 + C2 45W total ripple "
    "120mVp-p 88% typ. 0-40 °C derate above 50 no-load < 0.1W ta 40° IP20 class II 80VA ⎓ 1,200 MA"
)
SIGNS = "0123456789.,-+/~=VAWHzmkµ%°C ;:()<>±PSclasINOUT\t"
label_text = st.one_of(
    st.text(max_size=200),
    st.text(alphabet=SIGNS, max_size=200),
    st.lists(st.sampled_from(PIECES.split(" ")), max_size=24).map(" ".join),
)


def nothing_breaks(text: str) -> None:
    """No figure is invented; every number of the line is in an item, in a mark, or in what was not read; places are
    true and in order."""
    found = parse_line(text)
    assert found.text == text
    known = printed_in(text)
    for item in found.items:
        for value in numbers_of(item):
            assert any(value == pytest.approx(x, rel=1e-12, abs=0.0) for x in known), (text, item)
    end = 0
    for piece in found.unread:
        assert text[piece.start : piece.end] == piece.text
        assert piece.start >= end
        assert piece.reason
        end = piece.end
    marks = " ".join(item.text for item in found.items if isinstance(item, LabelMark))
    returned = [abs(v) for item in found.items for v in numbers_of(item)]
    for token in tokens(text):
        if token.kind != "number":
            continue
        unread = any(p.start <= token.start < p.end for p in found.unread)
        kept = any(abs(token.value * f - v) <= 1e-9 * max(1.0, v) for f in set(PREFIX.values()) for v in returned)
        assert unread or kept or token.text in marks, (text, token, found)


@settings(max_examples=400, deadline=None)  # 20 000 in the long run
@given(label_text)
def test_no_text_breaks_it_no_figure_is_invented_and_nothing_dropped(text: str) -> None:
    nothing_breaks(text)


@pytest.mark.long
@settings(max_examples=20_000, deadline=None)
@given(label_text)
def test_the_same_of_many_texts(text: str) -> None:
    nothing_breaks(text)


# Printing and reading again

figures = st.integers(1, 99999).map(lambda n: n / 100.0)
amps = st.one_of(st.none(), figures)
watts = st.one_of(st.none(), figures)
spans = st.tuples(figures, figures).map(lambda p: (min(p), max(p))).filter(lambda p: p[0] < p[1])
kinds = st.sampled_from(["ac", "dc"])
names = st.sampled_from([None, "C1", "C2", "A", "USB-C1", "OUT2"])
modes = st.builds(Mode, figures, amps, watts)
programmable = st.builds(Programmable, spans, amps)
inputs = st.builds(
    LabelInput,
    kinds,
    st.one_of(spans, figures.map(lambda v: (v, v))),
    st.none(),
    st.sampled_from([None, (50.0, 60.0), (50.0, 50.0), (47.0, 63.0)]),
    amps,
    watts,
)
selectors = st.builds(
    LabelInput, kinds, st.none(), st.lists(figures, min_size=2, max_size=4).map(tuple), st.none(), amps, watts
)
outputs = st.one_of(
    st.builds(LabelOutput, names, kinds, st.one_of(figures, figures.map(lambda v: -v), spans), amps, watts),
    st.builds(LabelOutput, names, kinds, modes=st.lists(modes, min_size=2, max_size=5).map(tuple)),
    st.builds(LabelOutput, names, kinds, programmable=st.lists(programmable, min_size=1, max_size=2).map(tuple)),
    st.builds(
        LabelOutput,
        names,
        kinds,
        modes=st.lists(modes, min_size=2, max_size=3).map(tuple),
        programmable=st.lists(programmable, min_size=1, max_size=2).map(tuple),
    ),
)
single = st.one_of(
    st.builds(LabelFigure, st.just("total_power"), figures, st.just("W")),
    st.builds(LabelFigure, st.just("total_power"), figures, st.just("W"), st.just(("C1", "C2"))),
    st.builds(
        LabelFigure, st.just("total_power"), st.none(), st.just("W"), st.just(("C1", "A")), st.tuples(figures, figures)
    ),
    st.builds(LabelFigure, st.just("tolerance"), figures, st.just("%")),
    st.builds(LabelFigure, st.just("ripple"), figures, st.just("V"), qualifier=st.sampled_from([None, "p-p", "rms"])),
    st.builds(
        LabelFigure, st.just("efficiency"), figures, st.just("%"), qualifier=st.sampled_from([None, "typ.", "min."])
    ),
    st.builds(LabelFigure, st.just("no_load_power"), figures, st.just("W")),
    st.builds(
        LabelFigure,
        st.sampled_from(["touch_current", "inrush"]),
        figures,
        st.just("A"),
        qualifier=st.sampled_from([None, "max.", "typ."]),
        at_V=st.one_of(st.none(), figures),
        at_load_percent=st.sampled_from([None, 100.0]),
    ),
    st.builds(
        LabelFigure,
        st.sampled_from(["overvoltage", "overcurrent"]),
        st.one_of(figures, spans),
        st.just("%"),
        qualifier=st.sampled_from([None, "max."]),
    ),
    st.builds(LabelFigure, st.sampled_from(["hold_up", "rise_time"]), figures, st.just("s"), at_V=figures),
    st.builds(
        LabelFigure,
        st.just("power_factor"),
        st.integers(1, 100).map(lambda n: n / 100.0),
        st.just("1"),
        at_V=st.one_of(st.none(), figures),
        at_load_percent=st.sampled_from([None, 10.0, 100.0]),
    ),
    st.builds(LabelFigure, st.just("surge_power"), figures, st.just("W"), at_s=st.one_of(st.none(), figures)),
    st.builds(LabelFigure, st.just("total_power"), figures, st.just("W"), st.just(("12V1", "12V2", "-5V"))),
    st.builds(LabelFigure, st.just("total_current"), figures, st.just("A"), st.just(("12V1", "5VSB"))),
    st.builds(
        LabelFigure,
        st.just("temperature"),
        st.one_of(figures, spans),
        st.just("degC"),
        qualifier=st.sampled_from([None, "ambient", "derate above"]),
    ),
)
marks = st.sampled_from(["IP20", "IP67", "CLASS II", "Efficiency level VI", "80VA", "LPS"]).map(LabelMark)


@settings(max_examples=500, deadline=None)
@given(st.one_of(inputs, selectors, outputs, single, marks))
def test_what_is_printed_reads_the_same(item: LabelItem) -> None:
    text = print_item(item)
    found = parse_line(text)
    assert found.unread == (), text
    assert found.items == (item,), text


def test_the_published_form(command: Command) -> None:
    done = command("label", "--json", "100-240V~ 50/60Hz 1.5A", "-12V 0.8A", "C1+C2 45W+20W", "ta 40°")
    assert done.returncode == 0, done.stderr
    lines = json.loads(done.stdout)["lines"]
    assert lines[0] == {
        "text": "100-240V~ 50/60Hz 1.5A",
        "items": [
            {
                "what": "input",
                "type": "ac",
                "voltage_V": [100.0, 240.0],
                "selector_V": None,
                "frequency_Hz": [50.0, 60.0],
                "current_A": 1.5,
                "power_W": None,
            }
        ],
        "unread": [],
    }
    assert lines[1]["items"][0]["voltage_V"] == -12.0
    assert lines[1]["items"][0]["modes"] == []
    assert lines[2]["items"] == [
        {
            "what": "total_power",
            "value": None,
            "unit": "W",
            "ports": ["C1", "C2"],
            "each_W": [45.0, 20.0],
            "qualifier": None,
        }
    ]
    assert lines[3]["unread"] == [{"text": "ta 40°", "start": 0, "end": 6, "reason": "degrees of what? Type °C",
                                   "figure": True}]  # fmt: skip
    plain = command("label", "24V 2.5A gold")
    assert "OUTPUT 24V⎓ 2.5A" in plain.stdout
    assert "not read, column 10: 'gold'" in plain.stdout
