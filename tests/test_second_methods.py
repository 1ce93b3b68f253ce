"""Core results against a second, independent way of getting them."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from windows import WINDOWS

from fusilex.core.design.connectivity import DisjointSet, copper_pieces
from fusilex.core.design.model import Design, Pad, Part
from fusilex.core.design.pads import find_pads
from fusilex.core.electrical.network import resistor_network
from fusilex.core.kit.losses import Logged, Loss, loss_key, loss_of
from fusilex.core.kit.quantities import PullLine, judge_stock, look_alikes, pull_quantity
from fusilex.core.packages.catalogue import Package, package_of
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.paste import PASTES, paste_mass_mg, transfer
from fusilex.core.printing.release import release_levels, worst_parts
from fusilex.core.reflow.curve import crossings, seconds_above, slopes
from fusilex.core.reflow.metrics import Metrics, window_index
from fusilex.core.rework.heat import neighbours
from fusilex.core.similarity import fit_similarity


def test_connected_copper_equals_one_great_union(heron: Design) -> None:
    """The disjoint set over touching pairs, without holes, against the parts of the union of everything."""
    for side in ("top", "bottom"):
        alone = replace(heron, layers=tuple(x for x in heron.layers if x.side == side), holes=())
        pieces = copper_pieces(alone).pieces[side]
        layer = alone.layer("copper", side)
        assert layer
        union = shapely.get_parts(shapely.union_all(layer.polygons))
        assert len(set(pieces.tolist())) == len(union)
        where, which = shapely.STRtree(union).query(layer.polygons, predicate="intersects")
        by_union = dict(zip(where.tolist(), which.tolist(), strict=True))
        pairs = {(int(pieces[i]), by_union[i]) for i in range(len(layer))}
        assert len(pairs) == len(union), "each piece is one part of the union"


def test_pads_by_attribute_netlist_and_distance_agree(heron: Design) -> None:
    plain = tuple(replace(x, pins=(None,) * len(x), functions=(None,) * len(x)) for x in heron.layers)
    by_netlist = find_pads(replace(heron, layers=plain))
    by_distance = find_pads(replace(heron, layers=plain, netpoints=()))

    def spots(pads: tuple[Pad, ...]) -> set[tuple[str, float, float]]:
        return {(p.ref, round(p.polygon.centroid.x, 2), round(p.polygon.centroid.y, 2)) for p in pads}

    fitted = {p.ref for p in heron.parts if p.populated}
    known = {s for s in spots(heron.pads) if s[0] in fitted}
    assert {s for s in spots(by_netlist) if s[0] in fitted} == known
    assert {s for s in spots(by_distance) if s[0] in fitted} == known
    assert {p.name: p.drill for p in by_netlist} == {p.name: p.drill for p in heron.pads}


networks = st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5), st.floats(1, 1e6)), min_size=1, max_size=12)


@given(networks)
def test_effective_resistance_equals_a_nodal_solution(branches: list[tuple[int, int, float]]) -> None:
    """Push one ampere through, solve Kirchhoff's equations with one net grounded, read the voltage."""
    branches = [(a, b, r) for a, b, r in branches if a != b]
    body = Package("0402", 1, 0.5, 0.5, 1, "resistor")
    dot = shapely.Point(0, 0).buffer(0.1)
    parts = tuple(
        Part(
            f"R{i}",
            0,
            0,
            0,
            "top",
            f"{r:.6f}",
            body,
            pads=(Pad(f"R{i}", "1", "top", dot, f"n{a}"), Pad(f"R{i}", "2", "top", dot, f"n{b}")),
        )
        for i, (a, b, r) in enumerate(branches)
    )
    network = resistor_network(Design("x", (), (), (), shapely.box(0, 0, 1, 1), (), (), (), parts))
    conductance = np.zeros((6, 6))
    for a, b, r in branches:
        conductance[[a, b], [a, b]] += 1 / r
        conductance[[a, b], [b, a]] -= 1 / r
    reach = np.linalg.matrix_power((conductance != 0) | np.eye(6, dtype=bool), 6)
    for a in range(6):
        for b in range(a):
            expected = math.inf
            if reach[a, b]:
                live = [n for n in range(6) if reach[a, n] and n != b]
                current = np.array([1.0 if n == a else 0.0 for n in live])
                expected = float(np.linalg.solve(conductance[np.ix_(live, live)], current)[live.index(a)])
            assert network.between(f"n{a}", f"n{b}") == pytest.approx(expected, rel=1e-5)


