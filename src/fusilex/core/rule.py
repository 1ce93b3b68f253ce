"""What F1 shows of a rule: its text with the very numbers that the rule judges by, read when it is shown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import ModuleType
from typing import Any

from msgspec import Struct

from fusilex.core.quantities import Range, Units, amount
from fusilex.core.wording import entry, filled


class Constant(Struct, frozen=True):
    """A number of the code, by the module and the name that the rule reads it from: ``constant(jar, "LIFE_CARE")``.
    `part` picks one of several, of a table row and column; `times` turns it into `unit`.
    """

    module: ModuleType
    name: str
    unit: str = ""
    part: tuple[Any, ...] = ()
    times: float = 1.0

    def __call__(self, batch: Any = None) -> object:
        """As it stands now: a quantity, a range where the constant is a pair, a word or a whole number as it is."""
        value = getattr(self.module, self.name)
        for at in self.part:
            value = value[at]
        if isinstance(value, tuple) and len(value) == 2:
            return Range(value[0] * self.times, value[1] * self.times, self.unit)
        if isinstance(value, int) and not self.unit and self.times == 1:
            return value
        return amount(value * self.times, self.unit) if isinstance(value, int | float) else value


constant = Constant


class Rule(Struct, frozen=True):
    """The numbers in a rule's text, by the names of its slots. Each is asked for with the batch in hand, None without:
    a constant of the code, or a number of the record that the rule goes by.
    """

    slots: Mapping[str, Callable[[Any], object]] = {}

    def text(self, name: str, batch: Any = None, units: Units | None = None) -> str:
        """What is compared with what, in the chosen units."""
        return self._filled(entry(name).rule, name, batch, units)

    def source(self, name: str, batch: Any = None, units: Units | None = None) -> str:
        """Where that comes from."""
        return self._filled(entry(name).source, name, batch, units)

    def _filled(self, text: str, name: str, batch: Any, units: Units | None) -> str:
        return filled(text, {slot: ask(batch) for slot, ask in self.slots.items()}, name, units)


def rule(**slots: Callable[[Any], object]) -> Rule:
    """A rule whose text names these numbers."""
    return Rule(slots)
