"""The route of the batch: the order of sides and the ways chosen, and the steps once they were laid."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct

from fusilex.bench.state import BatchState
from fusilex.core.route.propose import Ways
from fusilex.core.route.steps import Step, Steps
from fusilex.journal.entries import Entry, Event


class Laid(Struct):
    """`order` of the sides and `ways` of working ('' and None: as the design suggests), and `steps`: None while the
    route is what those lead to.
    """

    order: str = ""
    ways: Ways | None = None
    steps: Steps | None = None


class RouteLaid(Event, frozen=True):
    """The steps of the batch from now on; `what` was changed about them."""

    kind: ClassVar[str] = "road_laid"
    steps: list[Step]
    what: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Laid].steps = Steps(tuple(self.steps))

    @property
    def words(self) -> str:
        return self.what


class SidesChosen(Event, frozen=True):
    """Which side goes first, and how: the route is what that leads to."""

    kind: ClassVar[str] = "sides_chosen"
    school: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Laid].order, state[Laid].steps = self.school, None

    @property
    def words(self) -> str:
        return "the order of the sides"


class WaysChosen(Event, frozen=True):
    """By which ways paste, parts and heat come onto the boards."""

    kind: ClassVar[str] = "ways_chosen"
    printing: str
    placing: str
    reflowing: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Laid].ways, state[Laid].steps = Ways(self.printing, self.placing, self.reflowing), None

    @property
    def words(self) -> str:
        return "the ways of working"


def laid(steps: Steps, what: str = "") -> RouteLaid:
    """The event that lays a route."""
    return RouteLaid(list(steps), what)


EVENTS = (RouteLaid, SidesChosen, WaysChosen)