runs = st.lists(st.tuples(st.floats(0.2, 3), st.floats(20, 260)), min_size=12, max_size=60)


@given(runs)
def test_slopes_equal_a_polynomial_fit_in_each_window(samples: list[tuple[float, float]]) -> None:
    time = np.cumsum([s[0] for s in samples])
    celsius = np.array([s[1] for s in samples])
    found = slopes(time, celsius)
    for i in range(len(time)):
        near = np.abs(time - time[i]) <= 5.0 + 1e-9
        edge = np.any(np.abs(np.abs(time - time[i]) - 5.0) < 1e-6)
        if near.sum() >= 2 and not edge:
            assert found[i] == pytest.approx(np.polyfit(time[near] - time[i], celsius[near], 1)[0], abs=1e-5, rel=1e-6)


@settings(max_examples=50)
@given(runs, st.floats(30, 250))
def test_time_above_a_level_equals_fine_sampling(samples: list[tuple[float, float]], level: float) -> None:
    time = np.cumsum([s[0] for s in samples])
    celsius = np.array([s[1] for s in samples])
    fine = np.linspace(time[0], time[-1], 200_001)
    share = float(np.mean(np.interp(fine, time, celsius) >= level)) * (time[-1] - time[0])
    assert seconds_above(time, celsius, level) == pytest.approx(share, abs=0.02)
    up, down = crossings(time, celsius, level)
    assert abs(len(up) - len(down)) <= 1


def metrics(values: tuple[float, float, float, float, float]) -> Metrics:
    return Metrics(*values, to_peak_s=200)


@given(st.tuples(st.floats(0, 5), st.floats(20, 180), st.floats(10, 180), st.floats(180, 260), st.floats(0, 7)))
def test_the_index_is_below_100_just_when_every_metric_is_inside(
    values: tuple[float, float, float, float, float],
) -> None:
    for window in WINDOWS.values():
        made = metrics(values)
        inside = all(low <= value <= high for _, value, (low, high), _ in made.ranged(window))
        assert (window_index(made, window) <= 100.0 + 1e-9) == inside
    middle = metrics((1.5, 90, 65, 215, 2))
    assert window_index(middle, WINDOWS["leaded"]) == pytest.approx(0)
    assert window_index(replace(middle, soak_s=float("nan")), WINDOWS["leaded"]) == math.inf


def test_the_reference_fit_equals_general_least_squares() -> None:
    random = np.random.default_rng(11)
    a = random.uniform(0, 100, (6, 2))
    b = a @ np.array([[0.9, 0.2], [-0.2, 0.9]]) + (4, -7) + random.normal(0, 0.05, (6, 2))
    design = np.zeros((12, 4))
    design[0::2] = np.column_stack([a[:, 0], -a[:, 1], np.ones(6), np.zeros(6)])
    design[1::2] = np.column_stack([a[:, 1], a[:, 0], np.zeros(6), np.ones(6)])
    (cos, sin, dx, dy), rest, *_ = np.linalg.lstsq(design, b.ravel(), rcond=None)
    fit = fit_similarity(a, b)
    assert (fit.dx, fit.dy) == pytest.approx((dx, dy))
    assert fit.scale == pytest.approx(math.hypot(cos, sin)) and math.radians(fit.rotation_deg) == pytest.approx(
        math.atan2(sin, cos)
    )
    assert np.sum(fit.residuals**2) == pytest.approx(rest[0]) and fit.sigma == pytest.approx(math.sqrt(rest[0] / 8))
    covariance = np.linalg.inv(design.T @ design) * fit.sigma**2
    for x, y in ((0.0, 0.0), (50.0, 20.0), (140.0, -30.0)):
        rows = np.array([[x, -y, 1, 0], [y, x, 0, 1]])
        assert fit.predicted_error([(x, y)])[0] == pytest.approx(math.sqrt(np.trace(rows @ covariance @ rows.T)))


