"""Hot air at Reflow: part by part, in an order in which heat undoes the fewest neighbours."""

from __future__ import annotations

from fusilex.bench.common.heat.hot_air import HotAir, StepHeld
from fusilex.bench.common.heat.hot_air_ahead import air_question
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.commands import SeeReflow
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.workshop.hot_air_profiles import HotAirProfile
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.heat.oven import AIR
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.ui.hot_air_view import HotAirView
from fusilex.ui.widgets.keys import Key


class ReflowHotAir(HotAirView):
    _order: tuple[str, ...] = ()
    _harm = 0
    _of: object = None

    def refresh(self) -> None:
        if self.by_air:
            self._find_order()
        super().refresh()

    @property
    def by_air(self) -> bool:
        return self.batch.step.method == AIR

    def _find_order(self) -> None:
        """Who goes first: worked out beside the window, once for a board and its steps."""
        profile, board = self.profile, self.bench.board
        of = board.serial, self.batch.step.id, profile, self.batch.workshop.last_id
        if of == self._of or self.aside.busy or self.running or profile is None:
            return
        self._of, self._order = of, ()
        try:
            asked = air_question(self.batch, board, self.side(), self.window_rule())
        except Refused:
            return
        parts, steps = list(asked.parts), profile.steps
        self.aside.look(lambda: asked.order(parts, steps), self._ordered)

    def _ordered(self, found: tuple[list[str], int]) -> None:
        self._order, self._harm = tuple(found[0]), found[1]
        self.refresh()
        self.desk.say(self.desk.said)

    def part(self) -> Part | None:
        if not self.by_air:
            return None
        if self.running:
            return self.batch.own.by_ref.get(self.clock.ref)
        left = self.left()
        return self.batch.own.by_ref[left[0]] if left else None

    def left(self) -> list[str]:
        """Parts that are still to be held, in order."""
        serial, steps = self.bench.board.serial, self.bench.state[HotAir].steps
        return [ref for ref in self._order if not self._through(steps.get((serial, ref), []))]

    def _through(self, held: list[StepHeld]) -> bool:
        if not held or held[-1].drifted:
            return False
        profile = self.batch.workshop[Records].all(HotAirProfile).get(held[-1].profile)
        return profile is not None and held[-1].number == len(profile.steps)

    def side(self) -> str:
        return self.batch.step.side

    def window_rule(self) -> ProcessWindow:
        return rule_of(self.batch, self.bench.board)

    def done_words(self) -> str:
        if not self.by_air:
            return "Held steps are for hot air; the route has another way to melt solder here."
        return "Every part was held. Space puts the run on record." if self._order else "Looking for an order …"

    def keys(self) -> list[Key]:
        over = self.by_air and self._order and not self.left() and not self.running
        done = [Key("Space", "put the run on record", lambda _: self._record(), True)] if over else []
        following = [] if self.running else [Key("P", "next panel", lambda _: self.next_panel())]
        return [*done, *super().keys(), *following]

    def _record(self) -> None:
        serial, panel = self.bench.board.serial, self.bench.board.panel
        seen = f"hot air in held steps, {len(self._order)} parts"
        if self.desk.do(SeeReflow(panel, seen), f"Panel {panel} was soldered part by part."):
            self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        title, rows = super().facts()
        left = self.left()
        if not self.by_air or not left:
            return title, rows
        again = "none melts again" if not self._harm else f"{self._harm} melt again on the way"
        return title, [*rows, ("then", ", ".join(left[1:6]) or "that was the last"), ("by this order", again)]
