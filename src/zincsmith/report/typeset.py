"""A report as HTML turned into the source of the typesetter: the same words, set on pages.

Only what reports are made of is known: headings, paragraphs, tables, a few classes, pictures. Every text goes over as
a string, so that nothing in it can be taken for a command.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from html import unescape
from html.parser import HTMLParser
from importlib import resources

VOID = {"meta", "br", "link", "hr", "img"}
SKIPPED = {"style", "script", "head", "title", "img"}
BLOCKS = {"p", "div", "table", "h1", "h2", "h3"}
# Classes of a block, and what they are called on pages.
BLOCK_CLASSES = {
    "alarm": "alarm", "doubt": "boxed", "warn": "boxed", "changed": "changed", "seal": "seal", "sign": "signed",
    "two": "beside", "readings": "two-columns",
}  # fmt: skip
SPREADING = {"sign", "two"}  # each of its parts stands beside the next
INLINE = {"figure": "big", "quiet": "quiet", "counted": "counted"}
WIDEST, SHORT = 44, 12  # characters that the width of a column goes by: more are not told apart; fewer do not share
_SVG = re.compile(r"<svg\b.*?</svg>", re.DOTALL)
_SPACES = re.compile(r"[ \t\r\n]+")


@dataclass
class Node:
    tag: str
    attributes: dict[str, str] = field(default_factory=dict)
    inside: list[Node | str] = field(default_factory=list)

    @property
    def classes(self) -> set[str]:
        return set(self.attributes.get("class", "").split())

    def nodes(self) -> Iterator[Node]:
        for one in self.inside:
            if isinstance(one, Node):
                yield one
                yield from one.nodes()

    def words(self) -> str:
        return "".join(one if isinstance(one, str) else one.words() for one in self.inside)


class _Tree(HTMLParser):
    """Of our own HTML, in which every element is closed; an end that nothing began is passed over."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.root = Node("root")
        self._open = [self.root]

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        made = Node(tag, {name: value or "" for name, value in attrs})
        self._open[-1].inside.append(made)
        if tag not in VOID:
            self._open.append(made)

    def handle_endtag(self, tag: str) -> None:
        if any(one.tag == tag for one in self._open[1:]):
            while self._open.pop().tag != tag:
                pass

    def handle_data(self, data: str) -> None:
        self._open[-1].inside.append(data)


def quoted(text: str) -> str:
    """A string of the typesetter."""
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


