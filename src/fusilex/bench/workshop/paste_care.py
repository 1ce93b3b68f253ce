"""How jars of paste were kept, what was taken from them, how prints weighed, and the air in the room: it outlives
batches.
"""

from __future__ import annotations

from collections import defaultdict
from datetime import UTC, datetime
from typing import ClassVar

import numpy as np
from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.bench.workshop.record_kinds import Jar, PasteSheet
from fusilex.core.kit.moisture import MOST_RH, Room
from fusilex.core.wet_paste.jar import JAR_TAU_H, SYRINGE_TAU_H, JarState, inside_now, life_used
from fusilex.journal.entries import Entry, Event

ACTIONS = ("out", "in", "opened", "stirred", "finished")
"""Out of the fridge, into it, opened, stirred, finished."""
MOST_KEPT, HISTORY = 400, 60


class JarLife(Struct):
    """What happened to one jar: where it stood since when (ISO time, °C), share of life before that (None: nobody
    knows), how warm it was inside then, silence in its log (h), and what was taken from it (mg).
    """

    places: list[tuple[str, float]] = field(default_factory=list)
    life_before: float | None = None
    inside_before: float | None = None
    silent_h: float = 0.0
    coldest_c: float | None = None
    opened_at: str = ""
    stirred_at: str = ""
    finished: bool = False
    used_mg: float = 0.0


class Air(Struct, frozen=True):
    """The room at a time: °C and, where somebody knows, % relative humidity."""

    at: str
    celsius: float
    humidity: float | None
    how: str


class Weighing(Struct, frozen=True):
    """Measured over predicted of a print with a paste through a foil; `apart` for the first after a pause or wipe;
    `batch` is whose print it was.
    """

    at: str
    paste: str
    foil_mm: float
    ratio: float
    apart: bool
    batch: str = ""


class PasteCare(Struct):
    """Jars by name, the air that was noted last and before, weighed prints of all batches in order."""

    jars: dict[str, JarLife] = field(default_factory=lambda: defaultdict(JarLife))
    air: Air | None = None
    airs: list[Air] = field(default_factory=list)
    weighed: list[Weighing] = field(default_factory=list)

    def room_over(self, since: str, until: str) -> Room:
        """The worst that was noted of the room from one time (ISO) to another, and last before it."""
        first, last = (datetime.fromisoformat(at) for at in (since or until, until))
        noted = [(datetime.fromisoformat(air.at), air) for air in self.airs]
        airs = [air for at, air in noted if at <= first][-1:] + [air for at, air in noted if first < at <= last]
        damp = [air.humidity for air in airs if air.humidity is not None]
        known = bool(airs) and len(damp) == len(airs)
        worst = max(damp, default=None)
        return Room(
            max((air.celsius for air in airs), default=None), worst if known or (worst or 0.0) > MOST_RH else None
        )

    def history(self, paste: str, but_for: str) -> list[float]:
        """Measured over predicted of other batches' latest prints with a paste, without those that stand apart."""
        found = [w.ratio for w in self.weighed if w.paste == paste and not w.apart and w.batch != but_for]
        return found[-HISTORY:]


class JarHandled(Event, frozen=True):
    """A jar was taken out or put away, opened, stirred or finished; `celsius` is how warm it is where it stands now."""

    kind: ClassVar[str] = "jar_handled"
    jar: str
    action: str
    celsius: float = 22.0

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        jar = state[PasteCare].jars[self.jar]
        if self.action in ("out", "in"):
            jar.places.append((entry.at, self.celsius))
        if self.action == "opened":
            jar.opened_at = jar.opened_at or entry.at
            jar.stirred_at = ""
        if self.action == "stirred":
            jar.stirred_at = entry.at
        if self.action == "finished":
            jar.finished = True


