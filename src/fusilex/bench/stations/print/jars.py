"""The jar in use, the air of the room, and how many may be printed now."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import ClassVar

import numpy as np

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.paces import Paces
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.workshop.oven import Oven
from fusilex.bench.workshop.paste_care import (
    ACTIONS,
    AirNoted,
    JarHandled,
    JarLogged,
    PasteCare,
    jar_state,
    tau_h,
)
from fusilex.bench.workshop.record_kinds import Jar
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.printing.paste import paste_mass_mg
from fusilex.core.quantities import Quantity
from fusilex.core.route.steps import NO_PASTE
from fusilex.core.wet_paste.ahead import Pace, Waiting, judge_ahead, may_print, pace_of
from fusilex.core.wet_paste.air import dew_point, judge_room
from fusilex.core.wet_paste.jar import JarState, gaps, inside_now, judge_jar, life_h, life_used
from fusilex.core.wording import say
from fusilex.formats.lists.temperature_log import read_log
from fusilex.journal.entries import Entry, Event

AIR_HOURS = 4.0
"""What was said of the air holds for so long."""
USUAL_C = 22.0


class JarChosen(Event, frozen=True):
    """Paste comes from this jar from now on."""

    kind: ClassVar[str] = "jar_chosen"
    jar: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Printing].jar = self.jar

    @property
    def words(self) -> str:
        return f"paste from {self.jar}"


class CareNoted(Event, frozen=True):
    """Something of the workshop's paste or air was noted from this batch."""

    kind: ClassVar[str] = "care_noted"
    what: str

    @property
    def words(self) -> str:
        return self.what


def jars_of(batch: Batch) -> list[Jar]:
    """Jars of the batch's paste that are not finished, on record."""
    care = batch.workshop[PasteCare]
    there = batch.workshop[Records].all(Jar).values()
    return [j for j in there if j.paste == batch.state.paste and not (j.id in care.jars and care.jars[j.id].finished)]


def jar_in_use(batch: Batch) -> Jar | None:
    """The jar that was chosen, else the only one there is of this paste."""
    there = jars_of(batch)
    chosen = next((j for j in there if j.id == batch.state[Printing].jar), None)
    return chosen or (there[0] if len(there) == 1 else None)


def state_of(batch: Batch, jar: Jar) -> JarState:
    """What is known of a jar now."""
    return jar_state(batch.workshop[PasteCare], jar, batch.workshop[Records].paste(jar.paste), batch.at)


def air(batch: Batch) -> tuple[float, float | None, bool]:
    """The room (°C, %), and whether somebody said so lately."""
    noted = batch.workshop[PasteCare].air
    if noted is None:
        return USUAL_C, None, False
    hours = (batch.at - datetime.fromisoformat(noted.at)).total_seconds() / 3600
    return noted.celsius, noted.humidity, hours <= AIR_HOURS


def per_panel_mg(batch: Batch) -> float:
    """Paste that a panel takes (mg)."""
    sheet = batch.workshop[Records].paste(batch.state.paste)
    apertures = batch.derived.apertures(batch.step.side)
    return paste_mass_mg(apertures, batch.state.foil_mm, sheet.paste) * len(batch.panel.cells)


def judge_paste_in_use(batch: Batch) -> list[Judgement]:
    """The jar that would be printed from, and the air it is opened in."""
    celsius, humidity, lately = air(batch)
    jar = jar_in_use(batch)
    found: list[Judgement] = []
    if jar is None:
        many = jars_of(batch)
        text = say("not selected") if many else say("none on record", paste=batch.state.paste)
        act, jars = say("select one" if many else "record one"), ("the jar that is printed from",)
        found.append(Judgement("jar.life", Level.UNKNOWN, "jar", text, (), act, (), jars))
    else:
        state = state_of(batch, jar)
        found += judge_jar(state, celsius, humidity, tau_h(jar), lately)
        found += _judge_left(batch, state)
    if lately:
        found += judge_room(celsius, humidity)
    else:
        missing = ("room temperature", "room humidity")
        text, do = say("no room data"), say("enter room")
        found.append(Judgement("print.room", Level.UNKNOWN, "room", text, (), do, (), missing))
    return found


def _judge_left(batch: Batch, jar: JarState) -> list[Judgement]:
    each = per_panel_mg(batch)
    left = len([n for n in batch.state.panels if any(b.step == batch.step.id for b in batch.state.panel_boards(n))])
    if not each or not left or jar.left_g * 1000 >= each * left + BEAD_MG:
        return []
    panels = max(0, int((jar.left_g * 1000 - BEAD_MG) / each))
    numbers = (Quantity("left", round(jar.left_g, 1), "g"), Quantity("a panel takes", round(each), "mg"))
    text = say("enough for", jar=jar.name, panels=panels, wanted=left)
    return [Judgement("jar.left", Level.CARE, jar.name, text, numbers, say("warm the next"))]


BEAD_MG = 8_000.0
"""What lies in the bead and stays on foil and blade."""