class Typeset:
    """Source of the typesetter for one report. ``source`` is the whole of it."""

    def __init__(self, html: str) -> None:
        self._pictures: list[str] = []
        tree = _Tree()
        tree.feed(_SVG.sub(self._picture, html))
        tree.close()
        self._root = tree.root
        nodes = list(tree.root.nodes())
        metas = {n.attributes.get("name"): n.attributes.get("content", "") for n in nodes if n.tag == "meta"}
        self.title = next((_SPACES.sub(" ", n.words()).strip() for n in nodes if n.tag == "title"), "")
        self.footer = metas.get("footer", "")
        self._places = {n.attributes["id"] for n in nodes if n.attributes.get("id")}
        self._placed: set[str] = set()

    def source(self, attached: Sequence[tuple[str, str, str]] = ()) -> str:
        """``attached``: (name, text, what it is) of JSON that goes inside."""
        body = next((n for n in self._root.nodes() if n.tag == "body"), self._root)
        style = (resources.files("zincsmith.report") / "templates" / "pages.typ").read_text("utf-8")
        lines = [style]
        lines += [f"#let svg{n} = {quoted(svg)}" for n, svg in enumerate(self._pictures)]
        lines.append(f"#show: report.with(title: {quoted(self.title)}, footer: {quoted(self.footer)})")
        lines += [
            f'#pdf.attach({quoted(name)}, bytes({quoted(text)}), relationship: "data", mime-type: "application/json", '
            f"description: {quoted(what)})"
            for name, text, what in attached
        ]
        lines += [f"#{statement}" for statement in self._blocks(body.inside)]
        return "\n".join(lines)

    def _picture(self, found: re.Match[str]) -> str:
        svg = found.group(0)
        if "xmlns=" not in svg:
            svg = svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
        if svg not in self._pictures:
            self._pictures.append(svg)
        return f'<picture data-number="{self._pictures.index(svg)}"></picture>'

    # Blocks

    def _blocks(self, inside: Sequence[Node | str]) -> list[str]:
        found: list[str] = []
        loose: list[Node | str] = []
        inside = [one for one in inside if not (isinstance(one, Node) and one.tag in SKIPPED)]

        def settle() -> None:
            if any(not isinstance(one, str) or one.strip() for one in loose):
                found.append(f"para({self._inline(loose)})")
            loose.clear()

        for one in inside:
            if isinstance(one, Node) and (one.tag in BLOCKS or one.tag in ("main", "body", "html")):
                settle()
                found += self._block(one)
            else:
                loose.append(one)
        settle()
        return found

    def _block(self, node: Node) -> list[str]:
        if node.tag in ("main", "body", "html"):
            return self._blocks(node.inside)
        if node.tag == "table":
            return self._table(node)
        if node.tag in ("h1", "h2", "h3"):
            level = node.tag[1]
            return [self._at(node, f"heading(level: {level}, {self._inline(node.inside)})")]
        name = next((BLOCK_CLASSES[c] for c in BLOCK_CLASSES if c in node.classes), "")
        if node.classes & SPREADING:
            parts = [n for n in node.inside if isinstance(n, Node)]
            return [f"{name}({', '.join(self._together(n.inside) for n in parts)})"]
        if node.tag == "div":
            return [self._at(node, f"{name}({self._together(node.inside)})")] if name else self._blocks(node.inside)
        content = self._inline(node.inside)
        if "quiet" in node.classes:
            content = f"quiet({content})"
        return [self._at(node, f"{name or 'para'}({content})")]

    def _together(self, inside: Sequence[Node | str]) -> str:
        return f"j({', '.join(self._blocks(inside))})"

    def _at(self, node: Node, made: str) -> str:
        """With the place that others point to."""
        place = node.attributes.get("id", "")
        if not place or place in self._placed:
            return made
        self._placed.add(place)
        return f"[#{made}#label({quoted(place)})]"

    def _table(self, node: Node) -> list[str]:
        rows = [[c for c in row.inside if isinstance(c, Node) and c.tag in ("td", "th")]
                for row in node.nodes() if row.tag == "tr"]  # fmt: skip
        rows = [row for row in rows if row]
        if not rows:
            return []
        count = max(len(row) for row in rows)
        header, body = (rows[0], rows[1:]) if all(c.tag == "th" for c in rows[0]) else (None, rows)
        widths, aligned = zip(*(_column([r[n] for r in rows if n < len(r)]) for n in range(count)), strict=True)
        cells = [self._cell(c) for row in body for c in (*row, *([Node("td")] * (count - len(row))))]
        head = "none" if header is None else f"({', '.join(f'th({self._inline(c.inside)})' for c in header)},)"
        return [f"rows(({', '.join(widths)},), ({', '.join(aligned)},), {head}, {', '.join(cells)})"]

    def _cell(self, node: Node) -> str:
        made = self._inline(node.inside)
        return f"quiet({made})" if "quiet" in node.classes else made

    # Inside a line

    def _inline(self, inside: Sequence[Node | str]) -> str:
        parts = [part for one in inside if (part := self._part(one))]
        return parts[0] if len(parts) == 1 else f"j({', '.join(parts)})" if parts else '""'

    def _part(self, one: Node | str) -> str:
        if isinstance(one, str):
            return quoted(_SPACES.sub(" ", one)) if one else ""
        if one.tag in SKIPPED:
            return ""
        if one.tag == "br":
            return "linebreak()"
        if one.tag == "picture":
            return self._svg(int(one.attributes["data-number"]))
        if one.tag == "code":
            return f"raw({quoted(one.words())})"
        content = self._inline(one.inside)
        if one.tag == "a" and (place := one.attributes.get("href", "").removeprefix("#")) in self._places:
            return f"link(label({quoted(place)}), {content})"
        name = next((INLINE[c] for c in INLINE if c in one.classes), "strong" if one.tag == "b" else "")
        return f"{name}({content})" if name else content

    def _svg(self, number: int) -> str:
        svg = self._pictures[number]
        start = svg[: svg.index(">")]
        if "aria-hidden" in start:
            return f"mark(svg{number})"
        alt = re.search(r'aria-label="([^"]*)"', start)
        said = quoted(unescape(alt.group(1)) if alt else "picture")
        kind = "ruler" if 'class="ruler"' in start else "picture"
        return f"{kind}(svg{number}, {said})"


def _column(cells: Sequence[Node]) -> tuple[str, str]:
    """(width, alignment): numbers as wide as they are, at the right; words share what is left by how long they are."""
    last = cells[-1]
    if "n" in last.classes:
        return "auto", "right"
    if any(n.tag == "picture" for c in cells for n in c.nodes()) or "v" in last.classes:
        return "auto", "left"
    longest = max(len(c.words().strip()) for c in cells)
    return ("auto" if longest <= SHORT else f"{min(WIDEST, longest)}fr"), "left"
