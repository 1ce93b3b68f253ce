"""What people type at the foot of the bench, read into commands. Each raises `Refused` with an example of what to type."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

from fusilex.bench import commands as c
from fusilex.bench.at_kit import FORMS
from fusilex.bench.at_ready import ROLES, SIDED
from fusilex.bench.commands import Refused
from fusilex.core.kit.counting import Count, by_reel, by_strip, by_weight, tape_pitch_mm
from fusilex.core.packages.catalogue import Package
from fusilex.core.panel.layout import Panel

_NUMBER = r"[-+]?\d+(?:[.,]\d+)?"


def _numbers(text: str) -> list[float]:
    return [float(n.replace(",", ".")) for n in re.findall(_NUMBER, text)]


def role(file: str, text: str) -> c.AssignFile:
    """``paste top``, ``drill``, ``nothing``."""
    words = text.lower().replace(",", " ").split()
    side = next((s for s in ("top", "bottom") if s in words), None)
    names = {
        "nothing": "other",
        "solder": "mask",
        "silkscreen": "silk",
        "bill": "bom",
        "parts": "bom",
        "positions": "placements",
    }
    what = next((names.get(w, w) for w in words if names.get(w, w) in ROLES), None)
    if what is None:
        raise Refused(
            f"“{text}” is no kind of file: type for example paste top, outline, drill, placements, bom or nothing."
        )
    if what == "inner":
        number = next((w for w in words if w.isdecimal()), None)
        if number is None:
            raise Refused("Say which inner layer, counted from the top: inner 2 is the one below it.")
        return c.AssignFile(file, what, number)
    if what in SIDED and side is None:
        raise Refused(f"Say which side too: {what} top or {what} bottom.")
    return c.AssignFile(file, what, side if what in SIDED else None)


def package(code: str, text: str) -> c.SetPackage:
    """``5.6 x 7.5 x 2.6 mm 210 mg marked``: length, width, height, mass (g when it says so), and marked or unmarked."""
    found = _numbers(text)
    if len(found) != 4:
        raise Refused(
            "Type length × width × height in mm and the mass, for example 5.6 x 7.5 x 2.6 mm 210 mg; add marked or unmarked for a part with or without a wrong way round."
        )
    heavy = re.search(r"\d\s*g\b", text)
    words = text.lower().split()
    marked = True if "marked" in words else False if "unmarked" in words else None
    return c.SetPackage(code, found[0], found[1], found[2], found[3] * (1000 if heavy else 1), marked)


def panel(text: str, board_w: float, board_h: float) -> Panel:
    """``3 x 2 gap 2 0 rail 7 0 skip 4``: columns × rows, gaps or pitch, rails left/right and below/above (mm).

    ``x 7 53 99`` and ``y 0 31`` give uneven positions, ``turn 0 180 0 180`` quarter turns cell by cell, ``tabs`` makes
    breakaway tabs instead of score lines.
    """
    size = re.match(r"\s*(\d+)\s*[xX×]\s*(\d+)", text)
    if not size:
        raise Refused("Type columns × rows first, for example 3 x 2 gap 2 0 rail 7 0.")
    columns, rows = int(size[1]), int(size[2])
    if not (1 <= columns <= 50 and 1 <= rows <= 50):
        raise Refused("A panel has 1 to 50 columns and rows.")
    said = {
        word: _numbers(rest)
        for word, rest in re.findall(
            r"(gap|pitch|rail|skip|turn|x|y|tabs|score)\b([^a-z]*)", text[size.end() :].lower()
        )
    }
    unknown = set(re.findall(r"[a-z]+", text[size.end() :].lower())) - set(said) - {"mm"}
    if unknown:
        raise Refused(
            f"“{sorted(unknown)[0]}” means nothing here: gap, pitch, rail, skip, turn, x, y, tabs and score do."
        )
    for word in ("gap", "pitch", "rail"):
        if word in said and len(said[word]) not in (1, 2):
            raise Refused(f"After {word} come one or two lengths in mm.")
    rail_x, rail_y = _pair(said.get("rail", [0.0, 0.0]), 0.0)
    gap_x, gap_y = _pair(said.get("gap", [0.0, 0.0]))
    pitch_x, pitch_y = _pair(said["pitch"]) if "pitch" in said else (board_w + gap_x, board_h + gap_y)
    xs, ys = tuple(said.get("x", ())), tuple(said.get("y", ()))
    right = xs[-1] + board_w if xs else rail_x + (columns - 1) * pitch_x + board_w
    above = ys[-1] + board_h if ys else rail_y + (rows - 1) * pitch_y + board_h
    width, height = right + rail_x, above + rail_y
    spots = _rail_spots(width, height, rail_x, rail_y)
    left_of = xs or tuple(rail_x + i * pitch_x for i in range(columns))
    low_of = ys or tuple(rail_y + i * pitch_y for i in range(rows))
    tabs = "tabs" in said
    made = Panel(
        columns,
        rows,
        pitch_x,
        pitch_y,
        xs[0] if xs else rail_x,
        ys[0] if ys else rail_y,
        width,
        height,
        board_w,
        board_h,
        tuple((f"P{i}", x, y) for i, (x, y) in enumerate(spots[:3], 1)),
        tuple((x, y + 5.0) for x, y in spots[:2]),
        () if tabs else _cuts(left_of, low_of, board_w, board_h, width, height),
        _tabs(left_of, low_of, board_w, board_h) if tabs else (),
        xs,
        ys,
        tuple(int(t) for t in said.get("turn", ())),
        tuple(int(n) - 1 for n in said.get("skip", ())),
    )
    if faults := made.faults():
        raise Refused(f"That panel cannot be built: {faults[0]}.")
    return made


def _pair(found: list[float], second: float | None = None) -> tuple[float, float]:
    return (found[0], found[1]) if len(found) > 1 else (found[0], found[0] if second is None else second)


def _rail_spots(width: float, height: float, rail_x: float, rail_y: float) -> list[tuple[float, float]]:
    """Three fiducials on the rails, in three corners; none on a panel without rails of 3 mm."""
    if rail_x >= 3:
        return [(rail_x / 2, 5.0), (width - rail_x / 2, 5.0), (rail_x / 2, height - 5.0)]
    if rail_y >= 3:
        return [(5.0, rail_y / 2), (width - 5.0, rail_y / 2), (5.0, height - rail_y / 2)]
    return []


def _cuts(
    xs: tuple[float, ...], ys: tuple[float, ...], w: float, h: float, width: float, height: float
) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
    """Score lines along every edge of a column or row that is not the panel's own edge."""
    across = sorted({round(v, 3) for x in xs for v in (x, x + w) if 0.01 < v < width - 0.01})
    along = sorted({round(v, 3) for y in ys for v in (y, y + h) if 0.01 < v < height - 0.01})
    return (*(((x, 0.0), (x, height)) for x in across), *(((0.0, y), (width, y)) for y in along))


