"""What could be better next time: a short list for the designer."""

from __future__ import annotations

from pathlib import Path

from fusilex.bench.now import Now
from fusilex.bench.stations.ready.now import at_next_time
from fusilex.formats.written.csv_lists import suggestions_csv
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows


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
        self.table.show_rows([(s.text, s.why) for s in self.batch.derived.suggestions])

    def now(self) -> Now:
        return at_next_time(self.batch, self.table.chosen)

    def keys(self) -> list[Key]:
        return [
            Key(
                "E",
                "write the list",
                lambda _: self.desk.save_file("List for the designer", "next-time.csv", self._save),
            ),
            Key("Up Down", "read on", lambda key: self.table.step(1 if key == "Down" else -1)),
        ]

    def _save(self, name: str) -> None:
        text = suggestions_csv(self.batch.derived.suggestions)
        self.desk.write(name, text.encode(), f"Written to {Path(name).name}.")
