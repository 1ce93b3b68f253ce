"""What could be better next time: a short list for the designer."""

from __future__ import annotations

from pathlib import Path

from fusilex.bench.now import Now
from fusilex.formats.written.csv_lists import suggestions_csv
from fusilex.ui.desk import Desk
from fusilex.ui.keys import Key
from fusilex.ui.rows import Column, Rows
from fusilex.ui.view import View


class NextTimeView(View):
    name = "Next time"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.table = Rows(
            "For the designer", [Column("better", 4), Column("because now", 4)], "Nothing to ask of the designer."
        )
        self.table.picked.connect(lambda _: desk.changed.emit())
        self.column.addWidget(self.table, 1)

    def refresh(self) -> None:
        self.table.show_rows([(s.text, s.why) for s in self.bench.views.suggestions])

    def now(self) -> Now:
        found = self.bench.views.suggestions
        if not found:
            return Now("Nothing to ask for", "")
        in_hand = found[min(self.table.chosen, len(found) - 1)]
        words = f"{len(found)} things" if len(found) > 1 else "One thing"
        return Now(f"{words} for next time", f"{in_hand.text}: {in_hand.why}. E writes the list.")

    def keys(self) -> list[Key]:
        return [
            Key(
                "E",
                "write the list",
                lambda _: self.desk.save_file("List for the designer", "next-time.csv", self._save),
            ),
            Key("Up Down", "read on", lambda key: self.table.move(1 if key == "Down" else -1)),
        ]

    def _save(self, name: str) -> None:
        text = suggestions_csv(self.bench.views.suggestions)
        self.desk.write(name, text.encode(), f"Written to {Path(name).name}.")
