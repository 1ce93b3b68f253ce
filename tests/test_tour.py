"""The microscope's tour: every joint whole in some field, no more fields than a second method needs, odd boards."""

from __future__ import annotations

import json
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest

from fusilex.app import main
from fusilex.bench.intake.design import read_design
from fusilex.core.inspection import tour as touring
from fusilex.core.inspection.tour import joints_seen, tour
from fusilex.core.soldering.order import soldered_from

DEMO = Path(__file__).parents[1] / "src/fusilex/demo"


def seen_whole(found: touring.Tour, names: list[str], boxes: np.ndarray, size: tuple[float, float]) -> set[str]:
    """Which joints the stops show whole, looked at anew."""
    shown: set[str] = set()
    for stop in found.stops:
        for name, (left, low, right, high) in zip(names, boxes, strict=True):
            if (
                abs(stop.x - left) <= size[0] / 2 + 1e-6
                and abs(stop.x - right) <= size[0] / 2 + 1e-6
                and abs(stop.y - low) <= size[1] / 2 + 1e-6
                and abs(stop.y - high) <= size[1] / 2 + 1e-6
            ):
                shown.add(name)
        small = {
            n
            for n, b in zip(names, boxes, strict=True)
            if b[2] - b[0] <= 0.9 * size[0] and b[3] - b[1] <= 0.9 * size[1]
        }
        assert set(stop.joints) & small <= shown, "what a stop claims it shows"
    return shown


def fewest_by_trying(boxes: np.ndarray, size: tuple[float, float]) -> int:
    """The fewest fields by trying all sets of fields that begin at some joint's edges."""
    lows = [(x, y) for x in np.unique(boxes[:, 0]) for y in np.unique(boxes[:, 1])]
    sees = {
        frozenset(
            np.flatnonzero(
                (boxes[:, 0] >= x - 1e-9)
                & (boxes[:, 1] >= y - 1e-9)
                & (boxes[:, 2] <= x + size[0] + 1e-9)
                & (boxes[:, 3] <= y + size[1] + 1e-9)
            ).tolist()
        )
        for x, y in lows
    }
    return next(
        n
        for n in range(1, len(boxes) + 1)
        if any(len(frozenset().union(*some)) == len(boxes) for some in combinations(sees, n))
    )


def test_every_joint_is_shown_by_no_more_fields_than_trying_all_of_them_finds(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(3)
    for _ in range(25):
        corner, extent = rng.uniform(0, 12, (9, 2)), rng.uniform(0.2, 1.5, (9, 2))
        boxes, names = np.hstack([corner, corner + extent]), [str(k) for k in range(9)]
        found = tour(names, boxes, (5.0, 4.0), 0.0)
        assert seen_whole(found, names, boxes, (5.0, 4.0)) == set(names)
        assert len(found.stops) == found.bound_stops == fewest_by_trying(boxes, (5.0, 4.0))
    monkeypatch.setattr(touring, "MOST_EXACT", 0)
    simple = tour(names, boxes, (5.0, 4.0), 0.0)
    assert seen_whole(simple, names, boxes, (5.0, 4.0)) == set(names)
    assert 1 <= simple.bound_stops <= found.bound_stops <= len(simple.stops)


@pytest.mark.parametrize(("design", "side"), [("heron-r2", "top"), ("heron-r2", "bottom"), ("wren", "top")])
def test_demo_boards_are_toured_within_a_quarter_of_the_bound(design: str, side: str) -> None:
    read = read_design(str(DEMO / design))
    names, boxes = joints_seen(read, side)
    assert {n.partition(".")[0] for n in names} == {
        p.ref for p in read.parts if p.populated and p.pads and soldered_from(p) == side
    }
    for field in ((20.0, 15.0), (10.0, 8.0), (6.0, 4.5)):
        found = tour(names, boxes, field, 0.1)
        assert len(found.stops) <= 1.25 * found.bound_stops
        assert {j for s in found.stops for j in s.joints} == set(names)
        fits = [k for k, b in enumerate(boxes) if b[2] - b[0] <= 0.9 * field[0] and b[3] - b[1] <= 0.9 * field[1]]
        inner = 0.9 * field[0], 0.9 * field[1]
        assert {names[k] for k in fits} <= seen_whole(found, names, boxes, inner), "away from the very edge"


def test_odd_boards_and_fields(capsys: pytest.CaptureFixture[str]) -> None:
    none = tour([], np.empty((0, 4)), (5.0, 5.0))
    assert none.stops == () and none.bound_stops == 0
    large = tour(["pad"], np.array([[0.0, 0.0, 30.0, 2.0]]), (10.0, 8.0))
    assert (large.stops[0].x, large.stops[0].y) == (15.0, 1.0), "larger than the field: its middle"
    three = tour(["a", "b", "c"], np.array([[0.0, 0, 1, 1], [50, 0, 51, 1], [25, 0, 26, 1]]), (10.0, 8.0))
    assert [s.joints for s in three.stops] in ([("a",), ("c",), ("b",)], [("b",), ("c",), ("a",)])
    for wrong in ((0.0, 5.0), (float("nan"), 5.0)):
        with pytest.raises(ValueError, match="wider and higher than nothing"):
            tour(["a"], np.array([[0.0, 0, 1, 1]]), wrong)
    assert main(["tour", str(DEMO / "heron-r2"), "--field", "20,15", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    data, judged = told["data"], told["judgements"][0]
    assert judged["level"] == "care" and any("U1" in str(b["value"]) for b in judged["because"]), (
        "hidden joints are no go"
    )
    assert main(["tour", str(DEMO / "heron-r2"), "--field", "6,4.5", "--side", "bottom", "--json"]) == 0
    judged = json.loads(capsys.readouterr().out)["judgements"][0]
    assert judged["level"] == "care" and any("larger than the field" in b["what"] for b in judged["because"])
    assert len(data["stops"]) == data["bound_stops"] and data["path_mm"] > 20 and len(data["stops"][0]["joints"]) > 1
    for bad in ("20", "20,0", "a,b", "20,15,3", "-1,5"):
        assert main(["tour", str(DEMO / "wren"), f"--field={bad}"]) == 2
        assert "such as 20,15" in capsys.readouterr().err
    assert main(["tour", str(DEMO / "wren"), "--field", "20,15", "--overlap", "0.95"]) == 2
