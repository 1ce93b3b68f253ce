"""What faults have in common: all boards' faults over one another, the findings as sentences, and the causes of the
fault in hand with what of this batch speaks for each.
"""

from __future__ import annotations

from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from fusilex.bench.boards import Fault
from fusilex.bench.history.findings import Doubt, Finding, Findings, find
from fusilex.bench.history.opportunities import words_found
from fusilex.bench.now import Now
from fusilex.core.evidence import Level
from fusilex.core.inspection.causes import CAUSES
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.search import Aside
from fusilex.ui.stations.inspect.fault_glyphs import draw_counts
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows


class PatternsView(View):
    name = "Patterns"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.whole_board()
        canvas.overlays = [self._faults]
        self.found = Rows("What faults have in common", [Column("fault", 2), Column("found", 5)], "No fault is marked.")
        self.causes = Rows(
            "Where it comes from",
            [Column("at", 1), Column("cause", 3), Column("for and against", 3)],
            "Choose a fault word above.",
        )
        self.found.picked.connect(lambda row: self.refresh())
        self.aside = Aside(self, self.desk.say)
        self.findings, self._of = Findings(), -1
        right = QVBoxLayout()
        right.addWidget(self.found, 4)
        right.addWidget(self.causes, 5)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addLayout(right, 4)
        self.column.addLayout(row, 1)

    @property
    def rows(self) -> list[Finding | Doubt | str]:
        """Findings, the surest first, then what cannot be told yet, then words with too few faults to tell."""
        told: list[Finding | Doubt] = [*self.findings.found, *self.findings.doubts]
        left = [word for word in self._counts() if word in CAUSES and word not in {one.word for one in told}]
        return [*told, *left]

    @property
    def word(self) -> str:
        """The fault word in hand."""
        rows = self.rows
        one = rows[min(self.found.chosen, len(rows) - 1)] if rows else ""
        return one if isinstance(one, str) else one.word

    def _counts(self) -> dict[str, int]:
        return {word: len(marked) for word, marked in words_found(self.batch).items()}

    def refresh(self) -> None:
        last = self.bench.record.last
        if self._of != last and not self.aside.busy:
            self._of, batch = last, self.batch
            self.aside.look(lambda: find(batch), self._told)
        counts = self._counts()
        rows: list[tuple[str, ...]] = []
        marks: list[Level | None] = []
        for one in self.rows:
            if isinstance(one, str):
                many = counts[one]
                rows.append(
                    (one, f"{many} fault{'s' if many > 1 else ''}, nothing in common that chance does not explain")
                )
                marks.append(None)
            else:
                rows.append((one.word, one.judgement.headline))
                marks.append(one.judgement.level)
        self.found.show_rows(rows, marks)
        self._show_causes()
        assert self.canvas
        total = sum(counts.values())
        self.canvas.caption = f"All boards    {total} fault{'' if total == 1 else 's'}"
        self.canvas.update()

    def _told(self, found: object) -> None:
        assert isinstance(found, Findings)
        self.findings = found
        self.desk.changed.emit()

    def _show_causes(self) -> None:
        word = self.word
        if word not in CAUSES:
            self.causes.show_rows([])
            return
        self.causes.title = f"Where “{word}” comes from"
        rows, marks = [], []
        for one in self.findings.causes(word):
            told = "; ".join(one.speaks_for) or "; ".join(f"against: {text}" for text in one.speaks_against)
            rows.append((one.cause.station, one.cause.text, told))
            marks.append(Level.CARE if one.speaks_for else None)
        self.causes.chosen = 0
        self.causes.show_rows(rows, marks)

    def _faults(self, painter: QPainter, canvas: BoardCanvas) -> None:
        word = self.word
        own: list[Fault] = [fault for _, fault in words_found(self.batch).get(word, [])]
        draw_counts(painter, canvas, own)

    def now(self) -> Now | None:
        rows = self.rows
        if self.aside.busy and not rows:
            return Now("Looking for what faults have in common", "Over everything on record of each joint.")
        if not rows:
            return Now("No fault is marked", "Mark faults at Look; what they have in common is found here.")
        one = rows[min(self.found.chosen, len(rows) - 1)]
        if isinstance(one, str):
            first = self.findings.causes(one)[0].cause
            return Now(f"“{one}”: too few to tell", f"Begin with {first.station}: {first.text}. {first.check}")
        judged = one.judgement
        detail = f"{one.places}. {judged.do}" if isinstance(one, Finding) else judged.do
        return Now(one.headline if isinstance(one, Finding) else judged.headline, detail)

    def keys(self) -> list[Key]:
        return [
            Key("Up Down", "findings", lambda key: self._step(-1 if key == "Up" else 1)),
        ]

    def _step(self, by: int) -> None:
        self.found.step(by)
        self.desk.changed.emit()

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        rows = self.rows
        one = rows[min(self.found.chosen, len(rows) - 1)] if rows else ""
        if isinstance(one, Finding):
            pattern, (low, high) = one.pattern, one.pattern.within95
            also = ", ".join(f"{name} {value}" for name, value in pattern.also)
            told = [
                ("by chance", f"{pattern.q:.1g}, over all"),
                ("as often", f"{low:,.0f} to {high:,.0f} times"),
            ]
            return "This finding", told + ([("goes with", also)] if also else [])
        return "Faults", [(word, str(many)) for word, many in list(self._counts().items())[:5]]
