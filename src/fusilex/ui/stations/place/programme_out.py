"""A programme on its way out: G-code and JSON, or whatever a template makes of it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QApplication

from fusilex.bench.programme.programming import Programme, as_values, hand_of
from fusilex.bench.stations.place.programmed import Task, kept_of, parts_of_panel
from fusilex.core.problems import BadInput
from fusilex.core.programme.optimise import Found
from fusilex.core.programme.plan import Plan, programme_time
from fusilex.core.shown import json_shown
from fusilex.formats.bundle import read_one
from fusilex.formats.written.gcode import to_gcode
from fusilex.formats.written.templated import MOST_TEMPLATE
from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.setup_sheet import setup_pdf
from fusilex.ui.stations.place.template_dialog import TemplateDialog

FORMAT = "fusilex-programme-1"


def values_of(desk: Desk, done: Task, plan: Plan, panel: int) -> dict[str, Any]:
    """The programme in plain values."""
    batch = desk.batch
    kept = kept_of(batch)
    found = Found(plan, programme_time(done.job, plan), 0.0, kept.bound_s if kept else 0.0)
    boards = {b.cell: b for b in batch.state.panel_boards(panel)}
    parts = parts_of_panel(batch, panel)
    hand = hand_of(done.choice, parts, lambda cell, part: batch.lines_of(boards[cell])[part.ref].key)
    programme = Programme(done.job, found, done.choice, done.pieces, hand)
    return {"format": FORMAT, "design": desk.bench.design.name, "panel": panel, **as_values(programme)}


def write_programme(desk: Desk, done: Task, plan: Plan, panel: int) -> None:
    """Ask for a name, and write G-code and JSON beside one another."""
    title = f"{desk.batch.name}, panel {panel}"

    def write(name: str) -> None:
        base = Path(name).with_suffix("")
        values = json_shown(json.dumps(values_of(desk, done, plan, panel), indent=1, ensure_ascii=False))
        files = {
            base.with_suffix(".ngc"): to_gcode(done.job, plan, title).encode(),
            base.with_suffix(".json"): values.encode() + b"\n",
        }
        desk.write_all(files, f"{len(done.job)} placements in {base.name}.ngc and {base.name}.json.")

    desk.save_file("Write the programme as G-code and JSON", f"panel-{panel}.ngc", write)


def write_sheet(desk: Desk, done: Task, plan: Plan, panel: int) -> None:
    """Ask for a name, and write the set-up sheet as PDF."""
    title = f"Set-up of {done.job.machine.name} for {desk.batch.name}"

    def write(name: str) -> None:
        data = lambda: setup_pdf(done.job, plan, list(done.pieces), title)  # noqa: E731
        desk.write(Path(name).with_suffix(".pdf"), data, f"The set-up sheet is {Path(name).stem}.pdf.")

    desk.save_file("Write the set-up sheet", f"set-up-{panel}.pdf", write)


def fill_template(desk: Desk, done: Task, plan: Plan, panel: int) -> TemplateDialog:
    """A template beside what it makes, to be typed or opened, and written."""

    def open_other() -> None:
        desk.choose_file("Template to fill", "Templates (*.j2 *.jinja *.txt);;All files (*)", take)

    def take(name: str) -> None:
        try:
            dialog.words.setPlainText(read_one(Path(name), MOST_TEMPLATE * 4).decode("utf-8", "replace"))
        except BadInput as problem:
            dialog.said.setText(str(problem))

    def save(text: str) -> None:
        said = f"{len(text.splitlines())} lines by the template."
        desk.save_file(
            "Write what the template makes", f"panel-{panel}.txt", lambda out: desk.write(out, text.encode(), said)
        )

    dialog = TemplateDialog(QApplication.activeWindow(), values_of(desk, done, plan, panel), open_other, save)
    dialog.open()
    return dialog
