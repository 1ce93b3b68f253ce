"""Commands of Ready about the route: the order of sides, ways of working, and steps one by one."""

from __future__ import annotations

from msgspec.structs import asdict, replace

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.route import Laid, RouteLaid, SidesChosen, WaysChosen, laid
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.files import still_open
from fusilex.core.bare_boards.making import WHY
from fusilex.core.checks.side_order import SIDE_ORDERS
from fusilex.core.route.shares import share_out
from fusilex.core.route.steps import ASIDE, FIRST, LAST, METHODS, ONE_SIDED, SIDES, Step, Steps, faults
from fusilex.core.wording import say, worded

WAYS = {"Print": "printing", "Place": "placing", "Reflow": "reflowing"}


class ChooseSides(Command, frozen=True):
    """Order of the sides: lighter-first, glued or hand. It makes the route anew."""

    school: str

    def decide(self, batch: Batch) -> Result:
        if self.school not in SIDE_ORDERS:
            raise Refused(f"There is no order of sides called {self.school}; there are {', '.join(SIDE_ORDERS)}.")
        still_open(batch)
        return Result([SidesChosen(self.school)])


class ChooseMethod(Command, frozen=True):
    """Another way of doing a step; while the route is as proposed, of all steps of its station."""

    step: str
    method: str

    def decide(self, batch: Batch) -> Result:
        step = step_ahead(batch, self.step)
        if len(METHODS[step.station]) == 1:
            raise Refused(f"{step.station} is done in one way.")
        if self.method not in METHODS[step.station]:
            raise Refused(f"{step.station} goes by {', '.join(METHODS[step.station])}, not by {self.method}.")
        chosen = batch.state[Laid]
        if chosen.steps is None and step.station in WAYS:
            ways = replace(chosen.ways or batch.derived.usual_ways, **{WAYS[step.station]: self.method})
            return Result([WaysChosen(**asdict(ways))])
        what = f"{batch.steps.label(step.id)} by {self.method}"
        return Result([laid(batch.steps.changed(step.id, method=self.method), what)])


class AddStep(Command, frozen=True):
    """One more step, before another one."""

    station: str
    side: str
    before: str
    method: str = ""

    def decide(self, batch: Batch) -> Result:
        steps = batch.steps
        if self.station not in METHODS:
            raise Refused(f"There is no station {self.station}; there are {', '.join(METHODS)}.")
        if self.station in (*FIRST, ASIDE):
            raise Refused(f"Every route has one {self.station}.")
        if self.side not in SIDES or (self.station in ONE_SIDED and self.side not in ("top", "bottom")):
            raise Refused(f"{self.station} is for a side: top or bottom.")
        if self.method and self.method not in METHODS[self.station]:
            raise Refused(f"{self.station} goes by {', '.join(METHODS[self.station])}, not by {self.method}.")
        step_ahead(batch, self.before)
        id = steps.free_id(self.station)
        made = Step(id, self.station, self.side, self.method, why="Added by hand")
        return Result([_laid(batch, steps.with_step(steps.index(self.before), made), f"the step {id}")])


class DropStep(Command, frozen=True):
    """A step is taken out, as long as no board is there or past it."""

    step: str

    def decide(self, batch: Batch) -> Result:
        step = _own(step_ahead(batch, self.step))
        return Result([_laid(batch, batch.steps.without(step.id), f"taking out {batch.steps.label(step.id)}")])


class MoveStep(Command, frozen=True):
    """A step goes earlier or later; what boards have gone past stays where it is."""

    step: str
    by: int

    def decide(self, batch: Batch) -> Result:
        step, steps = _own(step_ahead(batch, self.step)), batch.steps
        if steps.index(step.id) + self.by <= furthest(batch):
            raise Refused(f"Boards have gone past there already: {steps.label(step.id)} can only stand later.")
        return Result([_laid(batch, steps.moved(step.id, self.by), f"moving {steps.label(step.id)}")])


class MakeAtHome(Command, frozen=True):
    """The batch's bare boards are made here: their steps come before Kit."""

    def decide(self, batch: Batch) -> Result:
        steps = batch.steps
        if steps.at_station("Make"):
            raise Refused("The route has the steps of making bare boards already.")
        if any(board.step != FIRST[0] for board in batch.under_way):
            raise Refused("Boards are past Ready already: their bare boards are there.")
        at = steps.index(FIRST[1])
        for n, method in enumerate(METHODS["Make"]):
            made = Step(steps.free_id("Make"), "Make", "both", method, why=WHY[method])
            steps = steps.with_step(at + n, made)
        return Result([laid(steps, "making the bare boards here")])


def furthest(batch: Batch) -> int:
    """How far the first board is along the route."""
    return max(batch.steps.progress(board.place) for board in batch.state.boards.values() if not board.scrapped)


def step_ahead(batch: Batch, step: str) -> Step:
    """A step that no board has reached yet. Raises `Refused`."""
    if step not in batch.steps.by_id:
        raise Refused(f"There is no step {step} on this route.")
    if batch.steps.index(step) <= furthest(batch):
        raise Refused(f"Boards are at {batch.steps.label(step)} or past it: it stays as it is.")
    return batch.steps.by_id[step]


def _own(step: Step) -> Step:
    """A step that is this route's own choice: some stand on every route. Raises `Refused`."""
    if step.id in (*FIRST, ASIDE, LAST):
        raise Refused(f"{step.id} stands on every route, where it is.")
    return step


def _laid(batch: Batch, steps: Steps, what: str) -> RouteLaid:
    """The route as changed, unless boards could not go along it: while they wait at Ready that is a judgement, once
    they are under way it is refused.
    """
    if furthest(batch):
        left = share_out(batch.any_board.parts, steps)[""]
        wrong = faults(steps) or [say("part left out", part=p.ref) for p in left]
        if wrong:
            raise Refused(f"Boards are under way: {worded('ready.road', wrong[0])}.")
    return laid(steps, what)


COMMANDS = (ChooseSides, ChooseMethod, AddStep, DropStep, MoveStep, MakeAtHome)
