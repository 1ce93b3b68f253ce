"""The Gerber reader against another one: whatever both can read has the same shapes and areas; what only ours reads,
closed forms.
"""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
import shapely
from conftest import HERON
from gerbonara.cam import FileSettings
from gerbonara.rs274x import GerberFile
from gerbonara.utils import MM, Inch
from hypothesis import given
from hypothesis import strategies as st
from second_gerber import areas_by_the_other

from fusilex.core.problems import BadInput
from fusilex.formats.layers.drawn import ARC_ERROR_MM, arc_points
from fusilex.formats.layers.drill_program import obeyed
from fusilex.formats.layers.excellon import _plain, read_excellon
from fusilex.formats.layers.gerber import _layer, read_components, read_gerber
from fusilex.formats.layers.stream import read_drawn

HEADER = "%FSLAX34Y34*%\n%MOMM*%\n%ADD10C,0.5*%\n%ADD11R,1X0.4*%\n%ADD12O,1.2X0.6*%\n"


def layer_of(body: str, header: str = HEADER) -> object:
    return read_gerber(f"{header}{body}\nM02*\n".encode(), "x.gbr", "copper", "top")


def area(body: str) -> float:
    return float(layer_of(body).area.area)  # type: ignore[attr-defined]


def assert_alike(text: str) -> None:
    ours, theirs = read_gerber(text.encode(), "x.gbr", "copper", "top"), areas_by_the_other(text)
    assert ours.area.area == pytest.approx(
        theirs.area, rel=2e-4, abs=ARC_ERROR_MM * (ours.area.length + theirs.length) / 4 + 2e-5
    )
    assert ours.area.symmetric_difference(theirs).area <= ARC_ERROR_MM * (ours.area.length + theirs.length) + 2e-5


@pytest.mark.parametrize("name", sorted(p.name for p in HERON.glob("*.gbr")))
def test_every_layer_of_heron_is_read_alike(name: str) -> None:
    assert_alike((HERON / name).read_text())


@pytest.mark.parametrize("name", ["heron-r2-copper-top.gbr", "heron-r2-paste-top.gbr", "heron-r2-silk-top.gbr"])
@pytest.mark.parametrize("unit", [MM, Inch])
@pytest.mark.parametrize("digits", [(2, 4), (3, 5), (4, 6)])
@pytest.mark.parametrize("zeros", ["leading", "trailing"])
def test_a_layer_written_in_any_format_has_the_same_area(
    name: str, unit: object, digits: tuple[int, int], zeros: str
) -> None:
    text = (HERON / name).read_text()
    written = GerberFile.from_string(text).write_to_bytes(FileSettings(unit=unit, number_format=digits, zeros=zeros))
    again, other = read_gerber(written, "b", "copper"), areas_by_the_other(written.decode())
    assert not again.unread and again.area.area == pytest.approx(other.area, rel=2e-4)


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


@given(operations)
def test_any_run_of_everyday_statements_is_read_alike(made: list[tuple[object, ...]]) -> None:
    body = "\n".join(str(form).format(*values) for form, *values in made)
    text = f"{HEADER}D10*\nG01*\n{body}\nM02*\n"
    try:
        assert_alike(text)
    except SyntaxError:
        read_gerber(text.encode(), "x.gbr")  # refused there: strokes of a shape that is not round


def test_arcs_in_strokes_and_regions_are_read_alike() -> None:
    for body in (
        "G75*\nX50000Y0D02*\nG03*\nX0Y50000I-50000J0D01*\nG02*\nX50000Y0I0J-50000D01*",
        "G75*\nG36*\nX0Y0D02*\nG01*\nX100000Y0D01*\nG03*\nX0Y0I-50000J0D01*\nG37*",
        "G75*\nG36*\nX10000Y0D02*\nG03*\nX10000Y0I-10000J0D01*\nG37*",
    ):
        assert_alike(f"{HEADER}D10*\n{body}\nM02*\n")
    points = np.array(arc_points((10.0, 0.0), (10.0, 0.0), (0.0, 0.0), False, ARC_ERROR_MM))
    assert shapely.Polygon(points).area == pytest.approx(100 * math.pi, rel=1e-9) and len(points) > 60
    middles = (points[1:] + points[:-1]) / 2
    assert max(np.abs(10 - np.hypot(*p.T)).max() for p in (points, middles)) <= ARC_ERROR_MM


