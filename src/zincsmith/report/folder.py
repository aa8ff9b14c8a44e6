"""Readings, findings and log of a run as a folder of plain files: CSV for tables, JSON for what has depth."""

from __future__ import annotations

import csv
import json
import os
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from zincsmith.book.reader import BookReader
from zincsmith.formats.plain_text import cell
from zincsmith.judge.digest import evidence_digest
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.errors import InputError
from zincsmith.model.events import PointRejected, PointTaken
from zincsmith.showing.findings_json import as_json
from zincsmith.words.log_words import Entry, LogBook

CONDITIONS = ("input_voltage_V", "frequency_Hz", "load_percent", "load_A")
READINGS = (
    "point", "part", "take", "counted", *CONDITIONS, "configuration",
    "settled", "quantity", "value", "unit", "as_read", "spread",
    "count", "source", "range", "how", "text", "id",
)  # fmt: skip
FINDINGS = (
    "figure", "title", *CONDITIONS, "configuration",
    "value", "unit", "u", "k", "dof", "from_run", "claim", "low", "high", "verdict",
    "verdict_simple", "probability", "doubts",
)  # fmt: skip
LOG = ("time", "kind", "text", "detail", "kept_not_counted")


def write_folder(book: BookReader, run: JudgedRun, folder: Path) -> list[Path]:
    """Write readings.csv, findings.csv, log.csv, findings.json and run.json into a folder that is made for it; each
    file whole or not at all. InputError when that cannot be done."""
    log = LogBook()
    log.take(book.events(run=run.row.id))
    tables = (
        ("readings.csv", READINGS, _readings(book, run)),
        ("findings.csv", FINDINGS, _findings(run)),
        ("log.csv", LOG, _log(log.entries)),
    )
    try:
        folder.mkdir(parents=True, exist_ok=True)
        made = [_write_table(folder / name, columns, rows) for name, columns, rows in tables]
        made.append(_write_json(folder / "findings.json", as_json(run)))
        made.append(_write_json(folder / "run.json", _facts(run)))
    except OSError as error:
        raise InputError(f"the files cannot be written ({error.strerror})", file=str(folder)) from None
    return made


def _readings(book: BookReader, run: JudgedRun) -> Iterator[dict[str, Any]]:
    """Every point as it was taken, in the order of the work; values as they are judged where they count."""
    counted = {(p.number, p.take): p for p in run.evidence.points}
    rejected = {(w.event.number, w.event.take) for w in book.of_kind(PointRejected, run.row.id)}
    for written in book.of_kind(PointTaken, run.row.id):
        taken = written.event.point
        key = taken.number, taken.take
        point = counted.get(key, taken)
        for reading in point.readings:
            yield {
                "point": point.number,
                "part": point.part,
                "take": point.take,
                "counted": "yes" if key in counted and key not in rejected else "no",
                **{name: point.at.conditions.get(name) for name in CONDITIONS},
                "configuration": point.at.configuration or run.unit.configuration,
                "settled": point.settled,
                **{name: getattr(reading, name) for name in READINGS if hasattr(reading, name)},
            }


def _findings(run: JudgedRun) -> Iterator[dict[str, Any]]:
    for one in run.judged:
        f, claim = one.finding, one.claim
        yield {
            "figure": f.name,
            "title": f.title,
            **{name: f.at.conditions.get(name) for name in CONDITIONS},
            "configuration": f.at.configuration or run.unit.configuration,
            **{name: getattr(f, name) for name in ("value", "unit", "u", "k", "dof")},
            "from_run": one.run if one.run is not None else run.row.id,
            "claim": f"{claim.title} {claim.text}" if claim else "",
            "low": claim.low if claim else None,
            "high": claim.high if claim else None,
            "verdict": one.verdict.value,
            "verdict_simple": one.verdict_simple.value,
            "probability": one.probability,
            "doubts": "; ".join(d.code for d in f.doubts),
        }


def _log(entries: Iterable[Entry]) -> Iterator[dict[str, Any]]:
    for entry in entries:
        yield {
            "time": entry.time,
            "kind": entry.kind.value,
            "text": entry.text,
            "detail": entry.detail,
            "kept_not_counted": "yes" if entry.kept else "",
        }
        yield from _log(entry.under)


def _facts(run: JudgedRun) -> dict[str, Any]:
    return {
        "unit": run.unit.tag,
        "run": run.row.id,
        "configuration": run.unit.configuration,
        "began": run.row.began,
        "ended": run.row.ended,
        "outcome": run.row.outcome,
        "operator": run.opened.operator,
        "ambient_degC": run.opened.ambient_degC,
        "procedures": [list(p) for p in run.opened.procedures],
        "program": run.opened.program,
        "stops": [list(s) for s in run.stops],
        "evidence_sha256": evidence_digest(run),
    }


def _write_table(file: Path, columns: Sequence[str], rows: Iterable[dict[str, Any]]) -> Path:
    with tempfile.NamedTemporaryFile("w", encoding="utf-8", newline="", dir=file.parent, delete=False) as out:
        writer = csv.DictWriter(out, columns)
        writer.writeheader()
        writer.writerows({k: _safe(v) for k, v in row.items()} for row in rows)
    os.replace(out.name, file)
    return file


def _write_json(file: Path, content: dict[str, Any]) -> Path:
    with tempfile.NamedTemporaryFile("w", encoding="utf-8", dir=file.parent, delete=False) as out:
        json.dump(content, out, indent=2, ensure_ascii=False)
    os.replace(out.name, file)
    return file


def _safe(value: object) -> object:
    """A text that a spreadsheet would take for a formula is marked as text; what steers a terminal is written out."""
    return cell(value) if isinstance(value, str) else value
