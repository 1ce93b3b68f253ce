"""Reference points: which to teach, affine or similarity, and what the errors cover."""

from __future__ import annotations

import json
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest

from fusilex.app import main
from fusilex.core.evidence import Level
from fusilex.core.placing.affine import Affine, best_fit, fit_affine, odd_one
from fusilex.core.placing.references import error_within, judge_references
from fusilex.core.placing.suggest import Candidate, corners_of, standard_error, suggest, to_teach
from fusilex.core.similarity import fit_similarity

HERON = Path(__file__).parents[1] / "src/fusilex/demo/heron-r2"
PANEL = np.array([(3.5, 5), (146.5, 5), (3.5, 57), (146.5, 57), (75, 5), (75, 57)])
FAR = np.array([(150.0, 62.0)])


def test_the_error_predicted_is_that_of_ten_thousand_panels() -> None:
    rng, sigma = np.random.default_rng(5), 0.02
    points = PANEL[:3]
    predicted = standard_error(points, [sigma] * 3, FAR)[0]
    off = [
        fit_similarity(points, points + rng.normal(0, sigma, points.shape)).apply(FAR)[0] - FAR[0]
        for _ in range(10_000)
    ]
    assert np.sqrt(np.mean(np.sum(np.square(off), axis=1))) == pytest.approx(predicted, rel=0.03)
    # closed form with equal errors: σ √(2/n + 2 d²/S)
    c = points.mean(axis=0)
    assert predicted == pytest.approx(sigma * np.sqrt(2 / 3 + 2 * np.sum((FAR - c) ** 2) / np.sum((points - c) ** 2)))


def test_no_other_points_do_better_and_the_hidden_one_is_replaced() -> None:
    rng = np.random.default_rng(2)
    parts = rng.uniform(0, 1, (60, 2)) * (150, 62)
    names = [f"R{k}" for k in range(60)]
    some = [Candidate("P1", 3.5, 5), Candidate("P2", 146.5, 5), *corners_of(names, parts)]
    chosen, error = suggest(some, parts, 3)
    for other in combinations(some, 3):
        at = [(c.x, c.y) for c in other]
        assert standard_error(at, [c.seen_mm for c in other], parts).max() >= error - 1e-12
    assert {c.name for c in chosen} >= {"P1", "P2"}
    without, worse = suggest(some[1:], parts, 3)
    assert "P1" not in {c.name for c in without} and worse >= error
    with pytest.raises(ValueError, match="at least two"):
        suggest(some, parts, 1)
    with pytest.raises(ValueError, match="there are 2"):
        suggest(some[:2], parts, 3)


def test_an_affine_is_taken_where_it_is_one_and_covers_what_it_claims() -> None:
    rng, sigma = np.random.default_rng(8), 0.015
    shrunk = PANEL @ np.diag([1.002, 0.9985])
    kinds = [isinstance(best_fit(PANEL, PANEL + rng.normal(0, sigma, PANEL.shape)), Affine) for _ in range(3000)]
    assert 0.003 < np.mean(kinds) < 0.02, "one clean fit in a hundred"
    inside, worst = [], FAR @ np.diag([1.002, 0.9985])
    for _ in range(3000):
        fit = best_fit(PANEL, shrunk + rng.normal(0, sigma, PANEL.shape))
        assert isinstance(fit, Affine)
        inside.append(np.hypot(*(fit.apply(FAR) - worst)[0]) <= fit.error_within(FAR)[0])
    assert 0.93 < np.mean(inside) < 0.97
    exact = fit_affine(PANEL, shrunk)
    assert exact.stretch == pytest.approx((1.002, 0.9985)) and abs(exact.shear_deg) < 1e-9 and exact.rms_mm < 1e-12
    with pytest.raises(ValueError, match="in a line"):
        fit_affine([(0, 0), (1, 1), (2, 2), (3, 3)], [(0, 0), (1, 1), (2, 2), (3, 3)])


def test_shear_is_named_a_bad_click_is_found_and_good_points_are_let_be() -> None:
    turn = np.radians(2.0)
    matrix = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    sheared = PANEL @ np.array([[1.0, 0.0], [np.tan(np.radians(0.5)), 1.0]]) @ matrix
    fit = best_fit(PANEL, sheared)
    assert isinstance(fit, Affine) and fit.shear_deg == pytest.approx(0.5, abs=1e-3)
    assert fit.rotation_deg == pytest.approx(2.0 - 0.25, abs=1e-3)
    found = {j.rule: j for j in judge_references(fit, list("abcdef"), ["U1"], FAR)}
    assert found["place.shear"].level is Level.STOP
    rng = np.random.default_rng(4)
    alarms = [odd_one(PANEL, PANEL + rng.normal(0, 0.03, PANEL.shape)) is not None for _ in range(1500)]
    assert np.mean(alarms) < 0.02
    wrong = PANEL.copy()
    wrong[2] += (0.4, -0.3)
    named = [odd_one(PANEL, wrong + rng.normal(0, 0.01, PANEL.shape)) for _ in range(200)]
    assert np.mean([n == 2 for n in named]) > 0.9


