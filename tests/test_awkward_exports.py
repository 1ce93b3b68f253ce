"""Heron as other tools might hand it over: names, units, encodings and orders of many habits, read without touching a
file.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable
from functools import cache
from pathlib import Path

import asked as c
import exports
import numpy as np
import pytest
import shapely
from conftest import HERON, LETTERS
from exports import read_bom, read_placements
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fusilex.bench.intake.design import design_from, read_design
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.core.checks.advice import suggestions
from fusilex.core.checks.side_order import SIDE_ORDERS
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.identify import identify
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.lists.grids import grids_of
from fusilex.formats.lists.headings import BOM, PLACEMENTS
from fusilex.formats.lists.tables import best_table
from fusilex.journal.place import sqlite_url

HABITS = {  # habit: kinds of finding wanted, rules of care wanted
    exports.habit_letters: (set(), set()),
    exports.habit_without_names: (set(), {"ready.guessed"}),
    exports.habit_old_two_layers: (set(), {"ready.derived"}),
    exports.habit_spreadsheets: (set(), set()),
    exports.habit_latin: (set(), set()),
    exports.habit_no_outline: (set(), {"ready.derived"}),
    exports.habit_component_layers: (set(), set()),
    exports.habit_no_header: (set(), {"ready.columns"}),
    exports.habit_mirrored_inch: ({"systematic"}, set()),
    exports.habit_a_list_a_side: (set(), set()),
    exports.habit_lists_without_side: (set(), {"ready.side-word"}),
    exports.habit_one_workbook: (set(), set()),
    exports.habit_blanks: (set(), set()),
    exports.habit_side_words: (set(), {"ready.side-word"}),
    exports.habit_codes: (set(), {"ready.guessed"}),
    exports.habit_comments: (set(), set()),
    exports.habit_pages: (set(), set()),
    exports.habit_comment_heading: (set(), set()),
    exports.habit_all_in_one: (set(), set()),
}


@pytest.mark.parametrize("habit", HABITS, ids=lambda h: h.__name__.removeprefix("habit_"))
def test_any_export_gives_the_same_board(
    tmp_path: Path, heron: Design, heron_files: Files, habit: Callable[[Design, Files], Files]
) -> None:
    wanted, cares = HABITS[habit]
    bench = Bench.open_batch(open_journal(sqlite_url(tmp_path / "j.sqlite")), habit(heron, heron_files), "awkward", 2)
    design = bench.design
    findings, judged = ready_findings(design)
    for school in SIDE_ORDERS:
        bench.do(c.ChooseSides(school))
        assert {j.key for j in bench.judgements("Ready")} >= {j.key for j in judged}
    assert bench.judgements("Kit") and suggestions(design, None) and bench.batch.lines
    assert {f.kind for f in findings} == wanted, [f.text for f in findings]
    assert {j.rule for j in judged if j.level is Level.CARE} - {"ready.package"} == cares
    assert {p.ref for p in design.placements} == {p.ref for p in heron.placements}
    for part in heron.parts:
        other = design.part_by_ref[part.ref]
        assert other.side == part.side and other.rotation_deg == pytest.approx(part.rotation_deg, abs=1e-3)
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
        exports.layers(heron_files, exports.ending(LETTERS))
        | {n: d for n, d in heron_files.items() if n.endswith(".drl")},
        "bare",
    )
    assert design.guessed_parts and all(p.ref.startswith("?") for p in design.parts)
    middles = {(round(p.x, 1), round(p.y, 1), p.side) for p in design.parts}
    fitted = [p for p in heron.parts if p.populated]
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
        digits = scale * 10**decimals
        data = exports.drill(heron.holes, "", lambda v, by=digits: f"{round(v * by)}", lambda d: f"{d * scale:.4f}")
        found = read_excellon(data, "x.drl", pads)
        want = np.array([[h.x, h.y] for h in sorted(heron.holes, key=lambda h: h.diameter)])
        got = np.array([[h.x, h.y] for h in found])
        assert np.abs(got - want).max() < (0.06 if decimals < 3 or (unit == "inch" and decimals == 3) else 0.01)


@cache
def awkward(name: str) -> bytes:
    """One of the files above, by its name."""
    heron, files = read_design(HERON), read_files(HERON)
    for habit in (
        exports.habit_letters,
        exports.habit_old_two_layers,
        exports.habit_spreadsheets,
        exports.habit_latin,
        exports.habit_no_header,
        exports.habit_without_names,
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
    assert [g.how for g in grids_of(b"a b c\nd e f\ng h i\n", "x")] == ["fixed columns", "blanks"]


def test_one_file_never_refuses_a_folder(heron_files: Files) -> None:
    """What is none of the board's files is set aside and named; what a disk padded is read."""
    whole = ready_of(heron_files)
    silk = "heron-r2-silk-top.gbr"
    junk = {
        "READ.md": b"Export with %MOMM*% and %FSLAX46Y46*% please. D03 flashes\n",
        "bom2.csv": b"Designator,Value\n",
        "heron.drr": b"Drill report\nTool  Size  Count\nT1 0.3mm 40\nT2 1.3mm 2\nTotals 42\n",
        "extra.csv": b"",
        silk: heron_files[silk] + b"\0" * 100 + b"\r\n",
    }
    for name, data in junk.items():
        found = ready_of(heron_files | {name: data})
        assert [j for j in found if j not in whole and j.level is not Level.GO] == [
            j for j in found if j.says.case == "set aside"
        ], name
        notes = {n.name: n.role for n in design_from(heron_files | {name: data}, "x").files}
        assert notes[name] == ("silk" if name == silk else "other" if name != "bom2.csv" else "bom")
    assert {j.subject for n, d in junk.items() for j in ready_of(heron_files | {n: d}) if j.says.case == "set aside"} == {
        "READ.md", "bom2.csv",
    }  # fmt: skip


