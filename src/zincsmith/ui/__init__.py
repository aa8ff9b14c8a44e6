"""The window: shell, stations, painted widgets. It reads the book and sends commands; it computes nothing."""

# ruff: noqa: E402
# Qt for Python looks through the source of each module that is imported after it for features it may use, and Python
# looks through all that lives again and again while modules are read. What the window stands on is therefore read
# first, and set aside: an opening costs a tenth less.
import gc

_collected = gc.isenabled()
gc.disable()

import zincsmith.before_power.line_links
import zincsmith.engine.client
import zincsmith.engine.known_bench
import zincsmith.history.run_view
import zincsmith.procedures.plan_file  # noqa: F401

gc.freeze()
if _collected:
    gc.enable()
