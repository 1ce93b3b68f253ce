"""The route of a batch: steps in order, each at a station, for a side, by a method, with the parts it is for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property

from msgspec import Struct, field
from msgspec.structs import force_setattr, replace

from fusilex.core.bare_boards.making import METHODS as MAKING
from fusilex.core.wording import Said, say

DONE = "Done"
"""Where boards are that went all the way, or are out of it."""
SIDES = ("", "top", "bottom", "both")
METHODS: dict[str, tuple[str, ...]] = {
    "Ready": ("",),
    "Make": MAKING,
    "Kit": ("",),
    "Print": ("stencil", "syringe", "dots", "tinned pads"),
    "Place": ("hand", "machine", "both"),
    "Reflow": ("controlled oven", "dial oven", "plate", "hot air"),
    "Hand": ("iron",),
    "Inspect": ("after soldering", "before the oven"),
    "Rework": ("",),
    "Test": ("",),
    "Release": ("bag", "separate"),
}
"""The stations of this trade, each with the ways of doing it, the usual one first."""
NO_PASTE = "tinned pads"
"""The way of printing that leaves solder on the pads, and no paste that could dry."""
ONE_SIDED = ("Print", "Place", "Reflow")
"""Steps of these stations are for one side; those of the others may be for both."""
WITH_PARTS = ("Place", "Hand")
"""Steps of these stations put parts on."""
FIRST, LAST, ASIDE = ("Ready", "Kit"), "Release", "Rework"
"""Every route begins with the first and ends with the last; to the one aside boards go only when something is wrong."""


class Step(Struct, frozen=True):
    """One step. `id` is its station's name, with a number where the station stands on the route more than once.

    `parts` names those it is for; empty means whatever is left for its side. `why` says why it stands there.
    """

    id: str
    station: str
    side: str = ""
    method: str = ""
    parts: tuple[str, ...] = ()
    why: str = ""

    def __post_init__(self) -> None:
        if not self.method and self.station in METHODS:
            force_setattr(self, "method", METHODS[self.station][0])


def station_of(step: str) -> str:
    """The station in a step's id.

    >>> station_of("Print 2"), station_of("Done")
    ('Print', 'Done')
    """
    return step.rstrip(" 0123456789")


class Steps(Struct, frozen=True, dict=True):
    """Steps in the order boards go through them."""

    all: tuple[Step, ...] = field(default=())

    def __iter__(self) -> Iterator[Step]:
        return iter(self.all)

    def __len__(self) -> int:
        return len(self.all)

    @cached_property
    def by_id(self) -> dict[str, Step]:
        return {step.id: step for step in self.all}

    @cached_property
    def ids(self) -> tuple[str, ...]:
        return tuple(self.by_id)

    def index(self, step: str) -> int:
        """Where a step stands; after all of them for boards that are done. ValueError for an unknown one."""
        return len(self.all) if step == DONE else self.ids.index(step)

    def progress(self, step: str) -> int:
        """How far along a step is; one that is only for repairs stands where its boards come from."""
        at = self.index(step)
        while 0 < at < len(self.all) and self.all[at].station == ASIDE:
            at -= 1
        return at

    def label(self, step: str) -> str:
        """What people call a step: its station, and where that stands on the route again, its side or its method.

        >>> route = one_side()
        >>> route.label("Print"), route.label("Done")
        ('Print', 'Done')
        """
        if step not in self.by_id:
            return step
        one = self.by_id[step]
        alike = [s for s in self.all if s.station == one.station]
        if len(alike) == 1:
            return one.station
        for told in (one.side, one.method):
            if sum(told in (s.side, s.method) for s in alike) == 1:
                return f"{one.station} {'both sides' if told == 'both' else told}"
        return f"{one.station} {alike.index(one) + 1}"

    def named(self, text: str) -> Step | None:
        """The step that people call so, in capitals or not."""
        wanted = " ".join(text.lower().split())
        return next((s for s in self.all if wanted in (s.id.lower(), self.label(s.id).lower())), None)

    def before(self, step: str, station: str, side: str = "") -> Step | None:
        """The nearest step before another one: of a station and a side, where they are named."""
        earlier = reversed(self.all[: self.index(step)])
        return next((s for s in earlier if station in ("", s.station) and side in ("", s.side)), None)

    def after(self, step: str) -> tuple[Step, ...]:
        """The steps boards still have ahead, without those aside."""
        return tuple(s for s in self.all[self.index(step) + 1 :] if s.station != ASIDE)

    def at_station(self, station: str) -> tuple[Step, ...]:
        return tuple(s for s in self.all if s.station == station)

    # changing a route

    def free_id(self, station: str) -> str:
        """An id for one more step of a station."""
        names = (station if n == 1 else f"{station} {n}" for n in range(1, len(self.all) + 2))
        return next(name for name in names if name not in self.by_id)

    def with_step(self, at: int, step: Step) -> Steps:
        return Steps((*self.all[:at], step, *self.all[at:]))

    def without(self, step: str) -> Steps:
        return Steps(tuple(s for s in self.all if s.id != step))

    def moved(self, step: str, by: int) -> Steps:
        """A step further along (or back)."""
        at = self.index(step)
        rest = self.without(step)
        return rest.with_step(max(0, min(len(rest), at + by)), self.by_id[step])

    def changed(self, step: str, **what: object) -> Steps:
        """Another side, method or reason for a step. TypeError for what a step does not have."""
        return Steps(tuple(replace(s, **what) if s.id == step else s for s in self.all))


def steps_of(rows: Iterable[tuple[str, str, str]]) -> Steps:
    """Steps by station, side and reason, ids given in order; the usual method of each."""
    made = Steps()
    for station, side, why in rows:
        made = made.with_step(len(made), Step(made.free_id(station), station, side, why=why))
    return made


def one_side(side: str = "top") -> Steps:
    """One side on paste, the rest by iron: the route of every batch before routes could differ."""
    stations: Sequence[tuple[str, str]] = (
        *((s, "") for s in FIRST),
        *((s, side) for s in ONE_SIDED),
        *((s, "both") for s in ("Hand", "Inspect", ASIDE, "Test", LAST)),
    )
    return steps_of((station, where, "") for station, where in stations)


def faults(steps: Steps) -> list[Said]:
    """What is wrong with a route in itself (`ready.road`); nothing when boards can go along it."""
    found = []
    names = [s.station for s in steps]
    if len(set(steps.ids)) < len(steps):
        found.append(say("one name twice"))
    for step in steps:
        if step.station not in METHODS:
            found.append(say("no such station", station=step.station))
        elif step.method not in METHODS[step.station]:
            found.append(say("no such method", station=step.station, methods=METHODS[step.station], method=step.method))
        if step.side not in SIDES or (step.station in ONE_SIDED and step.side not in ("top", "bottom")):
            found.append(say("no side", step=step.id))
        if station_of(step.id) != step.station:
            found.append(say("name of another station", step=step.id, station=step.station))
    begun = [s for s in names if s != "Make"]
    if names[:1] != [FIRST[0]] or tuple(begun[: len(FIRST)]) != FIRST or any(names.count(s) != 1 for s in FIRST):
        found.append(say("begins otherwise"))
    if "Make" in names[names.index(FIRST[1]) :] if FIRST[1] in names else False:
        found.append(say("boards made late"))
    if not names or names[-1] != LAST:
        found.append(say("ends otherwise"))
    if names.count(ASIDE) != 1 or names.count("Test") > 1:
        found.append(say("Rework or Test doubled"))
    return found or _order_faults(steps)


def _order_faults(steps: Steps) -> list[Said]:
    """Places that lie on paste nobody printed, paste that meets no oven, and the like."""
    found: list[Said] = []
    wet: dict[str, str] = {}  # side → how far its paste is
    for step in steps:
        here = steps.label(step.id)
        if step.station == "Print":
            if wet.get(step.side):
                found.append(say("prints on wet paste", step=here))
            wet[step.side] = "printed"
        elif step.station == "Place":
            if not wet.get(step.side):
                found.append(say("no paste yet", step=here, side=step.side))
            wet[step.side] = "placed"
        elif step.station == "Reflow":
            if wet.pop(step.side, "") != "placed":
                found.append(say("nothing to melt", step=here, side=step.side))
        elif step.station in ("Hand", "Test", LAST) and wet:
            found.append(say("before reflow", step=here, side=next(iter(wet))))
            wet.clear()
        elif step.station == "Inspect" and wet and step.method != "before the oven":
            found.append(say("looks at wet paste", step=here))
        if step.station in ONE_SIDED and len(wet) > 1:
            found.append(say("turned while wet", step=here))
    return found
