"""Files that are small to write and large to read: each is answered or refused within the budget."""

from __future__ import annotations

import io
import math
import random
import zipfile
from collections.abc import Callable
from pathlib import Path

HERON = Path(__file__).parents[2] / "src/fusilex/demo/heron-r2"
HEAD = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.2*%\nG01*\nD10*\n"
OUTLINE = HEAD + "X0Y0D02*\nX50000000D01*\nY50000000D01*\nX0D01*\nY0D01*\nM02*\n"
Made = dict[str, bytes]


def with_layer(text: str, name: str = "b-copper-top.gbr") -> Made:
    return {"b-outline.gbr": OUTLINE.encode(), name: text.encode()}


def steps() -> Made:
    return with_layer(HEAD + "%SRX99999Y99999I0.1J0.1*%\nX0Y0D03*\n%SR*%\nM02*\n")


def steps_in_blocks() -> Made:
    blocks = "".join(f"%ABD{n + 1}*%\n" + f"D{n}*\nX0Y0D03*\nX1000000Y0D03*\n" * 5 + "%AB*%\n" for n in range(10, 40))
    return with_layer(HEAD + blocks + "D40*\nX0Y0D03*\nM02*\n")


def corners() -> Made:
    dice = random.Random(1)
    points = "".join(f"X{dice.randrange(50_000_000)}Y{dice.randrange(50_000_000)}D01*\n" for _ in range(1_000_000))
    return with_layer(f"{HEAD}G36*\nX0Y0D02*\n{points}G37*\nM02*\n")


def comb() -> Made:
    """A million corners that are a true polygon."""
    points = "".join(f"X{40 * n}Y{(n % 4 in (1, 2)) * 40_000_000}D01*\n" for n in range(1, 1_000_000))
    return with_layer(f"{HEAD}G36*\nX0Y-1000000D02*\n{points}X40000000Y-1000000D01*\nX0D01*\nG37*\nM02*\n")


def dark_and_clear() -> Made:
    changes = "".join(
        f"%LP{'DC'[n % 2]}*%\nX{(n * 7919) % 50_000_000}Y{(n * 104729) % 50_000_000}D03*\n" for n in range(60_000)
    )
    return with_layer(HEAD + changes + "M02*\n")


