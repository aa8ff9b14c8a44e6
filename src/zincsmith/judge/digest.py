"""A hash over the evidence of a run."""

from __future__ import annotations

import hashlib

from zincsmith.book.codec import dump
from zincsmith.book.joined import as_sealed
from zincsmith.judge.judging import JudgedRun


def evidence_digest(run: JudgedRun) -> str:
    """SHA-256 over the recorded points and what people read off their captures: the same evidence always gives the
    same digest."""
    digest = hashlib.sha256()
    for point in run.evidence.points:
        # A point without records hashes as it did before points could have any.
        said = dump(point).replace(',"waves":[]', "")
        digest.update(as_sealed(said, run.row.id, run.row.sealed_as).encode())
    for read in run.evidence.cursors:
        digest.update(dump(read).encode())
    return digest.hexdigest()
