"""Readers: other people's habits, bad input in one sentence, and bytes that make no sense."""

from __future__ import annotations

import io
import math
import re
import zipfile
from pathlib import Path

import exports
import numpy as np
import pytest
import shapely
from conftest import HERON, LETTERS
from exports import read_bom, read_placements

from fusilex.bench.intake.design import design_from, read_design
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.design.connectivity import compare_with_netlist
from fusilex.core.design.edge import board_edge
from fusilex.core.design.model import Design, Layer
from fusilex.core.evidence import Level
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.problems import BadInput
from fusilex.formats import bundle
from fusilex.formats.bundle import Files, zip_files
from fusilex.formats.identify import identify
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_gerber
from fusilex.formats.lists.design_lists import read_points, split_refs
from fusilex.formats.lists.headings import BOM, PLACEMENTS
from fusilex.formats.lists.numbers import length_mm, number
from fusilex.formats.lists.tables import ListKind, recognise
from fusilex.formats.lists.temperature_log import read_log
from fusilex.formats.panel_file import read_panel, write_panel
from fusilex.formats.side_names import side_in_name

GERBER = "%FSLAX34Y34*%\n%MOMM*%\n{body}\nM02*\n"


def gerber(body: str) -> shapely.Geometry:
    return read_gerber(GERBER.format(body=body).encode(), "x.gbr").area


def plain(files: Files) -> Files:
    """The same design as another tool might write it: no X2 attributes, letters for endings, inch lists."""
    out: Files = {}
    for name, data in files.items():
        if name.endswith(".gbr"):
            stem = name.removeprefix("heron-r2-").removesuffix(".gbr")
            out[f"board.{LETTERS[stem]}"] = re.sub(rb"%T[FAOD][^%]*%\n", b"", data)
        elif name.endswith(".drl"):
            out["plated.txt" if b",PTH" in data else "npth.txt"] = re.sub(rb"; #@![^\n]*\n", b"", data)
    rows = ["Bench list for review", "Designator;Mid X;Mid Y;Rotation;Layer;Footprint;Comment"]
    for p in read_placements(files["heron-r2-placements.csv"], "p"):
        rows.append(
            f"{p.ref};{p.x / 0.0254:.2f}mil;{str(round(p.y / 0.0254, 2)).replace('.', ',')}"
            f" mil;{p.rotation_deg:g};{p.side[0].upper()};{p.package};{p.value}"
        )
    out["positions.txt"] = "\r\n".join(rows).encode("utf-16")
    lines = ["Qty\tReference Designators\tValue\tPackage"]
    lines += [
        f"{b.quantity}\t{' '.join(b.refs)}\t{b.value}\t{b.package}" for b in read_bom(files["heron-r2-bom.csv"], "b")
    ]
    out["parts.tsv"] = "\n".join(lines).encode()
    return out


@pytest.mark.parametrize("netlist", [True, False])
def test_plain_files_of_another_habit_give_the_same_board(heron: Design, heron_files: Files, netlist: bool) -> None:
    files = plain(heron_files) | ({"nets.ipc": heron_files["heron-r2.ipc"]} if netlist else {})
    design = design_from(files, "plain")
    assert {(x.role, x.side) for x in design.layers} == {(x.role, x.side) for x in heron.layers}
    assert reconcile(design) == [] and design.outline.area == pytest.approx(44 * 31, rel=1e-4)
    for part in heron.parts:
        other = design.part_by_ref[part.ref]
        assert other.side == part.side
        assert (other.x, other.y, other.rotation_deg) == pytest.approx((part.x, part.y, part.rotation_deg), abs=1e-3)
    found, wanted = apertures_of(design, "top"), apertures_of(heron, "top")
    assert found.area.sum() == pytest.approx(wanted.area.sum()) and found.refs == wanted.refs
    if netlist:
        assert compare_with_netlist(design) == []
        assert {(p.name, p.net) for p in design.pads} == {(p.name, p.net) for p in heron.pads}