def test_steps_and_repeats_are_written_out_in_order() -> None:
    disc = math.pi / 16
    layer = layer_of("%SRX3Y2I5.0J4.0*%\nD10*\nX0Y0D03*\n%SR*%\nD11*\nX0Y200000D03*")
    assert len(layer) == 7 and layer.area.area == pytest.approx(6 * disc + 0.4)  # type: ignore
    assert {tuple(np.round(p.centroid.coords[0], 6)) for p in layer.polygons[:6]} == {
        (x, y) for x in (0, 5, 10) for y in (0, 4)
    }  # type: ignore
    # each copy is drawn whole before the next: what is clear in one clears those before it and not those after it
    clearing = "%SRX2Y1I1.0J0*%\nG36*\nX0Y0D02*\nX20000Y0D01*\nX20000Y10000D01*\nX0Y10000D01*\nG37*\n%LPC*%\nG36*\nX0Y0D02*\nX5000Y0D01*\nX5000Y10000D01*\nX0Y10000D01*\nG37*\n%LPD*%\n%SR*%"
    assert area(clearing) == pytest.approx(3.0 - 0.5 - 0.5)
    with pytest.raises(BadInput, match="drawn objects"):
        layer_of("%SRX9000Y9000I1J1*%\nD10*\nX0Y0D03*\n%SR*%")


def test_objects_are_mirrored_turned_and_scaled() -> None:
    at = lambda body: layer_of(body).polygons[-1].bounds  # type: ignore # noqa: E731
    assert at("D11*\n%LR90*%\nX0Y0D03*") == pytest.approx((-0.2, -0.5, 0.2, 0.5))
    assert at("D11*\n%LS1.5*%\nX100000Y0D03*") == pytest.approx((9.25, -0.3, 10.75, 0.3))
    corner = "%AMT*4,1,3,0,0,2,0,0,1,0,0,0*%\n%ADD20T*%\nD20*\n"
    assert at(corner + "%LMX*%\nX0Y0D03*") == pytest.approx((-2, 0, 0, 1)) and at(
        corner + "%LMY*%\nX0Y0D03*"
    ) == pytest.approx((0, -1, 2, 0))
    assert at(corner + "%LMX*%\n%LR90*%\nX0Y0D03*") == pytest.approx((-1, -2, 0, 0)), "mirrored first, then turned"
    stroke = area("D10*\n%LS2*%\nX0Y0D02*\nX100000Y0D01*")
    assert stroke == pytest.approx(10 + math.pi / 4, rel=5e-3)


def test_blocks_are_drawn_as_their_objects() -> None:
    block = "%TO.N,A*%\n%ABD20*%\nD11*\nX0Y0D03*\n%LPC*%\nD10*\nX0Y0D03*\n%LPD*%\n%AB*%\n%TD*%\nD20*\n"
    ring = (
        0.4 - 2 * (0.25**2 * math.asin(0.8) + 0.2 * math.sqrt(0.25**2 - 0.2**2)) / 1
    )  # the disc as far as it is over the bar
    assert area(block + "X0Y0D03*") == pytest.approx(ring, rel=1e-2)
    assert area(block + "%TO.N,B*%\nX0Y0D03*\nX50000Y0D03*") == pytest.approx(2 * ring, rel=1e-2)
    assert area("%LPD*%\n" + block + "%LPC*%\nX0Y0D03*") == pytest.approx(math.pi / 16, rel=1e-3), (
        "clear ones turn over"
    )
    nested = "%ABD21*%\n%ABD22*%\nD10*\nX0Y0D03*\n%AB*%\nD22*\nX0Y0D03*\nX20000Y0D03*\n%AB*%\nD21*\nX0Y0D03*\n%LR90*%\nX100000Y0D03*"
    layer = layer_of(nested)
    assert sorted(tuple(np.round(p.centroid.coords[0], 6)) for p in layer.polygons) == [
        (0, 0),
        (2, 0),
        (10, 0),
        (10, 2),
    ]  # type: ignore
    named = layer_of("%ABD20*%\nD10*\nX0Y0D03*\n%AB*%\nD20*\n%TO.P,R1,1*%\n%TO.N,GND*%\nX0Y0D03*")
    assert named.pins == (("R1", "1"),) and named.nets == ("GND",) and named.flashed.all()  # type: ignore


