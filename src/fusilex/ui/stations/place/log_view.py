"""The run log: what each slot, nozzle and line was tried for and rejected, with what the rate likely is."""

from __future__ import annotations

from fusilex.bench.now import Now
from fusilex.bench.stations.place.running.proving import tallies
from fusilex.core.evidence import Level
from fusilex.core.inspection.yields import wilson
from fusilex.core.placing.rejects import causes_of, judge_rejects
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

KINDS = ("slot", "nozzle", "line")


class LogView(View):
    name = "Log"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        columns = [
            Column("what", 0.5),
            Column("tries", 0.1, True),
            Column("rejects", 0.1, True),
            Column("likely, of a hundred", 0.16, True),
            Column("mostly", 0.3),
        ]
        self.table = Rows("What the machine rejected", columns, "The machine has not run in this batch.")
        self.column.addWidget(self.table, 1)

    def refresh(self) -> None:
        rows: list[tuple[str, ...]] = []
        marks: list[Level | None] = []
        for kind in KINDS:
            own = tallies(self.batch, kind)
            bad = {j.subject for j in judge_rejects(kind, own)}
            for name, tally in sorted(own.items(), key=lambda item: -item[1].rejects / item[1].tries):
                likely = wilson(tally.rejects, tally.tries)
                mostly = max(tally.seen, key=lambda s: s[1])[0] if tally.seen else ""
                rate = f"{100 * likely.low:.1f} to {100 * likely.high:.1f}"
                rows.append((f"{kind} {name}", str(tally.tries), str(tally.rejects), rate, mostly))
                marks.append(Level.CARE if f"{kind} {name}" in bad else None)
        self.table.show_rows(rows, marks)

    def now(self) -> Now | None:
        if not self.table.rows:
            return Now("No run yet", "Rejects are counted by slot, nozzle and line while the machine runs.")
        what, tries, rejects, rate, mostly = self.table.rows[self.table.chosen]
        causes = "; ".join(causes_of(mostly)) if mostly else "nothing was rejected"
        return Now(f"{what}: {rejects} of {tries}", f"Likely {rate} of a hundred. Check: {causes}.")

    def keys(self) -> list[Key]:
        return [Key("Up Down", "row", lambda key: self._go(-1 if key == "Up" else 1))]

    def _go(self, step: int) -> None:
        self.table.step(step)
        self.desk.say("")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        own = tallies(self.batch, "slot")
        tries, rejects = sum(t.tries for t in own.values()), sum(t.rejects for t in own.values())
        return "The machine's runs", [("tries", str(tries)), ("rejects", str(rejects))]