def test_apertures_strokes_arcs_regions_and_clear() -> None:
    assert gerber("%ADD10C,2*%\nD10*\nX0Y0D03*").area == pytest.approx(math.pi, rel=2e-3)
    assert gerber("%ADD10R,2X1*%\nD10*\nX0Y0D03*\nX50000Y0D03*").area == pytest.approx(4)
    assert gerber("%ADD10O,3X1*%\nD10*\nX0Y0D03*").area == pytest.approx(2 + math.pi / 4, rel=2e-3)
    assert gerber("%ADD10P,2X6*%\nD10*\nX0Y0D03*").area == pytest.approx(1.5 * math.sqrt(3))
    assert gerber("%ADD10R,2X2X1*%\nD10*\nX0Y0D03*").area == pytest.approx(4 - math.pi / 4, rel=2e-3)
    assert gerber("%ADD10C,1*%\nD10*\nX0Y0D02*\nX0Y0D01*").area == pytest.approx(math.pi / 4, rel=1e-2), (
        "a stroke of no length is a dot"
    )
    assert gerber("%ADD10C,1*%\nD10*\nX0Y0D02*\nX100000Y0D01*").area == pytest.approx(10 + math.pi / 4, rel=2e-3)
    assert gerber("%ADD10R,1X1*%\nD10*\nX0Y0D02*\nX100000Y0D01*").area == pytest.approx(11)
    ring = gerber("%ADD10C,0.5*%\nD10*\nG75*\nX50000Y0D02*\nG03*\nX50000Y0I-50000J0D01*")
    assert ring.area == pytest.approx(math.pi * (5.25**2 - 4.75**2), rel=2e-3)
    square = "G36*\nX0Y0D02*\nX100000Y0D01*\nX100000Y100000D01*\nX0Y100000D01*\nX0Y0D01*\nG37*\n"
    assert gerber("%ADD10C,4*%\nD10*\n" + square + "%LPC*%\nX50000Y50000D03*\n%LPD*%").area == pytest.approx(
        100 - 4 * math.pi, rel=1e-3
    )
    assert gerber("%ADD10C,4*%\nD10*\n%LPC*%\nX50000Y50000D03*\n%LPD*%\n" + square).area == pytest.approx(100), (
        "clear only clears what is beneath"
    )
    half = gerber("G75*\nG36*\nX0Y0D02*\nG01*\nX100000Y0D01*\nG03*\nX0Y0I-50000J0D01*\nG37*")
    assert half.area == pytest.approx(math.pi * 12.5, rel=1e-3)
    macro = gerber("%AMDONUT*1,1,$1,0,0*1,0,$2,0,0*%\n%ADD10DONUT,4X2*%\nD10*\nX0Y0D03*")
    assert macro.area == pytest.approx(3 * math.pi, rel=2e-3)
    inch = read_gerber(b"%FSLAX24Y24*%\n%MOIN*%\n%ADD10R,0.1X0.1*%\nD10*\nX10000Y0D03*\nM02*\n", "i.gbr").area
    assert inch.centroid.x == pytest.approx(25.4) and inch.area == pytest.approx(2.54**2)


@pytest.mark.parametrize(
    ("name", "role", "side"),
    [
        ("panel/Top_Copper.gbr", "copper", "top"),
        ("x-bottom-soldermask.ger", "mask", "bottom"),
        ("board.GTP", "paste", "top"),
        ("MyBoard_PasteBottom.gbr", "paste", "bottom"),
        ("a.gko", "outline", None),
        ("edge-cuts.gbr", "outline", None),
        ("silk_front.gbr", "silk", "top"),
        ("top-overlay.art", "silk", "top"),
        ("L4_BOTTOM.gbr", "copper", "bottom"),
        ("copper in2.gbr", "inner", "3"),
        ("board.g2l", "inner", "2"),
        *(
            (f"b.{e}", r, s)
            for s, a in (("top", "t"), ("bottom", "b"))
            for r, e in (
                ("mask", f"{a}sm"),
                ("silk", f"{a}sk"),
                ("paste", f"{a}sp"),
                ("mask", f"sm{a}"),
                ("silk", f"ss{a}"),
                ("paste", f"sp{a}"),
                ("mask", f"{a}mk"),
            )
        ),
        ("b.top", "copper", "top"),
        ("b.bot", "copper", "bottom"),
        ("b.g1", "inner", "2"),
        ("b.gl2", "inner", "3"),
        ("b.in1", "inner", "2"),
        ("b.gp1", "other", None),
        ("b_inner_2.gbr", "inner", "3"),
        ("x-L3.gbr", "inner", "3"),
        ("assembly_top.gbr", "other", None),
        ("top courtyard.gbr", "other", None),
        ("whatever.gbr", "other", None),
    ],
)
def test_layers_by_name(name: str, role: str, side: str | None) -> None:
    guess = identify(name, GERBER.format(body="%ADD10C,1*%").encode())
    assert (guess.role, guess.side) == (role, side) and guess.because


