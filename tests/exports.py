"""Heron as other tools might hand it over: names, units, encodings and orders of many habits."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable

from conftest import LETTERS
from openpyxl import Workbook

from fusilex.core.design.model import BomLine, Design, Hole, Placement
from fusilex.formats.bundle import Files
from fusilex.formats.lists.design_lists import bom_in, placements_in
from fusilex.formats.lists.headings import BOM, PLACEMENTS
from fusilex.formats.lists.tables import read_table

OLD = {
    "copper-top": "cmp",
    "copper-bottom": "sol",
    "mask-top": "stc",
    "mask-bottom": "sts",
    "silk-top": "plc",
    "outline": "bor",
}
WORDS = {
    "copper-top": "Kupfer_Oben.ger",
    "copper-bottom": "Kupfer_Unten.ger",
    "mask-top": "Loetstopp_Oben.ger",
    "mask-bottom": "Loetstopp_Unten.ger",
    "paste-top": "Pastenmaske_Oben.ger",
    "paste-bottom": "Pastenmaske_Unten.ger",
    "silk-top": "Bestueckungsdruck_Oben.ger",
    "silk-bottom": "Bestueckungsdruck_Unten.ger",
    "outline": "Umriss.ger",
}


def read_placements(data: bytes, name: str) -> tuple[Placement, ...]:
    return placements_in(read_table(data, name, PLACEMENTS))


def read_bom(data: bytes, name: str) -> tuple[BomLine, ...]:
    return bom_in(read_table(data, name, BOM))


def layers(files: Files, name_of: Callable[[str], str | None]) -> Files:
    """The layers without X2 attributes, named by a habit; None leaves one out."""
    out: Files = {}
    for name, data in files.items():
        if name.endswith(".gbr"):
            stem = name.removeprefix("heron-r2-").removesuffix(".gbr")
            if (to := name_of(stem)) is not None:
                out[to] = re.sub(rb"%T[FAOD][^%]*%\n", b"", data)
    return out


def shifted(data: bytes, dx: float, dy: float, mirror: bool = False) -> bytes:
    """A layer or drill file moved, in mm; mirrored about its own y axis first."""

    def move(m: re.Match[bytes]) -> bytes:
        one = 1 if b"." in m[1] else 10**6
        x, y = float(m[1]) * (-1 if mirror else 1) + dx * one, float(m[2]) + dy * one
        return b"X%.3fY%.3f" % (x, y) if one == 1 else b"X%dY%d" % (round(x), round(y))

    return re.sub(rb"^X(-?[\d.]+)Y(-?[\d.]+)", move, data, flags=re.M)


def ending(table: dict[str, str]) -> Callable[[str], str | None]:
    return lambda stem: f"board.{table[stem]}" if stem in table else None


def drill(holes: tuple[Hole, ...], header: str, value: Callable[[float], str], tool: Callable[[float], str]) -> bytes:
    """A drill file: a header (may be empty), tools with sizes, coordinates written by `value`."""
    sizes = sorted({h.diameter for h in holes})
    lines = ["M48", header, *(f"T{i:02d}C{tool(d)}" for i, d in enumerate(sizes, 1)), "%"] if header else ["%"]
    for i, size in enumerate(sizes, 1):
        lines.append(f"T{i:02d}" if header else f"T{i:02d}C{tool(size)}")
        lines += [f"X{value(h.x)}Y{value(h.y)}" for h in holes if h.diameter == size]
    return "\n".join([*lines, "M30", ""]).encode()


def drills(files: Files) -> Files:
    return {n: d for n, d in files.items() if n.endswith(".drl")}


def rows(files: Files, which: str) -> list[list[str]]:
    return list(csv.reader(files[f"heron-r2-{which}.csv"].decode().splitlines()))


def sheet(table: list[list[str]], *above: str) -> bytes:
    book = Workbook()
    for line in above:
        book.active.append([line])
    for row in table:
        book.active.append([float(c) if re.fullmatch(r"-?\d+\.\d+", c) else c for c in row])
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def habit_letters(heron: Design, files: Files) -> Files:
    placed = [
        [r[0], *(v.replace(".", ",") for v in r[1:3]), r[3], r[4][0].upper(), r[5], r[6]]
        for r in rows(files, "placements")[1:]
    ]
    text = "Bench list\nDesignator;Mid X;Mid Y;Rotation;Layer;Footprint;Comment\n" + "\n".join(
        ";".join(r) for r in placed
    )
    return layers(files, ending(LETTERS)) | {
        "pos.txt": text.encode("utf-16"),
        "drill.drl": drill(
            heron.holes,
            "INCH,LZ",
            lambda v: f"{round(v / 25.4 * 1e4):06d}".rstrip("0") or "0",
            lambda d: f"{d / 25.4:.4f}",
        ),
    }


def habit_without_names(heron: Design, files: Files) -> Files:
    counted = iter(range(1, 20))
    return layers(files, lambda stem: f"job{next(counted)}.gbr") | {
        "job.tap": drill(heron.holes, "", lambda v: f"{round(v / 25.4 * 1e4)}", lambda d: f"{d / 25.4:.4f}"),
        "a.csv": files["heron-r2-placements.csv"],
        "b.csv": files["heron-r2-bom.csv"],
    }


def habit_old_two_layers(heron: Design, files: Files) -> Files:
    """No paste, no bottom silk; a drill file without header in 3.3 metric; a list in fixed columns of mil."""
    lines = [f"{'PART':<8}{'VALUE':<18}{'PACKAGE':<28}{'X':>12}{'Y':>12}{'ROT':>8}  SIDE"]
    for r in rows(files, "placements")[1:]:
        lines.append(
            f"{r[0]:<8}{r[6] or '-':<18}{r[5] or '-':<28}{float(r[1]) / 0.0254:>12.2f}{float(r[2]) / 0.0254:>12.2f}{r[3]:>8}"
            f"  {r[4]}"
        )
    return layers(files, ending(OLD)) | {
        "board.drd": drill(heron.holes, "", lambda v: f"{round(v * 1e3)}", lambda d: f"{d:.3f}"),
        "parts.lst": ("Positions of all parts\nUnits: mil\n\n" + "\n".join(lines)).encode(),
        "board.bom": "\n".join(";".join(r) for r in rows(files, "bom")).encode(),
    }


def habit_spreadsheets(heron: Design, files: Files) -> Files:
    bom = [
        ["Stück", "Bezeichner", "Wert", "Gehäuse", "Bestellnummer"],
        *([r[1], r[0], r[2], r[3], r[4]] for r in rows(files, "bom")[1:]),
    ]
    placed = [
        ["Bauteil", "Pos X [mm]", "Pos Y [mm]", "Drehung", "Seite", "Bauform", "Wert"],
        *rows(files, "placements")[1:],
    ]
    return layers(files, lambda stem: WORDS[stem]) | {
        "Stückliste.xlsx": sheet(bom, "Saltreed Instruments", "Heron R2"),
        "Bestückung.xlsx": sheet(
            [[r[0], *r[1:4], {"top": "oben", "bottom": "unten"}.get(r[4], r[4]), *r[5:]] for r in placed]
        ),
        "Bohren.exc": drill(heron.holes, "METRIC,TZ", lambda v: f"{round(v * 1e3):06d}", lambda d: f"{d:.3f}"),
    }


def habit_latin(heron: Design, files: Files) -> Files:
    head = "Repère;Valeur;Boîtier;X (mm);Y (mm);Angle;Côté"
    lines = [
        f"{r[0]};{r[6]};{r[5]};{r[1].replace('.', ',')};{r[2].replace('.', ',')};{r[3]};{'dessus' if r[4] == 'top' else 'dessous'}"
        for r in rows(files, "placements")[1:]
    ]
    return (
        layers(files, ending(LETTERS))
        | drills(files)
        | {
            "placement.csv": "\r\n".join([head, *lines]).encode("latin-1"),
            "bom.csv": files["heron-r2-bom.csv"],
        }
    )


def habit_no_outline(heron: Design, files: Files) -> Files:
    keep = layers(files, lambda stem: None if stem == "outline" else f"board.{LETTERS[stem]}")
    return keep | {n: files[n] for n in ("heron-r2-placements.csv", "heron-r2-bom.csv", "heron-r2-plated.drl")}


def habit_component_layers(heron: Design, files: Files) -> Files:
    """X2 component layers instead of a placement list."""
    out = {n: d for n, d in files.items() if "placements" not in n}
    for side, word in (("top", "L1,Top"), ("bottom", "L2,Bot")):
        lines = [
            f"%TF.FileFunction,Component,{word}*%",
            "%FSLAX46Y46*%",
            "%MOMM*%",
            "%TA.AperFunction,ComponentMain*%",
            "%ADD10C,0.3*%",
            "D10*",
        ]
        for p in heron.placements:
            if p.side == side:
                lines += [
                    f"%TO.C,{p.ref}*%",
                    f"%TO.CRot,{p.rotation_deg:g}*%",
                    f"%TO.CVal,{p.value}*%",
                    f"%TO.CFtp,{p.package}*%",
                ]
                lines += [f"X{round(p.x * 1e6)}Y{round(p.y * 1e6)}D03*", "%TD*%"]
        out[f"heron-components-{side}.gbr"] = "\n".join([*lines, "M02*", ""]).encode()
    return out


def habit_no_header(heron: Design, files: Files) -> Files:
    """Lists without a header, the parts not to be fitted under a heading, long designator lists over several lines."""
    placed = "\n".join("\t".join(r) for r in rows(files, "placements")[1:])
    bom = "\n".join(";".join([r[1], f'"{r[0]}"', r[2], r[3]]) for r in rows(files, "bom")[1:])
    return (
        layers(files, ending(LETTERS))
        | drills(files)
        | {
            "xy.dat": placed.encode("utf-8-sig"),
            "parts.dat": bom.encode(),
        }
    )


def habit_mirrored_inch(heron: Design, files: Files) -> Files:
    """Inch in the header, the bottom as seen from below, units and comments above."""
    lines = ["# made for the bench", "Ref,X (inch),Y (inch),Rotation,TB,Package,Value"]
    for r in rows(files, "placements")[1:]:
        x = 44 - float(r[1]) if r[4] == "bottom" else float(r[1])
        lines.append(
            ",".join(
                [r[0], f"{x / 25.4:.5f}", f"{float(r[2]) / 25.4:.5f}", r[3], r[4][0].upper(), f'"{r[5]}"', f'"{r[6]}"']
            )
        )
    return (
        layers(files, ending(LETTERS))
        | drills(files)
        | {
            "centroid.csv": "\n".join(lines).encode(),
            "bom.csv": files["heron-r2-bom.csv"],
        }
    )


def of_letters(heron: Design, files: Files, lists: Files) -> Files:
    """Layers by the old endings and plain drills, beside some lists."""
    return layers(files, ending(LETTERS)) | drills(files) | {"bom.csv": files["heron-r2-bom.csv"]} | lists


def habit_a_list_a_side(heron: Design, files: Files) -> Files:
    """Two lists without a column for the side: the names say which."""
    lists = {}
    for side in ("top", "bottom"):
        lines = [",".join((r[0], *r[1:4], r[6])) for r in rows(files, "placements")[1:] if r[4] == side]
        lists[f"machine_{side}.csv"] = "\n".join(["Ref,PosX,PosY,Rot,Val", *lines]).encode()
    return of_letters(heron, files, lists)


def habit_lists_without_side(heron: Design, files: Files) -> Files:
    """The same, but nothing says which: the pads do."""
    lists = habit_a_list_a_side(heron, files)
    return {{"machine_top.csv": "one.csv", "machine_bottom.csv": "two.csv"}.get(n, n): d for n, d in lists.items()}


def habit_one_workbook(heron: Design, files: Files) -> Files:
    book = Workbook()
    for title, which in (("Parts", "bom"), ("Where", "placements")):
        page = book.create_sheet(title)
        for row in rows(files, which):
            page.append([float(c) if re.fullmatch(r"-?\d+\.\d+", c) else c for c in row])
    stream = io.BytesIO()
    book.save(stream)
    return layers(files, ending(LETTERS)) | drills(files) | {"everything.xlsx": stream.getvalue()}


def habit_blanks(heron: Design, files: Files) -> Files:
    """Words with single blanks between them, a column that says whether a part is mirrored; the sum below the parts
    to buy.
    """
    lines = ["REFDES X Y ROTATION MIRROR"]
    lines += [" ".join((*r[:4], "YES" if r[4] == "bottom" else "NO")) for r in rows(files, "placements")[1:]]
    bom = ["Heron;R2;;", "Qty;Reference(s);Description;Package"]
    bom += [f'{r[1]};"{r[0]}";{r[2]};{r[3]}' for r in rows(files, "bom")[1:]]
    return of_letters(
        heron, files, {"place.txt": "\n".join(lines).encode(), "bom.csv": "\n".join([*bom, "Sum;48;;"]).encode()}
    )


def habit_side_words(heron: Design, files: Files) -> Files:
    """Words for the sides that mean either in another language, units in every cell, UTF-16 without its mark."""
    lines = ["Bezeichner\tMitte-X\tMitte-Y\tWinkel\tSeite"]
    for r in rows(files, "placements")[1:]:
        x, y, turn = (v.replace(".", ",") for v in r[1:4])
        lines.append(f"{r[0]}\t{x} mm\t{y} mm\t{turn}°\t{'LS' if r[4] == 'bottom' else 'BS'}")
    return of_letters(heron, files, {"list.tsv": "\n".join(lines).encode("utf-16-be")})


def habit_codes(heron: Design, files: Files) -> Files:
    """Names of two letters and a side, drawn with G01 in every line, in inch; a list in micrometres."""
    short = {"copper": "", "mask": "SM", "paste": "SP", "silk": "SS"}
    named = layers(
        files,
        lambda s: f"{short.get(s.split('-')[0], s)}{ {'top': 'TOP', 'bottom': 'BOT'}.get(s.split('-')[-1], '') }.art",
    )
    lines = ["Ref;X (µm);Y (µm);Angle;Face"]
    for r in rows(files, "placements")[1:]:
        lines.append(f"{r[0]};{float(r[1]) * 1e3:.0f};{float(r[2]) * 1e3:.0f};{r[3]};{r[4]}")
    return (
        {n: re.sub(rb"(X-?\d+Y-?\d+D01\*)", rb"G01\1", d) for n, d in named.items()}
        | drills(files)
        | {"bom.csv": files["heron-r2-bom.csv"], "where.csv": "\n".join(lines).encode("latin-1")}
    )


def habit_comments(heron: Design, files: Files) -> Files:
    """Attributes in comments, for readers that know no others; names that say nothing; much else in the folder."""
    out = {
        f"out/{n}/{len(n)}.gbr": re.sub(rb"%(T[FAOD][^%]*)\*%", rb"G04 #@! \1*", d)
        for n, d in files.items()
        if n.endswith(".gbr")
    }
    junk = {"out/README.txt": b"Take care.\nThanks.\n", "out/a.pdf": b"%PDF-1.4\n\x00", "out/job.json": b'{"a": 1}'}
    return out | junk | {f"out/{n}": d for n, d in files.items() if not n.endswith(".gbr")}


def habit_pages(heron: Design, files: Files) -> Files:
    """A report in pages with the heading on each, a mark for mirrored parts; a table of apertures that looks like a
    list of parts; drills with the digits stated in a comment and much else in the header.
    """
    lines = ["UNITS = MILS", ""]
    for i, r in enumerate(rows(files, "placements")[1:]):
        if i % 20 == 0:
            lines += [
                f"Page {i // 20 + 1}",
                "",
                f"RefDes   {'Package':<24} X-Location  Y-Location  Angle  Mirror",
                "-" * 70,
            ]
        x, y = (f"{float(v) / 0.0254:>11.1f}" for v in r[1:3])
        lines.append(f"{r[0]:<8} {r[5] or '-':<24}{x}{y} {r[3]:>6}  {'m' if r[4] == 'bottom' else ''}")
    head = ";FORMAT={3:3}\nFMAT,2\nMETRIC,LZ\nICI,OFF"
    drilled = drill(heron.holes, head, lambda v: f"{round(v * 1e3):06d}".rstrip("0") or "0", lambda d: f"{d:.3f}")
    apertures = "\n".join(f"D{n} ROUND {n / 2:.1f} {n / 2:.1f} 0.0 LINE 0" for n in range(10, 30))
    return (
        layers(files, ending(LETTERS))
        | {"board.txt": drilled, "a.apr": apertures.encode(), "bom.csv": files["heron-r2-bom.csv"]}
        | {"place.rpt": "\n".join(lines).encode()}
    )


def habit_comment_heading(heron: Design, files: Files) -> Files:
    """The heading of the list is a comment, as its unit is; the designators of a line to buy go on below one
    another.
    """
    lines = [
        "### where the parts are ###",
        "## Unit = inch",
        f"# {'Ref':<8} {'Package':<24} {'PosX':>9} {'PosY':>9} {'Rot':>8}  Side",
    ]
    for r in rows(files, "placements")[1:]:
        x, y = (f"{float(v) / 25.4:>9.5f}" for v in r[1:3])
        lines.append(f"{r[0]:<10} {(r[5] or '-').replace(' ', '_'):<24} {x} {y} {float(r[3]):>8.4f}  {r[4]}")
    bom = ["Item\tQuantity\tReference\tPart"]
    for i, r in enumerate(rows(files, "bom")[1:], 1):
        first, *more = r[0].replace(",", " ").split()
        bom += [f"{i}\t{r[1]}\t{first}\t{r[2]}", *(f"\t\t{ref}\t" for ref in more)]
    lists = {"list.pos": "\n".join([*lines, "## End"]).encode(), "bom.csv": "\n".join(bom).encode()}
    return of_letters(heron, files, lists)


def habit_all_in_one(heron: Design, files: Files) -> Files:
    """One list for placing and buying, with the corner of each part before its middle and the units in a row of their
    own.
    """
    lines = [
        "Designator;Pad X;Pad Y;Mid X;Mid Y;Rotation;Layer;Footprint;Comment;Supplier part",
        ";mil;mil;mil;mil;deg;;;;",
    ]
    number = {ref: r[4] for r in rows(files, "bom")[1:] for ref in r[0].replace(",", " ").split()}
    for r in rows(files, "placements")[1:]:
        x, y = (float(v) / 0.0254 for v in r[1:3])
        layer = {"top": "TopLayer", "bottom": "BottomLayer"}[r[4]]
        cells = [f'"=""{r[0]}"""', f"{x - 20:.2f}", f"{y + 9:.2f}", f"{x:.2f}", f"{y:.2f}", r[3], layer, *r[5:7]]
        lines.append(";".join([*cells, number.get(r[0], "")]))
    return layers(files, ending(LETTERS)) | drills(files) | {"all.csv": "\n".join(lines).encode()}
