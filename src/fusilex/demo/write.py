"""Write a routed demo design as ordinary open files."""

from __future__ import annotations

import csv
import io
import itertools
from collections import defaultdict
from pathlib import Path

import shapely
from shapely.geometry import LineString, Point, box

from fusilex.core.design.frames import part_to_board
from fusilex.core.panel.layout import Panel
from fusilex.demo import oven_run
from fusilex.demo.copper import VIA_DRILL, VIA_PAD, Copper, PlacedLand
from fusilex.demo.footprints import FOOTPRINTS
from fusilex.demo.gerber_out import GerberWriter, excellon, ipc356
from fusilex.demo.heron import HEIGHT, MOUNTING_DRILL, MOUNTING_HOLES, WIDTH, PartRow, part_number
from fusilex.formats.panel_file import write_panel

MASK_GROWTH, SILK_WIDTH, TEXT_HEIGHT = 0.05, 0.12, 0.9
NOT_BOUGHT = ("FID", "TP")


def heron_panel() -> Panel:
    """3 × 2 boards, 2 mm strips between columns, 7 mm rails left and right, score lines along every board edge."""
    rail, strip = 7.0, 2.0
    width, height = 2 * rail + 3 * WIDTH + 2 * strip, 2 * HEIGHT
    xs = [rail + c * (WIDTH + strip) + e for c in range(3) for e in (0.0, WIDTH)]
    scores = (((0.0, HEIGHT), (width, HEIGHT)), *(((x, 0.0), (x, height)) for x in xs))
    fiducials = (("P1", 3.5, 5.0), ("P2", width - 3.5, 5.0), ("P3", 3.5, height - 5.0))
    tooling = ((3.5, 10.0), (width - 3.5, 10.0), (3.5, height - 10.0), (width - 3.5, height - 10.0))
    return Panel(3, 2, WIDTH + strip, HEIGHT, rail, 0.0, width, height, WIDTH, HEIGHT, fiducials, tooling, scores)


