"""What the workshop's own events add up to: what outlives every batch."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from fusilex.journal.folding import add, fold
from fusilex.journal.store import Event


@dataclass
class Lot:
    """A reel, strip, tray, bag or tube in stock. `moisture` lists (ISO time, action) since it came in."""

    id: str
    form: str
    part_number: str
    value: str
    package: str
    count: int
    place: str = ""
    date_code: str = ""
    maker_lot: str = ""
    level: str = "1"
    received_at: str = ""
    moisture: list[tuple[str, str]] = field(default_factory=list)
    reserved: dict[str, int] = field(default_factory=dict)
    counted: list[tuple[str, int, str]] = field(default_factory=list)

    @property
    def free(self) -> int:
        """Pieces that no batch has laid its hand on."""
        return self.count - sum(self.reserved.values())


@dataclass
class WorkshopState:
    """`columns` and `roles` are habits of files by their signature; `bodies` what the workshop knows better than the catalogue.

    `lots` are by id in order of receipt; `placed` and `lost` count pieces by body; `shown` is the finest feature (mm) by
    process; `etched` the runs of the bath in use and before; `tray` the rows and columns of the bins' trays.
    """

    columns: dict[str, dict[str, int]] = field(default_factory=dict)
    roles: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    packages: dict[str, dict[str, Any]] = field(default_factory=dict)
    lots: dict[str, Lot] = field(default_factory=dict)
    placed: dict[str, int] = field(default_factory=dict)
    lost: dict[str, int] = field(default_factory=dict)
    shown: dict[str, float] = field(default_factory=dict)
    etched: list[dict[str, Any]] = field(default_factory=list)
    bath: dict[str, Any] = field(default_factory=dict)
    tray: tuple[int, int] | None = None
    last_id: int = 0
    deeds: list[str] = field(default_factory=list)
    undone: list[str] = field(default_factory=list)


def project_workshop(happened: Iterable[Event]) -> WorkshopState:
    """Fold the workshop's events, oldest first."""
    return fold(happened, WorkshopState, apply_workshop)


def apply_workshop(state: WorkshopState, item: Event) -> None:
    add(state, item, _HANDLERS)


def _columns(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.columns[body["signature"]] = dict(body["columns"])


def _role(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.roles[body["signature"]] = body["role"], body["side"]


def _body(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.packages[body["code"]] = body


def _lot_received(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.lots[body["id"]] = Lot(
        **{("package" if k == "body" else k): v for k, v in body.items() if k != "note"}, received_at=item.at
    )


def _lot_counted(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.count = int(body["count"])
        lot.counted.append((item.at, lot.count, body["how"]))


def _lot_moved(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.place = body["place"]


def _lot_moisture(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.moisture.append((body.get("at") or item.at, body["action"]))


def _lot_reserved(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.reserved[body["batch"]] = lot.reserved.get(body["batch"], 0) + int(body["count"])


def _lot_released(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.reserved.pop(body["batch"], None)


def _lot_taken(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    if lot := state.lots.get(body["id"]):
        lot.count -= int(body["count"])
        held = lot.reserved.get(body["batch"], 0)
        if held:
            lot.reserved[body["batch"]] = max(0, held - int(body["count"]))


def _placed(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    for key, count in body["bodies"].items():
        state.placed[key] = state.placed.get(key, 0) + int(count)


def _lost(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.lost[body["body"]] = state.lost.get(body["body"], 0) + 1


def _shown(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.shown[body["process"]] = float(body["mm"])


def _bath(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.bath = {"litres": float(body["litres"]), "held_g": 0.0, "at": item.at}


def _etched(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.etched.append(body)
    if state.bath:
        state.bath = {**state.bath, "held_g": state.bath["held_g"] + float(body["removed_g"])}


def _tray(state: WorkshopState, item: Event, body: dict[str, Any]) -> None:
    state.tray = int(body["rows"]), int(body["columns"])


_HANDLERS = {
    "columns_remembered": _columns,
    "role_remembered": _role,
    "body_set": _body,
    "lot_received": _lot_received,
    "lot_counted": _lot_counted,
    "lot_moved": _lot_moved,
    "lot_moisture": _lot_moisture,
    "lot_reserved": _lot_reserved,
    "lot_released": _lot_released,
    "lot_taken": _lot_taken,
    "pieces_placed": _placed,
    "piece_lost": _lost,
    "process_shown": _shown,
    "bath_mixed": _bath,
    "run_etched": _etched,
    "tray_set": _tray,
}
