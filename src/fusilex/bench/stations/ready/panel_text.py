"""A panel as people type it."""

from __future__ import annotations

import re

from fusilex.bench.refusal import Refused
from fusilex.bench.typed_text import numbers
from fusilex.core.panel.layout import Panel


def panel(text: str, board_w: float, board_h: float) -> Panel:
    """``3 x 2 gap 2 0 rail 7 0 skip 4``: columns × rows, gaps or pitch, rails left/right and below/above (mm).

    ``x 7 53 99`` and ``y 0 31`` give uneven positions, ``turn 0 180 0 180`` quarter turns cell by cell, ``tabs`` makes
    breakaway tabs instead of score lines.
    """
    size = re.match(r"\s*(\d{1,9})\s*[xX×]\s*(\d{1,9})", text)
    if not size:
        raise Refused("Type columns × rows first, for example 3 x 2 gap 2 0 rail 7 0.")
    columns, rows = int(size[1]), int(size[2])
    if not (1 <= columns <= 50 and 1 <= rows <= 50):
        raise Refused("A panel has 1 to 50 columns and rows.")
    said = {
        word: numbers(rest)
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
