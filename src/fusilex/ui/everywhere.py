"""The keys that work at every station: boards, parts, judgements, the picture, undo, looks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fusilex.bench.commands import Overrule, Redo, Undo
from fusilex.journal.projection import STATIONS
from fusilex.ui.desk import Desk
from fusilex.ui.head import Units
from fusilex.ui.keys import Key
from fusilex.ui.theme import DIM, LIGHT, theme, use
from fusilex.ui.view import ViewedStation
from fusilex.ui.why import Why

if TYPE_CHECKING:
    from fusilex.ui.window import Window

STATION_KEYS = " ".join(f"Ctrl+{(i + 1) % 10}" for i in range(len(STATIONS)))


class Everywhere:
    """What these keys do, and the menu's entries that do the same."""

    def __init__(self, window: Window) -> None:
        self.window = window

    @property
    def desk(self) -> Desk:
        return self.window.desk

    def keys(self) -> list[Key]:
        canvas = self.window.station.canvas
        return [
            Key("[ ]", "board", lambda key: self._step_board(1 if key == "]" else -1)),
            Key("N", "next board here", lambda _: self._next_here()),
            Key("/", "find part", lambda _: self._find()) if canvas else Key("/", "", lambda _: None),
            Key("F", "flip", lambda _: canvas.flip()) if canvas else Key("F", "", lambda _: None),
            Key(STATION_KEYS, "station", lambda key: self.window.go(STATIONS[(int(key[-1]) - 1) % 10])),
            Key("F1", "why", lambda _: self._why()),
            Key("F10", "menu", lambda _: self.window.opening.menu()),
            Key("+ - = Home", "", self.zoom),
            Key("Ctrl+Left Ctrl+Right Ctrl+Up Ctrl+Down", "", self.pan),
            Key("PgUp PgDown", "", lambda key: self.step_judgement(1 if key == "PgDown" else -1)),
            Key("F2", "", lambda _: self.overrule()),
            Key("Ctrl+Z", "", lambda _: self.undo(Undo())),
            Key("Ctrl+Shift+Z", "", lambda _: self.undo(Redo())),
            Key("Ctrl+D", "", lambda _: self.turn_theme()),
            Key("Ctrl+U", "", lambda _: self.turn_units()),
            Key("Ctrl+O", "", lambda _: self.window.opening.choose_folder()),
            Key("Ctrl+Shift+O", "", lambda _: self.window.opening.choose_files()),
            Key("Ctrl+B", "", lambda _: self.window.opening.choose_batch()),
            Key("Ctrl+Q", "", lambda _: self.window.close()),
        ]

    def _step_board(self, step: int) -> None:
        serials = list(self.desk.bench.state.boards)
        at = serials.index(self.desk.bench.state.board)
        self.desk.said = ""
        self.desk.go(board=serials[(at + step) % len(serials)])

    def _next_here(self) -> None:
        state = self.desk.bench.state
        here = [b.serial for b in state.at(state.station)]
        if not here:
            self.desk.say(f"No board is at {state.station}.")
            return
        at = here.index(state.board) if state.board in here else -1
        self.desk.said = ""
        self.desk.go(board=here[(at + 1) % len(here)])

    def view_before(self) -> None:
        """The picture before the one in view, where a station has several."""
        if isinstance(self.window.station, ViewedStation):
            self.window.station.show_view(self.window.station.tabs.current - 1)

    def step_judgement(self, step: int) -> None:
        self.window.judged.choose(self.window.judged.chosen + step)
        self.desk.judgement = self.window.judged.current
        self.window.station.refresh()

    def _find(self) -> None:
        self.desk.ask("Find part", self._found)

    def _found(self, text: str) -> None:
        wanted = text.strip().upper()
        part = next((p for p in self.desk.bench.design.parts if p.ref.upper() == wanted), None)
        canvas = self.window.station.canvas
        if part is None or canvas is None:
            self.desk.say(f"There is no part {text.strip()}.")
            return
        canvas.look_at(part)
        self.desk.say(f"{part.ref}: {part.value}, {part.package.code}, {part.side}.")

    def zoom(self, key: str) -> None:
        if canvas := self.window.station.canvas:
            canvas.fit() if key == "Home" else canvas.zoom(1 / 1.25 if key == "-" else 1.25)

    def pan(self, key: str) -> None:
        if canvas := self.window.station.canvas:
            dx, dy = {"Left": (80, 0), "Right": (-80, 0), "Up": (0, 80), "Down": (0, -80)}[key.removeprefix("Ctrl+")]
            canvas.pan(dx, dy)

    def undo(self, command: Undo | Redo) -> None:
        """Undo or do again, and say what it was."""
        events = self.desk.do(command)
        if events:
            what = next(e.kind for e in self.desk.bench.history if e.deed == events[0].body["deed"])
            self.desk.say(f"{'Undone' if isinstance(command, Undo) else 'Done again'}: {what.replace('_', ' ')}.")

    def _why(self) -> None:
        if judgement := self.window.judged.current:
            overruled = self.desk.bench.state.overruled.get(judgement.key, {}).get("reason", "")
            Why(self.window, judgement, overruled).exec()
            self.window.setFocus()

    def why_of(self, index: int) -> None:
        self.step_judgement(index - self.window.judged.chosen)
        self._why()

    def overrule(self) -> None:
        if judgement := self.window.judged.current:
            self.desk.ask(
                f"Overrule “{judgement.headline}” because",
                lambda reason: self._overruled(judgement.key, judgement.headline, reason),
            )

    def _overruled(self, key: str, headline: str, reason: str) -> None:
        self.desk.do(Overrule(key, reason, headline), "Overruled, with your reason on record.")

    def turn_theme(self) -> None:
        """Light to dim and back."""
        use(DIM if theme.tokens is LIGHT else LIGHT)
        self.window.settings.setValue("theme", theme.tokens.name)
        self.window.refresh()

    def turn_units(self) -> None:
        """mm and °C, inch and °C, mm and °F, inch and °F, round and round."""
        state = (2 * Units.fahrenheit + Units.inch + 1) % 4
        Units.inch, Units.fahrenheit = bool(state % 2), bool(state // 2)
        self.window.settings.setValue("inch", Units.inch)
        self.window.settings.setValue("fahrenheit", Units.fahrenheit)
        self.window.refresh()
