"""A whole batch's papers: every board in a line, what they were made of, loads with their curves, what was set aside,
what it cost.
"""

from __future__ import annotations

from typing import Any

from fusilex import __version__
from fusilex.bench.history.beads import beads
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.costing import cost_of, even_words
from fusilex.bench.report.papers import board_record, curves, template
from fusilex.core.route.steps import DONE

BATCH_FORMAT = "fusilex-batch-papers-1"


def batch_record(bench: Bench) -> dict[str, Any]:
    """Everything on record about a batch, as plain JSON data (schema in docs/formats.md)."""
    batch = bench.batch
    state = batch.state
    records = {serial: board_record(batch, serial) for serial in state.boards}
    loads = {load["number"]: load for r in records.values() for load in r["loads"]}
    prints = {made["number"]: made for r in records.values() for made in r["prints"]}
    lots: dict[str, list[str]] = {}
    for board in state.boards.values():
        for kind, name in beads(batch.about(board.serial), board):
            if kind == "lot":
                lots.setdefault(name, []).append(board.serial)
    made = cost_of(bench)
    return {
        "format": BATCH_FORMAT,
        "made_with": f"Fusilex {__version__}",
        "design": state.opened["design"],
        "batch": state.opened["batch"],
        "batch_name": batch.name,
        "opened_at": state.opened["at"],
        "files_sha256": state.opened["files"],
        "boards": [_line(r) for r in records.values()],
        "released": sum(b.step == DONE and b.released_at is not None for b in state.boards.values()),
        "scrapped": sum(b.scrapped for b in state.boards.values()),
        "lots": [{"lot": lot, "boards": boards} for lot, boards in sorted(lots.items())],
        "prints": [prints[n] for n in sorted(prints)],
        "loads": [{k: v for k, v in loads[n].items() if k != "joints"} for n in sorted(loads)],
        "people": sorted({who for r in records.values() for who in r["people"]}),
        "pictures": sum(b.pictures for b in state.boards.values()),
        "overruled": [
            {"headline": o.headline or key, "reason": o.reason, "at": o.at, "who": o.who}
            for key, o in state.overruled.items()
        ],
        "cost": None
        if made is None
        else {
            "currency": made.currency,
            "parts": round(made.cost.parts, 2),
            "lost": round(made.cost.lost, 2),
            "consumables": round(made.cost.consumables, 2),
            "minutes": round(made.cost.minutes, 1),
            "work": round(made.cost.work, 2),
            "tooling": round(made.cost.tooling, 2),
            "faults": round(made.cost.faults, 2),
            "per_good": round(made.cost.per_good, 2) if made.cost.good else None,
            "without_price": list(made.unpriced),
            "break_even": even_words(made.even),
        },
    }


def _line(r: dict[str, Any]) -> dict[str, Any]:
    """A board in a line."""
    proved = r["proved"]
    return {
        "serial": r["serial"],
        "step": r["step"],
        "released_at": r["released_at"],
        "scrapped": r["scrapped"],
        "first_pass": r["first_pass"],
        "faults": [f"{f['ref']} {f['word']}" for f in r["faults"]],
        "read": proved["apart"]["read"],
        "of": proved["apart"]["of"],
        "sampled": "sample" in proved,
        "functions": proved["functions"],
        "programme": r["programmed"][-1]["version"] if r.get("programmed") else None,
        "returned": [b["reason"] for b in r["sent_back"] if b["start"] == DONE or b["start"] == "Done"],
    }


def batch_html(bench: Bench) -> str:
    """The batch's papers as one page that needs nothing beside itself."""
    record = batch_record(bench)
    return str(template("batch.html").render(r=record, curves=curves(bench.batch, record["loads"])))
