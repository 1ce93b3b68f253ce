"""Faults seeded into a clean design are named, each as itself, with nothing else alarmed."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from exports import shifted
from msgspec.structs import replace

from fusilex.bench.intake.design import design_from
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.core.checks.fixes import apply_fixes
from fusilex.core.checks.rotations import Convention, fit_turns, kinds_of
from fusilex.core.checks.size_codes import size_findings
from fusilex.core.design.join import join
from fusilex.core.design.model import Design
from fusilex.core.design.outlines import body_polygon
from fusilex.core.evidence import Level
from fusilex.core.kit.quantities import look_alikes, pull_list
from fusilex.core.packages.catalogue import package_of
from fusilex.core.soldering.order import by_height
from fusilex.formats.bundle import Files

HUNDRED = '"C4, C5, C6, C10, C13",5,100 nF,0402 (1005),SR-1866,yes'
APART = HUNDRED.replace(", C13", "").replace(",5,", ",4,") + "\nC13,1,{},0402 (1005),{},yes"
PLACEMENTS, BOM = "heron-r2-placements.csv", "heron-r2-bom.csv"


def seeded(files: Files, name: str, *changes: tuple[str, str]) -> Files:
    text = files[name].decode()
    for old, new in changes:
        assert text.count(old) == 1, old
        text = text.replace(old, new)
    return files | {name: text.encode()}


@pytest.mark.parametrize(
    ("name", "changes", "found"),
    [
        (PLACEMENTS, [("U3,27.500,13.500,0,top,SOIC-8,memory 32 Mbit\n", "")], {("missing", "U3", "placements")}),
        (BOM, [("U3,1,memory 32 Mbit,SOIC-8,SR-0422,yes\n", "")], {("missing", "U3", "bom")}),
        (
            PLACEMENTS,
            [("C5,21.900,13.400", "C55,21.900,13.400")],
            {("renamed", "C55", "bom")},
        ),
        (PLACEMENTS, [("R3,7.400,13.000,0,top", "R3,7.400,13.000,0,bottom")], {("side", "R3", "pads")}),
        (PLACEMENTS, [("U3,27.500,13.500", "U3,87.500,13.500")], {("off-board", "U3", "outline")}),
        (PLACEMENTS, [("Y1,10.500,16.600", "Y1,10.500,23.600")], {("missing", "Y1", "pads")}),
        (
            PLACEMENTS,
            [("R3,7.400,13.000,0,top,0402 (1005),10 k\n", "R3,7.400,13.000,0,top,0402 (1005),10 k\n" * 2)],
            {("doubled", "R3", "placements")},
        ),
        (BOM, [("J2,1,4-way", '"J2, J2",2,4-way')], {("doubled", "J2", "bom")}),
        (BOM, [("J2,1,4-way", "J2,3,4-way")], {("quantity", "J2", "bom")}),
        (BOM, [("10 uF,0603 (1608)", "10 uF,0805 (2012)")], {("size", "C2", "pads")}),
        (BOM, [(HUNDRED, APART.format("0.1uF", "SR-1866"))], {("two-lines", "C4", "bom")}),
        (BOM, [(HUNDRED, APART.format("100 nF", "SR-1999"))], {("two-lines", "C4", "bom")}),
        (BOM, [("S1,1,reed switch,Reed 14,SR-0833,yes", "S1,1,reed switch,Reed 14,SR-0833,no")], set()),
    ],
)
def test_each_seeded_fault_is_named_alone(
    heron_files: Files, name: str, changes: list[tuple[str, str]], found: set[tuple[str, str, str]]
) -> None:
    design = design_from(seeded(heron_files, name, *changes), "seeded")
    findings, judged = ready_findings(design)
    assert {(f.kind, f.ref, f.where) for f in findings} == found
    stops = {(j.rule, j.subject) for j in judged if j.level in (Level.STOP, Level.CARE)}
    assert stops == {(f"ready.{kind}", ref) for kind, ref, _ in found}
    assert (Level.GO in {j.level for j in judged if j.rule == "ready.agree"}) is (not found)
    for finding in findings:
        assert finding.fix is not None
        after = ready_findings(join(apply_fixes(design, [finding.fix])))[0]
        assert (finding.kind, finding.ref) not in {(f.kind, f.ref) for f in after}


def test_a_part_not_to_be_fitted_is_neither_pulled_nor_placed(heron_files: Files) -> None:
    changed = seeded(heron_files, BOM, ("S1,1,reed switch,Reed 14,SR-0833,yes", "S1,1,reed switch,Reed 14,SR-0833,no"))
    design = design_from(changed, "seeded")
    assert "S1" not in {ref for line in pull_list(design, 3) for ref in line.refs}
    assert "S1" not in {p.ref for p in by_height(p for p in design.parts if p.populated)}


def test_two_part_numbers_of_one_value_keep_their_own_bins(heron_files: Files) -> None:
    design = design_from(seeded(heron_files, BOM, (HUNDRED, APART.format("100 nF", "SR-1999"))), "seeded")
    bins = {line.part_number: line for line in pull_list(design, 3) if line.value == "100 nF"}
    assert {n: line.need for n, line in bins.items()} == {"SR-1866": 12, "SR-1999": 3}
    assert len({line.key for line in bins.values()}) == len({line.name for line in bins.values()}) == 2
    assert any(set(bins["SR-1999"].refs) <= set(j.refs) for j in look_alikes(list(bins.values())))


def test_two_bodies_in_one_place_overlap(heron_files: Files) -> None:
    changed = seeded(heron_files, PLACEMENTS, ("C8,12.300,17.900", "C8,12.300,14.700"))
    findings, _ = ready_findings(design_from(changed, "seeded"))
    assert ("overlap", {"C8", "C9"}) in [(f.kind, {f.ref, f.where}) for f in findings]


def test_without_bill_or_netlist_it_says_it_cannot_tell(heron_files: Files) -> None:
    lists = {n: d for n, d in heron_files.items() if n not in (BOM, "heron-r2.ipc")}
    _, judged = ready_findings(design_from(lists, "bare"))
    assert {j.subject for j in judged if j.level is Level.UNKNOWN} == {"bill of materials", "copper"}
    assert not [j for j in judged if j.level is Level.STOP]


def test_bodies_unknown_to_the_catalogue_are_a_care(heron_files: Files) -> None:
    changed = seeded(
        heron_files, PLACEMENTS, ("Q1,32.400,20.400,0,top,SOT-23,", "Q1,32.400,20.400,0,top,house 3 x 2 mm,")
    )
    _, judged = ready_findings(design_from(changed, "seeded"))
    care = next(j for j in judged if j.rule == "ready.package")
    assert care.level is Level.CARE and care.refs == ("Q1",)
    assert (package_of("house 3 x 2 mm").size_x, package_of("house 3 x 2 mm").size_y) == (3, 2)


def test_body_outlines_turn_and_mirror_with_their_part(heron_files: Files) -> None:
    design = design_from(heron_files, "x")
    for ref, wide, high in (("U3", 3.9, 4.9), ("L1", 4.0, 4.0), ("Y1", 1.5, 3.2), ("D1", 1.6, 2.7), ("L2", 7.3, 7.3)):
        x0, y0, x1, y1 = body_polygon(design.part_by_ref[ref]).bounds
        assert (x1 - x0, y1 - y0) == pytest.approx((wide, high)), ref


def turned(files: Files, turn_of: Callable[[str, int, str], int]) -> Files:
    rows = [line.split(",") for line in files[PLACEMENTS].decode().splitlines()]
    for row in rows[1:]:
        row[3] = str(turn_of(row[0], int(row[3]), row[4]) % 360)
    return files | {PLACEMENTS: "\n".join(",".join(row) for row in rows).encode()}


@pytest.mark.parametrize(
    ("turn_of", "convention"),
    [
        (lambda ref, turn, side: -turn, Convention(-1)),
        (lambda ref, turn, side: 180 - turn if side == "bottom" else turn, Convention(-1, 180)),
    ],
    ids=["clockwise", "bottom turned over"],
)
def test_turns_counted_otherwise_are_one_fault_and_one_fix(
    heron: Design, heron_files: Files, turn_of: Callable[[str, int, str], int], convention: Convention
) -> None:
    design = design_from(turned(heron_files, turn_of), "turned")
    (finding,), _ = ready_findings(design)
    side = "bottom" if convention.plus else "top"
    (fit,) = fit_turns(kinds_of(design.parts))
    assert (finding.kind, fit.side, fit.convention) == ("rotations", side, convention)
    assert fit.after == fit.n > fit.before and finding.fix is not None
    doubtful = {b.value for b in finding.quantities if b.what.startswith("direction not known")}
    assert doubtful == (set() if fit.sense else {"L2"})
    mended = join(apply_fixes(design, [finding.fix]))
    assert not ready_findings(mended)[0]
    assert {p.ref: p.rotation_deg for p in mended.parts if p.side == side} == {
        p.ref: p.rotation_deg for p in heron.parts if p.side == side
    }


@pytest.mark.parametrize(("ref", "by", "level"), [("C9", 90, Level.STOP), ("D3", 180, Level.CARE), ("R3", 180, None)])
def test_one_part_out_of_line_with_its_kind_is_named_with_the_turn_its_pads_have(
    heron: Design, heron_files: Files, ref: str, by: int, level: Level | None
) -> None:
    findings, _ = ready_findings(design_from(turned(heron_files, lambda r, t, s: t + by * (r == ref)), "turned"))
    assert [(f.kind, f.ref, f.level) for f in findings] == ([] if level is None else [("rotation", ref, level)])
    if level is not None and (fix := findings[0].fix):
        told, listed = fix.with_["rotations"][ref], heron.part_by_ref[ref].rotation_deg
        assert (told - listed) % (360 if heron.part_by_ref[ref].package.polarised else 180) == 0


def test_a_list_without_turns_gets_them_from_the_pads_as_far_as_they_tell(heron: Design, heron_files: Files) -> None:
    design = design_from(turned(heron_files, lambda ref, turn, side: 0), "turned")
    (finding,), _ = ready_findings(design)
    assert (finding.level, finding.ref) == (Level.CARE, "no turns") and finding.fix is not None
    assert not ready_findings(join(apply_fixes(design, [finding.fix])))[0]
    across = {
        p.ref for p in heron.parts if p.package.code.startswith("0402") and p.rotation_deg % 180 and p.ref[0] == "C"
    }
    assert across < set(finding.refs)


def test_pads_without_names_tell_a_part_that_lies_across_but_not_pin_one(heron_files: Files) -> None:
    files = {
        n: re.sub(rb"%T[FAOD][^%]*%\n", b"", d) if n.endswith(".gbr") else d
        for n, d in turned(heron_files, lambda r, t, s: t + 90 * (r == "C9")).items()
        if n != "heron-r2.ipc"
    }
    design = design_from(files, "bare")
    assert [(f.kind, f.ref) for f in ready_findings(design)[0]] == [("rotation", "C9")]
    assert {p.polarity for p in design.parts} == {"none", "unknown"}


def test_a_part_bought_and_marked_as_not_fitted_is_asked_about(heron_files: Files) -> None:
    rows = heron_files[PLACEMENTS].decode().splitlines()
    marked = [rows[0] + ",DNP", *(f"{row},{'x' if row.startswith('S1,') else ''}" for row in rows[1:])]
    design = design_from(heron_files | {PLACEMENTS: "\n".join(marked).encode()}, "seeded")
    (finding,), _ = ready_findings(design)
    assert (finding.kind, finding.ref, finding.level) == ("populate", "S1", Level.CARE) and finding.fix is not None
    assert not ready_findings(join(apply_fixes(design, [finding.fix])))[0]


@pytest.mark.parametrize(
    ("which", "change", "subject"),
    [
        ("drl", (100, -80, False), "drill"),
        ("paste-top", (3, 1.5, False), "top paste"),
        ("-bottom.gbr", (44, 0, True), "bottom layers"),
    ],
)
def test_layers_from_elsewhere_are_brought_back_as_a_whole(
    heron: Design, heron_files: Files, which: str, change: tuple[float, float, bool], subject: str
) -> None:
    files = {
        n: shifted(d, *change) if which in n else d
        for n, d in heron_files.items()
        if n not in ("heron-r2.ipc", "panel.json")
    }
    design = design_from({n: re.sub(rb"%T[FAOD][^%]*%\n", b"", d) for n, d in files.items()}, "moved")
    (finding,), judged = ready_findings(design)
    assert (finding.kind, finding.ref) == ("layers", subject) and finding.fix is not None
    assert [j.subject for j in judged if j.level is Level.STOP] == [subject]
    mended = join(apply_fixes(design, [finding.fix]))
    assert not ready_findings(mended)[0]
    for layer in mended.layers:
        true = heron.layer(layer.role, layer.side)
        assert true is not None and layer.area.bounds == pytest.approx(true.area.bounds, abs=0.01)
    assert mended.holes[0].x == pytest.approx(heron.holes[0].x, abs=0.01)


def test_designators_are_the_same_in_small_letters_and_apart(heron_files: Files) -> None:
    apart = re.sub(rb"\b([A-Z]{1,2})(\d+)(?=[, \"])", rb"\1 \2", heron_files[BOM])
    for bom in (heron_files[BOM].lower(), apart):
        assert not ready_findings(design_from(heron_files | {BOM: bom}, "spelt"))[0]


def test_two_pads_in_one_place_have_no_size(heron: Design) -> None:
    part = heron.part_by_ref["C9"]
    flat = replace(part, pads=(part.pads[0], replace(part.pads[1], polygon=part.pads[0].polygon)))
    assert size_findings(replace(heron, parts=(flat,))) == []


def test_a_size_in_both_lists_that_its_pads_do_not_fit_stops(heron_files: Files) -> None:
    files = heron_files | {
        BOM: heron_files[BOM].replace(b"12 pF,0402 (1005)", b"12 pF,0805"),
        PLACEMENTS: heron_files[PLACEMENTS].replace(b"0402 (1005),12 pF", b"0805,12 pF"),
    }
    design = design_from(files, "seeded")
    (finding,), _ = ready_findings(design)
    assert (finding.kind, finding.level, finding.refs) == ("size", Level.STOP, ("C8", "C9")) and finding.fix is not None
    mended = join(apply_fixes(design, [finding.fix]))
    assert not ready_findings(mended)[0] and mended.part_by_ref["C9"].package.size_x == 1.0