def test_paste_of_heron_summed_aperture_by_aperture(heron: Design) -> None:
    top, foil, paste = apertures_of(heron, "top"), 0.12, PASTES["leaded"]
    total = 0.0
    for polygon in top.polygons:
        ratio = polygon.area / (polygon.length * foil)
        total += polygon.area * foil * paste.density / (1 + math.exp(-12 * (ratio - 0.5)))
    assert paste_mass_mg(top, foil, paste) == pytest.approx(total)
    assert float(transfer(10.0)) == pytest.approx(1) and float(transfer(0.0)) < 0.01
    thick = [paste_mass_mg(top, t, paste) / t for t in (0.08, 0.12, 0.2, 0.3)]
    assert thick == sorted(thick, reverse=True), "a thicker foil gives a smaller share of its volume"
    worst = worst_parts(top, foil)
    assert worst[0].ref == "U1" and [w.area_ratio for w in worst] == sorted(w.area_ratio for w in worst)
    assert set(release_levels(top, 0.2)) == {0, 2} or 2 in set(release_levels(top, 0.2))
    assert release_levels(top, 0.2, coated=True).sum() <= release_levels(top, 0.2).sum()


def bin_line(value: str, need: int = 18, family: str = "resistor") -> PullLine:
    body = Package("0402", 1, 0.5, 0.5, 1, family)
    return PullLine(value, body, "", ("R1",), need, pull_quantity(need, 0.03, 8), 0.03, 8)


@pytest.mark.parametrize(
    ("a", "b", "alike"),
    [
        ("220", "22", True),
        ("4.7 k", "4.7 M", True),
        ("10 nF", "100 nF", True),
        ("1 k", "33 k", False),
        ("1 k", "1 k", False),
        ("12 pF", "21 pF", False),
    ],
)
def test_values_that_are_swapped_by_one_character(a: str, b: str, alike: bool) -> None:
    assert bool(look_alikes([bin_line(a), bin_line(b)])) is alike
    assert not look_alikes([bin_line(a), bin_line(b, family="capacitor")]), "another kind of part lies in another box"


@pytest.mark.parametrize(
    ("package", "loss"),
    [
        *((code, (0.05, 10)) for code in ("01005", "0201", "0603 Metric")),
        *((code, (0.03, 8)) for code in ("0402 (1005)", "1005 metric", "R-1005-METRIC")),
        *((code, (0.02, 5)) for code in ("0603", "M1608")),
        *((code, (0.01, 3)) for code in ("1206", "1008", "1812", "2010", "2512", "MELF", "SMA", "SMB", "SMC")),
        *((code, (0.0, 1)) for code in ("SOIC-8", "QFN-32 5x5", "SOT-23")),
    ],
)
def test_losses_by_package(package: str, loss: tuple[float, int]) -> None:
    chip = package_of(package, "D1" if package.startswith("SM") else "R1")
    assert loss_of(chip) == Loss(*loss)
    key = loss_key(chip)
    assert loss_of(chip, {key: Logged(40, 2)}) == Loss(*loss), "too few pieces to believe"
    assert loss_of(chip, {key: Logged(594, 4)}) == Loss(5 / 600, loss[1], 598)


def test_stock_against_need_and_pull() -> None:
    line = bin_line("1 k")
    levels = {count: judge_stock([line], {line.key: count})[0].level.value for count in (0, 17, 18, 26, 27, 99)}
    assert levels == {0: "stop", 17: "stop", 18: "care", 26: "care", 27: "go", 99: "go"}


def test_neighbours_by_looking_at_every_pad(heron: Design) -> None:
    for ref in ("U1", "R4", "C1"):
        part = heron.part_by_ref[ref]
        for radius in (2.0, 5.0):
            spot = shapely.Point(part.x, part.y)
            near = {
                p.ref
                for p in heron.pads
                if p.ref != ref
                and heron.part_by_ref.get(p.ref)
                and heron.part_by_ref[p.ref].populated
                and heron.part_by_ref[p.ref].side == "top"
                and p.polygon.distance(spot) < radius
            }
            assert {n.ref for n in neighbours(heron, part, radius)} == near


def test_pieces_that_touch_are_the_components_of_their_graph() -> None:
    dice = np.random.default_rng(4)
    for n, touches in ((1, 0), (40, 25), (300, 260), (300, 1000)):
        pairs = dice.integers(0, n, (touches, 2))
        joined = DisjointSet(n)
        for a, b in pairs.tolist():
            joined.join(a, b)
        graph = coo_array((np.ones(touches), pairs.T), shape=(n, n))
        count, of = connected_components(graph, directed=False)
        found = [joined.find(i) for i in range(n)]
        assert len(set(found)) == count == len(set(zip(found, of.tolist(), strict=True)))
