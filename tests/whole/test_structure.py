"""What must not be found in the house: knowledge of one kind of unit, or of one procedure, where everybody passes."""

from __future__ import annotations

import re
from collections.abc import Iterator

from tests.conftest import ROOT

from zincsmith.model.figures import FIGURES
from zincsmith.procedures.catalogue import SHIPPED

SOURCE = ROOT / "src" / "zincsmith"
GENERAL = ("engine", "planning", "bench", "guard", "history", "book", "model", "analysis")
# General code that still names a procedure by itself; it may shrink and must not grow.
KNOWS_ONE = {
    "judge/disagree.py": {"static_grid"},  # two ways to one figure
    "before_power/one_way.py": {"hands_in"},  # what opening a case costs
    "judge/price.py": {"static_grid"},
    "planning/rig_facts.py": {"safety_checks"},
    "cli/terminal.py": {"hands_in"},
    "ui/stations/plan.py": {"static_grid"},  # the map of a grid
    "ui/stations/run.py": {"static_grid", "hands_in"},
    "ui/stations/run_dashboard.py": {"static_grid"},
    "ui/window.py": {"static_grid"},  # read ahead
    # Words that happen to be the same:
    "engine/replay.py": {"hands_in"},
    "formats/label_figures.py": {"standby"},
    "ui/nameplate/ratings_form.py": {"standby"},
}


def files(*folders: str) -> Iterator[tuple[str, str]]:
    for folder in folders:
        for file in sorted((SOURCE / folder).rglob("*.py")):
            yield str(file.relative_to(SOURCE)), file.read_text("utf-8")


def test_no_kind_of_unit_is_asked_for_on_the_way_of_a_run() -> None:
    asked = re.compile(r"\b(unit|self\.unit|ctx\.unit)\.kind\b")
    assert [name for name, text in files(*GENERAL) if asked.search(text)] == []
    shipped = {name for name, text in files("procedures") if asked.search(text)}
    assert shipped == {
        "procedures/cautions.py",  # what is dangerous about it
        "procedures/beginning.py",  # how it lies on the bench
        "procedures/bring_up/options.py",  # whether it may be switched on as it comes
    }


def test_a_share_of_the_rated_load_has_one_home() -> None:
    share = re.compile(r"/ 100\.0 \* [\w.]*(current_A|full_A|rated_A)\b|[\w.]*(output|out)\.current_A \* [\w.]*percent")
    found = [name for name, text in files(*GENERAL, "procedures", "judge", "suitability", "ui") if share.search(text)]
    assert found == ["analysis/envelope.py"]


def test_a_thread_of_the_window_has_one_home() -> None:
    """One that sends signals by itself brings the program down when what it speaks to is taken down."""
    thread = re.compile(r"\b(QThread|QThreadPool|QRunnable)\b|\bThread\(")
    assert [name for name, text in files("ui") if thread.search(text)] == ["ui/beside.py"]


def test_no_procedure_is_named_where_all_of_them_pass() -> None:
    found: dict[str, set[str]] = {}
    for name, text in files(""):
        if name.startswith(("procedures/", "model/figures", "simbench/")):
            continue
        named = set(re.findall(r"zincsmith\.procedures\.(\w+)\.\w+", text))
        named |= {one for one in SHIPPED if f'"{one}"' in text and one not in FIGURES}  # a figure is called as one is
        if named & set(SHIPPED):
            found[name] = named & set(SHIPPED)
    assert found == KNOWS_ONE


def test_the_architecture_names_what_is_there() -> None:
    """Every room stands in the drawing; the walk of a reading names each of its files once."""
    text = (ROOT / "docs" / "architecture.md").read_text("utf-8")
    drawing = text[text.index("      ui ") : text.index("## A reading")]
    rooms = {p.name for p in SOURCE.iterdir() if p.is_dir() and (p / "__init__.py").exists()}
    assert {room for room in rooms if not re.search(rf"\b{room}\b", drawing)} == set()
    walk = text[text.index("## A reading") : text.index("## What carries it")]
    files_of_the_walk = re.findall(r"`([\w/]+\.py)`", walk)
    assert len(files_of_the_walk) == len(set(files_of_the_walk)), "each file once"
    for named in re.findall(r"`((?:\w+/)+\w+\.py)`", text):
        assert (SOURCE / named).exists(), named
    assert len(text.splitlines()) <= 130, "two pages"


def test_a_folder_holds_what_its_name_says_and_not_much() -> None:
    crowded = {
        folder.name: len(list(folder.glob("*.py")))
        for folder in SOURCE.iterdir()
        if folder.is_dir() and folder.name not in ("analysis", "formats", "model")
    }
    assert {name: count for name, count in crowded.items() if count > 20} == {}


def test_files_are_short() -> None:
    long = {str(f.relative_to(SOURCE)): n for f in SOURCE.rglob("*.py") if (n := len(f.read_text().splitlines())) > 525}
    assert long == {}


def test_nothing_narrows_by_assertion_at_run_time() -> None:
    """What is not there is refused in words, or is a bug that says which; either also without assertions."""
    said = re.compile(r"^\s*assert\b", re.M)
    assert [name for name, text in files("") if said.search(text)] == []