def ready_of(files: Files) -> list[Judgement]:
    return ready_findings(design_from(files, "x"))[1]


def test_a_project_called_b_has_a_top(heron_files: Files) -> None:
    """The word next to the layer tells the side; two that contradict, as near, tell none."""
    plain = {
        ("b-" + "_".join(reversed(n.removeprefix("heron-r2-").removesuffix(".gbr").split("-"))) + ".gbr"): re.sub(
            rb"%TF[.]FileFunction[^%]*%\n", b"", d
        )
        for n, d in heron_files.items()
        if n.endswith(".gbr")
    }
    assert "b-top_copper.gbr" in plain
    others = {n: d for n, d in heron_files.items() if not n.endswith(".gbr")}
    named = {n.name: (n.role, n.side) for n in design_from(others | plain, "x").files}
    assert named["b-top_copper.gbr"] == ("copper", "top") and named["b-bottom_mask.gbr"] == ("mask", "bottom")
    assert identify("b-copper-top.gbr", b"%FSLAX46Y46*%").side == "top"
    assert identify("top_mask_bottom.gbr", b"%FSLAX46Y46*%").side is None


def test_side_words_that_no_dictionary_has_are_one_finding(heron_files: Files) -> None:
    name = "heron-r2-placements.csv"
    for top, bottom, findings in (("顶层", "底层", 0), ("yIn", "Qugh", 1)):
        text = heron_files[name].decode().replace(",top,", f",{top},").replace(",bottom,", f",{bottom},")
        found = [j for j in ready_of(heron_files | {name: text.encode()}) if j.rule == "ready.side-word"]
        assert len(found) == findings and all("yIn" in j.headline and "Qugh" in j.headline for j in found)


def test_fixed_columns_with_titles_of_two_words(heron_files: Files) -> None:
    name = "heron-r2-placements.csv"
    _, *rows = csv.reader(heron_files[name].decode().splitlines())
    cells = [["Ref Des", "Center X", "Center Y", "Rotation", "Layer Side", "Package", "Value"], *rows]
    wide = [max(len(r[i]) for r in cells) + 3 for i in range(7)]
    text = "\n".join("".join(c.ljust(w) for c, w in zip(r, wide, strict=True)).rstrip() for r in cells)
    files = {n: d for n, d in heron_files.items() if n != name} | {"heron.pos": text.encode()}
    assert design_from(files, "x").placements == tuple(
        replace(p, line=p.line) for p in design_from(heron_files, "x").placements
    )


@pytest.mark.parametrize(
    ("ref", "package"), [("R5", "PAD 20x20"), ("U3", "MODULE 40x30mm"), ("R5", ""), ("C5", "Ø 25 x 25 mm")]
)
def test_one_odd_package_takes_no_pads_from_others(heron_files: Files, ref: str, package: str) -> None:
    """Without names on copper: pads belong to the part in whose middle they lie."""
    plain = {n: re.sub(rb"%T[AOD][^%]*%\n", b"", d) for n, d in heron_files.items() if not n.endswith(".ipc")}
    before = {p.ref: len(p.pads) for p in design_from(plain, "x").parts}
    for name, column in (("heron-r2-placements.csv", 5), ("heron-r2-bom.csv", 3)):
        rows = [r.split(",") for r in plain[name].decode().splitlines()]
        changed = [[*r[:column], package, *r[column + 1 :]] if r[0] == ref else r for r in rows]
        plain[name] = "\n".join(",".join(r) for r in changed).encode()
    assert {p.ref: len(p.pads) for p in design_from(plain, "x").parts} == before