def write_design(folder: Path, rows: list[PartRow], copper: Copper) -> None:
    """All files of Heron R2 into `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    files = {"README.txt": _readme(), "panel.json": write_panel(heron_panel()), "oven-run-1.csv": oven_run.run()}
    for side, mark in (("top", "Top"), ("bottom", "Bot")):
        files[f"heron-r2-copper-{side}.gbr"] = _copper(copper, side, mark).text()
        files[f"heron-r2-mask-{side}.gbr"] = _mask(copper, side, mark).text()
        files[f"heron-r2-paste-{side}.gbr"] = _paste(copper, side, mark).text()
        files[f"heron-r2-silk-{side}.gbr"] = _silk(rows, copper, side, mark).text()
    outline = GerberWriter("Profile,NP")
    outline.stroke(list(box(0, 0, WIDTH, HEIGHT).exterior.coords), 0.1, "Profile")
    files["heron-r2-outline.gbr"] = outline.text()
    drilled = [(p.x, p.y, p.land.drill) for p in copper.lands if p.land.drill]
    files["heron-r2-plated.drl"] = excellon(drilled + [(v.x, v.y, VIA_DRILL) for v in copper.vias], True)
    files["heron-r2-unplated.drl"] = excellon([(x, y, MOUNTING_DRILL) for x, y in MOUNTING_HOLES], False)
    files["heron-r2.ipc"] = _netlist(copper)
    files["heron-r2-placements.csv"] = _placements(rows)
    files["heron-r2-bom.csv"] = _bom(rows)
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8", newline="\n")


def _readme() -> str:
    return (
        "Heron R2, a tide-level logger for a marsh survey, by the made-up Saltreed Instruments.\n"
        "Everything here is invented and generated: python -m fusilex.demo writes it again.\n"
        "One board; panel.json steps it 3 x 2. oven-run-1.csv is the log of a made-up oven run.\n"
    )


def _shape(land: PlacedLand, grow: float = 0.0) -> str:
    if land.land.round:
        return f"C,{land.w + 2 * grow:.6f}"
    return f"R,{land.w + 2 * grow:.6f}X{land.h + 2 * grow:.6f}"


def _copper(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Copper,L{1 if side == 'top' else 2},{mark}")
    layer.regions(copper.pour.get(side, []), {".N": "GND"})
    for track in copper.tracks:
        if track.layer == side:
            layer.stroke(track.points, track.width, "Conductor", {".N": track.net})
    for via in copper.vias:
        layer.flash(via.x, via.y, f"C,{VIA_PAD:.6f}", "ViaPad", {".N": via.net})
    for land in copper.lands:
        if side in land.layers:
            function = (
                "ComponentPad"
                if land.land.drill
                else "FiducialPad,Local"
                if land.ref.startswith("FID")
                else "TestPad"
                if land.ref.startswith("TP")
                else "HeatsinkPad"
                if min(land.w, land.h) > 3
                else "SMDPad,CuDef"
            )
            layer.flash(
                land.x, land.y, _shape(land), function, {".P": f"{land.ref},{land.pin}", ".N": land.net, ".C": land.ref}
            )
    return layer


def _mask(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Soldermask,{mark}", "Negative")
    for land in copper.lands:
        if side in land.layers:
            layer.flash(
                land.x, land.y, "C,2.000000" if land.ref.startswith("FID") else _shape(land, MASK_GROWTH), "Material"
            )
    for x, y in MOUNTING_HOLES:
        layer.flash(x, y, f"C,{MOUNTING_DRILL + 0.3:.6f}", "Material")
    return layer


def _paste(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Paste,{mark}")
    for land in copper.lands:
        if land.side != side or land.land.drill:
            continue
        attributes = {".P": f"{land.ref},{land.pin}", ".C": land.ref}
        if land.land.paste is None:
            layer.flash(land.x, land.y, _shape(land), "", attributes)
        for dx, dy, w, h in land.land.paste or ():  # windows, in the land's own frame
            x, y = part_to_board((dx, dy), (land.x, land.y), land.turn, side)[0]
            w, h = (h, w) if round(land.turn / 90) % 2 else (w, h)
            layer.flash(float(x), float(y), f"R,{w:.6f}X{h:.6f}", "", attributes)
    return layer


def _letters(text: str, x: float, y: float, height: float, side: str) -> list[list[tuple[float, float]]]:
    """Strokes of a text centred on (x, y); mirrored on the bottom so that it reads from there."""
    from gerbonara.newstroke import Newstroke

    strokes = [[(float(px), -float(py)) for px, py in line] for line in Newstroke.load().render(text, size=height)]
    points = list(itertools.chain.from_iterable(strokes))
    cx = (min(p[0] for p in points) + max(p[0] for p in points)) / 2
    cy = (min(p[1] for p in points) + max(p[1] for p in points)) / 2
    return [
        [(float(q[0]), float(q[1])) for q in part_to_board([(px - cx, py - cy) for px, py in line], (x, y), 0, side)]
        for line in strokes
    ]


def _silk(rows: list[PartRow], copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Legend,{mark}")
    bare = shapely.union_all(
        [p.shape().buffer(MASK_GROWTH + 0.12) for p in copper.lands if side in p.layers]
        + [Point(x, y).buffer(MOUNTING_DRILL / 2 + 0.4) for x, y in MOUNTING_HOLES]
    )
    board = box(0.2, 0.2, WIDTH - 0.2, HEIGHT - 0.2)
    taken = [bare]

    def draw(lines: list[list[tuple[float, float]]], ref: str) -> None:
        for line in lines:
            left = LineString(line).intersection(board).difference(bare)
            for piece in shapely.get_parts(left):
                if piece.length > 0.08:
                    layer.stroke(list(piece.coords), SILK_WIDTH, "", {".C": ref} if ref else {})

    here = [r for r in rows if r.side == side]
    for row in here:
        footprint = FOOTPRINTS[row.body]
        at = (row.x, row.y)
        for line in footprint.silk:
            points = [(float(x), float(y)) for x, y in part_to_board(line, at, row.turn, side)]
            draw([points], row.ref)
            taken.append(LineString(points).buffer(SILK_WIDTH))
        if footprint.mark:
            x, y = part_to_board(footprint.mark, at, row.turn, side)[0]
            layer.flash(float(x), float(y), "C,0.350000", "", {".C": row.ref})
            taken.append(Point(x, y).buffer(0.3))
    courts = {r.ref: box(*FOOTPRINTS[r.body].courtyard) for r in here}
    for row in here:
        if row.ref.startswith(("FID",)):
            continue
        box_ = shapely.Polygon(part_to_board(list(courts[row.ref].exterior.coords), (row.x, row.y), row.turn, side))
        x0, y0, x1, y1 = box_.bounds
        wide, high = 0.42 * TEXT_HEIGHT * len(row.ref) + 0.1, TEXT_HEIGHT / 2 + 0.1
        spots = [(row.x, y1 + high), (row.x, y0 - high), (x0 - wide, row.y), (x1 + wide, row.y), (row.x, row.y)]
        for x, y in spots:
            lines = _letters(row.ref, x, y, TEXT_HEIGHT, side)
            ink = shapely.union_all([LineString(line).buffer(SILK_WIDTH / 2 + 0.05) for line in lines])
            if board.contains(ink) and not any(ink.intersects(t) for t in taken):
                draw(lines, row.ref)
                taken.append(ink.envelope)
                break
    title = (("HERON R2", 36.6, 15.2), ("SALTREED", 24.2, 6.6)) if side == "top" else (("HERON R2", 37.0, 28.4),)
    for text, x, y in title:
        draw(_letters(text, x, y, 1.4, side), "")
    return layer


def _netlist(copper: Copper) -> str:
    records = [
        (p.net, p.ref, p.pin, p.x, p.y, p.w, p.h, p.land.drill, None if p.land.drill else p.side) for p in copper.lands
    ]
    records += [(v.net, "", "", v.x, v.y, VIA_PAD, VIA_PAD, VIA_DRILL, None) for v in copper.vias]
    return ipc356(records)


def _placements(rows: list[PartRow]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Ref", "X mm", "Y mm", "Turn deg", "Side", "Body", "Value"])
    for row in rows:
        if not row.ref.startswith("TP"):
            writer.writerow([row.ref, f"{row.x:.3f}", f"{row.y:.3f}", f"{row.turn:g}", row.side, row.body, row.value])
    return out.getvalue()


def _bom(rows: list[PartRow]) -> str:
    lines: dict[tuple[str, str], list[str]] = defaultdict(list)
    for row in rows:
        if not row.ref.startswith(NOT_BOUGHT):
            lines[(row.value, row.body)].append(row.ref)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Refs", "Quantity", "Value", "Body", "Part number", "Fit"])
    for (value, body), refs in lines.items():
        writer.writerow([", ".join(refs), len(refs), value, body, part_number(value, body), "yes"])
    return out.getvalue()
