"""Hot air in held steps: the clock of the step in hand, the board as its heat will have it, what to look at."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from fusilex.bench.common.heat.hot_air import HoldAir, HotAir, StepHeld
from fusilex.bench.common.heat.hot_air_ahead import AirQuestion, air_question, judge_hot_air, profiles_for
from fusilex.bench.common.records import SetRecord
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.workshop.hot_air_profiles import HotAirProfile
from fusilex.bench.workshop.record_kinds import AirGun
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.heat.hot_air import Heated, HotAirStep
from fusilex.core.heat.sheet import Sheet
from fusilex.core.judgement import Judgement
from fusilex.core.labels import label
from fusilex.core.quantities import MM, write, write_celsius
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.units import begun, clock
from fusilex.ui.desk import Desk
from fusilex.ui.hot_air_clock import HotAirClock
from fusilex.ui.hot_air_words import before, while_held
from fusilex.ui.search import Aside
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.heat_map import HeatMap
from fusilex.ui.widgets.hot_air_list import Held, HotAirList, set_words
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.readout import Readout


class HotAirView(View):
    """Subclasses say which part is in hand, on which side, and by which window."""

    name = "Held steps"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.readout, self.map, self.list = Readout(), HeatMap(), HotAirList()
        self.column.addWidget(self.readout)
        row, left = QHBoxLayout(), QVBoxLayout()
        left.addWidget(self.map, 1)
        row.addLayout(left, 3)
        row.addWidget(self.list, 2)
        self.column.addLayout(row, 1)
        self.asked: AirQuestion | None = None
        self.found: tuple[Sheet, Heated] | None = None
        self.judged: Judgement | None = None
        self.aside = Aside(self, self._failed)
        self.trouble = self.chosen = ""
        self._seen: object = None
        self.clock = HotAirClock(self)
        self.clock.ticked.connect(self._ticked)

    # what subclasses say

    def part(self) -> Part | None:
        """The part the gun is over."""
        raise NotImplementedError

    def side(self) -> str:
        raise NotImplementedError

    def window_rule(self) -> ProcessWindow:
        raise NotImplementedError

    def done_words(self) -> str:
        """What follows when all steps were held."""
        return ""

    # what is known

    @property
    def cautions(self) -> str:
        return "Held steps"

    @property
    def running(self) -> bool:
        return self.clock.running

    @property
    def profile(self) -> HotAirProfile | None:
        found = profiles_for(self.batch, self.part(), self.window_rule().name)
        return next((p for p in found if p.id == self.chosen), found[0] if found else None)

    @property
    def held(self) -> list[StepHeld]:
        """Steps of the profile that are on record for the part in hand."""
        part, profile = self.part(), self.profile
        if part is None or profile is None:
            return []
        steps = self.bench.state[HotAir].steps.get((self.bench.board.serial, part.ref), [])
        return steps if steps and steps[0].profile == profile.id else []

    @property
    def all_held(self) -> bool:
        profile, held = self.profile, self.held
        return profile is not None and len(held) == len(profile.steps) and not held[-1].drifted

    # what is shown

    def refresh(self) -> None:
        part, profile = self.part(), self.profile
        seen = (
            self.bench.board.serial,
            part.ref if part else "",
            profile,
            self.batch.workshop.last_id,
            self.window_rule().name,
        )
        if seen != self._seen and not self.aside.busy and not self.running:
            self._seen, self.found, self.judged, self.asked, self.trouble = seen, None, None, None, ""
            if part is not None and profile is not None:
                self._predict(part, profile)
        self._show()

    def _predict(self, part: Part, profile: HotAirProfile) -> None:
        try:
            asked = self.asked = air_question(self.batch, self.bench.board, self.side(), self.window_rule())
        except Refused as problem:
            self.trouble = str(problem)
            return
        self.aside.look(lambda: asked.predicted(part, profile.steps), lambda found: self._predicted(part, found))

    def _failed(self, text: str) -> None:
        self.trouble = text
        self.desk.say(text)

    def _predicted(self, part: Part, found: tuple[Sheet, Heated]) -> None:
        assert self.asked is not None
        profile, lowest = self.profile, self.batch.workshop[Records].first(AirGun).lowest_l_per_min
        steps = profile.steps if profile else ()
        self.found, self.judged = found, judge_hot_air(self.asked, part, found[1], steps, lowest)
        self._show()
        self.desk.say(self.desk.said)

    def _show(self) -> None:
        part, profile = self.part(), self.profile
        steps = profile.steps if profile else ()
        at = min(self.clock.at if self.running else len(self.held), len(steps) - 1)
        self.list.shown = Held(steps, [h.seconds for h in self.held], at, profile.id if profile else "No profile")
        self.readout.words = self._words(steps[at] if steps else None)
        self._show_heat(part, steps, at)
        for widget in (self.readout, self.list, self.map):
            widget.update()

    def _words(self, step: HotAirStep | None) -> list[tuple[str, str]]:
        part = self.part()
        if step is None:
            return [("part", part.ref if part else "–")]
        air = write_celsius(step.air_c) if step.litres_per_min else "away"
        plate = write_celsius(step.plate_c) if step.plate_c else "off"
        return [
            ("part", part.ref if part else "–"),
            (f"held, of {clock(step.least_s)} to {clock(step.most_s)}", clock(self.clock.held_s)),
            ("air", air),
            ("plate", plate),
        ]

    def _show_heat(self, part: Part | None, steps: tuple[HotAirStep, ...], at: int) -> None:
        below, melting = self.side() == "bottom", self.window_rule().melting
        if self.found is None or part is None or self.asked is None:
            words = self.trouble or ("Nothing to heat here" if part is None else "Looking ahead …")
            self.map.ring = None
            self.map.show_state(None, self.map.state, words, below, melting)
            return
        sheet, heated = self.found
        run = heated.run
        into = min(self.clock.held_s, steps[at].most_s) if self.running else steps[at].most_s
        when = sum(s.most_s for s in steps[:at]) + into
        k = int(abs(run.frame_s - when).argmin())
        x, y = self.asked.place(part)
        gun = self.asked.gun
        rows, columns = sheet.grid.shape
        middle = columns * float(sheet.size[0]) / 2, rows * float(sheet.size[1]) / 2
        self.map.ring = (x + middle[0], y + middle[1], gun.nozzle_mm / 2 + gun.spread_mm)
        title = f"Predicted at the end of {steps[at].name.lower()}, by the longest clocks; ring: where the air melts"
        if self.running:
            title = f"Predicted in {steps[at].name.lower()}; ring: where the air melts"
        self.map.show_state(sheet, run.frames[k], title, below, melting)

    def now(self) -> Now | None:
        part, profile = self.part(), self.profile
        if part is None:
            return Now("Nothing to heat here", self.trouble or self.done_words())
        if profile is None:
            return Now("No held steps on record", "Put a profile among the workshop's held steps, with F4.")
        if self.all_held and not self.running:
            return Now(f"{part.ref} was held through all steps", self.done_words())
        if not self.running:
            said = f"{self.judged.headline}. {self.judged.do}" if self.judged else self.trouble or "Looking ahead …"
            return before(part.ref, profile.steps, self.held, said)
        at = min(self.clock.at, len(profile.steps) - 1)  # somebody may have shortened the profile meanwhile
        return while_held(profile.steps[at], self.clock.held_s)

    # keys

    def keys(self) -> list[Key]:
        if self.running:
            return [
                Key("Enter", "it sits, go on", lambda _: self._next(False)),
                Key("D", "it drifted", lambda _: self._next(True)),
                Key("X", "break off", lambda _: self._stop("Air lifted away. What was held is on record.")),
            ]
        if self.part() is None or self.profile is None:
            return []
        anew = [Key("B", "begin anew", lambda _: self._start(0))] if self.held and not self.all_held else []
        return [
            *([] if self.all_held else [Key("Enter", "start", lambda _: self._start(self._following()), True)]),
            *anew,
            Key("Left Right", "other steps", lambda key: self._choose(-1 if key == "Left" else 1)),
            Key("E", "change this step", lambda _: self._edit()),
        ]

    def _following(self) -> int:
        held = self.held
        return 0 if not held or held[-1].drifted else len(held)

    def _choose(self, by: int) -> None:
        found = profiles_for(self.batch, self.part(), self.window_rule().name)
        ids = [p.id for p in found]
        if self.profile is not None:
            self.chosen = ids[(ids.index(self.profile.id) + by) % len(ids)]
        self.desk.say("")

    def _edit(self) -> None:
        profile = self.profile
        if profile is None:
            return
        k = min(len(self.held), len(profile.steps) - 1)
        s = profile.steps[k]
        given = f"{s.plate_c:g} {s.air_c:g} {s.litres_per_min:g} {s.least_s:g} {s.most_s:g}"
        self.desk.ask(
            f"{s.name}: plate °C, air °C, l/min, shortest and longest s", lambda text: self._edited(k, text), given
        )

    def _edited(self, k: int, text: str) -> None:
        profile = self.profile
        try:
            plate, air, flow, least, most = (float(v.replace(",", ".")) for v in text.split())
        except ValueError:
            self.desk.say("Five numbers, such as 150 340 12 30 60.")
            return
        if profile is None:
            return
        steps = list(profile.steps)
        steps[k] = replace(steps[k], plate_c=plate, air_c=air, litres_per_min=flow, least_s=least, most_s=most)
        body = {**msgspec.to_builtins(profile), "steps": [msgspec.to_builtins(s) for s in steps]}
        self.desk.do(SetRecord("held", body), f"{steps[k].name}: {set_words(steps[k])}.")

    # the clock

    def _start(self, at: int) -> None:
        if (part := self.part()) is not None:
            self.clock.start(self.bench.board.serial, part.ref, at)
            self.desk.say("")

    def _ticked(self) -> None:
        self.desk.ticked.emit()

    def _next(self, drifted: bool) -> None:
        """The step in hand goes on record; the next begins, or the profile ends."""
        profile = self.profile
        if profile is None:
            return
        number = self.clock.at + 1
        if not self.desk.do(HoldAir(self.clock.serial, self.clock.ref, profile.id, number, self.clock.held_s, drifted)):
            return
        if drifted:
            self._stop(f"{self.clock.ref} drifted: lift the air away, then let it cool.")
        elif number == len(profile.steps):
            self._stop(f"{self.clock.ref} was held through all steps.")
            self.finished()
        else:
            self.clock.next()
            self.desk.say(f"{begun(set_words(profile.steps[number]))}.")

    def _stop(self, said: str) -> None:
        self.clock.stop()
        self.desk.say(said)

    def finished(self) -> None:
        """All steps were held."""

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        judged = self.judged
        if judged is None:
            return "Held steps", []
        gun = self.batch.workshop[Records].first(AirGun)
        rows = [(label(q.what), q.amount()) for q in judged.quantities]
        return f"{gun.id.capitalize()}, {write(gun.nozzle_mm, MM, 4)}", rows
