"""Hot air at Rework: the part of the fault in hand, in held steps."""

from __future__ import annotations

from fusilex.bench.stations.rework.mending import queue
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.ui.hot_air_view import HotAirView


class ReworkHotAir(HotAirView):
    def part(self) -> Part | None:
        fault = next(iter(queue(self.batch, self.bench.board)), None)
        return self.batch.own.by_ref.get(fault.ref) if fault else None

    def side(self) -> str:
        part = self.part()
        return part.side if part else "top"

    def window_rule(self) -> ProcessWindow:
        """The window of the paste the part was printed with."""
        made = self.batch.print_of(self.bench.board, self.side())
        return self.batch.workshop[Records].window(made.paste if made else self.batch.state.paste)

    def done_words(self) -> str:
        return "Look it over, then Tab to Repair and Space when it is fixed."
