"""The foil: what somebody sees in two loupes or more, how it lies by that, and what hands have to move."""

from __future__ import annotations

from fusilex.bench.now import Now
from fusilex.bench.stations.print.foil import HOLDINGS, HoldFoil, LookThrough, MeasureJig, MoveFoil
from fusilex.bench.stations.print.foil_events import Foil, Look
from fusilex.bench.stations.print.judging import STENCIL
from fusilex.bench.stations.print.stencil import (
    Place,
    alignment,
    holding,
    judge_alignment,
    looks_at,
    moves_for,
    sheet,
)
from fusilex.bench.stations.print.typed_input import height, offset
from fusilex.core.evidence import Level
from fusilex.core.judgement import worst_first
from fusilex.core.printing.alignment import HINGES
from fusilex.core.quantities import write_length, write_point, write_signed
from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.foil_picture import FoilPicture, Shown, said_offset
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key

NUDGE, FAR_NUDGE, TIMES = 0.01, 0.05, 4
MOST_MM = 3.0
STEPS = {"Left": (-1, 0), "Right": (1, 0), "Up": (0, 1), "Down": (0, -1)}


class FoilView(View):
    name = "Foil"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.picture = FoilPicture()
        self.picture.dragged.connect(self._pull)
        self.picture.taken.connect(self._take)
        self.column.addWidget(self.picture, 1)
        self._current, self._times = 0, 1
        self._nudged: dict[Place, tuple[float, float]] = {}
        self._of: object = None

    @property
    def stencil(self) -> bool:
        return self.batch.step.method == STENCIL

    @property
    def places(self) -> list[Place]:
        """Where to look: the places that tell most, and others where somebody did."""
        own = sheet(self.batch).places
        return [*own, *((x, y) for x, y, _, _ in looks_at(self.batch) if (x, y) not in own)]

    @property
    def place(self) -> Place | None:
        places = self.places
        return places[self._current % len(places)] if places else None

    def seen(self) -> dict[Place, tuple[float, float]]:
        """What was noted, and over it what is being shifted."""
        return {(x, y): (dx, dy) for x, y, dx, dy in looks_at(self.batch)} | self._nudged

    def looks(self) -> tuple[Look, ...]:
        """All that is seen, noted or not."""
        return tuple((x, y, dx, dy) for (x, y), (dx, dy) in self.seen().items())

    def refresh(self) -> None:
        if self._of != (self.bench.id, self.batch.step.id):
            self._of, self._current, self._nudged = (self.bench.id, self.batch.step.id), 0, {}
        self.picture.setVisible(self.stencil)
        if not self.stencil:
            return
        looks, places = self.looks(), self.places
        how, hinge = holding(self.batch)
        noted = {(x, y) for x, y, _, _ in looks_at(self.batch)} - set(self._nudged)
        self.picture.show_foil(
            Shown(
                sheet(self.batch),
                self.batch.panel,
                places,
                self._current % len(places) if places else 0,
                self.seen(),
                noted,
                hinge,
                how,
                moves_for(self.batch, looks),
                self.batch.step.side == "bottom",
                self._times,
                worst_first(judge_alignment(self.batch, looks)),
                self._fit(looks),
            )
        )

    def _fit(self, looks: tuple[Look, ...]) -> str:
        found = alignment(self.batch, looks)
        if found is None:
            return f"{len(looks)} of 2 places seen"
        known = found.within95
        stretch = f", stretch {1000 * found.stretch:.2f} ‰" if abs(found.stretch) > 1e-5 else ""
        return (
            f"turn {found.rotation_deg:.2f}° ± {known['rotation_deg']:.2f}{stretch}\n"
            f"{said_offset(found.dx, found.dy)}\n± {write_length(max(known['dx_mm'], known['dy_mm']))} in the middle"
        )

    def now(self) -> Now | None:
        if not self.stencil:
            return Now("No foil here", f"At this step paste comes by {self.batch.step.method}.")
        if self.place is None:
            return Now("Align by eye", "This side has too few fine openings to tell from.")
        looks = looks_at(self.batch)
        if self._nudged or len(looks) < 2:
            at = write_point(*self.place, 1)
            told = "Shift the paste by the arrows until it lies as you see it, then Space."
            return Now(
                f"Look at place {self._current % len(self.places) + 1}", f"{at} of the panel. {told}", len(looks) / 2
            )
        worst = worst_first(judge_alignment(self.batch))[0]
        if worst.level is Level.GO:
            return Now("The foil lies well", f"{worst.headline}. Print; look again when it was lifted or moved.")
        if worst.level is Level.UNKNOWN and len(looks) < len(self.places):
            return Now("Look at one more place", f"{worst.headline}. {worst.do}")
        if worst.level is Level.UNKNOWN or worst.rule in ("print.misread", "print.slip"):
            return Now("Look again", f"{worst.headline}. {worst.do}")
        todo = [m.words for m in moves_for(self.batch) if abs(m.x) >= 0.005 or abs(m.y) >= 0.005]
        tape = " Along the tape it has to be lifted and laid anew." if self._along_tape() else ""
        words = "; ".join(todo).capitalize() or "Nothing that hands can move"
        return Now("Move the foil", f"{words}.{tape} Enter when it is moved, then look again.")

    def _along_tape(self) -> bool:
        return holding(self.batch)[0] == "tape" and any(abs(m.tape) >= 0.02 for m in moves_for(self.batch))

    def keys(self) -> list[Key]:
        if not self.stencil or self.place is None:
            return []
        ask = self.desk.ask
        return [
            Key("Left Right Up Down", "shift what you see", lambda k: self._nudge(STEPS[k], NUDGE), True),
            Key(" ".join(f"Shift+{k}" for k in STEPS), "", lambda k: self._nudge(STEPS[k[6:]], FAR_NUDGE), True),
            Key("Space", "seen so, next place", lambda _: self._note(), True),
            Key("Enter", "foil moved" if looks_at(self.batch) else "", lambda _: self._moved()),
            Key("L", "other place", lambda _: self._take(self._current + 1)),
            Key("T", "type it", lambda _: ask("How far right and up paste lies, in mm: 0.10 -0.04", self._typed), True),
            Key("X", "true" if self._times > 1 else "exaggerate", lambda _: self._exaggerate()),
            Key("K", "hinge or frame", lambda _: self._hold()),
            Key("J", "frame's height", lambda _: ask("Frame higher (+) or lower (-) than the board, in mm", self._jig)),
        ]

    def _take(self, n: int) -> None:
        self._current = n % max(1, len(self.places))
        self.desk.say("")

    def _nudge(self, way: tuple[int, int], size: float) -> None:
        self._pull(way[0] * size, way[1] * size)

    def _pull(self, dx: float, dy: float) -> None:
        if (place := self.place) is None:
            return
        x, y = self.seen().get(place, (0.0, 0.0))
        found = (min(max(v, -MOST_MM), MOST_MM) for v in (x + dx, y + dy))
        self._nudged[place] = (round(next(found), 4), round(next(found), 4))
        self.desk.changed.emit()

    def _note(self) -> None:
        if (place := self.place) is None:
            return
        dx, dy = self.seen().get(place, (0.0, 0.0))
        if self.desk.do(
            LookThrough(*place, dx, dy), f"Place {self._current % len(self.places) + 1}: {said_offset(dx, dy)}."
        ):
            self._nudged.pop(place, None)
            said = self.desk.said
            there = {(x, y) for x, y, _, _ in looks_at(self.batch)}
            judged = worst_first(judge_alignment(self.batch))
            if not judged or judged[0].level is Level.UNKNOWN:  # another place would tell; else these stay in sight
                self._current = next((n for n, p in enumerate(self.places) if p not in there), 0)
            self.desk.say(said)

    def _typed(self, text: str) -> None:
        if (found := self.desk.read(lambda: offset(text))) and (place := self.place):
            self._nudged[place] = found
            self._note()

    def _moved(self) -> None:
        if self.desk.do(MoveFoil(), "The foil was moved: look at both places again."):
            self._nudged, self._current = {}, 0
            self.desk.say(self.desk.said)

    def _exaggerate(self) -> None:
        self._times = 1 if self._times > 1 else TIMES
        self.desk.say("")

    def _hold(self) -> None:
        ways = [(how, side) for how in HOLDINGS for side in HINGES]
        how, side = ways[(ways.index(holding(self.batch)) + 1) % len(ways)]
        said = f"Tape as a hinge along the {side}." if how == "tape" else f"A frame, two stops at the {side}."
        self.desk.do(HoldFoil(how, side), said)

    def _jig(self, text: str) -> None:
        if (found := self.desk.read(lambda: height(text))) is not None:
            self.desk.do(MeasureJig(found), f"The frame stands {write_signed(found)} against the board.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        how, side = holding(self.batch)
        foil = self.batch.state[Foil]
        step = "not measured" if foil.step_mm is None else write_signed(foil.step_mm)
        return "Foil", [
            ("held by", f"{how}, at the {side}"),
            ("places seen", str(len(looks_at(self.batch)))),
            ("moved", f"{foil.moved.get(self.batch.step.id, 0)} times"),
            ("frame's height", step),
        ]
