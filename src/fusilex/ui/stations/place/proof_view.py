"""Proof of a programme: every part visited in placing order at magnification, a verdict each, then a signature."""

from __future__ import annotations

from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.now import Now
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.running.commands import JudgePart, PutLineRight, SignProof
from fusilex.bench.stations.place.running.events import DRY, FIRST, RIGHT, WRONG, Proof, Runs
from fusilex.bench.stations.place.running.proving import judge_proof, next_look, parts_to_look_at
from fusilex.bench.typed_text import numbers
from fusilex.bench.workshop.put_right import PutRight
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level
from fusilex.ui.canvas.loupe import MARK, Loupe
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key


class ProofView(View):
    name = "Proof"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed", "silk")
        canvas.parts_on = lambda cell: self._looked_at()
        canvas.overlays = [self._light]
        self.loupe = Loupe(canvas)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addWidget(self.loupe, 2)
        self.column.addLayout(row, 1)
        self.proof = DRY

    @property
    def wanted(self) -> str:
        """The proof that is asked for now: the dry run, and after the first panel's run the first article."""
        step = place_step(self.batch).id
        return FIRST if self.batch.state[Runs].panels.get(step) else DRY

    def _verdicts(self) -> dict[tuple[str, int], str]:
        return self.batch.state[Proof].looked.get((place_step(self.batch).id, self.proof), {})

    def _looked_at(self) -> list[Part]:
        parts = self.batch.own.by_ref
        return [parts[ref] for (ref, _), verdict in self._verdicts().items() if verdict == RIGHT and ref in parts]

    def _light(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if label := next_look(self.batch, self.proof):
            canvas.point_out(painter, self.batch.own.by_ref[label[0]])

    def refresh(self) -> None:
        assert self.canvas
        self.proof = self.wanted
        label, wanted = next_look(self.batch, self.proof), parts_to_look_at(self.batch)
        seen = len(wanted) - sum(w not in self._verdicts() for w in wanted)
        self.canvas.caption = f"{self.proof.capitalize()}: {seen} of {len(wanted)} looked at"
        part = self.batch.own.by_ref[label[0]] if label else None
        words = f"turn {part.rotation_deg:g}°, {MARK[part.polarity]}" if part else ""
        self.loupe.look_at(part, f"{part.ref}  {part.value}" if part else "", words, ghost=False)
        self.canvas.update()

    def now(self) -> Now | None:
        wanted = parts_to_look_at(self.batch)
        if not wanted:
            return Now("No programme to prove", "Find one under Machine, with O.")
        label, verdicts = next_look(self.batch, self.proof), self._verdicts()
        done = sum(w in verdicts for w in wanted) / len(wanted)
        if label is None:
            judged = judge_proof(self.batch, self.bench.board.panel)
            if judged and judged[0].level is Level.GO:
                return Now(judged[0].headline, "The machine may go on.", 1.0)
            wrong = [ref for (ref, _), verdict in verdicts.items() if verdict == WRONG]
            if wrong:
                return Now(
                    f"{wrong[0]} was wrong", "A puts its line right, for good; its parts are looked at again.", done
                )
            return Now(
                f"Sign the {self.proof}", "G signs: every part is there, the right one, the right way round.", 1.0
            )
        ref, cell = label
        part = self.batch.own.by_ref[ref]
        return Now(
            f"Is {ref} in cell {cell} as drawn?",
            f"{part.value}: right part, right way round, on its pads. Space right, X wrong, A put it right.",
            done,
        )

    def keys(self) -> list[Key]:
        return [
            Key("Space", "right", lambda _: self._judge(RIGHT), True),
            Key("X", "wrong", lambda _: self._judge(WRONG), True),
            Key("A", "put its line right", lambda _: self._put_right(), True),
            Key("G", "sign", lambda _: self.desk.do(SignProof(self.proof), f"The {self.proof} is signed."), True),
        ]

    def _judge(self, verdict: str) -> None:
        if label := next_look(self.batch, self.proof):
            self.desk.do(JudgePart(self.proof, *label, verdict), f"{label[0]} is {verdict}.")
        else:
            self.desk.say("Every part was looked at.")

    def _put_right(self) -> None:
        """Of the part in hand, or the first that was wrong."""
        wrong = [label for label, verdict in self._verdicts().items() if verdict == WRONG]
        label = wrong[0] if wrong else next_look(self.batch, self.proof)
        if label is None:
            self.desk.say("Nothing is wrong.")
            return
        ref = label[0]

        def right(text: str) -> None:
            found = [numbers(word) for word in text.replace("°", "").split()]
            flat = [f[0] for f in found if len(f) == 1]
            if len(flat) != len(found) or len(flat) not in (1, 2, 3):
                self.desk.say(f"“{text.strip()}” puts nothing right: type degrees, or dx dy in mm, or degrees dx dy.")
                return
            turn, dx, dy = (flat[0], 0.0, 0.0) if len(flat) == 1 else (0.0, *flat) if len(flat) == 2 else flat
            if self.desk.do(PutLineRight(ref, turn, dx, dy, f"{self.proof}, {ref}")):
                self.desk.say(f"The line of {ref} is put right for good. Look at its parts again.")

        self.desk.ask(f"Turn {ref} by degrees left, or shift it by dx dy in mm (as it lies unturned)", right, "180")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        put = self.batch.workshop[PutRight]
        label = next_look(self.batch, self.proof)
        rows = [("looking at", self.proof), ("lines put right", str(len(put.articles)))]
        line = self.batch.line_of.get(label[0]) if label else None
        if line is not None and (right := put.of(line)).source:
            rows.append((f"{line.name}", f"turned {right.turn:g}°, by {right.source}"))
        return "Proof", rows