def test_quarter_arcs_old_formats_and_increments() -> None:
    quarter = math.pi / 2 * 5 * 0.5 + math.pi * 0.25**2
    assert area("G74*\nD10*\nX50000Y0D02*\nG03*\nX0Y50000I50000J0D01*") == pytest.approx(quarter, rel=0.002)
    assert area("G74*\nD10*\nX50000Y0D02*\nG02*\nX50000Y0I0J0D01*") == pytest.approx(math.pi / 16, rel=0.03), (
        "of no length: a dot"
    )
    steps = "%FSLIX34Y34*%\n%MOMM*%\n%ADD10C,0.5*%\nD10*\nX10000Y0D03*\nX10000Y0D03*\nM02*\n"
    assert [p.centroid.x for p in read_gerber(steps.encode(), "x").polygons] == pytest.approx([1, 2])
    trailing = "%FSTAX33Y33*%\nG71*\n%ADD10C,0.5*%\nD10*\nX01Y0D03*\nX012Y-0005D03*\nM02*\n"
    assert [p.centroid.coords[0] for p in read_gerber(trailing.encode(), "x").polygons] == [
        pytest.approx(c, abs=1e-9) for c in ((10, 0), (12, -0.5))
    ]


@pytest.mark.parametrize(
    ("definition", "expected"),
    [
        ("%AMA*7,0,0,2,1,0.4,30*%\n%ADD30A*%", None),
        ("%AMA*21,1,2,1,0.5,0,45*%\n%ADD30A*%", 2.0),
        ("%AMA*22,1,2,1,0.5,0,10*%\n%ADD30A*%", 2.0),
        ("%AMA*6,0,0,4,0.5,0.5,2,0.2,5,0*%\n%ADD30A*%", None),
        ("%AMA*20,1,0.5,0,0,3,4,0*%\n%ADD30A*%", 2.5),
        ("%AMA*5,1,6,1,1,2,0*%\n%ADD30A*%", 1.5 * math.sqrt(3)),
        ("%AMA*0 a note*$3=$1x2-$2/(1+1)*21,1,$3,$1,0,0,0*1,0,$2,0,0*%\n%ADD30A,1X0.5*%", 1.75 - math.pi / 16),
        ("%ADD30R,2X1X0.5X0.25*%", 2 - 0.125),
        ("%ADD30C,2X0.5X0.5*%", math.pi - 0.25),
        ("%ADD30P,2X4X45X0.5*%", 2 - math.pi / 16),
        ("%ADD30O,3X1X0.5X0.5*%", 2 + math.pi / 4 - 0.25),
    ],
)
def test_apertures_and_macros_by_closed_forms(definition: str, expected: float | None) -> None:
    found = area(f"{definition}\nD30*\nX0Y0D03*")
    if definition.startswith("%AMA*7"):  # four pieces of a ring: cut by a bar of 0.4 right across
        strip = lambda r: 2 * (0.2 * math.sqrt(r * r - 0.04) + r * r * math.asin(0.2 / r))  # noqa: E731
        expected = math.pi * (1 - 0.25) - 2 * (strip(1) - strip(0.5))
    if definition.startswith(
        "%AMA*6"
    ):  # rings 2–1.5 and 1–0.5, and a cross of 5 × 0.2 with its parts over them taken once
        strip = lambda r: 2 * (0.1 * math.sqrt(r * r - 0.01) + r * r * math.asin(0.1 / r))  # noqa: E731
        rings = math.pi * (4 - 2.25 + 1 - 0.25)
        expected = rings + (2 * 5 * 0.2 - 0.04) - 2 * (strip(2) - strip(1.5) + strip(1) - strip(0.5))
    assert found == pytest.approx(expected, rel=1e-3)


