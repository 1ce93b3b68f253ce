"""Plates below the board and air from above: closed forms, energy, the correlation that the air's heat comes from."""

from __future__ import annotations

import math

import numpy as np
import pytest

from fusilex.core.heat.matter import SIGMA
from fusilex.core.heat.oven import AIR, CONTROLLED, FOIL_UNEVEN, PLATE, Loading, OvenModel, parameters_of
from fusilex.core.heat.run import simulate
from fusilex.core.heat.schedule import FULL_C, Schedule
from fusilex.core.heat.sheet import Sheet, plain_sheet
from fusilex.core.heat.sources import plate as below
from fusilex.core.heat.sources.jet import Stream, air_at, jet_w_per_m2k
from fusilex.core.heat.sources.plate import ring_share

OFF = Schedule((0.0,), (0.0,), False)
ENDLESS = {"plate_j_per_k": 1e12, "heater_j_per_k": 1e12}


def mean_of(sheet: Sheet) -> np.ndarray:
    return sheet.heat[None] / sheet.heat.sum()


def test_a_board_on_a_plate_warms_as_the_exponential_and_comes_to_rest_as_fourth_powers_have_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    sheet = plain_sheet(50, 40)
    face, edge, heat = 50e-3 * 40e-3, 2 * 90e-3 * 1.6e-3, float(sheet.heat.sum())
    above, under = face + edge, face  # the edges touch nothing
    oven = OvenModel(PLATE, {**ENDLESS, "gap_w_per_m2k": 150.0, "still_w_per_m2k": 9.0})
    hot = Loading(oven_c=220.0)
    done = simulate(sheet, [oven], OFF, 900.0, mean_of(sheet), loading=hot)
    rest = float(done.watched[-1, 0, 0])
    out = 9.0 * (rest - 25) + 0.9 * SIGMA * ((rest + 273.15) ** 4 - 298.15**4)
    assert 150 * under * (220 - rest) == pytest.approx(above * out, rel=0.01)
    foil = simulate(sheet, [OvenModel(PLATE, oven.numbers, foil=True)], OFF, 900.0, mean_of(sheet), loading=hot)
    cooler = float(foil.watched[-1, 0, 0])
    out = 9.0 * (cooler - 25) + 0.9 * SIGMA * ((cooler + 273.15) ** 4 - 298.15**4)
    assert 75 * under * (220 - cooler) == pytest.approx(above * out, rel=0.01) and cooler < rest - 10
    monkeypatch.setattr(below, "EMISSIVITY", 0.0)
    done = simulate(sheet, [oven], OFF, 100.0, mean_of(sheet), loading=hot)
    passing = 150 * under + 9 * above
    end = (150 * under * 220 + 9 * above * 25) / passing
    exact = end + (25 - end) * np.exp(-passing / heat * done.time)
    assert np.abs(done.watched[:, 0, 0] - exact).max() < 0.02 * (end - 25) * 0.1


def test_energy_of_plates_and_air_guns_is_lost_or_stored() -> None:
    sheet = plain_sheet(70, 50, cell_mm=3.0)
    settings = Schedule((0.0, 150.0), (FULL_C, 0.0), False)
    blow = Stream((30.0, 200.0), (350.0, 20.0), (12.0, 0.0), np.array([[10.0, 5.0]]))
    for oven, stream, copies in (
        (OvenModel(PLATE, ring_mm=60.0), None, 2),
        (OvenModel(PLATE), blow, 1),
        (OvenModel(AIR), blow, 1),
    ):
        until = 320.0
        kept = simulate(
            sheet, [oven], settings, until, mean_of(sheet), loading=Loading(copies=copies), stream=stream
        ).ledger
        assert kept.taken[0] > 2000
        assert kept.lost[0] + kept.stored[0] == pytest.approx(kept.taken[0], rel=0.005)


def test_a_ring_heats_unevenly_about_its_mean_and_foil_evens_it() -> None:
    rng = np.random.default_rng(0)
    radius, way = 96.0 * np.sqrt(rng.uniform(0, 1, 40_000)), rng.uniform(0, 2 * np.pi, 40_000)
    xy = np.column_stack([radius * np.cos(way), radius * np.sin(way)])
    plain, foil = OvenModel(PLATE, ring_mm=60.0), OvenModel(PLATE, ring_mm=60.0, foil=True)
    share = ring_share(xy, [plain, foil, OvenModel(PLATE)], np.array([0.1, 0.1, 0.1]))
    assert np.abs(share.mean(axis=0)).max() < 1e-3 and not share[:, 2].any()
    over = ring_share(np.array([[60.0, 0.0], [0.0, -60.0], [0.0, 0.0]]), [plain, foil], np.array([0.1, 0.1]))
    assert over[:2, 0] == pytest.approx(0.1) and over[:2, 1] == pytest.approx(0.1 * FOIL_UNEVEN) and over[2, 0] < 0
    sheet = plain_sheet(140, 140, cell_mm=10.0)
    watch = np.eye(len(sheet))
    level = OvenModel(PLATE, {**ENDLESS, "uneven": 0.1}, ring_mm=60.0)
    done = simulate(sheet, [level], OFF, 300.0, watch, loading=Loading(oven_c=220.0))
    warm = done.watched[-1, :, 0]
    away = np.hypot(*(sheet.xy - 70).T)
    assert warm[np.abs(away - 60) < 6].mean() > warm[away < 15].mean() + 8


