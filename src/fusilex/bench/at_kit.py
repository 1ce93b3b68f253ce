"""Handlers of Kit: stock, bags, bins, moisture, programmes. Stock lives in the workshop's stream, bins in the batch's."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from fusilex.bench import commands as c
from fusilex.bench.commands import Refused, Result
from fusilex.bench.stock import exposure_of, lot_of
from fusilex.bench.whereabouts import moved
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.moisture import ACTIONS, FLOOR_LIFE_H, hours_left
from fusilex.core.kit.quantities import PLACING_ORDERS, PullLine
from fusilex.core.values import parse_reading
from fusilex.journal.store import Event, digest
from fusilex.journal.workshop import Lot

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

FORMS = ("reel", "strip", "tray", "bag", "tube")
MOST_PIECES = 1_000_000
STRAP_OHM = (0.75e6, 35e6)
"""A wrist strap with its cord reads within this (ANSI/ESD S20.20, S1.1): below it does not protect the hand, above not the part."""


def _line(bench: Bench, key: str) -> PullLine:
    line = next((x for x in bench.lines if x.key == key), None)
    if line is None:
        raise Refused(f"There is no bin for {key}.")
    return line


def receive_lot(bench: Bench, command: c.ReceiveLot) -> Result:
    happened = _received(command, bench.workshop.state.lots)
    return _in_stock(happened.body["id"], happened)


def receive_list(bench: Bench, command: c.ReceiveList) -> Result:
    if not command.lots:
        raise Refused(f"{command.name} names no lot.")
    known: dict[str, object] = dict(bench.workshop.state.lots)
    happened = []
    for n, lot in enumerate(command.lots, 1):
        try:
            if lot.id.strip() in bench.workshop.state.lots:
                happened.append(_counted(lot_of(bench, lot.id), lot.count, command.name))
            else:
                happened.append(_received(lot, known))
                known[happened[-1].body["id"]] = lot
        except Refused as problem:
            raise Refused(f"{command.name}, lot {n}: {problem}") from problem
    return Result([Event("stock_noted", {"what": "stock_list", "lots": len(happened)})], happened)


def _received(command: c.ReceiveLot, known: Mapping[str, object]) -> Event:
    """The lot as it comes in, under the next free id where it has none. Raises `Refused`."""
    if command.form not in FORMS:
        raise Refused(f"A lot is a {', '.join(FORMS)}, not a {command.form or 'nothing'}.")
    if not (command.part_number.strip() or command.value.strip()):
        raise Refused("Say what it is: a part number or a value.")
    if not 0 <= command.count <= MOST_PIECES:
        raise Refused(f"A lot has 0 to {MOST_PIECES} pieces, not {command.count}.")
    level = command.level.lower()
    if level not in FLOOR_LIFE_H:
        raise Refused(f"Moisture levels are {', '.join(FLOOR_LIFE_H)}, not {command.level}.")
    letter = command.form[0].upper()
    free = (f"{letter}{n}" for n in itertools.count(len(known) + 1) if f"{letter}{n}" not in known)
    name = command.id.strip() or next(free)
    if name in known:
        raise Refused(f"There is a lot {name} already.")
    body = {
        "id": name,
        "form": command.form,
        "part_number": command.part_number.strip(),
        "value": command.value.strip(),
        "body": command.package.strip(),
        "count": command.count,
        "place": command.place.strip(),
        "date_code": command.date_code.strip(),
        "maker_lot": command.maker_lot.strip(),
        "level": level,
    }
    return Event("lot_received", body)


def _in_stock(name: str, happened: Event) -> Result:
    """A workshop event with its mark in the batch, so that undo finds it."""
    return Result([Event("stock_noted", {"lot": name, "what": happened.kind})], [happened])


def count_lot(bench: Bench, command: c.CountLot) -> Result:
    return _in_stock(command.lot, _counted(lot_of(bench, command.lot), command.count, command.how))


def _counted(lot: Lot, count: int, how: str) -> Event:
    if not 0 <= count <= MOST_PIECES:
        raise Refused(f"A lot has 0 to {MOST_PIECES} pieces, not {count}.")
    return Event("lot_counted", {"id": lot.id, "count": count, "how": how})


def move_lot(bench: Bench, command: c.MoveLot) -> Result:
    return _in_stock(
        command.lot, Event("lot_moved", {"id": lot_of(bench, command.lot).id, "place": command.place.strip()})
    )


def note_moisture(bench: Bench, command: c.NoteMoisture) -> Result:
    lot = lot_of(bench, command.lot)
    if command.action not in ACTIONS:
        raise Refused(f"A lot is {', '.join(ACTIONS)}, not {command.action}.")
    if command.at:
        try:
            at = datetime.fromisoformat(command.at)
            if at.tzinfo is None:
                raise ValueError("without a time zone")
        except ValueError as error:
            raise Refused(f"“{command.at}” is no time: {error}.") from error
        if at > datetime.now(UTC):
            raise Refused(f"{command.at[:16].replace('T', ' ')} is still to come.")
    return _in_stock(lot.id, Event("lot_moisture", {"id": lot.id, "action": command.action, "at": command.at or None}))


def reserve_stock(bench: Bench, command: c.ReserveStock) -> Result:
    """Lay the batch's hand on stock for every line, oldest lots first, up to the pull quantity."""
    happened: list[Event] = []
    name = bench.batch_name
    for lot in bench.workshop.state.lots.values():
        if name in lot.reserved:
            happened.append(Event("lot_released", {"id": lot.id, "batch": name}))
    for line in bench.lines:
        if line.key in bench.state.bins:
            continue
        wanted = line.pull
        for lot in bench.stock.lots_for(line):
            free = lot.free + lot.reserved.get(name, 0)
            take = min(wanted, free)
            if take > 0:
                happened.append(Event("lot_reserved", {"id": lot.id, "batch": name, "count": take}))
                wanted -= take
    if not any(e.kind == "lot_reserved" for e in happened):
        raise Refused("No lot in stock fits a line of this batch.")
    return Result([Event("stock_noted", {"what": "stock_reserved"})], happened)