def test_lists_of_many_habits() -> None:
    assert split_refs("R1-R4, R7;C2 C3") == ("R1", "R2", "R3", "R4", "R7", "C2", "C3")
    bom = read_bom(
        "# made by hand\nItem;Refs;Value;Quantity;Remarks\n1;R1-R3;10 k;3;\n2;C1;;1;do not fit\n".encode("latin-1"),
        "b.csv",
    )
    assert bom[0].refs == ("R1", "R2", "R3") and bom[0].populate and not bom[1].populate
    marked = read_bom(b"Designator,Value,DNP\nR1,10k,\nR2,10k,x\n", "b.csv")
    assert [line.populate for line in marked] == [True, False]
    placed = read_placements(b"ref,x (inch),y (inch),side\nR1,1,2,back\n", "p.csv")
    assert (placed[0].x, placed[0].y, placed[0].side) == (pytest.approx(25.4), pytest.approx(50.8), "bottom")
    assert read_points(b"FID1,100.5,50\nU1@3;7;-8.25\n", "t.csv") == [("FID1", 100.5, 50.0), ("U1@3", 7.0, -8.25)]
    sides = [
        ("TopLayer", "top"),
        ("Bottom", "bottom"),
        ("B", "bottom"),
        ("front", "top"),
        ("", "top"),
        ("solder side", "bottom"),
    ]
    for word, side in sides:
        assert read_placements(f"ref,x,y,side\nR1,1,2,{word}\n".encode(), "p.csv")[0].side == side
    assert read_points(b"fiducial\tmeasured x\tmeasured y\nP1\t1.5\t2\n", "t.txt") == [("P1", 1.5, 2.0)]


def test_logs_in_minutes_and_fahrenheit() -> None:
    rows = "\n".join(f"{i / 6},{77 + 9 * i}" for i in range(12))
    log = read_log(f"time (min),board temp (F)\n{rows}\n".encode(), "l.csv")
    assert log.time_s[-1] == pytest.approx(110) and next(iter(log.probes_c.values()))[:2] == pytest.approx([25, 30])


def test_a_panel_description_is_read_back_as_written(heron: Design) -> None:
    assert read_panel(write_panel(heron.panel).encode(), "p") == heron.panel  # type: ignore[arg-type]
    with pytest.raises(BadInput, match="columns"):
        read_panel(write_panel(heron.panel).replace('"columns": 3', '"columns": 0').encode(), "p")  # type: ignore[arg-type]


def one(name: str, old: str, new: str, count: int = 1) -> tuple[str, str, str, int]:
    return name, old, new, count


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            one("heron-r2-placements.csv", ".500,", ".5zz,", -1),
            r"placements\.csv, line \d+, column [XY] mm: expected a number; found “\d+\.5zz”",
        ),
        (one("heron-r2-copper-top.gbr", "M02*", ""), r"copper-top\.gbr, line \d+: expected the end mark M02"),
        (one("heron-r2-plated.drl", "M30", ""), r"plated\.drl.*M30"),
        (one("heron-r2.ipc", "999", ""), r"heron-r2\.ipc.*999"),
        (one("panel.json", '"rows": 2', '"rows": "two"'), r"panel\.json, rows: expected a panel description"),
        (
            one("heron-r2-copper-top.gbr", "D03*", "D0zzz*", -1),
            r"copper-top\.gbr: expected Gerber statements; found “X15",
        ),
    ],
)
def test_bad_input_is_one_sentence_and_nothing_is_half_loaded(
    heron_files: Files, change: tuple[str, str, str, int], words: str
) -> None:
    name, old, new, count = change
    broken = heron_files | {name: heron_files[name].decode().replace(old, new, count).encode()}
    with pytest.raises(BadInput, match=words) as caught:
        design_from(broken, "x")
    assert str(caught.value).count("expected") == 1 and "\n" not in str(caught.value)