def test_what_cannot_be_drawn_is_counted_and_the_rest_is_read() -> None:
    for bad, words in (
        ("%AMB*9,1,2*%\n%ADD40B*%", "primitive 9"),
        ("%AMB*1,1,1/0,0,0*%\n%ADD40B*%", "a division by nothing"),
        ("%AMB*1,1,$1+,0,0*%\n%ADD40B,1*%", "a sum that ends too soon"),
        ("%ADD40Z,1*%", "“Z” with 1 sizes"),
        ("%ADD40C*%", "with 0 sizes"),
        ("", "nothing defines"),
    ):
        layer = layer_of(f"{bad}\nD40*\nX0Y0D03*\nD10*\nX50000Y0D03*")
        assert len(layer) == 1 and words in layer.unread[0], bad  # type: ignore
    for odd in ("nonsense*", "G77*", "%ZZ4*%"):
        for text in (f"{odd}\nD10*\nX0Y0D03*", f"D10*\n{odd}\nX0Y0D03*", f"D10*\nX0Y0D03*\n{odd}"):
            layer = layer_of(text)
            assert len(layer) == 1 and layer.unread == (f"“{odd.strip('%*')}”",)  # type: ignore
    with pytest.raises(BadInput, match="a positive image"):
        layer_of("%IPNEG*%\nD10*\nX0Y0D03*")


def test_regions_that_touch_themselves_keep_their_area() -> None:
    """A hole cut into a region by a bridge of no width, two holes that touch in a corner, and an eight that crosses
    itself.
    """

    def points(p: list[tuple[float, float]]) -> str:
        steps = [f"X{round(x * 1e4)}Y{round(y * 1e4)}D0{2 if i == 0 else 1}*\n" for i, (x, y) in enumerate(p)]
        return f"G36*\n{''.join(steps)}G37*"

    cut = [
        (0, 0),
        (10, 0),
        (10, 10),
        (0, 10),
        (0, 5),
        (2, 5),
        (2, 8),
        (5, 8),
        (5, 5),
        (8, 5),
        (8, 2),
        (5, 2),
        (5, 5),
        (2, 5),
        (0, 5),
        (0, 0),
    ]
    layer = layer_of(points(cut))
    assert layer.area.area == pytest.approx(100 - 9 - 9) and not layer.unread  # type: ignore
    comb = [
        (0, 0),
        *((x, y) for i in range(40) for x, y in ((i, 0), (i + 0.5, 5), (i + 0.5, 0))),
        (40, 0),
        (40, -3),
        (0, -3),
        (0, 0),
    ]
    combed = layer_of(points(comb))
    assert combed.area.area == pytest.approx(40 * 3 + 40 * 0.5 * 5 / 2)  # type: ignore
    eight = layer_of(points([(0, 0), (2, 2), (2, 0), (0, 2), (0, 0)]))
    assert "cross themselves" in eight.unread[0]  # type: ignore


def test_truncated_or_aimless_drawing_is_refused() -> None:
    with pytest.raises(BadInput, match="end mark M02"):
        read_gerber(f"{HEADER}D10*\nX0Y0D03*\n".encode(), "x.gbr")
    aimless = read_gerber(b"%FSLAX34Y34*%\n%MOMM*%\nX0Y0D03*\nM02*\n", "x.gbr")
    assert len(aimless) == 0 and "before an aperture was chosen" in aimless.unread[0]
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
        quick, general = _plain(text, path.name, True), obeyed(text, path.name, True, True)
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
    assert stroke.is_valid and stroke.within(fine.buffer(ARC_ERROR_MM))
    assert fine.difference(stroke.buffer(1.5 * ARC_ERROR_MM)).area < 1e-9
    width = round(width, 6)
    assert stroke.area == pytest.approx(width * math.hypot(dx, dy) / 1e6 + math.pi * width**2 / 4, rel=1e-9)
