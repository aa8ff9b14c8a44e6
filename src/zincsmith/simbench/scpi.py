"""Reading SCPI: program messages, short and long mnemonics, standard error numbers (SCPI-1999, from memory)."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable

NAN = "9.91E+37"


class ScpiError(Exception):
    """A command that an instrument refuses, with its SCPI error number."""

    def __init__(self, number: int, text: str) -> None:
        super().__init__(text)
        self.number, self.text = number, text


def number(text: str, low: float, high: float) -> float:
    """A numeric parameter, or the standard error for a wrong one."""
    try:
        value = float(text)
    except ValueError:
        raise ScpiError(-104, "Data type error") from None
    if not low <= value <= high:
        raise ScpiError(-222, "Data out of range")
    return value


def boolean(text: str) -> bool:
    word = text.strip().upper()
    if word in {"1", "ON"}:
        return True
    if word in {"0", "OFF"}:
        return False
    raise ScpiError(-104, "Data type error")


def render(value: float) -> str:
    return NAN if value != value else f"{value:.6E}"


def pattern(header: str) -> re.Pattern[str]:
    """Compile ``MEASure[:SCALar]:VOLTage?`` so that short and long forms match, in any case."""
    out = ""
    for optional, star, name, query in re.findall(r"(\[?):?(\*?)([A-Za-z]+\d*)\]?(\??)", header):
        short = re.sub(r"[a-z]", "", name)
        form = f":{re.escape(star)}(?:{short}|{name.upper()})"
        out += (f"(?:{form})?" if optional else form) + re.escape(query)
    return re.compile(out)


class Interpreter:
    """The command table of one instrument with its error queue; ``answer`` runs one program message."""

    def __init__(self, identity: str) -> None:
        self.identity = identity
        self.errors: deque[tuple[int, str]] = deque(maxlen=20)
        self._masks = {"ese": 0, "sre": 0}
        self._table: list[tuple[re.Pattern[str], Callable[[str], str | None]]] = []
        self.on("*IDN?", lambda _: self.identity)
        self.on("*CLS", lambda _: self.errors.clear())
        self.on("*ESR?", lambda _: self._event_status())
        self.on("*STB?", lambda _: "4" if self.errors else "0")
        self.on("*ESE", lambda text: self._keep("ese", text))
        self.on("*ESE?", lambda _: str(self._masks["ese"]))
        self.on("*SRE", lambda text: self._keep("sre", text))
        self.on("*SRE?", lambda _: str(self._masks["sre"]))
        self.on("*TST?", lambda _: "0")
        self.on("*WAI", lambda _: None)
        self.on("*OPC", lambda _: None)
        self.on("SYSTem:VERSion?", lambda _: "1999.0")
        self.on("*OPC?", lambda _: "1")
        self.on("*RST", lambda _: None)
        self.on("SYSTem:ERRor[:NEXT]?", lambda _: self._next_error())

    def on(self, header: str, action: Callable[[str], str | None]) -> None:
        """Add a command, before those there are; the action gets the parameter text and answers a query."""
        self._table.insert(0, (pattern(header), action))

    def _event_status(self) -> str:
        """The standard event register: command, execution and device errors since it was last read (from memory)."""
        bits = {1: 32, 2: 16, 3: 8, 4: 4}
        value = 0
        for number_, _ in self.errors:
            value |= bits.get(-number_ // 100, 0)
        return str(value)

    def _keep(self, mask: str, text: str) -> None:
        self._masks[mask] = int(number(text, 0.0, 255.0))

    def _next_error(self) -> str:
        number_, text = self.errors.popleft() if self.errors else (0, "No error")
        return f'{number_},"{text}"'

    def answer(self, line: str) -> str | None:
        """Run one message, several commands separated by semicolons; answers are joined likewise."""
        answers: list[str] = []
        path = ""
        for piece in (p.strip() for p in line.split(";")):
            if not piece:
                continue
            header, _, parameter = piece.partition(" ")
            header = header.upper()
            if header.startswith("*"):
                full = header
            else:
                full = header.lstrip(":") if header.startswith(":") or not path else f"{path}:{header}"
                path = full.rpartition(":")[0]
            try:
                reply = self._run(full, parameter.strip())
            except ScpiError as error:
                self.errors.append((error.number, error.text))
                continue
            if reply is not None:
                answers.append(reply)
        return ";".join(answers) if answers else None

    def _run(self, header: str, parameter: str) -> str | None:
        for known, action in self._table:
            if known.fullmatch(f":{header}"):
                return action(parameter)
        raise ScpiError(-113, "Undefined header")


class Later(Interpreter):
    """An instrument that is made when it is first asked for something: what it needs is not loaded before."""

    def __init__(self, identity: str, make: Callable[[], Interpreter]) -> None:
        super().__init__(identity)
        self._make = make
        self._made: Interpreter | None = None

    def answer(self, line: str) -> str | None:
        """One program message."""
        self._made = self._made or self._make()
        return self._made.answer(line)