@pytest.mark.parametrize(("step", "sigma"), [(0.1, 0.0), (0.1, 0.02), (0.05, 0.01), (0.02, 0.0)])
@pytest.mark.parametrize("n", [3, 4, 6])
def test_points_read_in_steps_know_no_more_than_their_step(step: float, sigma: float, n: int) -> None:
    """Panels somewhere in the clamp, their points on whole tenths as designers draw them, read in steps."""
    rng, covered, wrong_go = np.random.default_rng(int(step * 100 + n)), [], 0
    for _ in range(1500):
        turn, shift = rng.normal(0, 0.003) * (rng.random() < 0.5), rng.uniform(0, 1, 2)
        matrix = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        seen = PANEL[:n] @ matrix + shift + rng.normal(0, sigma, (n, 2))
        fit = best_fit(PANEL[:n], np.round(seen / step) * step)
        off = float(np.hypot(*(fit.apply(FAR) - (FAR @ matrix + shift))[0]))
        covered.append(off <= error_within(fit, FAR, step)[0])
        wrong_go += (
            off > 0.05 and judge_references(fit, list("abcdef")[:n], ["U1"], FAR, step=step)[-1].level is Level.GO
        )
    assert np.mean(covered) > 0.95 - 4 * np.sqrt(0.05 * 0.95 / 1500)
    assert wrong_go == 0 if step == 0.1 else wrong_go <= 0.025 * 1500


def test_two_points_run_a_machine_and_prove_nothing() -> None:
    at = PANEL[:2]
    found = judge_references(best_fit(at, at + 3.0), ["P1", "P2"], ["U1"], FAR)
    assert [(j.rule, j.level) for j in found] == [("place.error", Level.UNKNOWN)]
    stretched = judge_references(best_fit(at, at * 1.004), ["P1", "P2"], ["U1"], FAR)
    assert next((j.rule, j.level) for j in stretched) == ("place.scale", Level.STOP), (
        "their distance is what checks them"
    )
    assert [j.rule for j in judge_references(best_fit(at, at * 1.0029), ["P1", "P2"], ["U1"], FAR)] == ["place.error"]


def test_fiducials_come_before_parts_everywhere() -> None:
    rng = np.random.default_rng(3)
    parts = rng.uniform(0, 1, (40, 2)) * (150, 62)
    corners = corners_of([f"R{k}" for k in range(40)], parts)
    marks = [Candidate(f"P{k}", *map(float, PANEL[k])) for k in range(4)]
    for n, named in ((4, 3), (3, 3), (2, 2), (1, 1), (0, 0)):
        chosen, error = to_teach(marks[:n], corners, parts, 3)
        assert sum(c.name.startswith("P") for c in chosen) == named and len(chosen) == 3
        at, seen = [(c.x, c.y) for c in chosen], [c.seen_mm for c in chosen]
        assert error == pytest.approx(standard_error(at, seen, parts).max())
    with pytest.raises(ValueError, match="there are 1"):
        to_teach(marks[:1], [], parts, 2)


def test_refs_suggests_and_tells_the_worst_part(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["refs", str(HERON), "--suggest", "4", "--hidden", "p3", "--json"]) == 0
    data = json.loads(capsys.readouterr().out)["data"]
    names = [p["point"] for p in data["suggested"]]
    assert len(names) == 4 and {"P1", "P2"} <= set(names) and "P3" not in names
    file = tmp_path / "seen.csv"
    rows = [f"{p['point']},{p['x_mm'] + 20 + 0.01 * k},{p['y_mm'] + 30}" for k, p in enumerate(data["suggested"])]
    file.write_text("point,x_mm,y_mm\n" + "\n".join(rows) + "\n")
    assert main(["refs", str(HERON), str(file), "--json"]) == 0
    data = json.loads(capsys.readouterr().out)["data"]
    assert data["within95_mm"] == data["worst_part"]["error_mm"] > 0 and data["kind"] == "similarity"
    assert main(["refs", str(HERON)]) == 2 and "--suggest N" in capsys.readouterr().err
    assert main(["refs", str(HERON), "--suggest", "99"]) == 2
