"""Who places which line, from which slot, how its parts lie in the tape, what is left and until which board."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent

from fusilex.bench.common.meters import read_piece
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import choice, kept_of, machine_of, parts_of_panel
from fusilex.bench.stations.place.setup import DecideLine, LoadSlot, MeasurePiece, SeePocket
from fusilex.bench.stations.place.setup_events import Kept, Loaded, SetUp
from fusilex.bench.typed_text import numbers
from fusilex.bench.workshop.put_right import PutRight
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level
from fusilex.core.kit.quantities import PullLine
from fusilex.core.machine.model import Slot
from fusilex.core.machine.tapes import Tape, pockets_lost, tape_of
from fusilex.core.placing.first_piece import RIGHT, UNKNOWN, WRONG
from fusilex.core.programme.feeding import PITCH_LIMIT_MM, Sighting, boards_fed, pick_point
from fusilex.core.quantities import MM, write
from fusilex.core.units import show_value
from fusilex.core.values import read_value
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.stations.place.lying import LyingCard
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

ROOM = 30.0
THREAD_MM = 60.0
"""Tape that is threaded past the pick point before the first part can be held."""


_VERDICT = {
    RIGHT: "it is what it should be.",
    WRONG: "that is another value. Stop, and look at the tape.",
    UNKNOWN: "nobody can tell from this. A better meter would, or the part has no value to measure.",
}


class LinesView(View):
    name = "Lines"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.port = Reading(self, desk)
        columns = [Column("line", 0.33), Column("who", 0.17), Column("why, or slot and what is left", 0.5)]
        self.lines: list[PullLine] = []
        self.kept: Kept | None = None
        self.loaded: dict[str, Loaded] = {}
        self.table = Rows("Who places what", columns, "Nothing is placed on paste here.")
        self.table.picked.connect(lambda _: self.desk.say(""))
        self.card = LyingCard()
        self.column.addWidget(self.table, 3)
        self.column.addWidget(self.card, 2)

    def _taken_in(self) -> list[PullLine]:
        """Lines of the step, in placing order."""
        batch, bins = self.batch, self.batch.line_of
        here = {bins[p.ref].key for p in batch.parts_of(place_step(batch).id)}
        return [line for line in batch.lines if line.key in here]

    @property
    def line(self) -> PullLine | None:
        return self.lines[min(self.table.chosen, len(self.lines) - 1)] if self.lines else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room the lines have it."""
        self.card.setVisible(self.height() > theme.base * ROOM)

    def refresh(self) -> None:
        batch, made = self.batch, choice(self.batch, self.bench.board.panel)
        self.lines = self._taken_in()
        self.step_id, self.kept = place_step(batch).id, kept_of(batch)
        self.loaded = batch.state[SetUp].loaded.get(self.step_id, {})
        self.under_way = batch.under_way
        taken, setup = set(made.machine), batch.state[SetUp]
        step, rows, marks = self.step_id, [], []
        said = setup.said.get(step, {})
        for line in self.lines:
            by_machine = line.key in taken
            who = ("machine" if by_machine else "hand") + (" (said)" if line.key in said else "")
            what, level = self._standing(line) if by_machine else (made.hand.get(line.key, ""), None)
            rows.append((line.name + f", {line.package.code}", who, what))
            marks.append(level)
        self.table.show_rows(rows, marks)
        if (here := self.line) is not None:
            line = here
            self.card.show_part(
                self._part(line), self._tape(line), batch.workshop[PutRight].of(line).turn, self._words(line)
            )

    def _part(self, line: PullLine) -> Part:
        return self.batch.own.by_ref[line.refs[0]]

    def _tape(self, line: PullLine) -> Tape | None:
        try:
            return tape_of(line.package)
        except ValueError:
            return None

    def slot_of(self, line: PullLine) -> str:
        """The slot the programme has for a line, else the one it stands in."""
        standing = next((slot for slot, load in self.loaded.items() if load.line == line.key), "")
        return self.kept.slots.get(line.key, standing) if self.kept else standing

    def _standing(self, line: PullLine) -> tuple[str, Level | None]:
        slot = self.slot_of(line)
        setup = self.batch.state[SetUp]
        measured = setup.measured.get(line.key)
        if measured and measured[1] == WRONG:
            return "the piece on the meter was another value", Level.STOP
        if not slot:
            return "no slot yet: the programme gives it one", None
        load = self.loaded.get(slot)
        if load is None or load.line != line.key:
            return f"slot {slot}, not loaded", None
        boards = boards_fed(load.left, line.per_board, line.loss)
        wanted = sum(bool(line.refs) and line.refs[0] not in b.placed for b in self.under_way)
        text = f"slot {slot}, {load.left} left: enough for {boards} boards"
        if boards < wanted:
            return f"{text}, runs out at board {boards + 1} of {wanted}: have another ready", Level.CARE
        return text, Level.GO

    def _words(self, line: PullLine) -> str:
        tape, slot = self._tape(line), self.slot_of(line)
        stands = next((s for s in machine_of(self.batch).slots if s.name == slot), None)
        if stands is not None and stands.pockets > 1:
            return self._tray_words(stands, line.pull)
        if tape is None:
            return "comes in no tape"
        lost = pockets_lost(tape.pitch, THREAD_MM)
        wide, pitch = write(tape.width, MM, 4), write(tape.pitch, MM, 4)
        words = f"{wide} tape, a pocket every {pitch}; threading loses {lost} pockets. "
        words += "Thread it past the peeler, strip the cover only up to the first part, take up the slack."
        seen = self.batch.state[SetUp].seen.get(place_step(self.batch).id, {}).get(slot, [])
        return words + _seen_words(seen, tape.pitch)

    def _tray_words(self, slot: Slot, pieces: int) -> str:
        """How a strip or tray is put into its slot, and where its first pocket was seen to be."""
        way = "row by row " if slot.rows > 1 else ""
        words = f"A {slot.kind} of {slot.in_row} × {slot.rows} pockets, emptied {way}from {slot.x:.2f}, {slot.y:.2f}. "
        full = -(-pieces // slot.pockets)
        words += f"The batch takes {pieces} pieces, {full} of them full. " if full > 1 else ""
        return words + "Lay it against its stop and tape it down, every part the same way round."

    def now(self) -> Now | None:
        line = self.line
        if line is None:
            return Now("Nothing to place here")
        made = choice(self.batch, self.bench.board.panel)
        if line.key not in made.machine:
            return Now(f"{line.name}: by hand", made.hand.get(line.key, "").capitalize() + ". M says otherwise.")
        slot = self.slot_of(line)
        if slot and (slot not in self.loaded or self.loaded[slot].line != line.key):
            return Now(
                f"Load {line.name} into slot {slot}",
                "V first measures one piece; L and the number of pieces when it stands there.",
            )
        saved = made.saved_s / 60
        return Now(
            f"{line.name}: by machine",
            f"The machine saves {saved:.0f} min over the batch against hands. M says otherwise.",
        )

    def keys(self) -> list[Key]:
        return [
            Key("Up Down", "line", lambda key: self._go(-1 if key == "Up" else 1)),
            Key("M", "machine, hand, sums", lambda _: self._decide(), True),
            Key("V", "measure a piece", lambda _: self._measure(), True),
            Key("L", "load its slot", lambda _: self._load(), True),
            Key("K", "pocket seen", lambda _: self._pocket(), True),
        ]

    def _go(self, step: int) -> None:
        self.table.step(step)

    def _decide(self) -> None:
        """Round: as the sums say, the other way, back."""
        if (line := self.line) is None:
            return
        step = place_step(self.batch).id
        said = self.batch.state[SetUp].said.get(step, {})
        if line.key in said:
            self.desk.do(DecideLine(line.key, ""), "As the sums say.")
            return
        here = line.key in choice(self.batch, self.bench.board.panel).machine
        self.desk.do(DecideLine(line.key, "hand" if here else "machine"), "Noted. The programme is to be found anew.")

    def _load(self) -> None:
        if (line := self.line) is None:
            return
        slot = self.slot_of(line)
        free = [s.name for s in machine_of(self.batch).slots]

        def load(text: str) -> None:
            words = text.split()
            found = numbers(words[-1]) if words else []
            if len(found) != 1 or len(words) > 2 or (len(words) == 1 and not slot):
                self.desk.say(
                    f"“{text.strip()}” is no count: type pieces, or slot and pieces, such as {slot or free[0]} 200."
                )
                return
            self.desk.do(LoadSlot(words[0] if len(words) == 2 else slot, line.key, int(found[0])), "Loaded.")

        self.desk.ask(
            f"Pieces of {line.name} in slot {slot or '(slot and pieces)'}", load, str(line.pull) if slot else ""
        )

    def _measure(self) -> None:
        """From the meter on record, else typed."""
        if (line := self.line) is None:
            return
        port = port_of(self.batch.workshop[Records], "component")
        if port:
            value, family = line.value, line.package.family
            self.port.ask(lambda: read_piece(port, value, family), lambda found: self._measured(line, found))
            return

        def measured(text: str) -> None:
            value = read_value(text, line.package.family).value
            if value is None:
                self.desk.say(f"“{text.strip()}” is no reading: type it as the meter shows it, such as 9.97k or 98n.")
            else:
                self._measured(line, value)

        self.desk.ask(f"One piece of {line.name} on the meter reads", measured)

    def _measured(self, line: PullLine, value: float) -> None:
        if self.desk.do(MeasurePiece(line.key, value)):
            verdict = self.batch.state[SetUp].measured[line.key][1]
            self.desk.say(f"{show_value(value, '')}: {_VERDICT[verdict]}")

    def _pocket(self) -> None:
        line = self.line
        slot = self.slot_of(line) if line else ""
        if not slot:
            self.desk.say("This line has no slot yet.")
            return
        seen = self.batch.state[SetUp].seen.get(place_step(self.batch).id, {}).get(slot, [])

        def pocket(text: str) -> None:
            found = [numbers(word) for word in text.replace(";", " ").split()]
            if len(found) != 3 or any(len(f) != 1 for f in found):
                self.desk.say(
                    f"“{text.strip()}” is no pocket: type how many pockets on, x and y, such as 10 76.2 24.1."
                )
                return
            try:
                self.desk.do(SeePocket(slot, int(found[0][0]), found[1][0], found[2][0]), "Seen.")
            except Refused as problem:
                self.desk.say(str(problem))

        ahead = "0" if not seen else "10"
        self.desk.ask(f"Slot {slot}: pockets from the pick point, and x y of its pocket's middle", pocket, f"{ahead} ")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        made, panel = choice(self.batch, self.bench.board.panel), self.bench.board.panel
        parts = sum(map(len, parts_of_panel(self.batch, panel).values()))
        return "Who places what", [
            ("lines by machine", str(len(made.machine))),
            ("lines by hand", str(len(made.hand))),
            ("parts of a panel", str(parts)),
            ("saved", f"{made.saved_s / 60:.0f} min over the batch"),
        ]


def _seen_words(seen: list[Sighting], pitch: float) -> str:
    """What the pockets that were seen say of a tape's pick point."""
    if not seen:
        return ""
    try:
        point = pick_point(seen, pitch)
    except ValueError as problem:
        return f" {str(problem).capitalize()}."
    words = f" Pick point {point.x:.2f}, {point.y:.2f}"
    if point.pitch_error is None:
        return f"{words}; a second pocket tells direction and pitch."
    bad = " Not this tape, or a pocket was miscounted." if abs(point.pitch_error) > PITCH_LIMIT_MM else ""
    return f"{words}, runs {point.direction:.1f}°, pitch {point.pitch:.3f} ({point.pitch_error:+.3f}).{bad}"
