"""Every command there is, by its name, as the rooms declare them; and what most tests of the bench begin with."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from fusilex.bench.command import Command
from fusilex.bench.common.route import Laid
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import COMMANDS, RULES, batch_state, open_journal, workshop_state
from fusilex.bench.state import BatchState, WorkshopState
from fusilex.bench.stations import STATIONS
from fusilex.bench.stations.place.hand import unseen_marks
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.release.getting_ready import next_cut, next_step
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.placing.points import as_seen
from fusilex.journal.entries import Entry
from fusilex.journal.folding import fold

globals().update({command.__name__: command for command in COMMANDS})
if TYPE_CHECKING:

    def __getattr__(name: str) -> Any: ...


__all__ = ["COMMANDS", "RULES", "Command", "Laid", "Refused", "open_journal"]
CAUTIONS = {name: texts for station in STATIONS for name, texts in station.cautions.items()}


def well(pair: ProbePair) -> str:
    """What somebody types of a pair on a good board."""
    return "OL" if math.isinf(pair.expected) else f"{pair.expected:.4f}"


def cut_out(bench: Bench, panel: int) -> None:
    """Every cut of a panel, ticked."""
    while (cut := next_cut(bench.batch, panel)) is not None:
        bench.do(named("TickCut")(panel, cut))


def sent_off(bench: Bench, serial: str) -> None:
    """A board is cut out, got ready and released."""
    cut_out(bench, bench.state.boards[serial].panel)
    while (step := next_step(bench.batch, bench.state.boards[serial])) is not None:
        bench.do(named("PrepareBoard")(serial, step))
    bench.do(named("ReleaseBoard")(serial))


def marks_seen(bench: Bench) -> None:
    """Every mark was looked at, and lies right, on the boards that wait for an oven."""
    view = bench.view
    for board in [b for b in bench.state.boards.values() if b.station == "Reflow" and not b.scrapped]:
        before = bench.route.steps.all[: bench.route.steps.index(board.step)]
        side = bench.route.steps.by_id[board.step].side
        for step in [s for s in before if (s.station, s.side) == ("Place", side)]:
            bench.go(step.id, board.serial)
            if left := [p.ref for p in unseen_marks(bench.batch, board)]:
                bench.do(named("SeeMark")(board.serial, left, "right"))
    bench.go(view.step, view.board)


def named(name: str) -> type[Command]:
    return next(command for command in COMMANDS if command.__name__ == name)


def project(happened: Iterable[Entry]) -> BatchState:
    """The state that entries of a batch add up to."""
    return fold(happened, batch_state)


def project_workshop(happened: Iterable[Entry]) -> WorkshopState:
    return fold(happened, workshop_state)


def acknowledge_all(bench: Bench) -> None:
    for name in CAUTIONS:
        bench.do(named("Acknowledge")(name))


def taught(bench: Bench, panel: int = 1) -> None:
    """The machine knows where the panel lies: its fiducials as designed, so far as there are any."""
    whole = bench.batch.panel
    side = place_step(bench.batch).side
    for name, x, y in whole.fiducials:
        seen = as_seen(whole, [[x, y]], side)[0].tolist()
        bench.do(named("TeachPoint")(panel, name, *seen))
