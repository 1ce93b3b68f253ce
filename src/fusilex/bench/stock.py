"""Stock as one batch sees it: which lots fit a line, what is free for it, how long each was out of its bag."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from fusilex.bench.commands import Refused
from fusilex.core.kit.moisture import Exposure, exposure
from fusilex.core.kit.quantities import PullLine
from fusilex.core.kit.stock import fits
from fusilex.journal.workshop import Lot

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def lot_of(bench: Bench, name: str) -> Lot:
    """A lot by its id. Raises `Refused` when there is none."""
    lot = bench.workshop.state.lots.get(name.strip())
    if lot is None:
        raise Refused(f"There is no lot {name.strip() or 'without a name'} in stock.")
    return lot


def hours(at: str) -> float:
    """An ISO time as hours since 1970."""
    return datetime.fromisoformat(at).timestamp() / 3600


def exposure_of(bench: Bench, lot: Lot) -> Exposure:
    """Hours a lot was open up to now."""
    return exposure([(hours(at), action) for at, action in lot.moisture], datetime.now(UTC).timestamp() / 3600)


class Stock:
    """The workshop's lots through the eyes of one batch."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._lots: dict[str, list[Lot]] = {}

    def lots_for(self, line: PullLine) -> list[Lot]:
        """Lots that fit a line or a substitute approved for it, oldest first."""
        if line.key not in self._lots:
            self._lots[line.key] = self._fitting(line)
        return self._lots[line.key]

    def _fitting(self, line: PullLine) -> list[Lot]:
        others = self.bench.state.substitutes.get(line.key, ())
        return [
            lot
            for lot in self.bench.workshop.state.lots.values()
            if fits(line, lot.part_number, lot.value, lot.package)
            or any(t in (lot.part_number, lot.value) for t in others)
        ]

    def have(self, line: PullLine) -> int:
        """Pieces free for a line in this batch, those in its bin among them."""
        name = self.bench.batch_name
        held = self.bench.state.bins.get(line.key)
        there = sum(max(0, lot.free + lot.reserved.get(name, 0)) for lot in self.lots_for(line))
        return there + (int(held["count"]) if held else 0)