def bag_checked(bench: Bench, command: c.CheckBag) -> list[Event]:
    line = _line(bench, command.line)
    if not command.label.strip():
        raise Refused("Type or scan what the label says.")
    found = check_bag(line, command.label, bench.state.substitutes.get(line.key, ()))
    return [
        Event(
            "bag_checked",
            {
                "line": line.key,
                "label": command.label.strip(),
                "level": found.level.value,
                "differs": [[d.what, d.wanted, d.found] for d in found.differs],
                "unread": list(found.unread),
                "reason": command.reason.strip(),
            },
        )
    ]


def approve_substitute(bench: Bench, command: c.ApproveSubstitute) -> list[Event]:
    line = _line(bench, command.line)
    if not command.text.strip() or not command.reason.strip():
        raise Refused("Say which part may stand in, and why.")
    return [
        Event("substitute_approved", {"line": line.key, "text": command.text.strip(), "reason": command.reason.strip()})
    ]


def fill_bin(bench: Bench, command: c.FillBin) -> Result:
    line = _line(bench, command.line)
    if not 0 <= command.count <= 1_000_000:
        raise Refused(f"A bin holds 0 or more pieces, not {command.count}.")
    if (wrong := bench.state.wrong_bag(line.key)) and command.count:
        what, wanted, found = wrong
        raise Refused(f"The bag does not match: {what} {found}, not {wanted}. Check the right one, or say why with W.")
    if (label := bench.state.doubtful_bag(line.key)) and command.count:
        raise Refused(
            f"“{label[:40]}” does not settle what is in the bag: check its label again with K, or say why with W."
        )
    if bench.state.to_programme(line.key):
        raise Refused(f"{line.name} is to be programmed first: record the file with G.")
    event = Event("bin_filled", {"line": line.key, "count": command.count, "lot": command.lot.strip()})
    lot = bench.workshop.state.lots.get(command.lot.strip())
    if lot is None:
        return Result([event])
    before = bench.state.bins.get(line.key)
    again = before["count"] if before and before["lot"] == lot.id else 0
    key = f"kit.moisture:{lot.id}"
    if command.count and hours_left(lot.level, exposure_of(bench, lot)) <= 0 and key not in bench.state.overruled:
        raise Refused(f"Lot {lot.id} was open too long: bake it (V), or overrule that with F2 and a reason.")
    if command.count - again > lot.count:
        raise Refused(
            f"Lot {lot.id} holds {lot.count} pieces, not {command.count}: count it again, or fill from two lots."
        )
    taken = {"id": lot.id, "batch": bench.batch_name, "line": line.key, "count": command.count - again}
    return Result([event], [Event("lot_taken", taken)])


