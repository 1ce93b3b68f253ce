"""What eyes saw during a run, as a log keeps it: a column `seen` beside `time_s`."""

from __future__ import annotations

import csv
import io
import math

from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import decode

TIME, SEEN, MOST_MARKS = "time_s", "seen", 100


def seen_in(data: bytes, name: str) -> tuple[tuple[float, str], ...]:
    """Marks of a log (s, what), () without such a column. Raises `BadInput` with the line."""
    rows = csv.reader(io.StringIO(decode(data, name)))
    head = [cell.strip().lower() for cell in next(rows, [])]
    if TIME not in head or SEEN not in head:
        return ()
    time, seen = head.index(TIME), head.index(SEEN)
    found: list[tuple[float, str]] = []
    for number, row in enumerate(rows, 2):
        what = row[seen].strip() if len(row) > seen else ""
        if not what:
            continue
        try:
            at = float(row[time])
        except ValueError:
            at = math.nan
        if not 0 <= at <= 7200:
            raise BadInput(name, f"{TIME} of what was seen, 0 to 7200", row[time], f"line {number}")
        if len(found) == MOST_MARKS:
            raise BadInput(name, f"at most {MOST_MARKS} marks", "more", f"line {number}")
        found.append((at, what))
    return tuple(found)


def only_seen(data: bytes, name: str) -> bool:
    """True for a log of a run by eye: settings and marks, no column of a probe."""
    rows = csv.reader(io.StringIO(decode(data, name)))
    head = {cell.strip().lower() for cell in next(rows, [])}
    return SEEN in head and head <= {TIME, "set_c", "dial_c", "door", SEEN}