class JarLogged(Event, frozen=True):
    """A log of the air round a jar up to now says how much of its life is used, and how warm it is inside."""

    kind: ClassVar[str] = "jar_logged"
    jar: str
    name: str
    life: float
    inside_c: float
    air_c: float
    silent_h: float = 0.0
    coldest_c: float | None = None

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        jar = state[PasteCare].jars[self.jar]
        jar.life_before, jar.inside_before, jar.silent_h = self.life, self.inside_c, self.silent_h
        jar.places, jar.coldest_c = [(entry.at, self.air_c)], self.coldest_c


class PasteUsed(Event, frozen=True):
    """Paste went from a jar onto boards (mg)."""

    kind: ClassVar[str] = "paste_used"
    jar: str
    mg: float

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[PasteCare].jars[self.jar].used_mg += self.mg


class AirNoted(Event, frozen=True):
    """How warm and damp the room is."""

    kind: ClassVar[str] = "air_noted"
    celsius: float
    humidity: float | None = None
    how: str = "typed"

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        care = state[PasteCare]
        care.air = Air(entry.at, self.celsius, self.humidity, self.how)
        care.airs.append(care.air)
        del care.airs[:-MOST_KEPT]


class PrintCompared(Event, frozen=True):
    """A print was weighed against what was predicted."""

    kind: ClassVar[str] = "print_compared"
    paste: str
    foil_mm: float
    ratio: float
    apart: bool = False
    batch: str = ""

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        weighed = state[PasteCare].weighed
        weighed.append(Weighing(entry.at, self.paste, self.foil_mm, self.ratio, self.apart, self.batch))
        del weighed[:-MOST_KEPT]


def tau_h(jar: Jar) -> float:
    """How fast it takes on the warmth of the room: a syringe sooner than a jar."""
    return SYRINGE_TAU_H if jar.form == "syringe" else JAR_TAU_H


def jar_state(care: PasteCare, jar: Jar, sheet: PasteSheet, at: datetime) -> JarState:
    """What is known of a jar at a time: kept as its record says until the first thing that was noted of it, then as
    noted.
    """
    known = care.jars.get(jar.id) or JarLife()
    places = [(datetime.fromisoformat(when), celsius) for when, celsius in known.places]
    life, inside = known.life_before, known.inside_before
    if life is None and jar.received:
        received = datetime.fromisoformat(jar.received).replace(tzinfo=UTC)
        places, life = [(received, jar.kept_c), *places], 0.0
    places = [(when, celsius) for when, celsius in places if when <= at]
    if places:
        hours, celsius = _steps(places, at)
        if life is not None:
            life += life_used(hours, celsius, sheet.life)
        if inside is not None:  # what was inside is not yet what is around it
            hours, celsius = np.concatenate([[hours[0]], hours]), np.concatenate([[inside], celsius])
        inside = inside_now(hours, celsius, tau_h(jar))
    opened = known.opened_at or (f"{jar.opened}T00:00:00+00:00" if jar.opened else "")
    open_h = (at - datetime.fromisoformat(opened)).total_seconds() / 3600 if opened else None
    return JarState(
        jar.id,
        jar.paste,
        life,
        inside,
        0.0 if known.finished else max(0.0, jar.grams - known.used_mg / 1000),
        open_h,
        bool(known.stirred_at) or jar.form == "syringe",
        bool(jar.expires) and jar.expires < at.date().isoformat(),
        known.silent_h,
        known.coldest_c,
        bool(jar.received),
    )


def _steps(places: list[tuple[datetime, float]], at: datetime) -> tuple[np.ndarray, np.ndarray]:
    """Where a jar stood as a log: each place from when it came there until it left."""
    hours, celsius = list[float](), list[float]()
    for n, (when, warm) in enumerate(places):
        until = places[n + 1][0] if n + 1 < len(places) else at
        hours += [when.timestamp() / 3600, max(when, until).timestamp() / 3600]
        celsius += [warm, warm]
    return np.array(hours) - hours[0], np.array(celsius)


EVENTS = (JarHandled, JarLogged, PasteUsed, AirNoted, PrintCompared)
SLICES = (PasteCare,)
