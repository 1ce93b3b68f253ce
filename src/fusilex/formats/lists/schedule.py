"""What an oven was told, as CSV: `time_s,set_c` (a curve) or `time_s,dial_c` (held until it is turned), and a door."""

from __future__ import annotations

import csv
import io
import math

from fusilex.core.heat.schedule import LONGEST_S, Schedule
from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import decode

MOST_ROWS, HOTTEST_C = 100_000, 600.0
TIME, CURVE, DIAL, DOOR = "time_s", "set_c", "dial_c", "door"


def read_schedule(data: bytes, name: str) -> Schedule:
    """The schedule in a file. Raises `BadInput` with the line."""
    found = schedule_in(data, name)
    if found is None:
        raise BadInput(name, f"columns {TIME} and {CURVE} or {DIAL}", "others", "line 1")
    return found


def schedule_in(data: bytes, name: str) -> Schedule | None:
    """The schedule that a log or a list of settings carries, by the times it is written with; None where it has no such
    columns. Raises `BadInput`.
    """
    rows = csv.reader(io.StringIO(decode(data, name)))
    head = [cell.strip().lower() for cell in next(rows, [])]
    if TIME not in head or (CURVE in head) == (DIAL in head):
        return None
    kind = CURVE if CURVE in head else DIAL
    times: list[float] = []
    settings: list[float] = []
    door: list[tuple[float, float]] = []
    for number, row in enumerate(rows, 2):
        if number > MOST_ROWS:
            raise BadInput(name, f"at most {MOST_ROWS} lines", "more")
        cells = dict(zip(head, (cell.strip() for cell in row), strict=False))
        if not any(cells.values()):
            continue
        time = _number(cells.get(TIME, ""), name, number, TIME, 0.0, LONGEST_S)
        if times and time < times[-1]:
            raise BadInput(name, "times that rise", f"{time:g} after {times[-1]:g}", f"line {number}")
        if text := cells.get(kind, ""):
            times.append(time)
            settings.append(_number(text, name, number, kind, 0.0, HOTTEST_C))
        if text := cells.get(DOOR, ""):
            share = _number(text, name, number, DOOR, 0.0, 1.0)
            if not door or share != door[-1][1]:
                door.append((time, share))
    if not times:
        raise BadInput(name, f"at least one {kind}", "none")
    return Schedule(tuple(times), tuple(settings), kind == CURVE, tuple(door))


def begins_at(data: bytes, name: str) -> float:
    """The first time_s of a log: its samples count from there."""
    rows = csv.reader(io.StringIO(decode(data, name)))
    head = [cell.strip().lower() for cell in next(rows, [])]
    at = head.index(TIME) if TIME in head else len(head)
    for row in rows:
        if len(row) > at and row[at].strip():
            return _number(row[at], name, 2, TIME, 0.0, LONGEST_S)
    return 0.0


def _number(text: str, name: str, line: int, column: str, low: float, high: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not low <= value <= high:
        raise BadInput(name, f"{column} from {low:g} to {high:g}", f"“{text[:20]}”", f"line {line}")
    return value
