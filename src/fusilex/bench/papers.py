"""A board's papers: what went on it, from which lot, print, load, faults, repairs, readings; as data and as a page."""

from __future__ import annotations

import math
from functools import cache
from typing import TYPE_CHECKING, Any

from fusilex import __version__
from fusilex.core.units import show_resistance

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

FORMAT = "fusilex-board-1"


def board_record(bench: Bench, serial: str) -> dict[str, Any]:
    """Everything on record about one board, as plain JSON data (schema in docs/formats.md). KeyError without such a board."""
    state = bench.state
    board = state.boards[serial]
    printed = state.prints[board.print_number - 1] if board.print_number else None
    load = state.loads[board.load - 1] if board.load else None
    parts = []
    for part in sorted((p for p in bench.design.parts if p.populated), key=lambda p: (p.side != "top", p.ref)):
        line = bench.line_of.get(part.ref)
        filled = state.bins.get(line.key, {}) if line else {}
        how = board.placed_how.get(part.ref) or ("iron" if part.ref in board.soldered else None)
        parts.append(
            {
                "ref": part.ref,
                "value": part.value,
                "package": part.package.code,
                "part_number": part.part_number,
                "side": part.side,
                "bin": bench.bin_number[line.key] if line else None,
                "lot": filled.get("lot") or None,
                "how": how,
                "left_out": part.ref in state.without,
            }
        )
    return {
        "format": FORMAT,
        "made_with": f"Fusilex {__version__}",
        "serial": serial,
        "design": state.opened["design"],
        "batch": state.opened["batch"],
        "panel": board.panel,
        "cell": board.cell + 1,
        "station": board.station,
        "scrapped": board.scrapped,
        "opened_at": state.opened["at"],
        "released_at": board.released_at,
        "files_sha256": state.opened["files"],
        "parts": parts,
        "print": {k: printed[k] for k in ("number", "at", "foil_mm", "paste", "note")} if printed else None,
        "load": {k: load[k] for k in ("number", "at", "window", "log_name", "log", "metrics", "index")}
        if load
        else None,
        "wiped_prints": [{k: w[k] for k in ("at", "reason")} for w in state.wiped if w["panel"] == board.panel],
        "first_pass": board.first_pass,
        "inspections": board.inspections,
        "faults": [
            {
                "ref": f.ref,
                "word": f.word,
                "found_at": f.found_at,
                "when": f.when,
                "repaired_at": f.repaired,
                "result": f.result or None,
            }
            for f in board.faults
        ],
        "readings": [
            {
                "pair": p.key,
                "net_a": p.a.net,
                "net_b": p.b.net,
                "gap_mm": round(p.gap, 4),
                "ohm": None if math.isinf(board.readings[p.key][0]) else board.readings[p.key][0],
                "open": math.isinf(board.readings[p.key][0]),
                "typed": board.readings[p.key][1],
            }
            for p in bench.plan
            if p.key in board.readings
        ],
        "tests": board.tests,
        "cautions": [{"station": s, "acknowledged_at": at} for s, at in state.cautions.items()],
        "overruled": [{"judgement": key, **value} for key, value in state.overruled.items()],
    }


def page_html(bench: Bench, serial: str) -> str:
    """The board's papers as one HTML page for print and PDF."""
    return str(_template().render(r=board_record(bench, serial)))


@cache
def _template() -> Any:
    from jinja2 import Environment, PackageLoader

    environment = Environment(
        loader=PackageLoader("fusilex.bench", "templates"), autoescape=True, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters["ohm"] = lambda value: "OL" if value is None else show_resistance(value)
    environment.filters["time"] = lambda text: str(text or "")[:16].replace("T", " ")
    return environment.get_template("papers.html")


def page_text(record: dict[str, Any]) -> str:
    """The record in a few readable lines for a terminal."""
    load, printed = record["load"], record["print"]
    lines = [
        f"Board {record['serial']}: {record['design']}, batch {record['batch']}, panel {record['panel']} cell {record['cell']}, now at {record['station']}",
        f"print    {printed['number']} at {printed['at'][:16]}, foil {printed['foil_mm']} mm, {printed['paste']}"
        if printed
        else "print    none",
        f"load     {load['number']} at {load['at'][:16]}, {load['window']}, index {load['index']}"
        if load
        else "load     none",
        f"parts    {sum(bool(p['how']) for p in record['parts'])} of {len(record['parts'])} on the board",
    ]
    lines += [f"fault    {f['ref']} {f['word']}: {f['result'] or 'open'}" for f in record["faults"]]
    lines += [f"reading  {r['pair']} {'OL' if r['open'] else show_resistance(r['ohm'])}" for r in record["readings"]]
    return "\n".join(lines)