def want_programme(bench: Bench, command: c.WantProgramme) -> list[Event]:
    return [Event("programme_wanted", {"line": _line(bench, command.line).key})]


def record_programme(bench: Bench, command: c.RecordProgramme) -> Result:
    line = _line(bench, command.line)
    if not command.version.strip() or not command.data:
        raise Refused("A programme has a file with something in it, and a version.")
    body = {"line": line.key, "name": command.name, "sha256": digest(command.data), "version": command.version.strip()}
    return Result([Event("programme_recorded", body)], files={command.name: command.data})


def strap_test(bench: Bench, command: c.StrapTest) -> list[Event]:
    try:
        ohm = parse_reading(command.text)
    except ValueError as error:
        raise Refused(f"{error}.") from error
    good = STRAP_OHM[0] <= ohm <= STRAP_OHM[1]
    return [Event("strap_tested", {"text": command.text.strip(), "passed": good})]


def choose_order(bench: Bench, command: c.ChooseOrder) -> list[Event]:
    if command.school not in PLACING_ORDERS:
        raise Refused(f"There is no order called {command.school}; there are {', '.join(PLACING_ORDERS)}.")
    if bench.state.bins:
        raise Refused("Bins are filled already: their order stays for this batch.")
    return [Event("order_chosen", {"school": command.school})]


def set_tray(bench: Bench, command: c.SetTray) -> Result:
    if not (1 <= command.rows <= 30 and 1 <= command.columns <= 40 and command.rows * command.columns >= 2):
        raise Refused("A tray has up to 30 rows and 40 columns, and two compartments at least.")
    happened = Event("tray_set", {"rows": command.rows, "columns": command.columns})
    return Result([Event("stock_noted", {"what": "tray_set"})], [happened])


def skip_side(bench: Bench, command: c.SkipSide) -> list[Event]:
    if command.side not in ("top", "bottom", ""):
        raise Refused(f"A board has a top and a bottom, no {command.side}.")
    return [Event("side_skipped", {"side": command.side})]


def close_kit(bench: Bench, command: c.CloseKit) -> Result:
    boards = bench.state.at("Kit")
    if not boards:
        raise Refused("No board waits at Kit.")
    wanted = bench.lines_to_pull
    unread = [line for line in wanted if bench.state.bin_open(line.key)]
    if unread:
        raise Refused(
            f"{len(unread)} {'bin is' if len(unread) == 1 else 'bins are'} not filled yet; next is bin {bench.bin_number[unread[0].key]}. A bin with nothing in it, or whose bag is wrong, is counted as 0 with C."
        )
    held = {key: b["count"] for key, b in bench.state.bins.items()}
    without = sorted(ref for line in bench.lines if held.get(line.key, 0) < line.need for ref in line.refs)
    name = bench.batch_name
    freed = [
        Event("lot_released", {"id": lot.id, "batch": name})
        for lot in bench.workshop.state.lots.values()
        if name in lot.reserved
    ]
    return Result([Event("kit_closed", {"without": without}), moved(boards, "Print")], freed)
