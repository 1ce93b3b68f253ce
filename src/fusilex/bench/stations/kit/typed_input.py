"""What people type at Kit, read into commands. Each raises `Refused` with an example of what to type."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

from fusilex.bench.refusal import Refused
from fusilex.bench.stations.kit.stock import NoteMoisture, ReceiveLot
from fusilex.bench.typed_text import NUMBER, number, numbers, pieces
from fusilex.bench.workshop.stock import LOT_FORMS
from fusilex.core.kit.counting import Count, by_reel, by_strip, by_weight
from fusilex.core.machine.tapes import tape_of
from fusilex.core.packages.catalogue import Package

MOST_HOURS = 20 * 8766


def lot(text: str) -> ReceiveLot:
    """``reel, SR-1866, 100 nF, 0402, 5000, drawer 3, 3``: form, part number, value, body, count, place, moisture
    level, date code, maker's lot.
    """
    cells = [cell.strip() for cell in text.split(",")]
    cells += [""] * (9 - len(cells))
    form, number, value, code, count, place, level, date, maker = cells[:9]
    if form.lower() not in LOT_FORMS or pieces(count) is None:
        raise Refused(
            "Type form, part number, value, body, count, place, moisture level, with commas: reel, SR-1866, 100 nF,"
            " 0402, 5000, drawer 3, 1."
        )
    return ReceiveLot(form.lower(), number, value, code, pieces(count) or 0, place, date, maker, level or "1")


def count(text: str, of: Package) -> tuple[Count, str]:
    """``940``, ``strip 403``, ``weight 52.5 12.5`` (g with and without parts), ``reel 178 60 1.2`` (outer, hub, tape
    thickness, mm).
    """
    words = text.lower()
    found = numbers(words)
    try:
        if (said := pieces(words)) is not None:
            return Count(said, 0), "hand"
        if words.startswith("strip") and len(found) in (1, 2):
            return by_strip(found[0], found[1] if len(found) > 1 else tape_of(of).pitch), "strip"
        if words.startswith("weight") and len(found) in (2, 3):
            return by_weight(found[0], found[1], found[2] if len(found) > 2 else of.mass_mg, 0.01), "weight"
        if words.startswith("reel") and len(found) in (3, 4):
            pitch = found[3] if len(found) > 3 else tape_of(of).pitch
            return by_reel(found[0], found[1], found[2], pitch), "reel"
    except ValueError as error:
        raise Refused(f"That cannot be: {error}.") from error
    raise Refused(
        "Type the count, strip 403 (mm), weight 52.5 12.5 (g with and without), or reel 178 60 1.2 (outer, hub, tape in"
        " mm)."
    )


def moisture(lot: str, text: str, now: datetime) -> NoteMoisture:
    """``opened``, ``opened 30 h ago``, ``baked 2 d ago``, ``opened 2026-11-10 14:30`` (a date alone: from its first
    minute on).
    """
    action, _, rest = text.strip().lower().partition(" ")
    if not rest.strip():
        return NoteMoisture(lot, action)
    if ago := re.fullmatch(rf"({NUMBER})\s*(min|h|d)\w*(?: ago)?", rest.strip()):
        hours = {"min": 1 / 60, "h": 1.0, "d": 24.0}[ago[2]] * numbers(ago[1])[0]
        if not 0 <= hours <= MOST_HOURS:
            raise Refused(f"{ago[1][:20]} {ago[2]} ago is not within the last {MOST_HOURS // 8766} years.")
        return NoteMoisture(lot, action, (now - timedelta(hours=hours)).isoformat())
    try:
        return NoteMoisture(lot, action, datetime.fromisoformat(rest.strip()).astimezone().isoformat())
    except (ValueError, OverflowError) as error:
        raise Refused(
            f"“{rest.strip()}” is no time: type opened, opened 30 h ago, or opened 2026-11-10 14:30."
        ) from error


def tare(text: str) -> float:
    """``12.5``, ``12,5 g``: grams of the empty reel, strip or bag."""
    return number(text, "weight", "grams, for example 12.5", "g")


def tray_size(text: str) -> tuple[int, int]:
    """``4 9``, ``4 x 9``: rows and columns of a tray."""
    found = [n for n in numbers(text.replace("x", " ").replace("×", " ")) if n == int(n)]
    if len(found) != 2:
        raise Refused("Type rows and columns, for example 4 9.")
    return int(found[0]), int(found[1])
