"""The science against closed forms, textbook values and second methods."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from windows import WINDOWS

from fusilex.core.design.model import Design
from fusilex.core.electrical.network import resistor_network
from fusilex.core.electrical.probes import probe_plan
from fusilex.core.evidence import Level
from fusilex.core.inspection.yields import wilson
from fusilex.core.kit.quantities import in_placing_order, look_alikes, pull_list, pull_quantity
from fusilex.core.packages.catalogue import package_of
from fusilex.core.placing.order import hand_order
from fusilex.core.placing.references import judge_references
from fusilex.core.printing.apertures import Apertures, apertures_of
from fusilex.core.printing.paste import PASTES, coarsest_powder, paste_mass_mg, transfer
from fusilex.core.printing.release import judge_release, release_levels
from fusilex.core.reflow.curve import slopes
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure
from fusilex.core.rework.heat import heat_radius, neighbours
from fusilex.core.similarity import fit_similarity, one_each, suspect_point
from fusilex.core.soldering.order import by_height
from fusilex.core.units import show_resistance
from fusilex.core.values import parse_reading


def aperture(shape: shapely.Polygon) -> Apertures:
    polygons = np.array([shape], dtype=object)
    envelope = shape.minimum_rotated_rectangle.exterior.coords
    sides = [math.dist(envelope[i], envelope[i + 1]) for i in range(2)]
    return Apertures(
        "top",
        polygons,
        ("X1",),
        ("1",),
        np.zeros(1),
        np.zeros(1),
        np.array([shape.area]),
        np.array([shape.length]),
        np.array([min(sides)]),
    )


@given(st.floats(0.1, 5), st.floats(0.1, 5), st.floats(0.05, 0.3))
def test_area_and_aspect_ratio_of_a_rectangle(length: float, width: float, foil: float) -> None:
    made = aperture(shapely.box(0, 0, length, width))
    assert made.area_ratio(foil)[0] == pytest.approx(length * width / (2 * (length + width) * foil))
    assert made.aspect_ratio(foil)[0] == pytest.approx(min(length, width) / foil)


def test_area_ratio_of_a_disc_is_a_quarter_of_its_diameter_over_the_foil() -> None:
    disc = aperture(shapely.Point(0, 0).buffer(0.15, quad_segs=64))
    assert disc.area_ratio(0.12)[0] == pytest.approx(0.3 / (4 * 0.12), rel=1e-3)
    assert (
        release_levels(disc, 0.12)[0] == 1 and release_levels(disc, 0.10)[0] == 0 and release_levels(disc, 0.15)[0] == 2
    )
    assert [j.level for j in judge_release(disc, 0.15)] == [Level.STOP]
    with pytest.raises(ValueError, match="foil"):
        disc.area_ratio(0)


def test_paste_density_transfer_and_mass() -> None:
    assert PASTES["lead-free"].density == pytest.approx(4.26, abs=0.01)
    assert PASTES["lead-free"].solder_fraction == pytest.approx(0.51, abs=0.005)
    assert transfer([0.66, 0.80, 0.50]) == pytest.approx([0.872, 0.973, 0.5], abs=1e-3)
    square = aperture(shapely.box(0, 0, 10, 10))
    ratio = 10 / (4 * 0.1)
    assert paste_mass_mg(square, 0.1, PASTES["leaded"]) == pytest.approx(
        10 * PASTES["leaded"].density / (1 + math.exp(-12 * (ratio - 0.5)))
    )


@pytest.mark.parametrize(
    ("shape", "powder"),
    [
        (shapely.box(0, 0, 1, 0.225), 3),
        (shapely.box(0, 0, 1, 0.224), 4),
        (shapely.box(0, 0, 1, 0.13), 5),
        (shapely.box(0, 0, 1, 0.08), 6),
        (shapely.box(0, 0, 1, 0.07), None),
        (shapely.Point(0, 0).buffer(0.181, quad_segs=32), 3),
        (shapely.Point(0, 0).buffer(0.16, quad_segs=32), 4),
        (shapely.Point(0, 0).buffer(0.18 / np.cos(np.pi / 8), quad_segs=2), 3),
        (shapely.Point(0, 0).buffer(0.17, quad_segs=2), 4),
        (shapely.box(0.1, 0.1, 0.29, 0.29).buffer(0.06, quad_segs=16), 3),
    ],
)
def test_the_coarsest_powder_that_fits(shape: shapely.Polygon, powder: int | None) -> None:
    assert coarsest_powder(aperture(shape)) == powder


points = st.lists(
    st.tuples(st.floats(-80, 80), st.floats(-80, 80)),
    min_size=3,
    max_size=8,
    unique_by=lambda p: (round(p[0]), round(p[1])),
)


@given(points, st.floats(-179, 179), st.floats(0.5, 2), st.tuples(st.floats(-500, 500), st.floats(-500, 500)))
def test_the_reference_fit_finds_an_exact_transform(
    xy: list[tuple[float, float]], turn: float, scale: float, shift: tuple[float, float]
) -> None:
    a = np.array(xy)
    z = (a[:, 0] + 1j * a[:, 1]) * scale * np.exp(1j * np.radians(turn)) + complex(*shift)
    fit = fit_similarity(a, np.column_stack([z.real, z.imag]))
    assert (fit.dx, fit.dy, fit.scale) == pytest.approx((*shift, scale), abs=1e-6)
    assert math.cos(math.radians(fit.rotation_deg - turn)) == pytest.approx(1)
    assert fit.rms_mm < 1e-7 and fit.apply(a) == pytest.approx(np.column_stack([z.real, z.imag]), abs=1e-6)


def test_the_predicted_error_is_what_a_thousand_fits_scatter() -> None:
    noise = np.random.default_rng(1)
    a, worst, sigma = np.array([(0, 0), (40, 0), (0, 30), (40, 28)], dtype=float), np.array([[70.0, 60.0]]), 0.02
    fits = [fit_similarity(a, a + noise.normal(0, sigma, a.shape)) for _ in range(2000)]
    scatter = math.sqrt(np.mean([np.sum((f.apply(worst) - worst) ** 2) for f in fits]))
    predicted = math.sqrt(np.mean([f.predicted_error(worst)[0] ** 2 for f in fits]))
    assert predicted == pytest.approx(scatter, rel=0.05)


@pytest.mark.parametrize("n", [3, 4, 6])
def test_ninety_five_of_a_hundred_fits_stay_under_the_shown_error(n: int) -> None:
    noise = np.random.default_rng(n)
    a, worst = (
        np.array([(0, 0), (140, 0), (0, 60), (140, 55), (70, 60), (20, 30)], dtype=float)[:n],
        np.array([[150.0, 62.0]]),
    )
    fits = [fit_similarity(a, a + noise.normal(0, 0.02, a.shape)) for _ in range(4000)]
    covered = np.mean([np.hypot(*(f.apply(worst) - worst)[0]) <= f.error_within(worst)[0] for f in fits])
    assert covered == pytest.approx(0.95, abs=0.012)
    false = np.mean([suspect_point(a, a + noise.normal(0, 0.05, a.shape)) is not None for _ in range(1500)])
    assert false <= 0.01 + 3 * math.sqrt(0.01 * 0.99 / 1500)


def test_three_points_claim_no_more_than_they_know_and_one_place_is_one_point() -> None:
    a = np.array([(0, 0), (140, 0), (0, 60)], dtype=float)
    fit = fit_similarity(a, a + np.array([(0.02, 0), (0, 0.024), (-0.016, 0)]))
    (judged,) = judge_references(fit, list("abc"), ["U1 in cell 6"], [(140, 60)])
    assert (
        fit.predicted_error([(140, 60)])[0] < 0.05 < fit.error_within([(140, 60)])[0] and judged.level is Level.UNKNOWN
    )
    names, places, seen = one_each(["P1", "p1", "P2"], [(0, 0), (0, 0.001), (9, 9)], [(1, 1), (1.2, 1), (5, 5)])
    assert names == ["P1", "P2"] and places.tolist() == [[0, 0], [9, 9]] and seen.tolist() == [[1.1, 1], [5, 5]]


def test_one_wrong_click_is_named_and_two_points_cannot_tell() -> None:
    a = np.array([(0, 0), (40, 0), (0, 30), (40, 28), (20, 10)], dtype=float)
    b = a + 5.0
    b[3] += (0.6, -0.2)
    assert suspect_point(a, b) == 3 and suspect_point(a, a) is None
    fit = fit_similarity(a, b)
    assert judge_references(fit, list("abcde"), ["U1"], [(1, 1)], 3)[0].subject == "d"
    two = fit_similarity(a[:2], a[:2])
    assert math.isnan(two.sigma) and judge_references(two, ["a", "b"], ["U1"], [(1, 1)])[0].level is Level.UNKNOWN
    with pytest.raises(ValueError, match="coincide"):
        fit_similarity([(1, 1), (1, 1)], [(2, 2), (2, 2)])


def trapezoid(peak: float = 220.0) -> tuple[np.ndarray, np.ndarray]:
    """25 → 100 at 1.5, → 150 in 90 s, → peak at 1.2, held 20 s, → 60 at 2.5 °C/s; irregular samples."""
    corners = [(0.0, 25.0)]
    for celsius, rate in ((100.0, 1.5), (150.0, 50 / 90), (peak, 1.2)):
        corners.append((corners[-1][0] + (celsius - corners[-1][1]) / rate, celsius))
    corners.append((corners[-1][0] + 20, peak))
    corners.append((corners[-1][0] + (peak - 60) / 2.5, 60.0))
    t = np.sort(np.unique(np.concatenate([np.cumsum(np.random.default_rng(3).uniform(0.2, 0.8, 900)), [0.0]])))
    t = t[t <= corners[-1][0]]
    middle = (corners[-3][0] + corners[-2][0]) / 2
    bend = np.where(np.abs(t - middle) < 11, peak - 0.1 * ((t - middle) / 10) ** 2, np.inf)  # no oven stands still
    return t, np.minimum(np.interp(t, *np.array(corners).T), bend)


def test_metrics_of_a_run_with_known_corners() -> None:
    t, y = trapezoid()
    m = measure(t, y, WINDOWS["leaded"])
    assert m.max_heating_c_per_s == pytest.approx(1.5, rel=0.01) and m.max_cooling_c_per_s == pytest.approx(
        2.5, rel=0.01
    )
    assert m.soak_s == pytest.approx(90, abs=0.5) and m.peak_c == pytest.approx(220, abs=0.5)
    above = (220 - 183) / 1.2 + 20 + (220 - 183) / 2.5
    assert m.above_melting_s == pytest.approx(above, abs=0.5)
    expected = 100 * max(
        abs(m.max_heating_c_per_s - 1.5) / 1.5,
        0,
        abs(m.above_melting_s - 65) / 25,
        abs(m.peak_c - 215) / 10,
        abs(m.max_cooling_c_per_s - 2) / 2,
    )
    assert window_index(m, WINDOWS["leaded"]) == pytest.approx(expected, rel=1e-6)
    assert [j.level for j in judge_profile({"a": m}, WINDOWS["leaded"])] == [Level.GO]
    y[200:240] = np.nan
    assert measure(t, y, WINDOWS["leaded"]).peak_c == pytest.approx(220, abs=0.5)


def test_a_run_that_never_melts_stops() -> None:
    t, y = trapezoid(175)
    m = measure(t, y, WINDOWS["leaded"])
    assert m.above_melting_s == 0 and not window_index(m, WINDOWS["leaded"]) < 100
    assert Level.STOP in {j.level for j in judge_profile({"a": m}, WINDOWS["leaded"])}


@given(st.floats(-3, 3), st.floats(0, 200))
def test_slope_of_a_straight_line(slope: float, start: float) -> None:
    t = np.linspace(0, 60, 121)
    assert slopes(t, start + slope * t) == pytest.approx(np.full(121, slope), abs=1e-6)


@pytest.mark.parametrize(
    ("text", "ohm"),
    [
        ("2.2M", 2.2e6),
        ("4k7", 4700),
        ("4R7", 4.7),
        ("0.4", 0.4),
        ("OL", math.inf),
        ("1,5 k", 1500),
        ("470Ω", 470),
        (".5", 0.5),
    ],
)
def test_readings_as_typed(text: str, ohm: float) -> None:
    assert parse_reading(text) == pytest.approx(ohm)


@pytest.mark.parametrize("text", ["", "banana", "-4", "4k7k", "2.2 MV"])
def test_no_reading(text: str) -> None:
    with pytest.raises(ValueError, match="no resistance"):
        parse_reading(text)
    assert show_resistance(4700) == "4.7 kΩ" and show_resistance(math.inf) == "OL"


@given(st.integers(0, 60), st.integers(1, 60))
def test_wilson_bounds_solve_their_own_equation(good: int, n: int) -> None:
    good = min(good, n)
    share = wilson(good, n)
    for bound in (share.low, share.high):
        if 0 < bound < 1:  # |p̂ − p| = z √(p (1 − p) / n) at both ends
            assert abs(good / n - bound) == pytest.approx(
                1.959963984540054 * math.sqrt(bound * (1 - bound) / n), abs=1e-7
            )


def test_pull_quantities(heron: Design) -> None:
    assert [pull_quantity(36, 0.03, 8), pull_quantity(100, 0.01, 3), pull_quantity(18, 0.0, 1)] == [46, 104, 19]
    lines = {line.value + line.package.code: line for line in pull_list(heron, 18)}
    cap = lines["100 nF0402 (1005)"]
    assert (cap.per_board, cap.need, cap.pull) == (5, 90, math.ceil(90 * 1.03) + 8)
    assert sum(line.per_board for line in lines.values()) == len([p for p in heron.parts if p.populated])
    assert any("22 / 220" in str(b.value) for j in look_alikes(list(lines.values())) for b in j.quantities)
    with pytest.raises(ValueError, match="at least one"):
        pull_list(heron, 0)


def test_orders_small_before_tall(heron: Design) -> None:
    order = hand_order(heron)
    assert order[0].package.family == "capacitor" and order[-1].package.family == "connector"
    assert {p.side for p in order} == {"top"} and not any(p.through_hole for p in order)
    by_iron = by_height(p for p in heron.parts if p.populated and p not in order)
    heights = [p.package.height for p in by_iron if p.through_hole]
    assert heights == sorted(heights) and by_iron[-1].ref == "J3"
    assert {p.ref for p in order} | {p.ref for p in by_iron} == {p.ref for p in heron.parts if p.populated}
    tray = in_placing_order(pull_list(heron, 1))
    assert [line.package.mount for line in tray][-2:] == ["tht", "tht"]


@settings(max_examples=6)
@given(st.floats(0.1, 1.2))
def test_probe_plan_against_every_pair(heron: Design, gap: float) -> None:
    gap = round(gap, 3) + 0.00037  # never just the distance of two pads
    wanted: dict[frozenset[str | None], float] = {}
    pads = [p for p in heron.pads if p.net]
    for i, a in enumerate(pads):
        for b in pads[:i]:
            if a.net != b.net and (a.side == b.side or a.drill or b.drill):
                x0, y0, x1, y1 = a.polygon.bounds
                u0, v0, u1, v1 = b.polygon.bounds
                if (
                    u0 < x1 + gap
                    and x0 < u1 + gap
                    and v0 < y1 + gap
                    and y0 < v1 + gap
                    and (d := a.polygon.distance(b.polygon)) < gap
                ):
                    key = frozenset((a.net, b.net))
                    wanted[key] = min(d, wanted.get(key, 9.0))
    plan = probe_plan(heron, gap)
    assert {frozenset((p.a.net, p.b.net)): pytest.approx(p.gap) for p in plan} == wanted
    assert all(a.gap <= b.gap + 1e-6 for a, b in itertools.pairwise(plan))


def test_what_the_meter_reads_across_parts(heron: Design) -> None:
    network = resistor_network(heron)
    assert network.between("UDM", "USB_DM") == pytest.approx(22)
    assert network.between("SDA", "SCL") == pytest.approx(9400)
    assert network.between("3V3", "NRST") == pytest.approx(10_000)
    assert network.between("FB", "GND") == pytest.approx(31_600)
    assert math.isinf(network.between("OSC_IN", "OSC_OUT"))
    across = next(p for p in probe_plan(heron) if {p.a.net, p.b.net} == {"UDM", "USB_DM"})
    assert across.level(22.0) is Level.GO and across.level(0.3) is Level.STOP and across.limit == pytest.approx(11)


def test_neighbours_in_the_heat(heron: Design) -> None:
    part = heron.part_by_ref["C5"]
    near = neighbours(heron, part)
    assert near and all(n.distance < heat_radius(part) for n in near) and "BT1" not in {n.ref for n in near}
    assert [n.distance for n in near] == sorted(n.distance for n in near)


@pytest.mark.parametrize(
    ("name", "ref", "size"),
    [
        ("0402 (1005)", "R1", (1.0, 0.5)),
        ("C_0603", "C1", (1.6, 0.8)),
        ("1608", "R1", (1.6, 0.8)),
        ("QFN-32 5x5", "U1", (5, 5)),
        ("0201", "R1", (0.6, 0.3)),
    ],
)
def test_bodies_by_name(name: str, ref: str, size: tuple[float, float]) -> None:
    body = package_of(name, ref)
    assert (body.size_x, body.size_y) == size and body.known
    assert not package_of("odd thing", "U9").known


def test_apertures_of_heron_belong_to_parts(heron: Design) -> None:
    top = apertures_of(heron, "top")
    assert all(top.refs) and len(set(top.refs)) == len(hand_order(heron))
    for i, (ref, pin) in enumerate(zip(top.refs, top.pins, strict=True)):
        pad = next(p for p in heron.pads if (p.ref, p.pin) == (ref, pin))
        assert pad.polygon.buffer(1e-6).contains(top.polygons[i])
