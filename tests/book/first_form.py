"""A book as the first form of the format wrote it."""

import sqlite3
from pathlib import Path

from zincsmith.book.file import APPLICATION_ID, migrations

FIRST_UNIT = """{"tag": "HB-07", "maker": "Tarnbrook", "model": "TB-2425", "nameplate": {"input":
{"voltage_min_V": 100.0,
"voltage_max_V": 240.0, "frequencies_Hz": [50.0, 60.0],
"current_A": 1.5}, "output": {"voltage_V": 24.0,
"current_A": 2.5, "power_W": 60.0, "tolerance_percent": 2.0, "load_regulation_percent": null,
"line_regulation_percent": null}, "average_efficiency_percent": null, "no_load_power_W": 0.21, "rules": [{"rule_set":
"us-doe-level-vi", "supply_class": "ac-dc basic"}], "marks": ["II"]}, "serial": "1", "configuration": "as received",
"place": ""}"""
FIRST_RIG = """{"name": "old", "clock": "simulated", "instruments": [{"role": "load", "how": "by hand", "maker": "",
"model": "", "serial": "", "calibrated": "", "address": "", "dialect": "", "kind": "", "spot": "", "accuracy":
[{"quantity": "output_current", "range": 5.0, "reading_percent": 0.1, "range_percent": 0.0, "offset": 0.0,
"resolution": 0.0, "noise": 0.0, "nonlinearity_percent": 0.0}], "most": {"current_A": 5.0}}], "leads": [{"between":
"unit load", "length_m": 1.0, "area_mm2": 1.5}], "protection": "2 A fuse, clear cover", "sense": "load",
"standin": null}"""


def write_first_form(path: Path, physics: str = "") -> None:
    """A unit and a rig in a new file; ``physics`` names the stand-in of a simulated rig."""
    number, sql = migrations()[0]
    standin = f'{{"file": "{physics}", "seed": 1, "pace": 0.0}}' if physics else "null"
    db = sqlite3.connect(path)
    db.executescript(f"{sql}\nPRAGMA application_id={APPLICATION_ID};\nPRAGMA user_version={number};")
    rig = FIRST_RIG.replace('"standin": null', f'"standin": {standin}')
    for kind, key, body in (("unit", "HB-07", FIRST_UNIT), ("rig", "bench", rig)):
        db.execute("INSERT INTO document VALUES (?, ?, 1, NULL, '2026-01-01', 'typed', ?)", (kind, key, body))
        db.execute("INSERT INTO head VALUES (?, ?, 1, 1)", (kind, key))
    db.commit()
    db.close()
