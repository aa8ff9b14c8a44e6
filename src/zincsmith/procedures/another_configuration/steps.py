"""Off, discharged, changed, confirmed: what follows in the plan is of the unit in another configuration.

A changed unit is brought up anew, gently; that is a part of its own which the plan has to go on with.
"""

from __future__ import annotations

from zincsmith.model.actions import Confirm, Reconfigure, SetSource, Stage
from zincsmith.model.roles import SOURCE
from zincsmith.procedures.another_configuration.options import ConfigurationOptions
from zincsmith.procedures.base import Context, Procedure, Steps
from zincsmith.procedures.cautions import CAUTIONS
from zincsmith.procedures.ports import idle, let_fall

NAME = "another_configuration"


class ChangeOfConfiguration(Procedure):
    name = NAME
    title = "Another configuration"
    version = 1
    needs: tuple[str, ...] = (SOURCE, "load")
    serves = "off, discharge, change the unit, confirm; what follows is of the changed unit, beside what came before"
    options = ConfigurationOptions

    def steps(self, ctx: Context) -> Steps:
        """Everything off; the gate, shut until it has emptied; from then on the unit counts as changed."""
        options = ctx.asked(ConfigurationOptions)
        yield Stage("Another configuration", options.configuration)
        yield from idle(ctx)
        yield SetSource(0.0, ctx.nameplate.input.hertz[0], False)
        yield from let_fall(ctx)
        cautions = (CAUTIONS["discharge"], CAUTIONS["bulk"], CAUTIONS["static"])
        yield Confirm(f"Change it to: {options.configuration}", gate_words(options), cautions, hands_in=True)
        yield Reconfigure(options.configuration, options.changes, options.restore)


def gate_words(options: ConfigurationOptions) -> str:
    """What a person has to do at the gate, and to look at before it is passed."""
    said = options.changes.strip().rstrip(".") or f"put the unit into the configuration “{options.configuration}”"
    after = f" Later to be put back: {options.restore.strip().rstrip('.')}." if options.restore.strip() else ""
    return (
        f"{said[:1].upper()}{said[1:]}.{after} Nothing loose stays in it, every lead goes back where it was. What is "
        "read from here on belongs to the changed unit."
    )


SPEC = ChangeOfConfiguration()
