"""What the events of a batch add up to: one small function an event."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fusilex.journal.folding import add, fold
from fusilex.journal.states import DONE, STATIONS, BatchState, Board, Fault
from fusilex.journal.store import Event

__all__ = ["DONE", "STATIONS", "BatchState", "Board", "Fault", "apply", "project"]

LOOKING = ("went",)
"""Kinds that only say where the user looks: never undone."""


def project(happened: Iterable[Event]) -> BatchState:
    """Fold a batch's events, oldest first."""
    return fold(happened, BatchState, apply)


def apply(state: BatchState, item: Event) -> None:
    """Add one event to a state in place. Unknown kinds are passed over, so that an older program reads a newer journal."""
    add(state, item, _HANDLERS, ("batch_opened", *LOOKING))


def _opened(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.opened = {**body, "at": item.at}
    for row in body["boards"]:
        state.boards[row["serial"]] = Board(row["serial"], row["panel"], row["cell"])
    state.board = body["boards"][0]["serial"] if body["boards"] else ""
    state.foil_mm, state.paste = float(body.get("foil_mm", 0.12)), str(body.get("paste", "leaded"))


def _went(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.station, state.board = body["station"], body["board"]


def _moved(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    for serial in body["boards"]:
        state.boards[serial].station = body["to"]


def _acknowledged(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.cautions[body["station"]] = item.at


def _overruled(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.overruled[body["key"]] = {"reason": body["reason"], "at": item.at, "headline": body.get("headline", "")}


def _file_added(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.files[body["name"]] = body["sha256"]


def _file_assigned(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.roles[body["file"]] = body["role"], body["side"]


def _columns_picked(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.columns[body["file"]] = dict(body["columns"])


def _fix_applied(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.fixes.append(body)


def _fix_withdrawn(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.fixes = [f for f in state.fixes if f != body]


def _noted(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    """What was done in the workshop's stream leaves a mark in the batch, so that undo finds it."""


def _bag(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.bags[body["line"]] = {**body, "at": item.at}


def _substitute(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.substitutes.setdefault(body["line"], []).append(body["text"])


def _programme_wanted(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.programmes.setdefault(body["line"], {})


def _programme(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.programmes[body["line"]] = {**body, "at": item.at}


def _strap(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.strap = {**body, "at": item.at}


def _order(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.order = body["school"]


def _skipped(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.skipped_side = body["side"]


def _sides(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.sides = body["school"]


def _bare(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.bare = {**body, "at": item.at}


def _boards_laid(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    """Another panel: the boards keep their serials and get new places."""
    for row in body["boards"]:
        board = state.boards[row["serial"]]
        board.panel, board.cell = row["panel"], row["cell"]


def _cell_marked(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].scrapped = True


def _bin(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.bins[body["line"]] = {"count": body["count"], "lot": body.get("lot", ""), "at": item.at}


def _kit_closed(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.without = list(body["without"])


def _foil_chosen(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.foil_mm = float(body["foil_mm"])


def _paste_chosen(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.paste = str(body["paste"])


def _printed(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    number = len(state.prints) + 1
    state.prints.append({**body, "number": number, "at": item.at})
    for board in state.panel_boards(body["panel"]):
        board.print_number = number


def _print_wiped(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.wiped.append({**body, "at": item.at})
    for board in state.panel_boards(body["panel"]):
        board.print_number = None


def _placed(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    for ref in body["refs"]:
        if ref not in board.placed:
            board.placed.append(ref)
        board.placed_how[ref] = body["how"]


def _taken_back(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    if body["ref"] in board.placed:
        board.placed.remove(body["ref"])
        board.placed_how.pop(body["ref"], None)


def _counted(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].counted.update(body["refs"])


def _uncounted(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].counted.difference_update(body["refs"])


def _replaced(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.replaced[body["line"]] = state.replaced.get(body["line"], 0) + 1


def _dropped(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.dropped[body["line"]] = state.dropped.get(body["line"], 0) + 1


def _taught(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.taught.setdefault(body["panel"], {})[body["point"]] = (body["x"], body["y"])


def _forgotten(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.taught.get(body["panel"], {}).pop(body["point"], None)


def _reflowed(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    number = len(state.loads) + 1
    state.loads.append({**body, "number": number, "at": item.at})
    for serial in body["boards"]:
        state.boards[serial].load = number


def _soldered(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    if body["ref"] not in board.soldered:
        board.soldered.append(body["ref"])


def _unsoldered(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    if body["ref"] in state.boards[body["board"]].soldered:
        state.boards[body["board"]].soldered.remove(body["ref"])


def _fault(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].faults.append(Fault(item.id, body["ref"], body["word"], body["station"], item.at))


def _fault_struck(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    board.faults = [f for f in board.faults if f.id != body["fault"]]


def _inspected(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    board.inspections += 1
    if board.first_pass is None:
        board.first_pass = not board.faults


def _repaired(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    board = state.boards[body["board"]]
    for fault in board.faults:
        if fault.id == body["fault"]:
            fault.repaired, fault.result = item.at, body["result"]
    if body["result"] == "scrapped":
        board.scrapped = True


def _reading(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    value = float("inf") if body["ohm"] is None else float(body["ohm"])
    state.boards[body["board"]].readings[body["pair"]] = (value, body["text"])


def _tested(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].tests.append({**body, "at": item.at})


def _readings_cleared(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].readings.clear()


def _released(state: BatchState, item: Event, body: dict[str, Any]) -> None:
    state.boards[body["board"]].released_at = item.at


_HANDLERS = {
    "batch_opened": _opened,
    "went": _went,
    "moved": _moved,
    "caution_acknowledged": _acknowledged,
    "judgement_overruled": _overruled,
    "file_added": _file_added,
    "file_assigned": _file_assigned,
    "columns_picked": _columns_picked,
    "fix_applied": _fix_applied,
    "fix_withdrawn": _fix_withdrawn,
    "body_noted": _noted,
    "stock_noted": _noted,
    "bag_checked": _bag,
    "substitute_approved": _substitute,
    "programme_wanted": _programme_wanted,
    "programme_recorded": _programme,
    "strap_tested": _strap,
    "order_chosen": _order,
    "side_skipped": _skipped,
    "sides_chosen": _sides,
    "bare_counted": _bare,
    "boards_laid": _boards_laid,
    "cell_marked": _cell_marked,
    "bin_filled": _bin,
    "kit_closed": _kit_closed,
    "foil_chosen": _foil_chosen,
    "paste_chosen": _paste_chosen,
    "panel_printed": _printed,
    "print_wiped": _print_wiped,
    "parts_placed": _placed,
    "part_taken_back": _taken_back,
    "part_dropped": _dropped,
    "pieces_counted": _counted,
    "pieces_uncounted": _uncounted,
    "part_replaced": _replaced,
    "point_taught": _taught,
    "point_forgotten": _forgotten,
    "load_reflowed": _reflowed,
    "part_soldered": _soldered,
    "part_unsoldered": _unsoldered,
    "fault_marked": _fault,
    "fault_struck": _fault_struck,
    "board_inspected": _inspected,
    "fault_repaired": _repaired,
    "reading_taken": _reading,
    "readings_cleared": _readings_cleared,
    "board_tested": _tested,
    "board_released": _released,
}
