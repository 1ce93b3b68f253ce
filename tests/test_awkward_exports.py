"""Heron as other tools might hand it over: names, units, encodings and orders of nine habits, read without touching a file."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from functools import cache

import numpy as np
import pytest
import shapely
from conftest import HERON, LETTERS
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from fusilex.bench.judge_ready import ready_findings
from fusilex.core.board.model import Design, Hole
from fusilex.core.judgement import Level
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.excellon import read_excellon
from fusilex.formats.grids import grids_of
from fusilex.formats.identify import identify
from fusilex.formats.intake import design_from, read_design
from fusilex.formats.lists import BOM, PLACEMENTS, read_bom, read_placements
from fusilex.formats.tables import best_table

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


def layers(files: Files, name_of: Callable[[str], str | None]) -> Files:
    """The layers without X2 attributes, named by a habit; None leaves one out."""
    out: Files = {}
    for name, data in files.items():
        if name.endswith(".gbr"):
            stem = name.removeprefix("heron-r2-").removesuffix(".gbr")
            if (to := name_of(stem)) is not None:
                out[to] = re.sub(rb"%T[FAOD][^%]*%\n", b"", data)
    return out


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
            f"{r[0]:<8}{r[6] or '-':<18}{r[5] or '-':<28}{float(r[1]) / 0.0254:>12.2f}{float(r[2]) / 0.0254:>12.2f}{r[3]:>8}  {r[4]}"
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
                lines += [f"%TO.C,{p.ref}*%", f"%TO.CRot,{p.turn:g}*%", f"%TO.CVal,{p.value}*%", f"%TO.CFtp,{p.body}*%"]
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
        | {"xy.dat": placed.encode("utf-8-sig"), "parts.dat": bom.encode()}
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


HABITS = {  # habit: kinds of finding wanted, rules of care wanted
    habit_letters: (set(), set()),
    habit_without_names: (set(), {"ready.guessed"}),
    habit_old_two_layers: (set(), {"ready.derived"}),
    habit_spreadsheets: (set(), set()),
    habit_latin: (set(), set()),
    habit_no_outline: (set(), {"ready.derived"}),
    habit_component_layers: (set(), set()),
    habit_no_header: (set(), {"ready.columns"}),
    habit_mirrored_inch: ({"systematic"}, set()),
}


@pytest.mark.parametrize("habit", HABITS, ids=lambda h: h.__name__.removeprefix("habit_"))
def test_any_export_gives_the_same_board(
    heron: Design, heron_files: Files, habit: Callable[[Design, Files], Files]
) -> None:
    wanted, cares = HABITS[habit]
    design = design_from(habit(heron, heron_files), "awkward")
    findings, judged = ready_findings(design)
    assert {f.kind for f in findings} == wanted, [f.text for f in findings]
    assert {j.rule for j in judged if j.level is Level.CARE} - {"ready.body"} == cares
    assert {p.ref for p in design.placements} == {p.ref for p in heron.placements}
    for part in heron.parts:
        other = design.part_by_ref[part.ref]
        assert other.side == part.side and other.turn == pytest.approx(part.turn, abs=1e-3)
        if not wanted:
            assert (other.x, other.y) == pytest.approx((part.x, part.y), abs=2e-3)
    kept = {(x.role, x.side) for x in design.layers}
    assert kept >= {("copper", "top"), ("copper", "bottom"), ("mask", "top"), ("paste", "top"), ("paste", "bottom")}
    silk = design.layer("silk", "top")
    assert silk is not None and silk.area.equals_exact(heron.layer("silk", "top").area, 1e-6)  # type: ignore[union-attr]
    if design.holes:
        assert len(design.holes) in (len(heron.holes), sum(h.plated for h in heron.holes))
        at = shapely.STRtree(shapely.points([[h.x, h.y] for h in heron.holes]))
        points = shapely.points([[h.x, h.y] for h in design.holes])
        which, whom = at.query_nearest(points, max_distance=0.02, all_matches=False)
        assert len(which) == len(design.holes)
        for a, b in zip(which, whom, strict=True):
            assert design.holes[a].diameter == pytest.approx(heron.holes[b].diameter, abs=0.01)


def test_a_bare_layer_set_still_makes_parts(heron: Design, heron_files: Files) -> None:
    design = design_from(
        layers(heron_files, ending(LETTERS)) | {n: d for n, d in heron_files.items() if n.endswith(".drl")}, "bare"
    )
    assert design.guessed_parts and all(p.ref.startswith("?") for p in design.parts)
    middles = {(round(p.x, 1), round(p.y, 1), p.side) for p in design.parts}
    fitted = [p for p in heron.parts if p.fitted]
    found = sum((round(p.x, 1), round(p.y, 1), p.side) in middles for p in fitted)
    assert found >= 0.85 * len(fitted)
    named = design_from({n: d for n, d in heron_files.items() if "placements" not in n}, "named")
    assert {p.ref for p in named.parts} >= {p.ref for p in fitted} and not named.guessed_parts


@pytest.mark.parametrize("unit", ["mm", "inch"])
def test_digits_of_a_drill_file_are_told_by_the_pads(heron: Design, unit: str) -> None:
    copper = heron.layer("copper", "top")
    assert copper
    pads = copper.polygons[copper.flashed]
    scale = 1.0 if unit == "mm" else 1 / 25.4
    for decimals in (3, 4) if unit == "inch" else (2, 3):
        data = drill(heron.holes, "", lambda v: f"{round(v * scale * 10**decimals)}", lambda d: f"{d * scale:.4f}")  # noqa: B023
        found = read_excellon(data, "x.drl", pads)
        want = np.array([[h.x, h.y] for h in sorted(heron.holes, key=lambda h: h.diameter)])
        got = np.array([[h.x, h.y] for h in found])
        assert np.abs(got - want).max() < (0.06 if decimals < 3 or (unit == "inch" and decimals == 3) else 0.01)


@cache
def awkward(name: str) -> bytes:
    """One of the files above, by its name."""
    heron, files = read_design(HERON), read_files(HERON)
    for habit in (
        habit_letters,
        habit_old_two_layers,
        habit_spreadsheets,
        habit_latin,
        habit_no_header,
        habit_without_names,
    ):
        if name in (made := habit(heron, files)):
            return made[name]
    raise KeyError(name)


changes = st.tuples(st.floats(0, 1), st.sampled_from(("cut", "flip", "double", "drop")), st.integers(0, 255))


@pytest.mark.parametrize(
    "name", ["pos.txt", "parts.lst", "Stückliste.xlsx", "placement.csv", "xy.dat", "drill.drl", "job.tap"]
)
@settings(max_examples=25)
@given(st.lists(changes, min_size=1, max_size=4))
def test_mutated_lists_and_drills_never_crash(name: str, made: list[tuple[float, str, int]]) -> None:
    data = bytearray(awkward(name))
    for at, how, value in made:
        i = int(at * (len(data) - 1)) if data else 0
        if how == "cut":
            del data[i:]
        elif how == "flip" and data:
            data[i] = value
        elif how == "double":
            data[i:i] = data[i : i + value]
        else:
            del data[i : i + value]
    read = read_excellon if name.endswith((".drl", ".tap")) else read_bom if "Stück" in name else read_placements
    try:
        identify(name, bytes(data))
        read(bytes(data), name)  # type: ignore[operator]
    except BadInput as problem:
        assert name in str(problem)


def test_doubt_is_told_by_wording_and_content() -> None:
    sure = best_table(b"Ref,X,Y,Side\nR1,1.5,2,top\nR2,2,3,top\n", "p.csv", PLACEMENTS)
    assert sure is not None and sure.doubtful == []
    odd = best_table(b"Ref,X,Y,Side\nR1,left,2,top\nR2,right,3,top\n", "p.csv", PLACEMENTS)
    assert odd is not None and odd.doubtful == ["x"]
    bare = best_table(b"1;R1,R2;10 k\n1;C1;1 uF\n1;C2-C4;10 uF\n", "b.csv", BOM)
    assert bare is not None and bare.sure["refs"] < 1 and bare.cell(0, "refs") == "R1,R2"
    assert [g.how for g in grids_of(b"a b c\nd e f\ng h i\n", "x")] == ["fixed columns"]
