"""Books of earlier programs: what was found in them is found again.

The books were made by `tools/keep_findings.py make`, the findings kept by `tell`, both by the program as it was then; a
difference is either a mistake or has its line in the change log, and then what is kept is told anew.
"""

import importlib.util
import json
import lzma
from types import ModuleType

from tests.conftest import ROOT

KEPT = ROOT / "tests" / "reference" / "kept"


def keep_findings() -> ModuleType:
    spec = importlib.util.spec_from_file_location("keep_findings", ROOT / "tools" / "keep_findings.py")
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


def test_what_was_found_is_found_again() -> None:
    """Two adapters, typed readings, a file, eight seeds."""
    keeper = keep_findings()
    before = json.loads(lzma.decompress((KEPT / "findings.json.xz").read_bytes()))
    after = json.loads(json.dumps(keeper.tell(KEPT)))
    assert len(before) == 12
    assert sum(len(found) for found in before.values()) > 300
    # On the machine it was told on it is equal to the last bit; another adds up in another order.
    assert keeper.differences(before, after, 1e-9) == []
    spoilt = json.loads(json.dumps(after))
    next(f for f in spoilt["adapter/1"] if f["u"])["u"] *= 1.0 + 1e-8
    assert len(keeper.differences(before, spoilt, 1e-9)) == 1
