"""Faults seeded into a clean design are named, each as itself, with nothing else alarmed."""

from __future__ import annotations

import pytest

from fusilex.bench.judge_ready import ready_findings
from fusilex.core.board.bodies import body_of
from fusilex.core.board.reconcile import body_polygon
from fusilex.core.judgement import Level
from fusilex.formats.bundle import Files
from fusilex.formats.intake import design_from

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
            {("missing", "C5", "placements"), ("missing", "C55", "bom"), ("missing", "C55", "pads")},
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


def test_a_part_not_to_be_fitted_is_neither_pulled_nor_placed(heron_files: Files) -> None:
    from fusilex.core.kit.quantities import pull_list
    from fusilex.core.soldering.order import by_height

    changed = seeded(heron_files, BOM, ("S1,1,reed switch,Reed 14,SR-0833,yes", "S1,1,reed switch,Reed 14,SR-0833,no"))
    design = design_from(changed, "seeded")
    assert "S1" not in {ref for line in pull_list(design, 3) for ref in line.refs}
    assert "S1" not in {p.ref for p in by_height(design)}


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
    care = next(j for j in judged if j.rule == "ready.body")
    assert care.level is Level.CARE and care.refs == ("Q1",)
    assert (body_of("house 3 x 2 mm").size_x, body_of("house 3 x 2 mm").size_y) == (3, 2)


def test_body_outlines_turn_and_mirror_with_their_part(heron_files: Files) -> None:
    design = design_from(heron_files, "x")
    for ref, wide, high in (("U3", 3.9, 4.9), ("L1", 4.0, 4.0), ("Y1", 1.5, 3.2), ("D1", 1.6, 2.7), ("L2", 7.3, 7.3)):
        x0, y0, x1, y1 = body_polygon(design.part_by_ref[ref]).bounds
        assert (x1 - x0, y1 - y0) == pytest.approx((wide, high)), ref
