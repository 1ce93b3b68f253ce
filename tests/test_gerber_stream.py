"""The one-pass reader against the general parser: whatever both can read, they draw alike."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
import shapely
from conftest import HERON
from hypothesis import given, settings
from hypothesis import strategies as st

from fusilex.core.problems import BadInput
from fusilex.formats.excellon import _parsed, _plain, read_excellon
from fusilex.formats.gerber import _layer, read_components, read_gerber
from fusilex.formats.gerber_drawn import ARC_ERROR_MM, Drawn, arc_points
from fusilex.formats.gerber_general import read_general
from fusilex.formats.gerber_stream import Rare, read_drawn, read_stream

HEADER = "%FSLAX34Y34*%\n%MOMM*%\n%ADD10C,0.5*%\n%ADD11R,1X0.4*%\n%ADD12O,1.2X0.6*%\n"


def both(text: str) -> tuple[Drawn, Drawn]:
    return read_stream(text, "x.gbr"), read_general(text, "x.gbr")


def assert_alike(one: Drawn, other: Drawn) -> None:
    a, b = _layer(one, "copper", "top"), _layer(other, "copper", "top")
    assert len(a) == len(b)
    assert np.array_equal(a.flashed, b.flashed) and a.functions == b.functions
    assert all(p == q for p, q, flashed in zip(a.pins, b.pins, a.flashed, strict=True) if flashed)
    assert shapely.area(a.polygons) == pytest.approx(shapely.area(b.polygons), abs=1e-9)
    assert np.abs(shapely.bounds(a.polygons) - shapely.bounds(b.polygons)).max(initial=0.0) < 1e-6
    drawn = [n for n, x in zip(a.nets, a.polygons, strict=True) if x is not None]
    assert all(n == m or m is None for n, m in zip(drawn, b.nets, strict=True)), "regions keep their net here"


@pytest.mark.parametrize("name", sorted(p.name for p in HERON.glob("*.gbr")))
def test_every_layer_of_heron_is_read_alike(name: str) -> None:
    assert_alike(*both((HERON / name).read_text()))


coordinates = st.integers(-300_000, 300_000)
operations = st.lists(
    st.one_of(
        st.tuples(st.just("D{}*"), st.sampled_from((10, 11, 12))),
        st.tuples(st.just("X{}Y{}D03*"), coordinates, coordinates),
        st.tuples(st.just("X{}Y{}D02*"), coordinates, coordinates),
        st.tuples(st.just("X{}Y{}D01*"), coordinates, coordinates),
        st.tuples(st.just("Y{}D01*"), coordinates),
        st.tuples(st.just("X{}D01*"), coordinates),
        st.tuples(st.just("%LP{}*%"), st.sampled_from("DC")),
        st.tuples(st.just("%TO.N,{}*%"), st.sampled_from(("GND", "VCC"))),
        st.tuples(st.just("%TO.P,R{},1*%"), st.integers(1, 9)),
        st.just(("%TD*%",)),
        st.tuples(
            st.just("G36*\nX{0}Y{1}D02*\nX{2}Y{1}D01*\nX{2}Y{3}D01*\nX{0}Y{1}D01*\nG37*"),
            *(st.integers(i * 1000, i * 1000 + 900) for i in (1, 2, 30, 40)),
        ),
    ),
    max_size=25,
)


@settings(max_examples=150)
@given(operations)
def test_any_run_of_everyday_statements_is_read_alike(made: list[tuple[object, ...]]) -> None:
    body = "\n".join(str(form).format(*values) for form, *values in made)
    text = f"{HEADER}D10*\nG01*\n{body}\nM02*\n"
    try:
        other = read_general(text, "x.gbr")
    except BadInput:
        return  # strokes of a shape that is not round: read here, refused there
    assert_alike(read_stream(text, "x.gbr"), other)


def test_arcs_in_strokes_and_regions_are_read_alike() -> None:
    for body in (
        "G75*\nX50000Y0D02*\nG03*\nX0Y50000I-50000J0D01*\nG02*\nX50000Y0I0J-50000D01*",
        "G75*\nG36*\nX0Y0D02*\nG01*\nX100000Y0D01*\nG03*\nX0Y0I-50000J0D01*\nG37*",
        "G75*\nG36*\nX10000Y0D02*\nG03*\nX10000Y0I-10000J0D01*\nG37*",
    ):
        one, other = both(f"{HEADER}D10*\n{body}\nM02*\n")
        assert_alike(one, other)
    points = np.array(arc_points((10.0, 0.0), (10.0, 0.0), (0.0, 0.0), False, ARC_ERROR_MM))
    assert np.hypot(*points.T) == pytest.approx(10) and len(points) > 60
    middles = (points[1:] + points[:-1]) / 2
    assert (10 - np.hypot(*middles.T)).max() <= ARC_ERROR_MM * 1.001


@pytest.mark.parametrize(
    "statement",
    [
        "%SRX2Y2I5.0J5.0*%",
        "%ABD20*%",
        "%LMX*%",
        "%LR45.0*%",
        "%LS2.0*%",
        "G91*",
        "G70*",
        "D99*",
        "%ADD10C,0.9*%",
        "%IPNEG*%",
        "nonsense*",
    ],
)
def test_what_is_rarer_goes_to_the_general_parser(statement: str) -> None:
    with pytest.raises(Rare):
        read_stream(f"{HEADER}D10*\nX0Y0D03*\n{statement}\nX9000Y0D03*\nM02*\n", "x.gbr")


def test_steps_and_repeats_and_single_quadrants_are_still_read() -> None:
    repeated = f"{HEADER}%SRX3Y2I5.0J4.0*%\nD10*\nX0Y0D03*\n%SR*%\nM02*\n"
    with pytest.raises(Rare):
        read_stream(repeated, "x.gbr")
    quarter = f"{HEADER}G74*\nD10*\nX50000Y0D02*\nG03*\nX0Y50000I50000J0D01*\nM02*\n"
    with pytest.raises(Rare):
        read_stream(quarter, "x.gbr")
    stroke = read_gerber(quarter.encode(), "x.gbr").area
    assert stroke.area == pytest.approx(math.pi / 2 * 5 * 0.5 + math.pi * 0.25**2, rel=0.01)


def test_truncated_or_aimless_drawing_is_refused() -> None:
    for text, words in (
        (f"{HEADER}D10*\nX0Y0D03*\n", "end mark M02"),
        ("%FSLAX34Y34*%\n%MOMM*%\nX0Y0D03*\nM02*\n", "shapes|statements|aperture"),
    ):
        with pytest.raises(BadInput, match=words):
            read_gerber(text.encode(), "x.gbr")
    with pytest.raises(BadInput, match="a turn in degrees"):
        text = f"{HEADER}D10*\n%TO.C,R1*%\n%TO.CRot,left*%\nX0Y0D03*\nM02*\n"
        read_components(text.encode(), "c.gbr", "top")


def test_inches() -> None:
    drawn = read_drawn(
        b"%TF.Part,Single*%\n%FSLAX24Y24*%\n%MOIN*%\n%ADD10C,0.1*%\nD10*\nX10000Y20000D03*\nM02*\n", "i.gbr"
    )
    layer = _layer(drawn, "copper", "top")
    centre = layer.polygons[0].centroid
    assert (centre.x, centre.y) == pytest.approx((25.4, 50.8)) and layer.polygons[0].area == pytest.approx(
        math.pi * 1.27**2, rel=2e-3
    )


def test_plain_drill_files_are_read_alike() -> None:
    for path in HERON.glob("*.drl"):
        text = path.read_text()
        quick, general = _plain(text, path.name, True), _parsed(text, path.name, True, True)
        assert quick is not None and len(quick) == len(general) > 0
        for a, b in zip(quick, general, strict=True):
            assert (a.x, a.y, a.diameter) == pytest.approx((b.x, b.y, b.diameter))
        slotted = re.sub(r"^(X[\d.]+Y[\d.]+)$", r"\1G85X1.0Y1.0", text, count=1, flags=re.M)
        found = read_excellon(slotted.encode(), path.name)
        assert len(found) == len(quick) + 1 and (found[1].x, found[1].y) == (1, 1), "both ends of a slot"
        assert _plain(text.replace("M30", "G00X1.0Y1.0\nM30"), path.name, True) is None


@given(st.floats(0.02, 6.0))
def test_circles_keep_their_area_and_stay_close(diameter: float) -> None:
    """Against the closed forms of a circle: area to the letter, perimeter and distance within what is promised."""
    text = f"%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,{diameter:.6f}*%\nD10*\nX1000000Y2000000D03*\nM02*\n"
    disc = read_gerber(text.encode(), "c.gbr").polygons[0]
    radius = round(diameter, 6) / 2
    assert disc.area == pytest.approx(math.pi * radius**2, rel=1e-9)
    assert disc.length == pytest.approx(2 * math.pi * radius, rel=0.02)
    away = np.hypot(*(shapely.get_coordinates(disc.segmentize(radius / 20)) - (1, 2)).T) - radius
    assert np.abs(away).max() <= ARC_ERROR_MM, "no further off than an arc may be"


@given(st.floats(0.05, 2.0), st.floats(0, 2 * math.pi), st.floats(0.0, 20.0))
def test_strokes_are_rectangles_with_half_discs(width: float, angle: float, length: float) -> None:
    dx, dy = round(1e6 * length * math.cos(angle)), round(1e6 * length * math.sin(angle))
    text = f"%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,{width:.6f}*%\nD10*\nX0Y0D02*\nX{dx}Y{dy}D01*\nM02*\n"
    stroke = read_gerber(text.encode(), "s.gbr").polygons[0]
    exact = shapely.LineString([(0, 0), (dx / 1e6, dy / 1e6)]) if dx or dy else shapely.Point(0, 0)
    fine = exact.buffer(width / 2, quad_segs=200)
    assert stroke.is_valid and stroke.within(fine.buffer(2e-5))
    assert fine.difference(stroke.buffer(1.5 * ARC_ERROR_MM)).area < 1e-9
    assert stroke.area == pytest.approx(width * math.hypot(dx, dy) / 1e6 + math.pi * width**2 / 4, rel=0.1)
