"""Samples of a channel packed as a book keeps them: pieces that are read one by one, and the least and greatest of
every stretch, so that ten million samples are drawn without being read.

Pieces of 65 536 samples, each byte of a sample by itself (a plane), compressed quickly.
"""

from __future__ import annotations

import hashlib
import zlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincsmith.model.capture import Code

Codes = NDArray[Any]

PIECE = 65_536  # samples
STRETCH, WIDER = 64, 8  # samples of the shortest stretch, and by how much each next one is longer
LEVEL = 1  # of compression: the next ones cost twice the time for a tenth of the size
TYPES: dict[Code, str] = {"i1": "|i1", "i2": "<i2", "i4": "<i4"}
AT_ONCE = 2  # pieces that are compressed at the same time


@dataclass(frozen=True)
class Packed:
    """What is written of a channel; ``levels`` by samples of a stretch."""

    sha256: str
    code: Code
    count: int
    chunks: tuple[bytes, ...]
    levels: dict[int, bytes]

    @property
    def bytes(self) -> int:
        return sum(map(len, self.chunks)) + sum(map(len, self.levels.values()))


def pack(codes: Codes, code: Code = "i2") -> Packed:
    """A whole channel. ValueError for samples that are not in the form of ``code``."""
    if codes.dtype != np.dtype(TYPES[code]):
        raise ValueError(f"samples of {codes.dtype} where {TYPES[code]} was said")
    codes = np.ascontiguousarray(codes)
    pieces = [codes[at : at + PIECE] for at in range(0, len(codes), PIECE)]
    with ThreadPoolExecutor(AT_ONCE) as beside:  # compressing leaves the others of this process alone
        coming = beside.map(squeezed, pieces)
        digest = hashlib.sha256(codes.data).hexdigest()
        levels = _levels(_least_and_greatest(codes)) if len(codes) else {}
        return Packed(digest, code, len(codes), tuple(coming), levels)


def squeezed(codes: Codes) -> bytes:
    planes = codes.view(np.uint8).reshape(-1, codes.dtype.itemsize).T
    return zlib.compress(planes.tobytes(), LEVEL)


def unsqueezed(data: bytes, code: Code) -> Codes:
    """ValueError or zlib.error for what are no such bytes."""
    kind = np.dtype(TYPES[code])
    planes = np.frombuffer(zlib.decompress(data), dtype=np.uint8).reshape(kind.itemsize, -1)
    return np.ascontiguousarray(planes.T).reshape(-1).view(kind)


def _least_and_greatest(codes: Codes) -> Codes:
    """(stretches, 2) of the shortest stretch; the last one may be shorter."""
    starts = np.arange(0, len(codes), STRETCH)
    return np.stack([np.minimum.reduceat(codes, starts), np.maximum.reduceat(codes, starts)], axis=1)


def _levels(spans: Codes) -> dict[int, bytes]:
    found, stretch = {}, STRETCH
    while True:
        found[stretch] = squeezed(np.ascontiguousarray(spans).reshape(-1))
        if len(spans) <= 2 * WIDER:
            return found
        starts = np.arange(0, len(spans), WIDER)
        low, high = np.minimum.reduceat(spans[:, 0], starts), np.maximum.reduceat(spans[:, 1], starts)
        spans, stretch = np.stack([low, high], axis=1), stretch * WIDER
