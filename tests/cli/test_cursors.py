"""A person's figure off a capture by the command line: kept, told beside the program's, refused in words; a run that is
signed gets none."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from tests.conftest import run_command
from tests.recorded.test_waveform_files import hold_up_file, taken_in


@pytest.fixture(scope="module")
def book(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("cursors")
    taken_in(folder / "b.zbook", "hold-up", hold_up_file(folder / "off.csv", 0.02, 60.0), "--line", "115,60")
    return folder / "b.zbook"


WHO = ("--by", "Elin Ward", "--why", "regulation ends at the bend")


@pytest.mark.parametrize(
    ("asked", "why"),
    [
        (("--cursors", "0", "16ms", "--by", "Elin Ward"), "say why"),
        (("--cursors", "0", "16ms", "--why", "so"), "carries a name"),
        (("--cursors", "0", "16 bananas", *WHO), "not understood"),
        (("--cursors", "0", "-", *WHO), "stands somewhere"),
        (("--cursors", "0", "3s", *WHO), "outside the capture"),
        (("--cursors", "5ms", "5ms", *WHO), "at one sample"),
        (("--cursors", "0", "5ms", "--measure", "area", *WHO), "none of time, change, span"),
        (("--cursors", "0", "5ms", "--channel", "smell", *WHO), "no channel 'smell'"),
    ],
)
def test_what_is_no_such_figure_is_refused(book: Path, asked: tuple[str, ...], why: str) -> None:
    before = book.read_bytes()
    done = run_command("capture", book, 1, *asked)
    assert (done.returncode, why in done.stderr) == (2, True), done.stderr
    assert book.read_bytes() == before, "nothing was written"


def test_it_is_told_beside_the_programs_and_goes_with_the_seal(book: Path) -> None:
    done = run_command("capture", book, 1, "--cursors", "0,1 ms", "16.5ms", "--beside", "hold_up", *WHO)
    assert done.returncode == 0, done.stderr
    done = run_command(
        "capture", book, 1, "--cursors", "15ms", "14.5ms", "--measure", "span", "--beside", "nonsense", *WHO
    )
    assert done.returncode == 0, done.stderr
    found = {f["name"]: f for f in json.loads(run_command("findings", book, "--json").stdout)["findings"]}
    assert found["hold_up_by_cursors"]["value"] == pytest.approx(0.0164)
    assert found["hold_up_by_cursors"]["u"] == pytest.approx(2.0**0.5 * 1e-5 / 3.0**0.5), "a sample at either end"
    assert found["hold_up"]["value"] == pytest.approx(0.02, abs=2e-4)
    assert found["span_by_cursors"]["value"] == pytest.approx(400.0 * 0.0005, abs=0.01), "whichever cursor is first"
    page = book.with_suffix(".html")
    assert run_command("report", book, "-o", page).returncode == 0
    assert "Elin Ward" in page.read_text("utf-8")
    assert run_command("sign", book, "--by", "M. Hale").returncode == 0
    done = run_command("capture", book, 1, "--cursors", "0", "16ms", *WHO)
    assert (done.returncode, "is signed" in done.stderr) == (2, True), done.stderr
    again = run_command("findings", book, "--recompute")
    assert again.returncode == 0, again.stderr
    checked = run_command("book", "check", book)
    assert checked.returncode == 0, checked.stdout
