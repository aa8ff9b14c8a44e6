"""The volts of nodes inside the unit over the grid: the most and the least each was read at, against what its parts
stand."""

from __future__ import annotations

from zincsmith.model.address import at_port
from zincsmith.model.finding import Doubt, Finding
from zincsmith.model.unit import Nameplate, Node
from zincsmith.procedures.finding_of import Rows, finding_of

NEAR_RATED = 0.9  # of what its parts stand: beyond that little is left for surges; common practice, no source


def node_findings(points: Rows, nameplate: Nameplate) -> list[Finding]:
    """The highest and the lowest volts of every node that was read; ``points`` are those of the warm grid."""
    found: list[Finding] = []
    for node in nameplate.nodes:
        name = at_port("node_voltage", node.name)
        read = [p for p in points if (r := p.get(name)) is not None and r.value is not None]
        if read:
            found += [_edge(node, read, most) for most in (True, False)]
    return found


def _edge(node: Node, read: Rows, most: bool) -> Finding:
    name = at_port("node_voltage", node.name)
    point = (max if most else min)(read, key=lambda p: abs(p.need(name).number))
    return finding_of(
        "node_voltage_max" if most else "node_voltage_min",
        f"{node.name[:1].upper()}{node.name[1:]}, {'highest' if most else 'lowest'}", "V", [point], [name],
        lambda v: float(v[name][0]), f"{'greatest' if most else 'least'} volts against {node.reference}", point.at,
        doubts_of=lambda p, _q: _near(node, abs(p.need(name).number)) if most else [],
    )  # fmt: skip


def _near(node: Node, voltage: float) -> list[Doubt]:
    if node.rated_V is None or voltage <= NEAR_RATED * node.rated_V:
        return []
    how = "beyond" if voltage > node.rated_V else "near"
    return [
        Doubt(
            "node_near_its_rating",
            f"{node.name} reached {voltage:.4g} V, {how} the {node.rated_V:g} V that its parts stand.",
            "Find out what is left for surges and for a line at its upper end.",
        )
    ]
