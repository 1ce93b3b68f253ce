"""The bed edited in its picture: slots chosen by keys or clicks, moved by keys or dragged, made and taken away."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtCore import QObject

from fusilex.bench.common.records import SetRecord
from fusilex.bench.now import Now
from fusilex.bench.stations.place.programmed import placer_of
from fusilex.bench.typed_text import numbers
from fusilex.bench.workshop.placer import Placer, SlotRow
from fusilex.core.quantities import MM, write
from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.bed import Bed
from fusilex.ui.widgets.keys import Key

STEP_MM, BIG_MM = 0.5, 5.0
WAYS = {"Left": (-1, 0), "Right": (1, 0), "Up": (0, 1), "Down": (0, -1)}
TURNS = (0.0, 90.0, 180.0, 270.0)


class BedEdit(QObject):
    """Every change is a record set, and can be taken back like anything."""

    def __init__(self, desk: Desk, bed: Bed, leave: Callable[[], None]) -> None:
        super().__init__()
        self.desk, self.bed, self.leave = desk, bed, leave
        self.at = 0
        bed.pressed.connect(self.pick)
        bed.dragged.connect(self._dropped)
        self._light()

    @property
    def placer(self) -> Placer:
        return placer_of(self.desk.batch)

    @property
    def slot(self) -> SlotRow:
        slots = self.placer.slots
        return slots[min(self.at, len(slots) - 1)]

    def close(self) -> None:
        self.bed.pressed.disconnect(self.pick)
        self.bed.dragged.disconnect(self._dropped)
        self.bed.lit = ""

    def _light(self) -> None:
        self.bed.lit = self.slot.name
        self.bed.fresh()

    def pick(self, name: str) -> None:
        self.at = next((k for k, s in enumerate(self.placer.slots) if s.name == name), self.at)
        self._light()
        self.desk.say("")

    def now(self) -> Now:
        s = self.slot
        if s.in_row * s.rows > 1:
            what = f"{s.in_row} × {s.rows} pockets, {write(s.step_x, MM, 4)} and {write(s.step_y, MM, 4)} apart"
            return Now(f"Slot {s.name} at {s.x:g}, {s.y:g}", f"{s.kind}: {what}. This is the first.")
        lies = f"tapes turned {s.turn:g}°" if s.turn else "tapes from the right, holes away"
        return Now(
            f"Slot {s.name} at {s.x:g}, {s.y:g}",
            f"{s.kind}, up to {write(s.width, MM, 4)} wide, {lies}. Measure the middle of the pocket under the camera.",
        )

    def keys(self) -> list[Key]:
        return [
            Key("Left Right", "slot", lambda key: self._go(-1 if key == "Left" else 1)),
            Key("Shift+Left Shift+Right Shift+Up Shift+Down", f"move {write(STEP_MM, MM, 4)}", self._move),
            Key("A", "another slot", lambda _: self._add()),
            Key("D", "take it away", lambda _: self._take_away()),
            Key("W", "width", lambda _: self._width()),
            Key("T", "turn its tapes", lambda _: self._turn()),
            Key("K", "tape, strip, tray", lambda _: self._kind()),
            *([Key("G", "its pockets", lambda _: self._pockets())] if self.slot.kind != "tape" else []),
            Key("P", "type its place", lambda _: self._place()),
            Key("B", "done", lambda _: self.leave()),
        ]

    def _go(self, step: int) -> None:
        self.at = (min(self.at, len(self.placer.slots) - 1) + step) % len(self.placer.slots)
        self._light()
        self.desk.say("")

    def _keep(self, slots: list[SlotRow], said: str) -> None:
        body: dict[str, Any] = msgspec.to_builtins(self.placer)
        if self.desk.do(SetRecord("placer", {**body, "slots": msgspec.to_builtins(slots)}), said):
            self._light()

    def _changed(self, said: str, **fields: Any) -> None:
        slots = list(self.placer.slots)
        slots[self.at] = msgspec.structs.replace(self.slot, **fields)
        self._keep(slots, said)

    def _move(self, key: str) -> None:
        dx, dy = WAYS[key.removeprefix("Shift+")]
        self._to(self.slot.x + dx * STEP_MM, self.slot.y + dy * STEP_MM)

    def _to(self, x: float, y: float) -> None:
        x = round(min(max(x, 0.0), self.placer.width), 2)
        y = round(min(max(y, 0.0), self.placer.depth), 2)
        self._changed(f"Slot {self.slot.name} at {x:g}, {y:g}.", x=x, y=y)

    def _dropped(self, name: str, x: float, y: float) -> None:
        self.pick(name)
        self._to(x, y)

    def _add(self) -> None:
        """Beside the one in hand, a tape's width away."""
        slots, here = list(self.placer.slots), self.slot
        names = {s.name for s in slots}
        name = next(f"S{n}" for n in range(1, 1000) if f"S{n}" not in names)
        x = min(here.x + here.width + BIG_MM, self.placer.width)
        slots.insert(self.at + 1, msgspec.structs.replace(here, name=name, x=x))
        self.at += 1
        self._keep(slots, f"Slot {name}.")

    def _take_away(self) -> None:
        slots = list(self.placer.slots)
        if len(slots) == 1:
            self.desk.say("A machine has at least one slot.")
            return
        gone = slots.pop(min(self.at, len(slots) - 1))
        self.at = max(0, self.at - 1)
        self._keep(slots, f"Slot {gone.name} is gone.")

    def _width(self) -> None:
        def wide(text: str) -> None:
            found = numbers(text)
            if len(found) == 1:
                self._changed("Noted.", width=found[0])
            else:
                self.desk.say(f"“{text.strip()}” is no width: type mm, such as 12.")

        self.desk.ask(f"Widest tape of slot {self.slot.name} in mm", wide, f"{self.slot.width:g}")

    def _turn(self) -> None:
        turn = TURNS[(TURNS.index(self.slot.turn % 360) + 1) % 4] if self.slot.turn % 360 in TURNS else 0.0
        self._changed(f"Tapes of slot {self.slot.name} lie turned {turn:g}°.", turn=turn)

    def _kind(self) -> None:
        kinds = ("tape", "strip", "tray")
        kind = kinds[(kinds.index(self.slot.kind) + 1) % 3]
        one = {"in_row": 1, "rows": 1} if kind == "tape" else {}
        self._changed(f"Slot {self.slot.name} is for {kind}.", kind=kind, **one)

    def _pockets(self) -> None:
        def laid(text: str) -> None:
            found = [numbers(word) for word in text.split()]
            flat = [f[0] for f in found if len(f) == 1]
            if len(flat) != 4 or len(found) != 4 or any(n != int(n) for n in flat[:2]):
                self.desk.say(
                    f"“{text.strip()}” are no pockets: type how many in a row, how many rows, and the steps in x and y"
                    " in mm, such as 5 4 12 10."
                )
                return
            self._changed("Noted.", in_row=int(flat[0]), rows=int(flat[1]), step_x=flat[2], step_y=flat[3])

        s = self.slot
        given = f"{s.in_row} {s.rows} {s.step_x:g} {s.step_y:g}"
        self.desk.ask(f"Slot {s.name}: pockets in a row, rows, mm between them in x and y", laid, given)

    def _place(self) -> None:
        def placed(text: str) -> None:
            found = [numbers(word) for word in text.split()]
            if len(found) == 2 and all(len(f) == 1 for f in found):
                self._to(found[0][0], found[1][0])
            else:
                self.desk.say(f"“{text.strip()}” is no place: type x and y in mm, such as 52 24.")

        self.desk.ask(f"x y of slot {self.slot.name} in mm", placed, f"{self.slot.x:g} {self.slot.y:g}")
