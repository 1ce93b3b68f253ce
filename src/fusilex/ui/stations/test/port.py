"""A reading from the multimeter's port, off the window's thread."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject

from fusilex.bench.common.meters import ohmmeter
from fusilex.devices.bench_meter import measure
from fusilex.devices.meter import NoMeter
from fusilex.ui.search import Aside


class MeterPort:
    """One reading at a time; `told` is given the number, `failed` a sentence."""

    def __init__(self, parent: QObject, told: Callable[[float], None], failed: Callable[[str], None]) -> None:
        self.told, self.failed = told, failed
        self.aside = Aside(parent, failed)

    def ask(self, port: str, what: str = "resistance", true: float = 0.0) -> None:
        """Begin, unless one is under way; `true` is what the stand-in has between its leads."""
        if self.aside.busy:
            return

        def read() -> float | str:
            try:
                with ohmmeter(port, lambda: true) as one:
                    return measure(one, what)
            except NoMeter as problem:
                return str(problem)

        self.aside.look(read, self._done)

    def _done(self, found: object) -> None:
        if isinstance(found, float):
            self.told(found)
        else:
            self.failed(str(found))