def test_a_line_that_cannot_be_read_is_left_out_and_said_to_be(heron_files: Files) -> None:
    name = "heron-r2-placements.csv"
    broken = heron_files | {name: heron_files[name].replace(b",15.500,", b",middle,", 1) + b"Total,46 parts,,,,,\n"}
    design = design_from(broken, "x")
    (remark,) = design.remarks
    assert (remark.rule, remark.subject, remark.level) == (
        "ready.skipped",
        name,
        Level.STOP,
    ) and "found “middle”" in remark.text
    lost = [f.ref for f in ready_findings(design)[0]]
    assert len(lost) == 1 and lost[0] in broken["heron-r2-bom.csv"].decode()
    bill = "heron-r2-bom.csv"
    rows = heron_files[bill].decode().splitlines()
    wrong = "\n".join([rows[0], re.sub(r",(\d+)(?=,|$)", ",lots", rows[1], count=1), *rows[2:]])
    whole = design_from(heron_files | {bill: wrong.encode()}, "x")
    assert {r for line in whole.bom for r in line.refs} == {r for line in design.bom for r in line.refs}


def test_ranges_with_any_prefix() -> None:
    assert split_refs("Mounting_hole1 - Mounting_hole3") == ("Mounting_hole1", "Mounting_hole2", "Mounting_hole3")
    assert split_refs("U1_R1-U1_R3, C7") == ("U1_R1", "U1_R2", "U1_R3", "C7")


def test_what_a_layer_holds_that_nobody_can_draw_stops_the_batch(heron_files: Files) -> None:
    name = "heron-r2-paste-top.gbr"
    broken = heron_files | {name: heron_files[name].decode().replace("D03*", "D0zzz*", 1).encode()}
    (remark,) = design_from(broken, "x").remarks
    assert (remark.rule, remark.subject, remark.level) == ("ready.unread", name, Level.STOP) and "D0zzz" in remark.text
    silk = "heron-r2-silk-top.gbr"
    broken = heron_files | {silk: heron_files[silk].replace(b"%LPD*%", b"%LPD*%\n%XX1*%", 1)}
    assert [r.level for r in design_from(broken, "x").remarks] == [Level.CARE]


def test_a_bill_without_designators_is_left_out_and_said_to_be(heron_files: Files) -> None:
    rows = [line.split(",", 1)[1] for line in heron_files["heron-r2-bom.csv"].decode().splitlines()]
    data = "\n".join(rows).encode()
    with pytest.raises(BadInput, match=r"bom\.csv.*expected a header line with columns for designators"):
        read_bom(data, "heron-r2-bom.csv")
    design = design_from(heron_files | {"heron-r2-bom.csv": data}, "x")
    assert [(r.rule, r.subject) for r in design.remarks] == [("ready.columns", "heron-r2-bom.csv")] and not design.bom


def test_the_name_of_a_list_names_its_side_unless_the_pads_say_otherwise(heron: Design, heron_files: Files) -> None:
    rows = [line.split(",") for line in heron_files["heron-r2-placements.csv"].decode().splitlines()]
    tops = "\n".join(",".join(r[:4] + r[5:]) for r in rows if r[4] != "bottom").encode()
    rest = {n: d for n, d in heron_files.items() if "placements" not in n}
    for name, cares in (("backplane-xy.csv", 0), ("xy top.csv", 0), ("xy_bottom.csv", 1), ("xy top bottom.csv", 0)):
        design = design_from(rest | {name: tops}, "x")
        assert {p.side for p in design.placements} == {"top"}
        assert [r.rule for r in design.remarks] == ["ready.side-word"] * cares
    assert [side_in_name(n) for n in ("a-Bottom.csv", "laptop.csv", "Rückseite unten.csv")] == [
        "bottom",
        None,
        "bottom",
    ]