def moves() -> Made:
    return with_layer(HEAD + "X1000Y1000D02*\n" * (36 * 2**20 // 15) + "M02*\n")


def one_line() -> Made:
    return with_layer(HEAD + "G04 " + "x" * (46 * 2**20) + "*\nM02*\n")


def one_line_of_commands() -> Made:
    return with_layer(HEAD + "X1Y1D01*" * (46 * 2**20 // 8) + "M02*\n")


def drill_repeats() -> Made:
    body = "M48\nMETRIC,TZ\nT1C0.3\n%\nT1\nX001000Y001000\nR99999999X0001Y0001\nM30\n"
    return with_layer(HEAD + "X0Y0D03*\nM02*\n") | {"b.drl": body.encode()}


def drill_blocks() -> Made:
    body = "M48\nMETRIC,TZ\nT1C0.3\n%\nT1\n" + "M25\nX001000Y001000\n" + "R9999M02X0001Y0001\n" * 5000 + "M30\n"
    return with_layer(HEAD + "X0Y0D03*\nM02*\n") | {"b.drl": body.encode()}


def rows() -> Made:
    return heron() | {"heron-r2-bom.csv": b"Refs,Quantity,Value,Package\n" + b"R1,1,10k,0402\n" * 3_000_000}


def wide_row() -> Made:
    return heron() | {"heron-r2-bom.csv": b"Refs,Quantity,Value,Package\n" + b"R1," * 8_000_000 + b"\n"}


def sheet(row: str, times: int) -> Made:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, text in (
            (
                "[Content_Types].xml",
                '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>',
            ),
            (
                "_rels/.rels",
                '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>',
            ),
            (
                "xl/workbook.xml",
                '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>',
            ),
            (
                "xl/_rels/workbook.xml.rels",
                '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
            ),
        ):
            made.writestr(name, text)
        with made.open("xl/worksheets/sheet1.xml", "w") as out_:
            out_.write(b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>')
            out_.write(row.encode() * times)
            out_.write(b"</sheetData></worksheet>")
    rest = {n: d for n, d in heron().items() if "bom" not in n}
    return rest | {"heron-r2-bom.xlsx": out.getvalue()}


def wide_sheet() -> Made:
    return sheet("<row>" + "<c><v>1</v></c>" * 3_000_000 + "</row>", 1)


def far_cell() -> Made:
    return sheet('<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row>', 1)


def long_sheet() -> Made:
    return sheet("<row><c><v>1</v></c></row>", 3_000_000)


def heron() -> Made:
    return {p.name: p.read_bytes() for p in HERON.iterdir() if p.is_file()}


def piled(at: str = "10,10") -> Made:
    lines = "".join(f"R{n},{at},0,top,0402,10k\n" for n in range(20_000))
    bom = "".join(f"R{n},1,10k,0402\n" for n in range(20_000))
    return heron() | {
        "heron-r2-placements.csv": f"Ref,X,Y,Rot,Side,Package,Value\n{lines}".encode(),
        "heron-r2-bom.csv": f"Refs,Quantity,Value,Package\n{bom}".encode(),
    }


def piled_pads() -> Made:
    """As many pads on one spot, in layers that name nothing."""
    flashes = "".join(f"X{10_000_000 + n % 7}Y10000000D03*\n" for n in range(60_000))
    layer = HEAD.replace("C,0.2", "R,0.6X0.5") + flashes + "M02*\n"
    return with_layer(layer) | {"b-mask-top.gbr": layer.encode(), "b-paste-top.gbr": layer.encode()}


def in_three_layers(aperture: str, flashes: str) -> Made:
    layer = HEAD.replace("C,0.2", aperture) + flashes + "M02*\n"
    names = {f"b-{name}-top.gbr": layer.encode() for name in ("copper", "mask", "paste")}
    return names | {"b-outline.gbr": OUTLINE.replace("50000000", "200000000").encode()}


def field_of_pads() -> Made:
    """A pad every 0.8 mm, as far as the eye reaches."""
    spots = (f"X{n % 250 * 800_000}Y{n // 250 * 800_000}D03*\n" for n in range(60_000))
    return in_three_layers("R,0.4X0.4", "".join(spots))


def pads_in_a_row() -> Made:
    """Fine strips side by side."""
    return in_three_layers("R,0.002X1.5", "".join(f"X{n * 3_000}Y10000000D03*\n" for n in range(60_000)))


def ranges() -> Made:
    lines = "".join(f'"R1-R99999, R{n}-R{n + 90000}",1,10k,0402\n' for n in range(4_000))
    return heron() | {"heron-r2-bom.csv": f"Refs,Quantity,Value,Package\n{lines}".encode()}


def macros() -> Made:
    body = "1,1,$1x" + "(" * 40_000 + "1" + ")" * 40_000
    return with_layer(HEAD.replace("G01*", f"%AMM*{body}*%\n%ADD11M,1*%\nG01*") + "D11*\nX0Y0D03*\nM02*\n")


def deep_json() -> Made:
    return heron() | {"panel.json": b'{"a":' * 100_000 + b"1" + b"}" * 100_000}


def netlist() -> Made:
    return heron() | {
        "heron-r2.ipc": b"317GND              R1    -1   D0300PA00X+012345Y+012345X0300Y0300R000S3\n" * 600_000
    }


def log() -> Made:
    return {"log.csv": b"time,temp\n" + b"".join(b"%d,%d\n" % (n, 25 + n % 200) for n in range(3_000_000))}


def zip_of(files: Callable[[], Made]) -> Made:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files().items():
            made.writestr(name, data)
    return {"b.zip": out.getvalue()}


def honest() -> Made:
    """48 MB of plain Gerber in layers as boards have them: lines, pads, and pours of many corners."""
    made = {"b-outline.gbr": OUTLINE.encode()}
    for name in ("b-copper-top.gbr", "b-copper-bottom.gbr", "b-mask-top.gbr", "b-paste-top.gbr"):
        out, size, n = [HEAD], 0, 0
        while size < 12 * 2**20 - 4000:
            x, y = 1_000_000 + n % 45 * 1_000_000, 1_000_000 + n // 45 % 45 * 1_000_000
            ring = [
                (x + round(4e5 * math.cos(k * math.pi / 60)), y + round(4e5 * math.sin(k * math.pi / 60)))
                for k in range(121)
            ]
            pour = "".join(f"X{a}Y{b}D01*\n" for a, b in ring[1:])
            piece = f"G36*\nX{ring[0][0]}Y{ring[0][1]}D02*\n{pour}G37*\nX{x}Y{y}D02*\nX{x + 400_000}Y{y}D01*\nX{x}Y{y}D03*\n"
            out.append(piece)
            size += len(piece)
            n += 1
        made[name] = ("".join(out) + "M02*\n").encode()
    return made


def honest_one() -> Made:
    """48 MB in one layer."""
    made = honest()
    body = b"".join(
        made.pop(name).replace(HEAD.encode(), b"").replace(b"M02*\n", b"")
        for name in list(made)
        if "outline" not in name
    )
    return made | {"b-mask-top.gbr": HEAD.encode() + body + b"M02*\n"}


HONEST = {made.__name__: made for made in (honest, honest_one)}
BOMBS: dict[str, Callable[[], Made]] = {
    made.__name__: made
    for made in (
        steps, steps_in_blocks, corners, comb, dark_and_clear, moves, one_line, one_line_of_commands, drill_repeats,
        drill_blocks, piled_pads, field_of_pads, pads_in_a_row, rows, wide_row, wide_sheet, far_cell, long_sheet, piled, ranges, macros, deep_json, netlist, log,
    )
}  # fmt: skip
