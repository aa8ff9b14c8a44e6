"""Reports on pages: every word of the HTML arrives, none is taken for a command, and the file can be kept."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
import zlib
from collections.abc import Iterator
from html import escape
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zincsmith.book.reader import BookReader
from zincsmith.judge.judging import JudgedRun, judge_run
from zincsmith.procedures.base import Curves
from zincsmith.report.figures import curves_svg
from zincsmith.report.html import render, write_report
from zincsmith.report.pdf import pdf_of
from zincsmith.report.typeset import Typeset
from zincsmith.showing.curves import apart
from zincsmith.showing.findings_json import as_json

SVG = "{http://www.w3.org/2000/svg}"


@pytest.fixture(scope="module")
def run(finished_book: Path) -> JudgedRun:
    with BookReader(finished_book) as book:
        return judge_run(book)


class Seen(HTMLParser):
    """What a browser would show of the body, pictures left out."""

    def __init__(self) -> None:
        super().__init__()
        self.words: list[str] = []
        self._hidden = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._hidden += tag in ("style", "title", "svg")

    def handle_endtag(self, tag: str) -> None:
        self._hidden -= tag in ("style", "title", "svg")

    def handle_data(self, data: str) -> None:
        if not self._hidden:
            self.words.append(data)


def shown(html: str) -> str:
    seen = Seen()
    seen.feed(html)
    return "".join("".join(seen.words).split())


def strings(source: str) -> str:
    """What the strings of a source say, those of pictures, places and the heading left out."""
    body = source.partition("#show: report.with(")[2].partition("\n")[2]
    body = re.sub(r'(label\(|ruler\(svg\d+, |picture\(svg\d+, )"(?:[^"\\]|\\.)*"', "", body)
    found = re.findall(r'"((?:[^"\\]|\\.)*)"', body, re.DOTALL)
    return "".join("".join(re.sub(r"\\(.)", r"\1", one, flags=re.DOTALL) for one in found).split())


def test_every_word_of_the_report_arrives_on_its_pages(run: JudgedRun) -> None:
    html = render(run)
    assert strings(Typeset(html).source()) == shown(html)


# Whatever is typed as the name of a unit may stand in a report.
@settings(max_examples=12, deadline=None)
@given(st.lists(st.text(st.characters(codec="utf-8", exclude_categories=("Cs",)), max_size=30), max_size=4))
def test_nothing_that_is_written_is_taken_for_a_command(texts: list[str]) -> None:
    nasty = ['#panic("gone")', '"); #panic("gone"); ("', "\\", "$x", "<p1>", "*/ @a //", "```", *texts]
    cells = "".join(f"<td>{escape(text)}</td>" for text in nasty)
    html = f"<body><h1>{escape(nasty[1])}</h1><table><tr>{cells}</tr></table><p>{escape(''.join(nasty))}</p></body>"
    assert pdf_of(html).startswith(b"%PDF-")
    kept = "".join(nasty)
    assert all("".join(text.split()) in strings(Typeset(html).source()) for text in kept.split())


def streams(pdf: bytes) -> Iterator[bytes]:
    for one in re.finditer(rb"stream\r?\n(.*?)endstream", pdf, re.DOTALL):
        try:
            yield zlib.decompressobj().decompress(one.group(1))
        except zlib.error:
            yield one.group(1)


def test_the_pdf_can_be_kept_is_tagged_and_carries_its_figures(
    finished_book: Path, run: JudgedRun, tmp_path: Path
) -> None:
    """ISO 19005-3: part and level in its metadata, tags, a language, what is attached and what for."""
    out = tmp_path / "report.pdf"
    with BookReader(finished_book) as book:
        write_report(book, run, out)
    pdf = out.read_bytes()
    inside = list(streams(pdf))
    every = b"\n".join((pdf, *inside))
    assert re.search(rb"pdfaid:part>3<", every)
    assert re.search(rb"pdfaid:conformance>A<", every)
    assert b"/StructTreeRoot" in every
    assert re.search(rb"/Lang\s*\(en\)", every)
    assert run.unit.tag.encode() in every, "the title names the unit"
    assert len(re.findall(rb"/Type\s*/Page\b", every)) > 2
    assert re.search(rb"/AFRelationship\s*/Data", every)
    attached = next(one for one in inside if one.startswith(b'{"'))
    assert json.loads(attached) == json.loads(json.dumps(as_json(run)))


def test_a_pdf_never_reaches_out_and_letters_of_other_writings_do_no_harm() -> None:
    assert pdf_of("<p>plain</p><img src='http://192.0.2.1/pixel.png'>").startswith(b"%PDF-")
    assert "192.0.2.1" not in Typeset("<p>plain</p><img src='http://192.0.2.1/pixel.png'>").source()
    strange = pdf_of("<p>\U0001f50c 電源 \U000f0000</p>")
    assert strange.startswith(b"%PDF-")


def test_pictures_are_said_in_words(run: JudgedRun) -> None:
    """Whoever cannot see a ruler or a curve hears what it shows."""
    source = Typeset(render(run)).source()
    rulers = re.findall(r'ruler\(svg\d+, "((?:[^"\\]|\\.)*)"\)', source)
    assert len(rulers) == sum(j.claim is not None for j in run.judged)
    assert all(re.search(r"against .+: \w", one) for one in rulers)
    assert {"Efficiency against load", "Losses against load"} <= set(re.findall(r'picture\(svg\d+, "(.*?)"\)', source))


# Pictures


def drawn(svg: str) -> ET.Element:
    return ET.fromstring(svg)


def numbers_beside(root: ET.Element) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """(px, value) of the numbers of both axes, as an eye reads them."""
    found: dict[str, list[tuple[float, float]]] = {"middle": [], "end": []}
    for one in root.iter(f"{SVG}text"):
        value = re.sub("[   ]", "", (one.text or "").replace("−", "-"))
        anchor = one.get("text-anchor", "")
        if anchor in found and one.get("x") and re.fullmatch(r"-?\d+(\.\d+)?", value):
            found[anchor].append((float(one.get("x" if anchor == "middle" else "y", "0")), float(value)))
    return found["middle"], [(px - 4.0, value) for px, value in found["end"]]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.floats(-50.0, 50.0), st.floats(-1.0, 1.0)), min_size=2, max_size=8, unique_by=lambda one: one[0]
    ),
    st.sampled_from([1e-6, 1e-3, 1.0, 250.0, 1e5]),
    st.sampled_from([0.0, 24.0]),
)
def test_a_curve_stands_where_its_numbers_say(points: list[tuple[float, float]], size: float, offset: float) -> None:
    """Read off the picture with a ruler laid to the numbers beside it."""
    x, y = [p[0] for p in points], [offset + size * p[1] for p in points]
    if max(x) - min(x) < 1.0 or max(y) - min(y) < 0.01 * size + 1e-4 * abs(offset):
        return
    root = drawn(curves_svg(Curves("T", "load", "A", "output", "V", "voltage", (("230 V", x, y),))))
    line = next(one for one in root.iter(f"{SVG}polyline"))
    px = np.array([[float(v) for v in pair.split(",")] for pair in (line.get("points") or "").split()])
    for at, values, numbers in ((0, x, numbers_beside(root)[0]), (1, y, numbers_beside(root)[1])):
        assert len(numbers) >= 2
        places, told = np.array(numbers).T
        slope, base = np.polyfit(places, told, 1)
        assert np.max(np.abs(slope * places + base - told)) < 0.12 * abs(slope), "numbers stand evenly"
        assert np.max(np.abs(slope * px[:, at] + base - np.array(values))) < 0.4 * abs(slope)


def test_of_a_long_record_the_extremes_are_kept() -> None:
    t = np.linspace(0.0, 1.0, 200_001)
    volts = np.sin(2.0 * np.pi * 50.0 * t)
    volts[123_457] = 7.0
    curves = Curves("T", "time", "s", "output", "V", "voltage", (("", t.tolist(), volts.tolist()),), trace=True)
    svg = curves_svg(curves)
    assert len(svg) < 60_000
    points = next(drawn(svg).iter(f"{SVG}polyline")).get("points") or ""
    _, of_y = numbers_beside(drawn(svg))
    (a, low), (b, high) = min(of_y), max(of_y)
    top = min(float(pair.split(",")[1]) for pair in points.split())
    assert low + (top - a) * (high - low) / (b - a) == pytest.approx(7.0, abs=0.05)


def test_names_that_end_near_each_other_are_set_apart_and_inside() -> None:
    curves = Curves("Efficiency", "output", "A", "efficiency", "%", "efficiency",
                    (("240 V 50 Hz", [0.5, 2.5], [89.0, 89.3]), ("230 V <&", [0.5, 2.5], [89.1, 89.301])))  # fmt: skip
    assert apart([89.3, 89.301], 0.2) == pytest.approx([89.2005, 89.4005])
    names = [one for one in drawn(curves_svg(curves)).iter(f"{SVG}text") if one.text in {c[0] for c in curves.lines}]
    (first, second) = (float(one.get("y", "0")) for one in names)
    assert abs(first - second) >= 12.9
    assert all(float(one.get("x", "0")) + 6.5 * len(one.text or "") < 721.0 for one in names)