def test_a_word_for_a_side_that_nobody_knows_is_told_by_the_pads(heron: Design, heron_files: Files) -> None:
    name = "heron-r2-placements.csv"
    data = heron_files[name].replace(b",top,", b",upstairs,", 1)
    with pytest.raises(BadInput, match="line 2, column side: expected a side such as top or bottom; found “upstairs”"):
        read_placements(data, name)
    design = design_from(heron_files | {name: data}, "x")
    assert design.placements == heron.placements
    assert [(r.rule, r.subject) for r in design.remarks] == [("ready.side-word", f"{name} upstairs")]
    nowhere = re.sub(rb"(?m)^U1,[^,]*,[^,]*", b"U1,0.1,0.1", data)
    told = [r for r in design_from(heron_files | {name: nowhere}, "x").remarks if r.rule == "ready.skipped"]
    assert [r.level for r in told] == [Level.STOP] and "upstairs" in told[0].text


def test_missing_layers_are_named_or_worked_out(heron: Design, heron_files: Files) -> None:
    def without(*words: str) -> Files:
        return {n: d for n, d in heron_files.items() if not any(w in n for w in words)}

    for gone, words in ((("copper",), "a copper layer"), (("paste", "mask"), "a paste or solder mask layer")):
        with pytest.raises(BadInput, match=f"expected {words}; found only"):
            design_from(without(*gone), "x")
    hull = design_from(without("outline"), "x")
    assert hull.outline.area == pytest.approx(44 * 31, rel=0.06)
    assert [(r.rule, r.subject) for r in hull.remarks] == [("ready.derived", "outline")]
    derived = design_from(without("paste"), "x")
    assert {r.subject for r in derived.remarks} == {"paste top", "paste bottom"}
    real, made = apertures_of(heron, "top"), apertures_of(derived, "top")
    extra = set(made.refs) - set(real.refs)
    assert set(real.refs) <= set(made.refs) and extra == {f"TP{n}" for n in range(1, 5)}, "no leads' hole, no fiducial"


def test_folders_and_zips(heron_files: Files, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    good = tmp_path / "heron.zip"
    good.write_bytes(zip_files(heron_files))
    assert len(read_design(good).parts) == len(read_design(HERON).parts)
    beside = tmp_path / "beside"
    beside.mkdir()
    lists = {n: d for n, d in heron_files.items() if n.endswith((".csv", ".json"))}
    (beside / "layers.zip").write_bytes(zip_files({n: d for n, d in heron_files.items() if n not in lists}))
    for name, data in lists.items():
        (beside / name).write_bytes(data)
    assert len(read_design(beside).parts) == len(read_design(HERON).parts), "a zip in a folder gives way to its files"
    climbing = io.BytesIO()
    with zipfile.ZipFile(climbing, "w") as archive:
        archive.writestr("../../evil.gbr", b"x")
    for name, data, words in (
        ("climb.zip", climbing.getvalue(), "climbs out"),
        ("cut.zip", good.read_bytes()[:-200], "neither"),
        ("plain.txt", b"hello", "neither"),
        ("torn.zip", good.read_bytes()[:400] + bytes(300) + good.read_bytes()[700:], "whole, readable zip|neither"),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BadInput, match=words):
            read_design(tmp_path / name)
    with pytest.raises(BadInput, match="nothing there"):
        read_design(tmp_path / "absent")
    huge = tmp_path / "huge"
    huge.mkdir()
    with (huge / "big.gbr").open("wb") as stream:
        stream.truncate(200 * 2**20)
    with pytest.raises(BadInput, match=r"big\.gbr: expected a file of at most 48 MB; found 200 MB"):
        read_design(huge)
    monkeypatch.setattr(
        bundle, "_from_folder", lambda folder: (_ for _ in ()).throw(PermissionError(13, "denied", str(folder)))
    )
    with pytest.raises(BadInput, match="no permission"):
        read_design(HERON)


def test_no_shape_is_lost_between_drawing_order_and_layers(heron: Design) -> None:
    for layer in heron.layers:
        assert np.all(shapely.is_valid(layer.polygons)) and np.all(shapely.area(layer.polygons) > 0)


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [
        ("1.5", 1.5, ""),
        ("-0,25mm", -0.25, "mm"),
        ("12.", 12.0, ""),
        (".5 in", 0.5, "in"),
        ("1e-2", 0.01, ""),
        ("90°", 90, "°"),
    ],
)
def test_numbers_as_people_write_them(text: str, value: float, unit: str) -> None:
    assert number(text, "f", 1, "x") == (value, unit)


