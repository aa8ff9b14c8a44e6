"""Label lines as they are printed: read into items, and what was not understood with its place.

Nothing is guessed and nothing dropped: every number that is returned stands in the text, times its own prefix and
sign. A line with no word *input* or *output* is judged by what it holds: a mains range or a frequency speaks of the
input, else it is an output.
"""

from __future__ import annotations

import re

from zincsmith.formats.label_figures import read_figures, read_marks
from zincsmith.formats.label_line import LineReading
from zincsmith.formats.label_ratings import read_section, sections
from zincsmith.formats.label_tokens import tokens
from zincsmith.formats.label_words import read_worded
from zincsmith.model.label import NAMES, LabelFigure, LabelInput, LabelItem, LabelLine, LabelMark, LabelOutput, Unread

LONGEST = 400
# Lines that say which piece it is: nothing on them is a rating. "Type-C 5V" is not one of them.
_IDENTITY = re.compile(
    r"\s*(?:s\s?/\s?n|sn|serial(?:\s?no\.?|\s?number)?|p\s?/\s?n|part\s?no\.?|model(?:\s?no\.?)?|mod\.|type|lot|batch|"
    r"date(?:\s?code)?|rev\.?|seriennummer|modell|modèle|modelo|modello|n° de série|型号|型番|序列号)"
    r"(?![\w-])(?!\s*[.,]?\s*\d+(?:[.,]\d+)?\s*[AVW]\b)",
    re.IGNORECASE,
)


def parse_line(text: str) -> LabelLine:
    """Read one line. It never fails: what cannot be read is in ``unread``."""
    if len(text) > LONGEST:
        return LabelLine(text, (), (Unread(text, 0, len(text), f"longer than {LONGEST} characters"),))
    if _IDENTITY.match(text):
        return LabelLine(text, (), (Unread(text.strip(), len(text) - len(text.lstrip()), len(text.rstrip()), NAMES),))
    line = LineReading(text, tokens(text))
    read_worded(line)
    read_figures(line)
    read_marks(line)
    for side, first, last in sections(line):
        read_section(line, side, first, last)
    return LabelLine(text, tuple(_in_order(line)), tuple(_unread(line)))


def _in_order(line: LineReading) -> list[LabelItem]:
    """Ratings first, then figures, then marks, each as they stand in the line."""
    rank = {LabelInput: 0, LabelOutput: 0, LabelFigure: 1, LabelMark: 2}
    return sorted(line.items, key=lambda item: rank[type(item)])


def _unread(line: LineReading) -> list[Unread]:
    out: list[Unread] = []
    run: list[int] = []
    for at in [*range(len(line.tokens)), -1]:
        if at >= 0 and at not in line.used and line.tokens[at].kind != "punct":
            run.append(at)
            continue
        if at >= 0 and at not in line.used and run:
            continue  # punctuation inside or behind what was not understood
        if run:
            first, last = line.tokens[run[0]], line.tokens[run[-1]]
            reason = next(
                (r for k in run if (r := line.reasons.get(k) or line.tokens[k].reason)), "not understood as a rating"
            )
            out.append(Unread(line.text[first.start : last.end], first.start, last.end, reason))
            run = []
    return out
