"""Apertures as connected areas: overlaps, edges, arms, limits met exactly; by closed forms and by a second way."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from conftest import HERON
from designs import layer, two_pad_design
from hypothesis import example, given
from hypothesis import strategies as st
from msgspec.structs import replace

from fusilex.bench.intake.design import design_from, read_design
from fusilex.core.design.model import Design, Placement
from fusilex.core.evidence import Level
from fusilex.core.overlay import union_of
from fusilex.core.printing.apertures import Apertures, apertures_of, narrowest
from fusilex.core.printing.paste import coarsest_powder
from fusilex.core.printing.release import judge_release, release_levels, thin_enough, worst_parts
from fusilex.core.quantities import MM, write
from fusilex.formats.bundle import Files
from fusilex.formats.layers.gerber import read_gerber


def with_paste(shapes: list[shapely.Polygon], nets: dict[tuple[str, str], str] | None = None) -> Design:
    parts = [Placement("R1", 5, 5, 0, "top", "0603", "1k"), Placement("R2", 10, 5, 0, "top", "0603", "1k")]
    design = two_pad_design(parts, apart=1.6, size=0.8, nets=nets)
    return replace(design, layers=(design.layers[0], layer("paste", "top", shapes)))


PADS = [shapely.box(x + dx - 0.4, 4.6, x + dx + 0.4, 5.4) for x in (5, 10) for dx in (-0.8, 0.8)]


def test_what_is_drawn_over_itself_is_one_aperture() -> None:
    left, rest = PADS[0], PADS[1:]
    doubled = [left, left, *rest]
    strips = [shapely.box(4.2 - 0.4, 4.6 + 0.1 * i, 4.2 + 0.4, 4.8 + 0.1 * i) for i in range(7)]  # painted: 0.8 × 0.8
    for shapes in (doubled, [*strips, *rest], [left, shapely.box(3.8, 4.7, 4.2, 5.1), *rest]):
        found = apertures_of(with_paste(shapes), "top")
        assert len(found) == 4 and found.area.sum() == pytest.approx(shapely.union_all(shapes).area)
        assert found.area == pytest.approx(np.full(4, 0.64)) and found.refs.count("R1") == 2


def test_an_aperture_over_two_nets_stops() -> None:
    wide = [shapely.box(3.8, 4.6, 6.2, 5.4), *PADS[2:]]
    one_net = {(r, p): "A" for r in ("R1", "R2") for p in "12"}
    two = judge_release(apertures_of(with_paste(wide), "top"), 0.12)
    assert [(j.rule, j.level, j.refs) for j in two if j.level is Level.STOP] == [("print.joined", Level.STOP, ("R1",))]
    assert {j.level for j in judge_release(apertures_of(with_paste(wide, one_net), "top"), 0.12)} == {Level.GO}


def box(x: float, y: float, w: float, h: float) -> shapely.Polygon:
    return shapely.box(x, y, x + w, y + h)


@given(st.floats(0.12, 0.6), st.floats(0.65, 2.0), st.floats(3.0, 6.0), st.floats(0, 360))
@example(0.5, 1.9095163366346064, 3.0, 158.125)  # a plain overlay says here that nothing is lost
@example(0.25, 1.75, 3.625, 203.14317575297412)
def test_the_thinnest_arm_of_bent_apertures(thin: float, wide: float, long: float, turn: float) -> None:
    shapes = [
        shapely.union_all([box(0, 0, long, wide), box(0, 0, thin, long)]),  # L
        shapely.union_all([box(-long, -thin / 2, 2 * long, thin), box(-wide / 2, -long, wide, 2 * long)]),  # cross
        shapely.union_all([shapely.Point(0, 0).buffer(wide), box(0, -thin / 2, wide + long, thin)]),  # spoke
        box(0, 0, long, long).difference(box(thin, thin, long - 2 * thin, long - 2 * thin)),  # frame
        box(0, 0, long, wide),
        shapely.Point(3, 3).buffer(wide, quad_segs=40),
    ]
    turned = [shapely.affinity.rotate(s, turn, origin=(0, 0)) for s in shapes]
    want = [thin, thin, thin, thin, min(long, wide), 2 * wide]
    assert narrowest(np.array(turned, dtype=object)) == pytest.approx(want, rel=0.04)


def test_shapes_apart_over_one_another_and_empty_come_to_one_area() -> None:
    apart, over = [box(0, 0, 1, 1), box(2, 0, 1, 2)], [box(0, 0, 2, 1), box(1, 0, 2, 1)]
    for shapes, area in ((apart, 3), (over, 3), ([*apart, *over], 4), ([shapely.Polygon(), *apart], 3), ([], 0)):
        assert union_of(shapes).area == pytest.approx(area) and union_of(shapes).is_valid


def apertures(*shapes: shapely.Polygon, refs: tuple[str, ...] = ()) -> Apertures:
    polygons = np.array(shapes, dtype=object)
    n = len(shapes)
    area, length = shapely.area(polygons), shapely.length(polygons)
    return Apertures(
        "top", polygons, refs or ("U1",) * n, ("1",) * n, np.zeros(n), np.zeros(n), area, length, narrowest(polygons)
    )


@pytest.mark.parametrize(
    ("diameter", "size", "powder"),
    [(0.36, "C", 3), (0.304, "C", 4), (0.2, "C", 5), (0.12, "C", 6), (0.225, "R", 3), (0.119, "C", None)],
)
def test_as_many_balls_as_the_limit_wants_are_enough(diameter: float, size: str, powder: int | None) -> None:
    """Eight balls of 45, 38, 25, 15 µm across a round aperture, five across a rectangle: met exactly, by a file's own
    aperture.
    """
    text = f"%FSLAX46Y46*%\n%MOMM*%\n%ADD10{size},{diameter}{'X1' if size == 'R' else ''}*%\nD10*\nX0Y0D03*\nM02*\n"
    assert coarsest_powder(apertures(*read_gerber(text.encode(), "x").polygons)) == powder


def test_the_worst_aperture_of_a_part_is_shown_by_level_and_limits_met_are_met() -> None:
    foil = 0.12
    slit = box(0, 0, 0.17, 3.0)  # area ratio 0.67, aspect 1.42
    small = box(0, 0, 0.3172, 0.3172)  # area ratio 0.661, aspect 2.6
    (part,) = worst_parts(apertures(small, slit), foil)
    assert part.level is Level.CARE and part.aspect_ratio == pytest.approx(0.17 / foil)
    for area_ratio, level in ((0.66, 0), (0.6599, 1), (0.60, 1), (0.5999, 2)):
        side = 4 * foil * area_ratio
        assert release_levels(apertures(box(0, 0, side, side)), foil)[0] == level
    assert release_levels(apertures(box(0, 0, 0.18, 4)), foil)[0] == 0, "an aspect ratio of 1.5 is met"


@given(st.floats(0.1, 1.2), st.floats(1.0, 6.0), st.sampled_from((0.08, 0.1, 0.12, 0.13, 0.15, 0.2)))
def test_the_foil_that_is_advised_is_another_and_releases(width: float, stretch: float, foil: float) -> None:
    made = apertures(box(0, 0, width, width * stretch))
    parts = worst_parts(made, foil)
    thin = thin_enough(parts, foil)
    (judged,) = judge_release(made, foil)
    if judged.level is not Level.GO and thin is not None:
        assert thin <= foil - 0.01 + 1e-9 and write(thin, MM) in judged.do and release_levels(made, thin)[0] == 0
    elif judged.level is not Level.GO:
        assert release_levels(made, 0.05)[0] > 0 and "thin enough" in judged.do


EDGE = "D99*\nX0Y0D02*\nX44000000Y0D01*\nX44000000Y31000000D01*\nX0Y31000000D01*\nX0Y0D01*\n"
FRAME = "X-9000000Y-9000000D02*\nX53000000Y-9000000D01*\nX60000000Y60000000D03*\n"


def test_the_edge_and_frames_on_a_paste_layer_are_no_apertures(heron_files: Files) -> None:
    name = "heron-r2-paste-top.gbr"
    plain = apertures_of(read_design(HERON), "top")
    drawn = (
        heron_files[name].decode().replace("M02*", f"{EDGE}{FRAME}M02*").replace("%LPD*%", "%LPD*%\n%ADD99C,0.15*%", 1)
    )
    design = design_from(heron_files | {name: drawn.encode()}, "heron")
    found = apertures_of(design, "top")
    assert len(found) == len(plain) and found.area.sum() == pytest.approx(plain.area.sum())
    (remark,) = design.remarks
    assert (remark.rule, remark.level) == ("ready.frames", Level.CARE) and "6 shapes" in remark.text


def test_a_pad_of_no_more_than_paint_is_measured_whole() -> None:
    """Strokes that paint a pad 2 × 1.5 mm with round corners: the closed form of a rounded rectangle."""
    strokes = "".join(f"X-750000Y{y}D02*\nX750000Y{y}D01*\n" for y in (-500000, -250000, 0, 250000, 500000))
    text = f"%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.5*%\nD10*\n{strokes}M02*\n"
    painted = read_gerber(text.encode(), "x", "paste", "top")
    found = apertures_of(replace(with_paste(PADS), layers=(painted,)), "top")
    corners = 5 * math.pi * 0.25**2 / 2 * 2  # each stroke ends round; where they overlap the ends do as well
    assert len(found) == 1 and 1.5 * 1.5 < found.area[0] < 1.5 * 1.5 + corners
    fine = shapely.union_all(
        [shapely.LineString([(-0.75, y), (0.75, y)]).buffer(0.25, quad_segs=200) for y in (-0.5, -0.25, 0, 0.25, 0.5)]
    )
    assert found.area[0] == pytest.approx(fine.area, rel=1e-3)