@pytest.mark.parametrize("text", ["", "abc", "1.2.3", "nan", "1e999", "--4", "3 furlongs"])
def test_what_is_no_number_is_refused_with_its_place(text: str) -> None:
    with pytest.raises(BadInput, match=r"f\.csv, line 7, column rotation: expected a number"):
        number(text, "f.csv", 7, "rotation")


@pytest.mark.parametrize(
    ("cell", "column", "mm"), [("100", "x (mil)", 2.54), ("1 in", "x mm", 25.4), ("2", "x", 2.0), ("1", "X inch", 25.4)]
)
def test_lengths_in_any_unit(cell: str, column: str, mm: float) -> None:
    assert length_mm(cell, "f", 1, column) == pytest.approx(mm)


def line(points: str, width: str = "0.2") -> Layer:
    return read_gerber(GERBER.format(body=f"%ADD10C,{width}*%\nD10*\n{points}").encode(), "o.gko", "outline")


def test_outlines_drawn_filled_open_and_empty() -> None:
    corners = ["X0Y0D02*", "X100000Y0D01*", "X100000Y50000D01*", "X0Y50000D01*", "X0Y0D01*"]
    drawn = board_edge(line("\n".join(corners)), "x")[0]
    assert drawn.area == pytest.approx(50, rel=1e-4) and drawn.bounds == pytest.approx((0, 0, 10, 5), abs=1e-3)
    slot = ["X40000Y20000D02*", "X60000Y20000D01*", "X60000Y30000D01*", "X40000Y30000D01*", "X40000Y20000D01*"]
    slotted = board_edge(line("\n".join(corners + slot)), "x", shapely.points([[2, 2], [8, 4]]))[0]
    assert slotted.area == pytest.approx(50 - 2, rel=1e-4) and len(slotted.interiors) == 1
    filled = read_gerber(GERBER.format(body="G36*\n" + "\n".join(corners) + "\nG37*").encode(), "o", "outline")
    assert board_edge(filled, "x")[0].area == pytest.approx(50)
    frame = ["X-90000Y-90000D02*", "X200000Y-90000D01*", "X200000Y90000D01*", "X-90000Y90000D01*", "X-90000Y-90000D01*"]
    framed = line("\n".join(corners + frame))
    board, aside = board_edge(framed, "x", shapely.points([[2, 2], [8, 4]]))
    assert (board.area, aside) == (pytest.approx(50, rel=1e-4), 1) and board_edge(framed, "x")[0].area > 400
    with pytest.raises(BadInput, match="an outline that closes"):
        board_edge(line("\n".join(corners[:3])), "x")
    with pytest.raises(BadInput, match="encloses the board"):
        board_edge(line("X0Y0D02*\nX1000Y0D01*"), "x")


def test_an_outline_that_does_not_close_is_replaced_and_said_to_be(heron_files: Files, heron: Design) -> None:
    name = "heron-r2-outline.gbr"
    text = heron_files[name].decode()
    design = design_from(heron_files | {name: text[: text.rindex("X")].encode() + b"M02*\n"}, "open")
    care = next(j for j in ready_findings(design)[1] if j.rule == "ready.derived")
    assert "an open line" in care.headline and care.level is Level.CARE
    assert design.outline.within(heron.outline.buffer(0.5))


