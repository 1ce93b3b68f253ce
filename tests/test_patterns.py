"""What faults have in common: chances against SciPy's, planted causes found, nothing found where nothing is."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from scipy.stats import false_discovery_control, hypergeom

from fusilex.app import main
from fusilex.core.inspection.patterns import Pattern, held_together, midp, patterns, stays


def test_chances_are_those_of_the_hypergeometric_law() -> None:
    rng = np.random.default_rng(0)
    for _ in range(400):
        n = int(rng.integers(4, 3000))
        bad, of = int(rng.integers(1, n)), int(rng.integers(1, n))
        k = int(rng.integers(max(0, of + bad - n), min(of, bad) + 1))
        law = hypergeom(n, bad, of)
        exact = law.sf(k) + 0.5 * law.pmf(k)
        if exact > 1e-200:
            assert midp(np.array([k]), np.array([of]), bad, n)[0] == pytest.approx(exact, rel=1e-6)
    p = rng.uniform(size=50) ** 2
    assert held_together(p) == pytest.approx(false_discovery_control(p))


def batch(seed: int, boards: int = 40, joints: int = 60) -> tuple[dict[str, np.ndarray], np.ndarray]:
    """Opportunities of a batch: joints by part, feeder, cell, board, print; nothing wrong with any of them."""
    rng = np.random.default_rng(seed)
    board, joint = (a.ravel() for a in np.mgrid[0:boards, 0:joints])
    part = joint // 4
    table = {
        "board": board,
        "part": part,
        "feeder": part // 2,
        "cell": board % 6,
        "panel": board // 6,
        "nozzle": part % 3,
        "print since wipe": board // 6 % 3,
    }
    return {name: np.char.add(name[0], values.astype(str)) for name, values in table.items()}, rng.uniform(
        size=board.size
    )


def named(found: list[Pattern]) -> list[tuple[str, str]]:
    return [(f.attribute, f.value) for f in found]


def test_nothing_is_found_where_nothing_is_wrong() -> None:
    wrong = 0
    for seed in range(1000):
        table, chance = batch(seed, boards=12, joints=40)
        wrong += bool(patterns(table, chance < 0.02))
    assert wrong <= 65, "of a thousand batches without a cause at most one in twenty, and what chance adds to that"


def test_planted_causes_are_found_and_told_from_what_only_goes_along_with_them() -> None:
    found = {"feeder": 0, "cell": 0, "both": 0}
    for seed in range(60):
        table, chance = batch(seed)
        feeder, cell = table["feeder"] == "f3", table["cell"] == "c2"
        by_feeder = named(patterns(table, chance < np.where(feeder, 0.06, 0.004)))
        found["feeder"] += by_feeder[:1] == [("feeder", "f3")] and ("part", "p6") not in by_feeder
        by_cell = named(patterns(table, chance < np.where(cell, 0.05, 0.004)))
        found["cell"] += by_cell[:1] == [("cell", "c2")] and not any(name == "board" for name, _ in by_cell)
        both = patterns(table, chance < np.where(feeder | cell, 0.06, 0.004))
        found["both"] += {("feeder", "f3"), ("cell", "c2")} <= {*named(both), *(v for f in both for v in f.also)}
    assert all(share >= 54 for share in found.values()), found


def test_a_finding_says_how_often_and_what_it_cannot_be_told_from() -> None:
    value = np.array(["a"] * 20 + ["b"] * 180)
    fault = np.zeros(200, dtype=bool)
    fault[:6] = True
    fault[[50, 99]] = True
    table = {"feeder": value, "lot": np.char.add("lot ", value), "nobody knows": np.array([""] * 200)}
    (one,) = patterns(table, fault)
    assert (one.faults, one.of) == (6, 20) and one.also == (("lot", "lot a"),)
    assert one.ratio == pytest.approx((6.5 / 20.5) / (2.5 / 180.5)) and one.within95[0] > 3 and one.p < one.q < 0.001
    assert patterns(table, np.zeros(200, dtype=bool)) == [] and patterns({}, fault) == []
    own, other = value == "a", np.arange(200) % 2 == 0
    assert stays(own, other, fault) < 1e-4 < 0.3 < stays(other, own, fault)
    assert stays(own, own, fault) == 1.0, "within itself nothing is left"


def test_what_cannot_be_told_yet_says_how_many_more_boards_would(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    rows = ["board,joint,feeder,fault"]
    for board in range(8):
        for joint in range(20):
            fault = (joint == 3 and board in (1, 5)) or (board, joint) == (6, 9)
            rows.append(f"b{board},j{joint},f{joint // 2},{int(fault)}")
    record = tmp_path / "record.csv"

    def ask(lines: list[str]) -> dict:  # type: ignore[type-arg]
        record.write_text("\n".join(lines))
        assert main(["patterns", str(record), "--json"]) == 0
        return json.loads(capsys.readouterr().out)

    few = ask(rows)
    assert not few["data"]["findings"] and few["judgements"][0]["level"] == "unknown" and few["data"]["faults"] == 3
    more = few["data"]["more_boards"]
    assert 2 <= more <= 88 and f"About {more} more boards" in few["judgements"][0]["do"]
    many = [rows[0], *(line.replace("b", f"b{n}-", 1) for n in range(1 + round(more / 8) + 1) for line in rows[1:])]
    told = ask(many)["data"]
    assert ("joint", "j3") in {(f["attribute"], f["value"]) for f in told["findings"]} and told["more_boards"] is None
    assert set(told["findings"][0]) >= {"p", "q", "ratio", "ratio_within95", "faults", "of", "also"}
    assert (
        ask([rows[0], *(line[:-1] + "0" for line in rows[1:])])["judgements"][0]["headline"] == "No defects, no pattern"
    )
    for wrong, why in (
        ("a,b\n1,2\n", "a column fault"),
        ("fault,a\n2,x\n", "line 2"),
        ("fault,a\n1\n", "2 cells"),
        ("fault,a\n", "at least one"),
        ("fault,a,a\n1,2,3\n", "different names"),
    ):
        record.write_text(wrong)
        assert main(["patterns", str(record)]) == 2
        assert why in capsys.readouterr().err


def test_a_record_without_a_pattern_proves_nothing(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    record = tmp_path / "plain.csv"
    rows = (f"H-{n // 100},F{n % 2},{int(n % 100 < 2)}" for n in range(200))
    record.write_text("\n".join(["board,feeder,fault", *rows]))
    assert main(["patterns", str(record), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert "no significant pattern" in told["judgements"][0]["headline"]
    assert not told["data"]["findings"] and {j["level"] for j in told["judgements"]} == {"unknown"}
