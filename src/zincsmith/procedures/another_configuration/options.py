"""Into which configuration a unit is put during a plan, and what is changed for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import Options
from zincsmith.procedures.fields import Field, Typing, read_words
from zincsmith.procedures.planning import LONGEST_CHANGE, Planned

FORM: tuple[Field, ...] = (
    Typing("Its name from then on", "configuration", str, read_words),
    Typing("What is changed", "changes", str, read_words),
    Typing("To be put back later", "restore", str, read_words),
)


@dataclass(frozen=True)
class ConfigurationOptions(Planned):
    """From here on the unit is in this configuration. ``changes`` is what a person does to it, ``restore`` what has to
    be put back in the end; empty where nothing has."""

    procedure: Literal["another_configuration"] = "another_configuration"
    configuration: str = "changed"
    changes: str = ""
    restore: str = ""

    form: ClassVar[tuple[Field, ...]] = FORM
    changes_unit: ClassVar[bool] = True

    @property
    def becomes(self) -> str:
        return self.configuration

    def check(self) -> None:
        """InputError, with the key of the option, for a configuration that has no name, or words that are none."""
        if not self.configuration.strip():
            raise InputError("a configuration has a name", key="part.configuration")
        for key in ("configuration", "changes", "restore"):
            text: str = getattr(self, key)
            if len(text) > LONGEST_CHANGE or not text.isprintable():
                raise InputError(f"at most {LONGEST_CHANGE} characters in one line", key=f"part.{key}")

    def told(self) -> tuple[tuple[str, str], ...]:
        """(what, how) of the conditions that a report tells."""
        return (("Configuration", f"{self.configuration}: {self.changes or 'what was changed is not said'}"),)

    def retested(self, figures: object, facts: object) -> Options | None:
        """A retest is of the unit as it is."""
        return None