def test_layers_of_one_role_are_one_layer(heron_files: Files, heron: Design) -> None:
    text = heron_files["heron-r2-paste-top.gbr"].decode()
    head, flashes = text[: text.index("%TO")], text[text.index("%TO") :].replace("M02*", "")
    blocks = flashes.split("%TD*%\n")
    half = len(blocks) // 2
    codes = {i: next(b for b in reversed(re.findall(r"^D\d+\*$", "".join(blocks[:i]), re.M) or [""])) for i in (half,)}
    parts = {
        "a-paste-top.gbr": head + "%TD*%\n".join(blocks[:half]) + "M02*\n",
        "b-paste-top.gbr": head + codes[half] + "\n" + "%TD*%\n".join(blocks[half:]) + "M02*\n",
    }
    files = {n: d for n, d in heron_files.items() if "paste-top" not in n} | {n: t.encode() for n, t in parts.items()}
    assert apertures_of(design_from(files, "x"), "top").area.sum() == pytest.approx(
        apertures_of(heron, "top").area.sum()
    )


def test_a_layer_in_two_files_counts_once(heron_files: Files, heron: Design) -> None:
    layers = {n: d for n, d in heron_files.items() if n.endswith((".gbr", ".drl"))}
    twice = design_from(heron_files | {f"again/{n}": d for n, d in layers.items()}, "x")
    assert [len(x) for x in twice.layers] == [len(x) for x in heron.layers] and twice.holes == heron.holes
    assert twice.remarks == () and all("not used" in n.because for n in twice.files if n.name.startswith("again/"))
    plated, unplated = (layers[f"heron-r2-{kind}.drl"].decode() for kind in ("plated", "unplated"))
    tools = "\n".join(f"T9{line[1:]}" if line.startswith("T") else line for line in unplated.splitlines())
    head, _, body = tools.partition("%\n")
    tool = next(line for line in head.splitlines() if line.startswith("T9"))
    whole = plated.replace("%\n", f"{tool}\n%\n", 1).replace("M30", body)
    all_in_one = design_from(heron_files | {"all.drl": whole.encode()}, "x")
    assert set(all_in_one.holes) == set(heron.holes) and len(all_in_one.holes) == len(heron.holes)
    without = {n: d for n, d in heron_files.items() if "unplated" not in n} | {"all.drl": whole.encode()}
    assert len(design_from(without, "x").holes) == len(heron.holes), "holes that only the second file has stay"


def test_digits_of_a_drill_file_that_a_comment_states() -> None:
    head = "M48\n;FORMAT={4:6}\nFMAT,2\nMETRIC,LZ\nICI,OFF\nT1C0.300\n%\nT1\n"
    holes = read_excellon(f"{head}X0001500000Y0002500000\nX00016Y0002\nM30\n".encode(), "x.drl")
    assert [(h.x, h.y) for h in holes] == [(1.5, 2.5), (1.6, 2.0)]


def test_two_states_of_a_layer_stop_the_batch(heron_files: Files, heron: Design) -> None:
    text = heron_files["heron-r2-paste-top.gbr"].decode()
    flashes = re.findall(r"^X-?\d+Y-?\d+D03\*$", text, re.M)
    for flash in flashes[::3]:
        text = text.replace(flash, re.sub(r"Y(-?\d+)", lambda m: f"Y{int(m[1]) + 400_000}", flash))
    design = design_from(heron_files | {"old/heron-r2-paste-top.gbr": text.encode()}, "x")
    stop = next(j for j in ready_findings(design)[1] if j.rule == "ready.twice")
    assert stop.level is Level.STOP and "heron-r2-paste-top.gbr / old/heron-r2-paste-top.gbr" in stop.headline
    assert apertures_of(design, "top").area.sum() == pytest.approx(apertures_of(heron, "top").area.sum())


