"""The engine as a process: ``python -m zincsmith.engine --book FILE --control FD [--addresses JSON]``.

It owns the instruments and is the only writer of the book. It takes commands as lines on the control socket and
answers with the number of the last event written. When the other end goes away it makes the bench safe and ends.
"""

from __future__ import annotations

import argparse
import json
import signal
import socket
import sys
import traceback
from pathlib import Path

from zincsmith.book.writer import BookWriter
from zincsmith.engine.control import WindowInterface
from zincsmith.engine.crash_report import keep_log, keep_report
from zincsmith.engine.service import Service
from zincsmith.model.errors import ZincsmithError


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m zincsmith.engine")
    parser.add_argument("--book", type=Path, required=True)
    parser.add_argument("--control", type=int, required=True, help="descriptor of the control socket")
    parser.add_argument("--keep", type=int, help="descriptor that keeps the stand-in bench alive")
    parser.add_argument("--addresses", default="{}", help="VISA names of the simulated roles, as JSON")
    arguments = parser.parse_args()
    keep_log("engine", arguments.book)
    operator_interface = WindowInterface(socket.socket(fileno=arguments.control))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, lambda *_: operator_interface.leave("the engine was told to end"))
    try:
        book = BookWriter(arguments.book)
    except ZincsmithError as error:
        operator_interface.refuse("open", str(error))
        return 2
    with book:
        try:
            Service(book, operator_interface, json.loads(arguments.addresses), arguments.keep).serve()
        except Exception:
            keep_report(traceback.format_exc())
            raise
    return 0


if __name__ == "__main__":
    sys.exit(main())