def _tabs(xs: tuple[float, ...], ys: tuple[float, ...], w: float, h: float) -> tuple[tuple[float, float, float], ...]:
    """Two tabs 3 mm wide on the left and right edge of every board, at a quarter and three quarters of its height."""
    return tuple((x + side, y + h * share, 3.0) for y in ys for x in xs for side in (0.0, w) for share in (0.25, 0.75))


def lot(text: str) -> c.ReceiveLot:
    """``reel, SR-1866, 100 nF, 0402, 5000, drawer 3, 3``: form, part number, value, body, count, place, moisture level, date code, maker's lot."""
    cells = [cell.strip() for cell in text.split(",")]
    cells += [""] * (9 - len(cells))
    form, number, value, code, count, place, level, date, maker = cells[:9]
    if form.lower() not in FORMS or not count.isdecimal():
        raise Refused(
            "Type form, part number, value, body, count, place, moisture level, with commas: reel, SR-1866, 100 nF, 0402, 5000, drawer 3, 1."
        )
    return c.ReceiveLot(form.lower(), number, value, code, int(count), place, date, maker, level or "1")


def count(text: str, of: Package) -> tuple[Count, str]:
    """``940``, ``strip 403``, ``weight 52.5 12.5`` (g with and without parts), ``reel 178 60 1.2`` (outer, hub, tape thickness, mm)."""
    words = text.lower()
    found = _numbers(words)
    try:
        if words.strip().isdecimal():
            return Count(int(words), 0), "hand"
        if words.startswith("strip") and len(found) in (1, 2):
            return by_strip(found[0], found[1] if len(found) > 1 else tape_pitch_mm(of)), "strip"
        if words.startswith("weight") and len(found) in (2, 3):
            return by_weight(found[0], found[1], found[2] if len(found) > 2 else of.mass_mg, 0.01), "weight"
        if words.startswith("reel") and len(found) in (3, 4):
            pitch = found[3] if len(found) > 3 else tape_pitch_mm(of)
            return by_reel(found[0], found[1], found[2], pitch), "reel"
    except ValueError as error:
        raise Refused(f"That cannot be: {error}.") from error
    raise Refused(
        "Type the count, strip 403 (mm), weight 52.5 12.5 (g with and without), or reel 178 60 1.2 (outer, hub, tape in mm)."
    )


def moisture(lot: str, text: str, now: datetime) -> c.NoteMoisture:
    """``opened``, ``opened 30 h ago``, ``baked 2 d ago``, ``opened 2026-11-10 14:30`` (a date alone: from its first minute on)."""
    action, _, rest = text.strip().lower().partition(" ")
    if not rest.strip():
        return c.NoteMoisture(lot, action)
    if ago := re.fullmatch(rf"({_NUMBER})\s*(min|h|d)\w*(?: ago)?", rest.strip()):
        unit = {"min": "minutes", "h": "hours", "d": "days"}[ago[2]]
        return c.NoteMoisture(lot, action, (now - timedelta(**{unit: float(ago[1].replace(",", "."))})).isoformat())
    try:
        return c.NoteMoisture(lot, action, datetime.fromisoformat(rest.strip()).astimezone().isoformat())
    except (ValueError, OverflowError) as error:
        raise Refused(
            f"“{rest.strip()}” is no time: type opened, opened 30 h ago, or opened 2026-11-10 14:30."
        ) from error


def process(text: str) -> c.NoteProcess:
    """``own etching 0.3``: a process and the finest track or gap (mm) it has shown."""
    match = re.fullmatch(rf"\s*(.*\S)\s+({_NUMBER})\s*(mm|mil)?\s*", text)
    if match is None:
        raise Refused("Type the process and the finest track or gap it has shown, for example own etching 0.3.")
    return c.NoteProcess(match[1], float(match[2].replace(",", ".")) * (0.0254 if match[3] == "mil" else 1.0))


def etch_run(text: str) -> c.LogEtch:
    """``14 min 38 C 35 um``: minutes, bath °C, copper µm."""
    found = _numbers(text)
    if len(found) not in (3, 4):
        raise Refused(
            "Type minutes until clear, bath °C and copper µm, for example 14 38 35; a fourth number says how many boards."
        )
    return c.LogEtch(found[0], found[1], found[2], int(found[3]) if len(found) > 3 else 1)