def test_a_second_bill_of_materials_is_left_aside_and_said(heron_files: Files) -> None:
    older = b"Refs;Qty;Value\nR1,R2;2;1k\nR99;1;5k\n"
    design = design_from({"a-bom.csv": older} | heron_files, "x")
    assert len(design.bom) == 35 and "second BOM" in design.remarks[0].text
    assert [j.rule for j in ready_findings(design)[1] if j.level is Level.CARE] == ["ready.note"]


def test_lists_of_the_same_parts_count_once(heron_files: Files) -> None:
    head, *rows = heron_files["heron-r2-placements.csv"].decode().splitlines()
    tops = "\n".join([head, *(row for row in rows if ",top," in row)])
    inch = [head.replace(" mm", " inch")]
    for row in rows:
        ref, x, y, *more = row.split(",")
        inch.append(",".join([ref, f"{float(x) / 25.4:.5f}", f"{float(y) / 25.4:.5f}", *more]))
    design = design_from({"a-top.csv": tops.encode(), "b-inch.csv": "\n".join(inch).encode()} | heron_files, "x")
    aside = [r.subject for r in design.remarks if r.rule == "ready.note"]
    assert len(design.placements) == len(rows) and sorted(aside) in (
        ["a-top.csv", "b-inch.csv"],
        ["a-top.csv", "heron-r2-placements.csv"],
    )
    assert not ready_findings(design)[0]


def test_one_list_for_placing_and_buying_handed_in_twice_buys_once(heron: Design, heron_files: Files) -> None:
    files = exports.habit_all_in_one(heron, heron_files)
    design = design_from(files | {"copy of all.csv": files["all.csv"]}, "x")
    assert len(design.bom) == len(design.placements) == len(heron.placements)


def test_layers_without_apertures_are_named_as_such(heron_files: Files) -> None:
    bare = {
        n: b"\n".join(line for line in d.splitlines() if not line.startswith(b"%"))
        for n, d in heron_files.items()
        if n.endswith(".gbr")
    }
    with pytest.raises(BadInput, match=r"a copper layer .*RS-274-D\): have it exported as RS-274X"):
        design_from(bare, "old")


def test_nothing_readable_is_other(heron_files: Files) -> None:
    for name, data in (
        ("a.png", b"\x89PNG\x00\x00"),
        ("b.txt", b"words only"),
        ("c.csv", b""),
        ("d", b"\xff\xfeh\x00i\x00"),
    ):
        assert identify(name, data).role == "other", name
    assert {identify(n, d).kind for n, d in heron_files.items()} == {
        "gerber",
        "drill",
        "netlist",
        "placements",
        "bom",
        "log",
        "panel",
        "other",
    }


@pytest.mark.parametrize(
    ("header", "kind", "fields"),
    [
        ("Name,X,Y,R,Side", PLACEMENTS, "ref x y rotation side"),
        ("Ref Des,X Coord,Y Coord,Theta,Top/Bottom", PLACEMENTS, "ref x y rotation side"),
        ("Bauteil,X-Koordinate,Y-Koordinate,Drehwinkel,Bestückungsseite", PLACEMENTS, "ref x y rotation side"),
        ("Ref,X in mm,Y in mm,Rot.,T/B", PLACEMENTS, "ref x y rotation side"),
        ("Pad X,Pad Y,Mid X,Mid Y,Designator", PLACEMENTS, "- - x y ref"),
        ("Comp ID,X loc,Y loc,Deg,layer_name", PLACEMENTS, "ref x y rotation side"),
        ("Qty,Value,Device,Package,Parts,MPN", BOM, "quantity value - package refs part_number"),
        ("Q.ty,Reference(s),Part,Supplier part", BOM, "quantity refs value part_number"),
        ("Item,Qty (per board),Where used,Part Description", BOM, "- quantity refs value"),
    ],
)
def test_headers_of_many_habits(header: str, kind: ListKind, fields: str) -> None:
    wanted = {f: n for n, f in enumerate(fields.split()) if f != "-"}
    assert recognise(header.split(","), kind) == wanted
