"""A board's papers: what every station wrote about it, as data and as a page."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from datetime import datetime
from functools import cache, lru_cache
from typing import Any

from msgspec.structs import asdict

from fusilex import __version__
from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.mended import Mended
from fusilex.bench.common.standing import title
from fusilex.bench.report.curve import as_image, curve_svg
from fusilex.core.problems import BadInput
from fusilex.core.shown import shown
from fusilex.core.units import show_resistance
from fusilex.formats.lists.temperature_log import read_log

PAPERS_FORMAT = "fusilex-board-3"
MELTING_C = 217.0
"""Drawn where a load of an older record does not say by which window it was judged."""


def board_record(batch: Batch, serial: str) -> dict[str, Any]:
    """Everything on record about one board, as plain JSON data (schema in docs/formats.md). KeyError without such a
    board.
    """
    state, board = batch.state, batch.state.boards[serial]
    record: dict[str, Any] = {
        "format": PAPERS_FORMAT,
        "made_with": f"Fusilex {__version__}",
        "serial": serial,
        "design": state.opened["design"],
        "batch": state.opened["batch"],
        "batch_name": title(state),
        "panel": board.panel,
        "cell": board.cell + 1,
        "step": batch.where(board),
        "scrapped": board.scrapped,
        "opened_at": state.opened["at"],
        "released_at": board.released_at,
        "files_sha256": state.opened["files"],
    }
    for station in batch.stations.values():
        record |= station.papers(batch.about(serial), board)
    record["road"] = [
        {"step": batch.steps.label(s.id), "side": s.side, "method": s.method, "passed": s.id in board.passed}
        for s in batch.steps
    ]
    record["people"] = sorted({put.who for put in board.put.values() if put.who})
    record["otherwise"] = [asdict(change) for change in board.otherwise]
    label = batch.steps.label
    record["sent_back"] = [{**asdict(b), "start": label(b.start), "to": label(b.to)} for b in board.sent_back]
    record["entries_lost"] = [{"at": at, "entries": lost, "what": said} for at, lost, said in state[Mended].losses]
    record["cautions"] = [{"station": s, "acknowledged_at": at} for s, at in state.cautions.items()]
    record["overruled"] = [
        {"judgement": key, **why.told} for key, why in state.overruled.items() if _concerns(key, board, state.boards)
    ]
    return record


_LABEL = re.compile(r"(?:panel|load) \d+|[\d.]+ mm")
"""What a judgement's key may name beside a board: a panel, a load, a foil."""


def _concerns(key: str, board: Board, boards: Collection[str]) -> bool:
    """An overruling is about this board: it names no other one, and no other panel, load or foil than the board's."""
    own = {board.serial, f"panel {board.panel}"}
    own |= {f"load {load.number}" for load in board.loads.values()}
    own |= {f"{made.foil_mm:g} mm" for made in board.prints.values()}
    named = {label for label in key.partition(":")[2].split(", ") if _LABEL.fullmatch(label)}
    return named | {word for word in re.split(r"[:,\s]+", key) if word in boards} <= own


def page_html(batch: Batch, serial: str, most_parts: int | None = None) -> str:
    """The board's papers as one HTML page for print and PDF; of its parts only the first where only a first page is
    wanted.
    """
    record = board_record(batch, serial)
    shown = {**record, "parts": record["parts"][:most_parts]}
    return str(template("papers.html").render(r=shown, curves=curves(batch, record["loads"])))


def local_time(at: str | None) -> str:
    """A time of the record on the wall's clock: date and minute.

    >>> local_time(None), len(local_time("2026-03-01T10:00:00+00:00"))
    ('', 16)
    """
    return datetime.fromisoformat(at).astimezone().strftime("%Y-%m-%d %H:%M") if at else ""


def curves(batch: Batch, loads: Sequence[Mapping[str, Any]]) -> dict[int, str]:
    """The oven runs among some loads as drawings, by number; what has no log, or one that is lost, has none."""
    found = {}
    for load in loads:
        if load["log"]:
            with suppress(BadInput):
                melting = float((load.get("rule") or {}).get("melting", MELTING_C))
                found[int(load["number"])] = _curve(batch.source.attachment, load["log"], load["log_name"], melting)
    return found


@lru_cache(maxsize=64)
def _curve(attachment: Callable[[str], bytes], sha: str, name: str, melting_c: float) -> str:
    log = read_log(attachment(sha), name)
    return as_image(curve_svg(log.time_s, log.probes_c, melting_c))


@cache
def template(name: str) -> Any:
    """A page's template. KeyError for none of that name."""
    from jinja2 import Environment, PackageLoader

    environment = Environment(
        loader=PackageLoader("fusilex.bench", "templates"),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: shown(value, lines=True) if type(value) is str else value,
    )
    environment.filters["reading"] = reading_words
    environment.filters["time"] = local_time
    return environment.get_template(name)


def reading_words(row: Mapping[str, Any]) -> str:
    """A reading as papers show it; silence of a beeper is no number.

    >>> reading_words({"open": False, "ohm": None, "no_beep_above_ohm": 30.0})
    'no beep (above 30 Ω)'
    """
    if (above := row.get("no_beep_above_ohm")) is not None:
        return f"no beep (above {show_resistance(above)})"
    return "OL" if row["open"] or row["ohm"] is None else show_resistance(row["ohm"])


def page_text(record: dict[str, Any]) -> str:
    """The record in a few readable lines for a terminal."""
    where = f"panel {record['panel']} cell {record['cell']}, now at {record['step']}"
    lines = [f"Board {record['serial']}: {record['design']}, batch {record['batch']}, {where}"]
    for printed in record["prints"]:
        made = f"{printed['side']}, foil {printed['foil_mm']} mm, {printed['paste']}"
        lines.append(f"print    {printed['number']} at {local_time(printed['at'])}, {made}")
    for load in record["loads"]:
        told = f"index {load['index']}" if load["log"] else f"seen by eye: {load['seen']}"
        lines.append(f"load     {load['number']} at {local_time(load['at'])}, {load['window']}, {told}")
    lines.append(f"parts    {sum(bool(p['how']) for p in record['parts'])} of {len(record['parts'])} on the board")
    lines += [f"fault    {f['ref']} {f['word']}: {f['result'] or 'open'}" for f in record["faults"]]
    lines += [f"reading  {r['pair']} {reading_words(r)}" for r in record["readings"]]
    lines += [f"overruled {o['headline'] or o['judgement']}: {o['reason']}" for o in record["overruled"]]
    return "\n".join(lines)
