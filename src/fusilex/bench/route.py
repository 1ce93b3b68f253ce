"""The batch's route: its steps in order, who may pass, and where the work is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from fusilex.bench.batch import Batch, key_to, texts_of
from fusilex.bench.boards import Board
from fusilex.bench.common.route import Laid
from fusilex.bench.derived import Derived
from fusilex.bench.now import Now
from fusilex.bench.state import BatchState
from fusilex.bench.station import Station
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.route.steps import DONE, FIRST, Steps, one_side

CLASSIC = one_side()
"""The route of batches that never had one laid."""


def steps_of(state: BatchState, derived: Derived) -> Steps:
    """The steps of a batch: as they were laid, before that as proposed."""
    chosen = state[Laid]
    if chosen.steps is not None:
        return chosen.steps
    if any(board.step != FIRST[0] for board in state.boards.values()):
        return CLASSIC
    return derived.route(chosen.order, chosen.ways)


class Route:
    """The steps of a batch, and the stations they are at."""

    def __init__(self, steps: Steps, stations: Mapping[str, Station]) -> None:
        self.steps, self.stations = steps, stations

    def station(self, step: str) -> Station:
        """What is declared for the station of a step."""
        return self.stations[self.steps.by_id[step].station]

    def key(self, step: str) -> str:
        """The key that goes to a step."""
        return key_to(self.steps.ids, step)

    def judgements(self, batch: Batch, step: str) -> list[Judgement]:
        """Judgements of a step for the board in hand, worst first."""
        return worst_first(self.station(step).judge(batch.about(batch.view.board, step)))

    def open_stops(self, batch: Batch, step: str) -> list[Judgement]:
        """Stops of a step that nobody has overruled."""
        return batch.not_overruled(self.judgements(batch, step))

    def gate(self, batch: Batch, was: Iterable[tuple[Board, str]]) -> None:
        """No board leaves a step forward while a stop of that step is open and not overruled with a reason.

        `was` gives boards and the steps they come from; they stand where they go to by now. Raises `Refused`.
        """
        asked: set[tuple[str, object]] = set()
        for board, step in was:
            if board.scrapped or not self.goes_on(step, board.step):
                continue
            about = self.station(step).about
            whom = {"batch": 0, "panel": board.panel}.get(about, board.serial)
            if (step, whom) in asked:
                continue
            asked.add((step, whom))
            who = {"batch": "The batch", "panel": f"Panel {board.panel}"}.get(about, f"Board {board.serial}")
            with_it = batch.about(board.serial, step)
            with_it.hold_at(self.station(step).judge(with_it), f"{who} stays at {self.steps.label(step)}")

    def goes_on(self, start: str, end: str) -> bool:
        """True for a move past a step, not to a repair, back, or from where boards are done."""
        if DONE in (start, end):
            return start != DONE
        return not self.station(end).aside and self.steps.index(end) > self.steps.index(start)

    def shares_past(self, boards: Iterable[Board]) -> list[float]:
        """Share of the boards that have gone past each step."""
        at = [self.steps.progress(b.place) for b in boards]
        return [sum(a > n for a in at) / max(1, len(at)) for n in range(len(self.steps))]

    def now(self, batch: Batch, step: str) -> Now:
        """What to do now at a step with the board in hand; its cautions before anything else."""
        station = self.station(step)
        return self.unread(batch, station.name) or station.now(batch.about(batch.view.board, step))

    def unread(self, batch: Batch, cautions: str) -> Now | None:
        """The cautions of a name as the thing to do, None once they were read."""
        if cautions in batch.state.cautions or not (texts := texts_of(batch, cautions)):
            return None
        return Now("Read first", "Space when you have read it.", None, texts)