def ahead(batch: Batch) -> tuple[Judgement, Pace, Waiting]:
    """How many panels may be printed now, at the pace of this batch's hands."""
    pace = pace_of(batch.state[Paces].placed_s)
    sides = {s.id: s.side for s in batch.steps if s.station == "Print" and s.method != NO_PASTE}
    parts = boards = 0
    oldest = 0.0
    for board in batch.state.boards.values():
        for step, made in board.prints.items():
            if board.scrapped or step not in sides or batch.load_of(board, sides[step]) is not None:
                continue
            boards += 1
            there = set(board.placed)
            placing = [s.id for s in batch.steps.at_station("Place") if s.side == sides[step]]
            lacking = sum(p.ref not in there for id in placing for p in batch.parts_of(id, board))
            if lacking:
                parts += lacking
                hours = (batch.at - datetime.fromisoformat(made.at)).total_seconds() / 3600
                oldest = max(oldest, hours)
    sheet = batch.workshop[Records].paste(batch.state.paste)
    cells = len(batch.panel.cells)
    oven = batch.workshop[Records].first(Oven)
    waiting = Waiting(parts, boards, oldest, oven.boards, oven.minutes)
    each = len(batch.parts_on_paste(batch.step.side)) * cells  # about so many: boards may differ by a few
    unprinted = {b.panel for b in batch.state.boards.values() if not b.scrapped and batch.step.id not in b.prints}
    times = sheet.tack_h, sheet.longest_h
    found = may_print(waiting, pace, times, (max(each, 1), cells), len(unprinted))
    return judge_ahead(found, pace, waiting, sheet.tack_h), pace, waiting


class ChooseJar(Command, frozen=True):
    """Paste comes from this jar from now on."""

    jar: str

    def decide(self, batch: Batch) -> Result:
        if self.jar not in {j.id for j in jars_of(batch)}:
            raise Refused(f"There is no jar {self.jar} of {batch.state.paste} paste.")
        return Result([JarChosen(self.jar)])


class HandleJar(Command, frozen=True):
    """A jar was taken out or put away, opened, stirred or finished. A jar that is too cold is not opened."""

    jar: str
    action: str
    celsius: float = USUAL_C

    def decide(self, batch: Batch) -> Result:
        jar = batch.workshop[Records].all(Jar).get(self.jar)
        if jar is None:
            raise Refused(f"There is no jar {self.jar} on record.")
        if self.action not in ACTIONS:
            raise Refused(f"A jar is {', '.join(ACTIONS)}, not {self.action}.")
        if not -30 <= self.celsius <= 60:
            raise Refused(f"A jar stands at −30 to 60 °C, not {self.celsius:g} °C.")
        if self.action == "opened":
            cold = [j for j in judge_jar(state_of(batch, jar), *air(batch)[:2], tau_h(jar)) if j.rule == "jar.cold"]
            batch.hold_at(cold)
        words = {"out": "taken out", "in": "put away"}.get(self.action, self.action)
        return Result([CareNoted(f"{self.jar} {words}")], [JarHandled(self.jar, self.action, float(self.celsius))])


class LogJar(Command, frozen=True):
    """A log of a sensor beside a jar, up to now: what it lived at until now."""

    jar: str
    name: str
    data: bytes

    def decide(self, batch: Batch) -> Result:
        jar = batch.workshop[Records].all(Jar).get(self.jar)
        if jar is None:
            raise Refused(f"There is no jar {self.jar} on record.")
        log = read_log(self.data, self.name, least=2)
        celsius = next(iter(log.probes_c.values()))
        known = np.isfinite(celsius)
        hours, air_c = log.time_s[known] / 3600, celsius[known]
        sheet = batch.workshop[Records].paste(jar.paste)
        life = life_used(hours, air_c, sheet.life)
        if jar.received:  # what lies before the log, as its record says
            came = datetime.fromisoformat(jar.received).replace(tzinfo=UTC)
            before_h = (batch.at - came).total_seconds() / 3600 - float(hours[-1] - hours[0])
            life += max(0.0, before_h) / float(life_h(jar.kept_c, sheet.life))
        silent = sum(b - a for a, b in gaps(hours))
        inside, coldest = inside_now(hours, air_c, tau_h(jar)), float(air_c.min())
        made = JarLogged(self.jar, self.name, life, inside, float(air_c[-1]), silent, coldest)
        return Result([CareNoted(f"the log of {self.jar}")], [made])


class NoteAir(Command, frozen=True):
    """How warm (°C) and damp (%, below 0 where nobody knows) the room is."""

    celsius: float
    humidity: float = -1.0
    how: str = "typed"

    def decide(self, batch: Batch) -> Result:
        humidity = None if self.humidity < 0 else float(self.humidity)
        try:
            dew_point(self.celsius, 50.0 if humidity is None else humidity)
        except ValueError as error:
            raise Refused(f"Rooms have {error}.") from error
        return Result([CareNoted("the air of the room")], [AirNoted(float(self.celsius), humidity, self.how)])


COMMANDS = (ChooseJar, HandleJar, LogJar, NoteAir)
EVENTS = (JarChosen, CareNoted)
