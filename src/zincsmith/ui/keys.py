"""The keys of the window, station by station: one table for the list that Ctrl+? shows. A test holds it against what
the stations listen to."""

from __future__ import annotations

EVERYWHERE = "Everywhere"

# station -> (key, what it does)
KEYS: dict[str, tuple[tuple[str, str], ...]] = {
    EVERYWHERE: (
        ("F12", "make safe: sources off, everything read back"),
        ("Alt+1", "Nameplate"),
        ("Alt+2", "Rig"),
        ("Alt+3", "Plan"),
        ("Alt+4", "Run"),
        ("Alt+5", "Findings"),
        ("Alt+6", "Compare"),
        ("Alt+7", "Log"),
        ("Alt+8", "Workshop"),
        ("Ctrl+Shift+W", "in a book of practice: state what is wrong"),
        ("F1", "help for the station, and back"),
        ("Ctrl+?", "this list"),
        ("F8", "enlarge what is looked at, and back"),
        ("F11", "light or dark"),
        ("Ctrl+M", "sound off or on"),
        ("Esc", "leave a line or a form"),
    ),
    "Nameplate": (
        ("Ctrl+PgDown", "next page"),
        ("Ctrl+PgUp", "page before"),
        ("Ctrl+N", "add a claim of another paper"),
        ("Ctrl+E", "edit the chosen claim"),
        ("Ctrl+Del", "drop or keep the chosen claim"),
        ("Ctrl+Z", "undo"),
        ("Ctrl+Shift+Z", "redo"),
    ),
    "Rig": (("Ctrl+O", "open a rig file"), ("Ctrl+Z", "undo"), ("Ctrl+Shift+Z", "redo")),
    "Plan": (
        ("Ctrl+Return", "go to Run"),
        ("Alt+Up", "move the part up"),
        ("Alt+Down", "move the part down"),
        ("Space", "leave a point out, or take it in"),
        ("Ctrl+Z", "undo"),
        ("Ctrl+Shift+Z", "redo"),
    ),
    "Run": (
        ("Ctrl+Return", "begin, or pass the gate"),
        ("Ctrl+R", "resume a run that ended early"),
        ("Enter", "take the reading that was typed"),
        ("Space", "start and stop the stopwatch, where a time is asked for"),
        ("Up", "correct the last entry"),
        ("Ctrl+E", "correct the last entry"),
        ("F2", "note"),
        ("F3", "photograph"),
        ("F4", "mark this moment"),
        ("F5", "reject a point"),
        ("F6", "repeat a point"),
        ("F7", "skip"),
        ("F9", "pause or resume"),
        ("F10", "abort: make safe and end the run"),
    ),
    "Findings": (
        ("K", "keep what lies between the cursors of a record"),
        ("C", "bring the cursors of a record into view"),
        ("M", "the next mark of a record"),
        ("Up", "the row above"),
        ("Down", "the row below"),
        ("Ctrl+S", "save the report"),
        ("Ctrl+P", "print the report"),
        ("Ctrl+T", "plan a retest, or repeat the point while the run goes on"),
        ("Ctrl+L", "claim this"),
        ("F4", "what a choke or a capacitor would leave of this ripple"),
        ("F6", "a doubt is dealt with"),
        ("F7", "take in recorded files, or readings that were written down"),
        ("F9", "sign, or amend what is signed"),
    ),
    "Compare": (
        ("Ctrl+O", "add the latest run of another book"),
        ("Ctrl+F", "open what they must feed"),
        ("Ctrl+R", "open a recipe"),
        ("Ctrl+S", "save what is compared"),
        ("Ctrl+P", "print what is compared"),
        ("Ctrl+Z", "take a change of the recipe back"),
        ("Ctrl+Shift+Z", "make it again"),
    ),
    "Workshop": (
        ("Ctrl+T", "take from the unit"),
        ("Ctrl+L", "add to the log"),
        ("Ctrl+Return", "plan the measurement of it"),
        ("Ctrl+Z", "take what was said last back"),
        ("Ctrl+Shift+Z", "say it again"),
    ),
    "Log": (
        ("Ctrl+F", "find"),
        ("Right", "open an entry"),
        ("Left", "fold it"),
        ("F2", "note"),
        ("F3", "photograph"),
        ("F4", "mark this moment"),
        ("Ctrl+S", "save the report"),
        ("Ctrl+E", "export a folder"),
    ),
}


def as_markdown() -> str:
    """All of it as a page of help."""
    parts = ["# Keys"]
    for station, keys in KEYS.items():
        rows = "\n".join(f"| **{key}** | {what} |" for key, what in keys)
        parts.append(f"## {station}\n\n| key | what it does |\n|---|---|\n{rows}")
    return "\n\n".join(parts)