def test_the_air_of_a_gun_gives_what_its_correlation_says() -> None:
    """The mean over a radius by Martin's formula, written anew; and the rest of a small board below it."""
    d, h, flow, hot = 6.0, 24.0, 25.0, 320.0
    mu, k = air_at(hot)
    re = 4 * 1.184 * flow / 60e3 / (math.pi * d * 1e-3 * mu)
    ratio = 1 / 5.0
    lean = ratio * (1 - 1.1 * ratio) / (1 + 0.1 * (h / d - 6) * ratio)
    mean = lean * 2 * re**0.5 * (1 + 0.005 * re**0.55) ** 0.5 * 0.7**0.42 * k / (d * 1e-3)
    r = (np.arange(20_000) + 0.5) / 20_000 * 5 * d
    local = jet_w_per_m2k(r, d, h, flow, hot)
    assert (local * r).sum() / r.sum() == pytest.approx(mean, rel=1e-3)
    assert (np.diff(local) <= 1e-9).all() and 60 < local[0] < 400
    assert jet_w_per_m2k(r, d, h, 0.0, hot).max() == 0.0
    small = plain_sheet(2, 2, cell_mm=1.0)
    stream = Stream((0.0,), (hot,), (flow,), np.zeros((1, 2)), d, h, half_mm=200.0)
    done = simulate(small, [OvenModel(AIR, {"still_w_per_m2k": 7.0})], OFF, 200.0, mean_of(small), stream=stream)
    rest = float(done.watched[-1, 0, 0])
    out = 7.0 * (rest - 25) + 0.9 * SIGMA * ((rest + 273.15) ** 4 - 298.15**4)
    assert local[0] * (hot - rest) == pytest.approx(out, rel=0.01), "what blows in leaves again"


def test_air_is_hottest_where_it_is_held_and_gone_where_it_is_lifted() -> None:
    sheet = plain_sheet(60, 60, cell_mm=3.0)
    stream = Stream((5.0, 65.0), (350.0, 350.0), (12.0, 0.0), np.array([[16.5, 1.5], [-16.5, 1.5]]), half_mm=5.5)
    at = sheet.at(np.array([[46.5, 31.5], [13.5, 31.5], [28.5, 55.5]]))
    watch = np.eye(len(sheet))[at]
    ovens = [OvenModel(AIR)] * 2
    done = simulate(sheet, ovens, OFF, 200.0, watch, stream=stream)
    t65 = done.watched[int(np.searchsorted(done.time, 65.0))]
    assert t65[0, 0] > 100 and t65[0, 0] == pytest.approx(t65[1, 1], rel=1e-6) and t65[1, 0] < 60
    assert t65[2].max() < 50 and done.watched[-1, 0, 0] < t65[0, 0] - 60
    with pytest.raises(ValueError, match="rise"):
        Stream((5.0, 2.0), (1.0, 1.0), (1.0, 1.0), np.zeros((1, 2)))


def test_back_of_the_tray_a_flat_board_and_a_full_oven() -> None:
    """What place, tray and load do: each the way it must, and by as much as was asked where that can be said."""
    sheet = plain_sheet(80, 60, cell_mm=5.0)
    curve = Schedule((0.0, 240.0), (25.0, 260.0))
    ends = mean_of(sheet)

    def warm(oven: OvenModel, loading: Loading = Loading()) -> float:  # noqa: B008
        return float(simulate(sheet, [oven], curve, 200.0, ends, loading=loading).watched[-1, 0, 0])

    usual, leaning = OvenModel(), OvenModel(numbers={"back": 1.3})
    middle = warm(usual)
    assert warm(leaning, Loading((0.0, 70.0))) > middle + 3 > middle - 3 > warm(leaning, Loading((0.0, -70.0)))
    assert warm(usual, Loading((0.0, 70.0))) == pytest.approx(middle)
    full = Schedule((0.0,), (FULL_C,), False)
    alone, eight = (simulate(sheet, [usual], full, 200.0, ends, loading=Loading(copies=n)) for n in (1, 8))
    assert eight.watched[-1, 0, 0] < alone.watched[-1, 0, 0] - 6, "eight panels take more than one"
    assert warm(usual, Loading(flat=True)) < middle - 3
    kept = simulate(sheet, [usual], curve, 300.0, ends, loading=Loading(copies=3, flat=True)).ledger
    assert kept.lost[0] + kept.stored[0] == pytest.approx(kept.taken[0], rel=0.005)
    names = set(parameters_of(CONTROLLED)), set(parameters_of(PLATE))
    assert "gap_w_per_m2k" in names[1] - names[0] and "back" in names[0] - names[1]
    assert OvenModel(PLATE, {"back": 1.1}).faults() == ["there is no back in a plate"]
