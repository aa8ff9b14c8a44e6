"""The bench of a sum as it is drawn: lines of text, one thing each, in points of a sheet of WIDTH by HEIGHT.

``w`` a wire through its points, ``r`` ``c`` ``l`` ``d`` ``f`` ``s`` ``b`` ``o`` ``n`` ``g`` a resistor, capacitor,
coil, diode, fuse, source, cell, terminal, node, earth at its middle (``rh`` ``ch`` lying), ``q`` a box with its words,
``a`` an arrow, ``p`` a curve in the colour of its kind, ``t`` words, ``i`` the place of an input, ``x`` of a result.
"""

from __future__ import annotations

from dataclasses import dataclass

WIDTH, HEIGHT = 688.0, 190.0
# How many numbers each takes; "more" for pairs without end.
TAKES: dict[str, int | str] = {
    "w": "more", "p": "more", "a": 4, "q": 4, "t": 2, "i": 2, "x": 2, "r": 2, "rh": 2, "c": 2, "ch": 2, "l": 2, "d": 2,
    "f": 2, "s": 2, "b": 2, "o": 2, "n": 2, "g": 2,
}  # fmt: skip
NAMED = ("p", "i", "x")  # a word stands before the numbers: a kind, or a key


@dataclass(frozen=True)
class Stroke:
    """``name`` the kind of a curve, or the key of what stands there; ``text`` the words of a box."""

    what: str
    at: tuple[float, ...]
    name: str = ""
    text: str = ""


@dataclass(frozen=True)
class Drawing:
    strokes: tuple[Stroke, ...]

    def places(self, what: str) -> dict[str, tuple[float, float]]:
        """Where inputs (``i``) or results (``x``) stand, by their key."""
        return {s.name: (s.at[0], s.at[1]) for s in self.strokes if s.what == what}


def drawn(text: str) -> Drawing:
    """ValueError, with the line, for what nobody draws."""
    return Drawing(tuple(_stroke(line.strip()) for line in text.strip().splitlines() if line.strip()))


def _stroke(line: str) -> Stroke:
    what, *rest = line.split()
    if what not in TAKES:
        raise ValueError(f"{line!r}: there is no {what!r}")
    name = rest.pop(0) if what in NAMED else ""
    count = TAKES[what]
    numbers = [word for word in rest if _is_number(word)] if count == "more" else rest[: int(count)]
    words = rest[len(numbers) :]
    if len(numbers) % 2 or (count == "more" and len(numbers) < 4) or (count != "more" and len(numbers) != count):
        raise ValueError(f"{line!r}: so many numbers make no {what!r}")
    return Stroke(what, tuple(float(n) for n in numbers), name, " ".join(words))


def _is_number(word: str) -> bool:
    return word.lstrip("-").replace(".", "", 1).isdigit()
