"""The line of whatever is wrong in a TOML text, and TOML as it is written."""

import tomllib

from hypothesis import given
from hypothesis import strategies as st

from zincsmith.formats.record_file import toml_text
from zincsmith.formats.toml_file import key_text, line_of

TEXT = """\
tag = "T"          # 1
marks = ["a", "b"] # 2

[[input]]
voltage_V = [1, 2] # 5

[[output]]
name = "A"         # 8
volts = 5

[[output]]
name = "B"         # 12
volts = 9
modes = [{ voltage_V = 5 }, { voltage_V = 9 }] # 14

[look]
verdict = "x"      # 17

[[look.items]]
what = "Fuse"      # 20
[[look.items]]
what = "Filter"    # 22
seen = "gone"

[look.physical]
mass_g = 3         # 26

[instrument.load]
how = "by hand"    # 29
"odd key" = 1      # 30
"""


def test_every_place_is_found() -> None:
    for path, line in (
        ("tag", 1),
        ("marks.1", 2),
        ("input.0.voltage_V.1", 5),
        ("output.0.name", 8),
        ("output.1.name", 12),
        ("output.1.modes.1.voltage_V", 14),
        ("output.1.missing", 11),
        ("look.verdict", 17),
        ("look.items.0.what", 20),
        ("look.items.1.seen", 23),
        ("look.items.1.missing", 21),
        ("look.physical.mass_g", 26),
        ("instrument.load.how", 29),
        ("instrument.load.odd key", 30),
        ("instrument.load.missing", 28),
    ):
        assert line_of(TEXT, path.split(".")) == line, path
    assert line_of(TEXT, ["nowhere"]) is None
    assert line_of("", ["tag"]) is None


def test_keys_for_a_person_count_from_one() -> None:
    assert key_text(["output", "0", "voltage_V"]) == "output.voltage_V"
    assert key_text(["output", "2", "voltage_V", "1"]) == "output#3.voltage_V#2"
    assert key_text([]) == ""


WORDS = st.text(st.characters(blacklist_categories=["Cs"]), max_size=8)
LEAVES = st.one_of(st.booleans(), st.integers(-(10**9), 10**9), st.floats(allow_nan=False, allow_infinity=False), WORDS)
KEYS = st.text(st.characters(blacklist_categories=["Cs"]), min_size=1, max_size=6)


def tables(depth: int) -> st.SearchStrategy[dict[str, object]]:
    value: st.SearchStrategy[object] = st.one_of(LEAVES, st.lists(LEAVES, max_size=3))
    if depth:
        inner = tables(depth - 1)
        value = st.one_of(value, inner, st.lists(inner, min_size=1, max_size=2))
    return st.dictionaries(KEYS, value, max_size=3)


@given(tables(2))
def test_whatever_is_written_reads_back(values: dict[str, object]) -> None:
    def numbers(value: object) -> object:
        if isinstance(value, dict):
            return {k: numbers(v) for k, v in value.items()}
        if isinstance(value, list):
            return [numbers(v) for v in value]
        return float(value) if isinstance(value, int) and not isinstance(value, bool) else value

    assert numbers(tomllib.loads(toml_text(values))) == numbers(values)
