"""The keys that work at every station: boards, parts, judgements, the picture, undo, looks."""

from __future__ import annotations

from fusilex.bench.common.commands import Overrule, Redo, SendBack, TakeBack, Undo
from fusilex.bench.history.tracing import returned
from fusilex.bench.record.undoing import done_here
from fusilex.bench.refusal import Refused
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts, Judgement
from fusilex.core.quantities import Units, choose, chosen
from fusilex.core.route.steps import DONE
from fusilex.ui.desk import Desk
from fusilex.ui.frame.host import Host
from fusilex.ui.frame.trace import TraceDialog
from fusilex.ui.frame.why import Why
from fusilex.ui.tabbed import TabbedStation
from fusilex.ui.theme import DIM, LIGHT, theme, use
from fusilex.ui.widgets.keys import Key


class FrameKeys:
    """What these keys do, and the menu's entries that do the same."""

    def __init__(self, host: Host) -> None:
        self.host = host

    @property
    def desk(self) -> Desk:
        return self.host.desk

    def keys(self) -> list[Key]:
        canvas, bench = self.host.station.canvas, self.desk.bench
        steps = bench.route.steps.ids
        own = " ".join(f"Ctrl+{(n + 1) % 10}" for n in range(min(10, len(steps))))
        here = done_here(bench.state.deeds, bench.view.step, bench.route.steps) is not None
        back = [Key("Backspace", "take back", lambda _: self.turn(Undo()))] if here else []
        return [
            *back,
            Key("[ ]", "board", lambda key: self._step_board(1 if key == "]" else -1)),
            Key("N", "next board here", lambda _: self._next_here()),
            Key("/", "find part" if canvas else "", lambda _: self._find() if canvas else None),
            Key("F", "flip" if canvas else "", lambda _: canvas.flip() if canvas else None),
            Key(own, "step", lambda key: self.host.go(steps[(int(key[-1]) - 1) % 10])),
            Key("Alt+Left Alt+Right", "", lambda key: self.step_route(1 if key == "Alt+Right" else -1)),
            Key("F1", "why", lambda _: self._why()),
            Key("F4", "workshop", lambda _: self.host.workshop()),
            Key("F10", "menu", lambda _: self.host.menu()),
            Key("+ - = Home", "", self.zoom),
            Key("Ctrl+Left Ctrl+Right Ctrl+Up Ctrl+Down", "", self.pan),
            Key("PgUp PgDown", "", lambda key: self.step_judgement(1 if key == "PgDown" else -1)),
            Key("F2", "", lambda _: self.overrule()),
            Key("F3", "", lambda _: self.send_back()),
            Key("Ctrl+F", "", lambda _: self.desk.ask("Find a serial or lot", self.host.batches.find)),
            Key("Ctrl+T", "", lambda _: self.trace()),
            Key("Ctrl+Z", "", lambda _: self.turn(Undo())),
            Key("Ctrl+Shift+Z", "", lambda _: self.turn(Redo())),
            Key("Ctrl+D", "", lambda _: self.turn_theme()),
            Key("Ctrl+U", "", lambda _: self.turn_units()),
            Key("Ctrl+O", "", lambda _: self.host.files.choose_folder()),
            Key("Ctrl+Shift+O", "", lambda _: self.host.files.choose_files()),
            Key("Ctrl+B", "", lambda _: self.host.batches.choose()),
            Key("Ctrl+Q", "", lambda _: self.host.close()),
        ]

    def step_route(self, by: int) -> None:
        """The step before or after the one in view: those beyond the tenth have no key of their own."""
        steps = self.desk.bench.route.steps
        at = steps.index(self.desk.bench.view.step) + by
        if 0 <= at < len(steps):
            self.host.go(steps.ids[at])

    def _step_board(self, step: int) -> None:
        serials = list(self.desk.bench.state.boards)
        at = serials.index(self.desk.bench.view.board)
        self.desk.go(board=serials[(at + step) % len(serials)])

    def _next_here(self) -> None:
        bench = self.desk.bench
        here = [b.serial for b in bench.state.at(bench.view.step)]
        if not here:
            self.desk.say(f"No board is at {bench.route.steps.label(bench.view.step)}.")
            return
        at = here.index(bench.view.board) if bench.view.board in here else -1
        self.desk.go(board=here[(at + 1) % len(here)])

    def view_before(self) -> None:
        """The picture before the one in view, where a station has several."""
        if isinstance(self.host.station, TabbedStation):
            self.host.station.show_view(self.host.station.tabs.current - 1)

    def step_judgement(self, step: int) -> None:
        self.host.judged.choose(self.host.judged.chosen + step)
        self.desk.judgement = self.host.judged.current
        self.host.station.refresh()

    def trace(self, text: str = "") -> None:
        """The thread of anything, with what is in hand to begin with; a board that is chosen there comes into hand."""
        dialog = TraceDialog(self.host.widget(), self.desk.bench, self.host.home, text or self.desk.bench.view.board)
        if dialog.exec() and dialog.chosen:
            self.host.batches.find(dialog.chosen)
        self.host.widget().setFocus()

    def _find(self) -> None:
        self.desk.ask("Find part", self._found)

    def _found(self, text: str) -> None:
        wanted = text.strip().upper()
        part = next((p for p in self.desk.bench.design.parts if p.ref.upper() == wanted), None)
        canvas = self.host.station.canvas
        if part is None or canvas is None:
            self.desk.say(f"There is no part {text.strip()}.")
            return
        canvas.look_at(part)
        self.desk.say(f"{part.ref}: {part.value}, {part.package.code}, {part.side}.")

    def zoom(self, key: str) -> None:
        if canvas := self.host.station.canvas:
            canvas.fit() if key == "Home" else canvas.zoom(1 / 1.25 if key == "-" else 1.25)

    def pan(self, key: str) -> None:
        if canvas := self.host.station.canvas:
            dx, dy = {"Left": (80, 0), "Right": (-80, 0), "Up": (0, 80), "Down": (0, -80)}[key.removeprefix("Ctrl+")]
            canvas.pan(dx, dy)

    def turn(self, command: Undo | Redo) -> None:
        """Take back the last thing done here, or do it again, and say what it was."""
        try:
            deed = self.desk.bench.turned_by(command)
        except Refused as problem:
            self.desk.say(str(problem))
            return
        word = "Taken back" if isinstance(command, Undo) else "Done again"
        self.desk.do(command, f"{word}: {deed.words or 'the last thing done here'}.")

    def _why(self) -> None:
        if judgement := self.host.judged.current:
            overruled = self.desk.bench.state.overruling(judgement)
            Why(self.host.widget(), judgement, self.desk.batch, overruled.reason if overruled else "").exec()
            self.host.widget().setFocus()

    def why_of(self, index: int) -> None:
        self.step_judgement(index - self.host.judged.chosen)
        self._why()

    def overrule(self) -> None:
        judgement = self.host.judged.current
        if judgement and judgement.level is Level.GO:
            self.desk.say("That is a go: there is nothing to overrule.")
        elif judgement:
            self.desk.ask(
                f"Overrule “{judgement.headline}” because",
                lambda reason: self._overruled(judgement, reason),
            )

    def _overruled(self, read: Judgement, reason: str) -> None:
        self.desk.do(Overrule(read.key, reason, Facts.of(read)), "Overruled, with your reason on record.")

    def send_back(self) -> None:
        """The board in hand goes back to an earlier step; one that was released has come back from its user."""
        board = self.desk.bench.board
        if board.step == DONE:
            back = f"{board.serial} has come back: what did its user find"
            self.desk.ask(back, lambda why: self._sent(TakeBack(board.serial, why)))
            return
        last = (
            self.desk.bench.route.steps.before(board.place, "")
            if board.step in self.desk.bench.route.steps.ids
            else None
        )
        given = self.desk.bench.route.steps.label(last.id) if last else ""
        self.desk.ask(f"{board.serial} goes back to which step", self._to, given)

    def _to(self, text: str) -> None:
        serial, step = self.desk.bench.board.serial, self.desk.bench.route.steps.named(text)
        if step is None:
            self.desk.say(f"There is no step {text}.")
            return
        self.desk.ask("Why", lambda why: self._sent(SendBack(serial, step.id, why)))

    def _sent(self, command: SendBack | TakeBack) -> None:
        if self.desk.do(command):
            serial = command.board
            self.desk.go(self.desk.bench.state.boards[serial].step, serial)
            others = ""
            if isinstance(command, TakeBack):
                bench = self.desk.bench
                same = [t for t in returned(bench.journal, bench.state.opened["design"]) if t.boards != (serial,)]
                told = "; ".join(f"{t.boards[0]} {t.words}" for t in same[-3:])
                others = f" Of its kind {len(same)} came back before: {told}." if same else " The first of its kind."
            self.desk.say(f"{self.desk.went(serial)}{others}")

    def turn_theme(self) -> None:
        """Light to dim and back."""
        use(DIM if theme.tokens is LIGHT else LIGHT)
        self.host.settings.setValue("theme", theme.tokens.name)
        self.host.refresh()

    def turn_units(self) -> None:
        """mm and °C, inch and °C, mm and °F, inch and °F, round and round."""
        state = (2 * chosen().fahrenheit + chosen().inch + 1) % 4
        choose(Units(bool(state % 2), bool(state // 2)))
        self.host.settings.setValue("inch", chosen().inch)
        self.host.settings.setValue("fahrenheit", chosen().fahrenheit)
        self.host.refresh()
